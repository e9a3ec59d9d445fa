package feature_test

import (
	"bytes"
	"encoding/gob"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/feature"
	"paperkettle/core/panel"
)

// on is a series of a cadence whose first period holds a moment.
func on(t *testing.T, unit calendar.Unit, moment string, n int) panel.View {
	t.Helper()
	at, err := time.Parse("2006-01-02 15:04", moment)
	require.NoError(t, err)
	c := calendar.Cadence{Unit: unit}
	first, _ := c.Ordinal(at.Unix())
	p := &panel.Panel{Cadence: c, First: first, Length: n, Series: []panel.Series{{Key: "a", Values: make([]float64, n)}}}
	return panel.NewView(p, []int{0}, 0, n-1)
}

// Parts of the calendar at moments that are easily got wrong: leap days, weeks that belong to another year,
// months' ends, weekends.
func TestPartsOfTheCalendar(t *testing.T) {
	for _, c := range []struct {
		unit   calendar.Unit
		moment string
		part   string
		want   float64
	}{
		{calendar.Day, "2024-02-29 00:00", "day of year", 60},
		{calendar.Day, "2024-12-31 00:00", "day of year", 366},
		{calendar.Day, "2024-02-29 00:00", "month end", 0},
		{calendar.Day, "2023-02-01 00:00", "month end", 27},
		{calendar.Day, "2024-12-30 00:00", "week", 1},
		{calendar.Day, "2027-01-01 00:00", "week", 53},
		{calendar.Day, "2026-11-29 00:00", "day of week", 7},
		{calendar.Day, "2026-11-29 00:00", "working day", 0},
		{calendar.Day, "2026-11-30 00:00", "working day", 1},
		{calendar.Day, "2026-07-01 00:00", "half", 2},
		{calendar.Day, "2026-06-30 00:00", "quarter", 2},
		{calendar.Month, "2026-02-01 00:00", "working days", 20},
		{calendar.Month, "2026-12-01 00:00", "working days", 23},
		{calendar.Week, "2026-11-23 00:00", "working days", 5},
		{calendar.Year, "2024-01-01 00:00", "working days", 262},
		{calendar.Quarter, "2026-10-01 00:00", "quarter", 4},
		{calendar.Hour, "2026-11-28 23:00", "weekend hour", 24},
		{calendar.Hour, "2026-11-27 23:00", "weekend hour", 0},
		{calendar.Hour, "2026-11-27 23:00", "hour", 23},
		{calendar.Month, "2026-12-01 00:00", "year", 2026},
	} {
		v := on(t, c.unit, c.moment, 3)
		r, err := feature.Parse([]string{c.part}, feature.SettingOf(v, 2))
		require.NoError(t, err)
		rows, err := r.Lay(v.Series(0), make([]float64, 3), 2, nil)
		require.NoError(t, err)
		got := []float64{math.NaN()}
		rows.FillAhead(0, got)
		assert.Equal(t, c.want, got[0], "%s at %s", c.part, c.moment)
	}
}

// Levels of a part are ones and zeros that tell every place apart, against the first.
func TestLevelsTellPlacesApart(t *testing.T) {
	v := on(t, calendar.Month, "2024-01-01 00:00", 36)
	r, err := feature.Parse([]string{"month as levels"}, feature.SettingOf(v, 12))
	require.NoError(t, err)
	require.Len(t, r.Columns, 11)
	rows, err := r.Lay(v.Series(0), make([]float64, 36), 12, nil)
	require.NoError(t, err)
	x := make([]float64, 11)
	for i := range 48 {
		rows.FillAhead(i, x)
		for k, value := range x {
			want := 0.0
			if i%12 == k+1 {
				want = 1
			}
			assert.Equal(t, want, value, "period %d, %s", i, r.Columns[k].Name)
		}
	}
}

