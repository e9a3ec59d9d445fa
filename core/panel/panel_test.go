package panel_test

import (
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

var unknown = math.NaN()

type row struct {
	series, period string
	value          float64
}

func build(rows []row, opt panel.Options) (*panel.Panel, []panel.Fault) {
	opt.Measure, opt.Attributes = "y", []string{"item"}
	b := panel.NewBuilder(opt)
	var faults []panel.Fault
	for i, r := range rows {
		code, err := b.TimeCode(r.period, i+2)
		if err != nil {
			return nil, append(faults, panel.Fault{Line: i + 2, Problem: err.Error()})
		}
		s := b.SeriesCode([]byte(r.series), func() []string { return []string{r.series} })
		b.Add(s, code, i+2, r.value, nil)
	}
	return b.Finish()
}

func day(i int) string { return "2026-01-" + strconv.Itoa(100 + i)[1:] }

func TestBuildLaysRowsOnOneAxis(t *testing.T) {
	p, faults := build([]row{{"b", day(5), 5}, {"a", day(2), 2}, {"b", day(3), 3}, {"a", day(3), unknown}, {"a", day(4), 4},
		{"c", day(9), unknown}}, panel.Options{})
	require.Empty(t, faults)
	assert.Equal(t, "day", p.Cadence.String())
	assert.Equal(t, []string{"2026-01-02", "2026-01-05"}, []string{p.Period(0), p.Period(p.Length - 1)})
	require.Len(t, p.Series, 3, "a series without known values is kept")
	assert.Equal(t, "a", p.Series[0].Key, "series are in the order of their names")
	assert.Equal(t, 1, p.Series[1].First)
	assert.True(t, math.IsNaN(p.Series[0].At(1)) && math.IsNaN(p.Series[1].At(2)), "no row and no value are both unknown")
	assert.Equal(t, 4.0, p.Series[0].At(2))
	assert.Empty(t, p.Series[2].Values)
}

func TestGapsAsTheyWereMeant(t *testing.T) {
	rows := []row{{"a", day(1), 1}, {"a", day(2), 2}, {"a", day(5), 5}, {"b", day(2), 7}}
	for rule, want := range map[panel.Gaps][]float64{panel.GapsZero: {1, 2, 0, 0, 5}, panel.GapsCarry: {1, 2, 2, 2, 5}} {
		p, faults := build(rows, panel.Options{Gaps: rule})
		require.Empty(t, faults)
		assert.Equal(t, want, p.Series[0].Values)
		assert.Equal(t, []float64{7}, p.Series[1].Values, "outside its own span a series stays unknown")
	}
}

func TestBuildSaysWhatIsWrong(t *testing.T) {
	cases := map[string][]row{
		`line 4: series "a": period 2026-01-01 was already given on line 2`: {{"a", day(1), 1}, {"a", day(2), 1}, {"a", day(1), 2}},
		`line 3: is written like 2026-03, but line 2 like 2026-03-01`:       {{"a", day(1), 1}, {"a", "2026-01", 1}},
		`if the clocks went back in that night`: {{"a", "2025-10-26 00:00", 1}, {"a", "2025-10-26 01:00", 1}, {"a", "2025-10-26 02:00", 1},
			{"a", "2025-10-26 02:00", 1}, {"a", "2025-10-26 03:00", 1}},
		`has no known value in any row`:           {{"a", day(1), unknown}, {"a", day(2), unknown}},
		`cadence: fewer than two different times`: {{"a", day(1), 1}},
		`look for a mistyped year`:                {{"a", "1", 1}, {"a", "2", 1}, {"a", "99999999999", 1}},
	}
	for want, rows := range cases {
		_, faults := build(rows, panel.Options{})
		require.NotEmpty(t, faults, want)
		assert.Contains(t, faults[0].Error(), want)
	}
}

// The order of rows is nothing: the same rows give the same content hash, and any
// changed value another.
func TestHashIsOfTheContent(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var rows []row
		for i := range 12 {
			rows = append(rows, row{string(rune('a' + i%3)), day(1 + i/3), rapid.Float64Range(0, 9).Draw(t, "v")})
		}
		p, _ := build(rows, panel.Options{})
		shuffled := rapid.Permutation(rows).Draw(t, "order")
		q, _ := build(shuffled, panel.Options{})
		require.Equal(t, panel.Hash(p), panel.Hash(q))
		shuffled[0].value++
		q, _ = build(shuffled, panel.Options{})
		require.NotEqual(t, panel.Hash(p), panel.Hash(q))
	})
}

