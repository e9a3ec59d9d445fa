package panel_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/panel"
)

// table builds a panel of driver values: attribute "item" unless it has no series names.
func table(t *testing.T, rows []row, attributes ...string) *panel.Panel {
	b := panel.NewBuilder(panel.Options{Measure: "price", Attributes: attributes})
	codes := map[string]int32{}
	for i, r := range rows {
		if _, ok := codes[r.period]; !ok {
			code, err := b.TimeCode(r.period, i+2)
			require.NoError(t, err)
			codes[r.period] = code
		}
		var labels []string
		if len(attributes) > 0 {
			labels = []string{r.series}
		}
		b.Add(b.SeriesCode([]byte(r.series), func() []string { return labels }), codes[r.period], i+2, r.value, nil)
	}
	p, faults := b.Finish()
	require.Empty(t, faults)
	return p
}

func sales(t *testing.T) *panel.Panel {
	var rows []row
	for i := range 10 {
		rows = append(rows, row{"a", day(5 + i), float64(i)}, row{"b", day(7 + i), float64(i)})
	}
	p, faults := build(rows, panel.Options{})
	require.Empty(t, faults)
	return p
}

// A weekly price joins daily sales by item, week by week, and reaches ahead where it
// is known.
func TestAttachACoarserTableByAttribute(t *testing.T) {
	p := sales(t) // 2026-01-05, a Monday, to 2026-01-16
	price := table(t, []row{{"a", "2026-W02", 10}, {"a", "2026-W03", 11}, {"a", "2026-W04", 12}, {"c", "2026-W02", 99}}, "item")
	got, reports, err := panel.Attach(p, price, []string{"price"}, []string{"price"})
	require.NoError(t, err)
	assert.Equal(t, []panel.Driver{{Name: "price", KnownAhead: true, Attached: true}}, got.Drivers)
	assert.Equal(t, []float64{10, 10, 10, 10, 10, 10, 10, 11, 11, 11, 11, 11, 11, 11, 12, 12, 12, 12, 12, 12, 12}, got.Series[0].Drivers[0])
	assert.Empty(t, got.Series[1].Drivers[0])
	assert.Empty(t, p.Series[0].Drivers, "the panel itself is not changed")
	assert.Equal(t, panel.Attached{Driver: "price", KnownAhead: true, Matched: 1, Unmatched: []string{"b"}, Covered: 10, Periods: 10,
		AheadFrom: 9, AheadTo: 9, Unused: []string{"c"}}, reports[0])

	again, _, err := panel.Attach(got, price, []string{"price"}, nil)
	require.NoError(t, err)
	require.Len(t, again.Drivers, 1, "the same name replaces")
	assert.Len(t, again.Series[0].Drivers[0], 12, "what is not known ahead ends with the dataset")
}

// One value for all joins by time alone, with its holes.
func TestAttachOneSeriesToAll(t *testing.T) {
	p := sales(t)
	heat := table(t, []row{{"", day(7), 20}, {"", day(8), 21}, {"", day(10), 23}})
	got, reports, err := panel.Attach(p, heat, []string{"price"}, nil)
	require.NoError(t, err)
	assert.Equal(t, 2, reports[0].Matched)
	assert.Equal(t, []int{6, 20}, []int{reports[0].Covered, reports[0].Periods})
	assert.Equal(t, 21.0, got.Series[1].Drivers[0][1])
	assert.False(t, panel.Known(got.Series[1].Drivers[0][2]))

	// A further load of the dataset's own table keeps what was attached.
	more, faults := build([]row{{"a", day(15), 7}, {"a", day(16), 7}}, panel.Options{})
	require.Empty(t, faults)
	merged, _, err := panel.Merge(got, more)
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprint(got.Series[1].Drivers[0]), fmt.Sprint(merged.Series[1].Drivers[0]))
	assert.Equal(t, 7.0, merged.Series[0].At(11))
}

func TestAttachRefusesWhatDoesNotFit(t *testing.T) {
	p := sales(t)
	hourly := table(t, []row{{"a", "2026-01-05 00:00", 1}, {"a", "2026-01-05 01:00", 1}}, "item")
	_, _, err := panel.Attach(p, hourly, []string{"price"}, nil)
	assert.ErrorContains(t, err, "finer than the dataset's day: aggregate it")
	_, _, err = panel.Attach(p, table(t, []row{{"a", day(5), 1}, {"a", day(6), 1}}, "colour"), []string{"price"}, nil)
	assert.ErrorContains(t, err, `no attribute is called "colour"`)
}
