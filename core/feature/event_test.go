package feature_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
	"paperkettle/core/feature"
	"paperkettle/core/panel"
)

// What is kept of an event for all series is the event's own in each, whenever it began and whatever was laid before: told by
// one event, by two of one name, and by a recipe that has laid nothing yet, it is the same.
func TestEventsAreTheSameForEverySeries(t *testing.T) {
	const length, horizon = 120, 10
	lines := []string{"events around 1", "weekend events around 1", "since fair"}
	rapid.Check(t, func(t *rapid.T) {
		first, _ := calendar.Cadence{Unit: calendar.Day}.Ordinal(1767571200) // 2026-01-05
		days := rapid.SliceOfNDistinct(rapid.IntRange(0, length+horizon), 6, 12, rapid.ID[int]).Draw(t, "days")
		slices.Sort(days)
		occasions := make([]calendar.Occasion, len(days))
		for k, d := range days {
			at := (first + int64(d)) * 24 * 3600
			occasions[k] = calendar.DayOf(at, at)
		}
		late := rapid.IntRange(1, 100).Draw(t, "late")
		whole := fairs(first, length, late, calendar.Event{Name: "fair", Occasions: occasions})
		parted := fairs(first, length, late, calendar.Event{Name: "fair", Occasions: occasions[:3]}, calendar.Event{Name: "fair", Occasions: occasions[3:]})
		r, err := feature.Parse(lines, feature.SettingOf(whole, horizon))
		require.NoError(t, err)
		for _, i := range rapid.SampledFrom([][]int{{0, 1}, {1, 0}}).Draw(t, "order") {
			anew, err := feature.Parse(lines, feature.SettingOf(whole, horizon))
			require.NoError(t, err)
			want := columnsOf(t, &anew, parted.Series(i), horizon)
			require.NotEmpty(t, want)
			assert.Equal(t, want, columnsOf(t, &r, whole.Series(i), horizon), "series %d", i)
			assert.Equal(t, want, columnsOf(t, &r, whole.Series(i), horizon), "series %d once more", i)
		}
	})
}

// fairs are two daily series, of which the second begins late, with events.
func fairs(first int64, length, late int, events ...calendar.Event) panel.View {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: first, Length: length, Events: events,
		Series: []panel.Series{{Key: "a", Values: make([]float64, length)}, {Key: "b", First: late, Values: make([]float64, length-late)}}}
	return panel.NewView(p, []int{0, 1}, 0, length-1)
}

// columnsOf are the rows of a series, known ahead.
func columnsOf(t require.TestingT, r *feature.Recipe, s panel.SeriesView, horizon int) (out [][]float64) {
	rows, err := r.Lay(s, s.Values, horizon, nil)
	require.NoError(t, err)
	for i := range len(s.Values) + horizon {
		x := make([]float64, len(r.Columns))
		rows.FillAhead(i, x)
		out = append(out, x)
	}
	return out
}