// Loading a table in two parts, in either form of overlap, is loading it whole.
func TestMergeOfPartsIsTheWhole(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var whole, first, second []row
		for i := range 30 {
			r := row{string(rune('a' + i%3)), day(1 + i/3), float64(i)}
			whole = append(whole, r)
			switch part := rapid.IntRange(0, 2).Draw(t, "part"); {
			case i < 6 || part == 0:
				first = append(first, r)
			case part == 1:
				second = append(second, r)
			default:
				first, second = append(first, row{r.series, r.period, -1}), append(second, r)
			}
		}
		second = append(second, whole[:6]...)
		want, _ := build(whole, panel.Options{})
		a, faults := build(first, panel.Options{})
		require.Empty(t, faults)
		b, faults := build(second, panel.Options{})
		require.Empty(t, faults)
		got, changes, err := panel.Merge(a, b)
		require.NoError(t, err)
		require.Equal(t, panel.Hash(want), panel.Hash(got))
		for _, r := range changes.Restated {
			require.Equal(t, -1.0, r.Old)
		}
	})
}

func TestMergeRefusesAnotherShape(t *testing.T) {
	a, _ := build([]row{{"a", day(1), 1}, {"a", day(2), 1}}, panel.Options{})
	b, _ := build([]row{{"a", "2026-01", 1}, {"a", "2026-02", 1}}, panel.Options{})
	_, _, err := panel.Merge(a, b)
	assert.ErrorContains(t, err, "the dataset is by day, the file is by month")
}

// A view gives nothing past its origin but drivers known ahead.
func TestViewEndsAtTheOrigin(t *testing.T) {
	p := &panel.Panel{Length: 5, Drivers: []panel.Driver{{Name: "price", KnownAhead: true}, {Name: "heat"}},
		Series: []panel.Series{{Key: "a", First: 1, Values: []float64{1, 2, 3, 4}, Drivers: [][]float64{{1, 2, 3, 4, 5}, {1, 2, 3, 4, 5}}},
			{Key: "b", Values: []float64{9}}}}
	v := panel.NewView(p, []int{0, 1}, 0, 2)
	a := v.Series(0)
	assert.Equal(t, []float64{1, 2}, a.Values)
	assert.Equal(t, 2, cap(a.Values), "appending can't reach what lies behind")
	assert.Equal(t, []float64{1, 2, 3, 4}, a.Driver(0, 4))
	assert.True(t, math.IsNaN(a.Driver(1, 4)[2]))
	assert.Equal(t, 9.0, v.Series(1).Values[0])
	assert.Len(t, v.Series(1).Values, 3, "a series that ended is unknown up to the origin")

	q := panel.Scramble(p, 2, rand.New(rand.NewPCG(1, 1)))
	assert.NotEqual(t, p.Series[0].Values[2:], q.Series[0].Values[2:])
	assert.Equal(t, a.Values, panel.NewView(q, []int{0, 1}, 0, 2).Series(0).Values)
}