// Harmonics of a week are orthogonal over whole weeks, and no more than the week can tell.
func TestHarmonics(t *testing.T) {
	v := on(t, calendar.Day, "2026-01-05 00:00", 70)
	r, err := feature.Parse([]string{"week as harmonics 9"}, feature.SettingOf(v, 7))
	require.NoError(t, err)
	require.Len(t, r.Columns, 6, "three pairs are all that seven days tell")
	rows, err := r.Lay(v.Series(0), make([]float64, 70), 7, nil)
	require.NoError(t, err)
	x, products := make([]float64, 6), [6][6]float64{}
	for i := range 70 {
		rows.FillAhead(i, x)
		for a := range x {
			for b := range x {
				products[a][b] += x[a] * x[b]
			}
		}
	}
	for a := range products {
		for b := range products[a] {
			want := 0.0
			if a == b {
				want = 35
			}
			assert.InDelta(t, want, products[a][b], 1e-9, "%s and %s", r.Columns[a].Name, r.Columns[b].Name)
		}
	}
}

// What suits a cadence by itself can be laid out, and asks for no more history than there is.
func TestUsualLinesCanBeLaidOut(t *testing.T) {
	for unit, lengths := range map[calendar.Unit][]int{calendar.Hour: {60, 800}, calendar.Day: {20, 800}, calendar.Week: {30, 300},
		calendar.Month: {10, 60}, calendar.Quarter: {6, 40}, calendar.Year: {12}} {
		for _, n := range lengths {
			v := on(t, unit, "2020-01-06 00:00", n)
			s := feature.SettingOf(v, 4)
			lines := feature.Usual(s, true, true)
			r, err := feature.Parse(lines, s)
			require.NoError(t, err, "%v", lines)
			assert.Empty(t, r.Notes, "%v", lines)
			for _, c := range r.Columns {
				assert.LessOrEqual(t, c.Reach(r.Season), n, "%s of %d values by %s", c.Name, n, unit.Word())
			}
			ahead, past := r.Split()
			assert.Equal(t, len(r.Columns), len(ahead.Columns)+len(past.Columns))
			for _, c := range ahead.Columns {
				assert.False(t, c.Level, c.Name)
			}
		}
	}
}

// A recipe that was written and read back lays out the same numbers, without what it had kept at hand.
func TestRecipesAreWrittenAndReadBack(t *testing.T) {
	p := shop(60)
	r, rows := lay(t, p, 59, 7, "lag 1 to 2", "day of week as levels", "year as harmonics 2", "price log change", "since Fair", "events around 2",
		"group mean 2 of town", "attribute town")
	var b bytes.Buffer
	require.NoError(t, gob.NewEncoder(&b).Encode(r))
	var back feature.Recipe
	require.NoError(t, gob.NewDecoder(&b).Decode(&back))
	v := panel.NewView(p, []int{0, 1}, 0, 59).WithAhead(nil, 7)
	again, err := back.Lay(v.Series(0), v.Series(0).Values, 7, back.GroupsOf(v))
	require.NoError(t, err)
	want, got := make([]float64, len(r.Columns)), make([]float64, len(r.Columns))
	for step := 1; step <= 7; step++ {
		rows.Fill(59, step, want)
		again.Fill(59, step, got)
		assert.Equal(t, bits(want), bits(got), "step %d", step)
	}
}

// Attributes that tell series apart are those that some share and others don't.
func TestTellingAttributes(t *testing.T) {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week}, Length: 1, Attributes: []panel.Attribute{
		{Name: "town", Values: []string{"Quay", "Vale"}, Codes: []int32{0, 0, 1, 1}},
		{Name: "article", Values: []string{"a", "b", "c", "d"}, Codes: []int32{0, 1, 2, 3}},
		{Name: "brand", Values: []string{"ours"}, Codes: []int32{0, 0, 0, 0}}}}
	for i := range 4 {
		p.Series = append(p.Series, panel.Series{Key: string(rune('a' + i)), Values: []float64{1}})
	}
	names, codes := feature.Telling(panel.NewView(p, []int{0, 1, 2, 3}, 0, 0))
	assert.Equal(t, []string{"town"}, names)
	assert.Equal(t, []map[string]int{{"Quay": 0, "Vale": 1}}, codes)
}

// A column that is known ahead is, whole, what it is row by row; and that of an event is the same whichever series asked
// first, an early one or one that begins later, and whether it was kept or is laid out anew.
func TestColumnsAheadAreTheirRows(t *testing.T) {
	p := shop(40)
	late := &p.Series[1]
	late.First, late.Values = 9, late.Values[9:]
	for d := range late.Drivers {
		late.Drivers[d] = late.Drivers[d][9:]
	}
	v := panel.NewView(p, []int{0, 1}, 0, 39).WithAhead(nil, 7)
	lines := []string{"day of week as levels", "price", "event Fair around 1", "since Fair", "attribute town"}
	for _, order := range [][]int{{0, 1}, {1, 0}} {
		r, err := feature.Parse(lines, feature.SettingOf(v, 7))
		require.NoError(t, err)
		for _, i := range order {
			s := v.Series(i)
			rows, err := r.Lay(s, s.Values, 7, nil)
			require.NoError(t, err)
			bare := feature.Recipe{Columns: r.Columns, Season: r.Season} // keeps nothing
			alone, err := bare.Lay(s, s.Values, 7, nil)
			require.NoError(t, err)
			n := len(s.Values) + 7
			x, y := make([]float64, len(r.Columns)), make([]float64, len(r.Columns))
			told := 0.0
			for at := range n {
				rows.FillAhead(at, x)
				alone.FillAhead(at, y)
				assert.Equal(t, y, x, "series %d, period %d", i, at)
				for k := range x {
					assert.Equal(t, x[k], rows.Ahead(k, n)[at], "%s, series %d, period %d", r.Columns[k].Name, i, at)
					if r.Columns[k].IsEvent() && !r.Columns[k].Counts() {
						told += x[k]
					}
				}
			}
			assert.Equal(t, 3.0, told, "the fair, the day before and the day after")
		}
	}
}

// Events have columns of their own on the weekends that they were seen on, where they were seen on working days too.
func TestEventsOnWeekends(t *testing.T) {
	v := on(t, calendar.Day, "2026-01-05 00:00", 60)
	day := func(text string) calendar.Occasion {
		at, err := time.Parse("2006-01-02", text)
		require.NoError(t, err)
		return calendar.DayOf(at.Unix(), at.Unix())
	}
	p := &panel.Panel{Cadence: v.Cadence(), First: v.Ordinal(0), Length: 60, Series: []panel.Series{{Key: "a", Values: make([]float64, 60)}},
		Events: []calendar.Event{
			{Name: "both", Occasions: []calendar.Occasion{day("2026-01-10"), day("2026-01-13"), day("2026-01-25"), day("2026-03-08")}},
			{Name: "market", Occasions: []calendar.Occasion{day("2026-01-17"), day("2026-01-31")}}, // always a Saturday
			{Name: "later", Occasions: []calendar.Occasion{day("2026-02-03"), day("2026-03-07")}},  // a Saturday lies ahead
		}}
	v = panel.NewView(p, []int{0}, 0, 59)
	r, err := feature.Parse([]string{"weekend events"}, feature.SettingOf(v, 7))
	require.NoError(t, err)
	var names []string
	for _, c := range r.Columns {
		names = append(names, c.Name)
		assert.Equal(t, "both", c.Group)
		assert.True(t, c.IsEvent())
	}
	require.Equal(t, []string{"both on a weekend", "both on a Sunday rather than a Saturday"}, names)
	rows, err := r.Lay(v.Series(0), make([]float64, 60), 7, nil)
	require.NoError(t, err)
	got := map[int][2]float64{}
	for i := range 67 {
		x := [2]float64{}
		if rows.FillAhead(i, x[:]); x != [2]float64{} {
			got[i] = x
		}
	}
	assert.Equal(t, map[int][2]float64{5: {1, -0.5}, 20: {1, 0.5}, 62: {1, 0.5}}, got)

	r, err = feature.Parse([]string{"weekend events around 1"}, feature.SettingOf(v, 7))
	require.NoError(t, err)
	names = nil
	for _, c := range r.Columns {
		names = append(names, c.Name)
	}
	assert.Equal(t, []string{"both on a weekend", "both on a Sunday rather than a Saturday"}, names,
		"days beside them were at a weekend once each: of the one before, a Friday, a Monday and a Saturday")
	r, err = feature.Parse([]string{"weekend events"}, feature.SettingOf(on(t, calendar.Week, "2026-01-05 00:00", 9), 7))
	require.NoError(t, err)
	assert.Empty(t, r.Columns)
	assert.Len(t, r.Notes, 1)
	_, err = feature.Parse([]string{"weekend events near 2"}, feature.SettingOf(v, 7))
	assert.ErrorContains(t, err, `"weekend events around 2"`)
}