func TestCheckFindsWhatDeservesALook(t *testing.T) {
	rnd := rand.New(rand.NewPCG(2, 2))
	shapes := map[string]func(i int) float64{
		"constant":     func(int) float64 { return 4 },
		"fine":         func(i int) float64 { return 50 + 5*float64(i%7) + rnd.NormFloat64() },
		"trend":        func(i int) float64 { return 50 + float64(i) + rnd.NormFloat64() },
		"gap":          func(i int) float64 { return []float64{unknown, 50 + rnd.NormFloat64()}[min(i%41, 1)] },
		"spike":        func(i int) float64 { return 50 + rnd.NormFloat64() + 400*float64(max(0, 1-max(i-60, 60-i))) },
		"step":         func(i int) float64 { return 50 + rnd.NormFloat64() + 60*float64(i/80) },
		"giant":        func(i int) float64 { return 1e7 + 1e5*rnd.NormFloat64() },
		"returns":      func(i int) float64 { return 50 + rnd.NormFloat64() - 55*float64(max(0, 1-max(i-60, 60-i))) },
		"intermittent": func(i int) float64 { return float64(max(0, 1-i%5) * 3) },
		"lumpy":        func(i int) float64 { return float64(max(0, 1-i%5)) * math.Exp(1.5*rnd.NormFloat64()) },
		"Fine ":        func(i int) float64 { return 50 + rnd.NormFloat64() },
		"intermittant": func(i int) float64 { return 50 + rnd.NormFloat64() },
	}
	rows := []row{{"stopped", "2026-01-01", 1}, {"stopped", "2026-01-02", 2}}
	start, err := time.Parse("2006-01-02", "2026-01-01")
	require.NoError(t, err)
	for _, name := range slices.Sorted(maps.Keys(shapes)) {
		for i := range 140 {
			rows = append(rows, row{name, start.AddDate(0, 0, i).Format("2006-01-02"), shapes[name](i)})
		}
	}
	p, faults := build(rows, panel.Options{})
	require.Empty(t, faults)
	found := map[string][]string{}
	for _, f := range panel.Look(p, 2).Findings {
		for _, i := range f.Series {
			found[f.Kind] = append(found[f.Kind], p.Series[i].Key)
		}
	}
	assert.Equal(t, map[string][]string{"very short": {"stopped"}, "stopped": {"stopped"}, "gaps": {"gap"}, "constant": {"constant"},
		"outliers": {"returns", "spike"}, "level shift": {"step"},
		"far scale": {"giant"}, "some below zero": {"returns"}, "own season": {"intermittent"}, "intermittent demand": {"intermittent"},
		"lumpy demand": {"lumpy"}, "alike spelling": {"Fine ", "fine", "intermittant", "intermittent"}}, found)
}

func TestCheckFindsALeakingDriver(t *testing.T) {
	p := &panel.Panel{Length: 30, Drivers: []panel.Driver{{Name: "stock"}, {Name: "billed"}}, Series: []panel.Series{{Key: "a"}}}
	s := &p.Series[0]
	s.Drivers = [][]float64{{}, {}}
	rnd := rand.New(rand.NewPCG(3, 3))
	for range 30 {
		y := rnd.NormFloat64()
		s.Values = append(s.Values, y)
		s.Drivers[0] = append(s.Drivers[0], y+rnd.NormFloat64())
		s.Drivers[1] = append(s.Drivers[1], 3-2*y)
	}
	found := panel.Look(p, 2).Findings
	require.NotEmpty(t, found)
	assert.Equal(t, "leaking driver", found[0].Kind)
	assert.Contains(t, found[0].Meaning, "billed")
}

// Instants that are all midnights of their own clocks are dates that a program wrote, whatever the offset and where
// the clocks change; others want a zone, and a zone that is given is gone into.
func TestMidnightsAreDates(t *testing.T) {
	for _, times := range [][]string{
		{"2026-03-28T00:00:00Z", "2026-03-29T00:00:00Z", "2026-03-30T00:00:00.000Z"},
		{"2026-03-28T00:00+01:00", "2026-03-29T00:00+01:00", "2026-03-30T00:00+02:00"},
	} {
		var rows []row
		for i, at := range times {
			rows = append(rows, row{"a", at, float64(i)})
		}
		p, faults := build(rows, panel.Options{})
		require.Empty(t, faults)
		assert.Equal(t, "day", p.Cadence.String())
		assert.Equal(t, []string{"2026-03-28", "2026-03-30"}, []string{p.Period(0), p.Period(p.Length - 1)})
		assert.Equal(t, []float64{0, 1, 2}, p.Series[0].Values)
	}
	rows := []row{{"a", "2026-03-28T00:00:00Z", 1}, {"a", "2026-03-28T12:00:00Z", 1}, {"a", "2026-03-29T00:00:00Z", 1}}
	_, faults := build(rows, panel.Options{})
	require.NotEmpty(t, faults)
	assert.Contains(t, faults[0].Error(), "say into which zone")
	p, faults := build([]row{{"a", "2026-03-28T00:00:00Z", 1}, {"a", "2026-03-29T00:00:00Z", 1}, {"a", "2026-03-30T00:00:00Z", 1}},
		panel.Options{Zone: time.FixedZone("west", -5*3600), Cadence: &calendar.Cadence{Unit: calendar.Day}, Aggregate: panel.Sum, KeepPart: true})
	require.Empty(t, faults)
	assert.Equal(t, "2026-03-27", p.Period(0), "a zone that is said counts")
}
