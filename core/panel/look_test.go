package panel_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// The lines of a spread are the order statistics of each period, for any workers.
func TestSpreadIsASortOfEachPeriod(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 5))
	for name, value := range map[string]func() float64{
		"any numbers":  rnd.NormFloat64,
		"small counts": func() float64 { return float64(rnd.IntN(9)) },
		"counts and a large one": func() float64 {
			if rnd.IntN(200) == 0 {
				return 1e6
			}
			return float64(rnd.IntN(3))
		},
	} {
		t.Run(name, func(t *testing.T) { spreadIsASort(t, value) })
	}
}

func spreadIsASort(t *testing.T, value func() float64) {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: 75}
	var all []int
	for i := range 41 {
		s := panel.Series{First: i % 3}
		for range 75 - i%3 - i%5 {
			s.Values = append(s.Values, value())
		}
		s.Values[3] = math.NaN()
		p.Series = append(p.Series, s)
		all = append(all, i)
	}
	got := panel.SpreadOf(p, all, false, 1)
	require.Equal(t, got.Known, panel.SpreadOf(p, all, false, 3).Known)
	for at := range p.Length {
		var x []float64
		for i := range p.Series {
			if v := p.Series[i].At(at); panel.Known(v) {
				x = append(x, v)
			}
		}
		slices.Sort(x)
		require.Len(t, x, got.Known[at])
		for k, share := range panel.SpreadShares {
			require.Equal(t, x[int(math.Round(share*float64(len(x)-1)))], got.Lines[k][at])
		}
	}
}

func TestProfileAndAutocorrelation(t *testing.T) {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 20514, Length: 70} // a Monday
	s := panel.Series{}
	for i := range 70 {
		s.Values = append(s.Values, float64(i%7))
	}
	places, err := panel.Profile(p, &s, calendar.ByWeekday)
	require.NoError(t, err)
	assert.Equal(t, panel.Place{Mean: 4, Low: 4, High: 4, Known: 10}, places[4])
	acf := panel.Autocorrelation(s.Values, 14)
	assert.InDelta(t, 0.9, acf[6], 1e-12, "63 of 70 pairs at a lag of one period")
	assert.InDelta(t, 0.8, acf[13], 1e-12)
	assert.Less(t, acf[2], 0.0)
	assert.True(t, math.IsNaN(panel.Autocorrelation([]float64{1, 1, 1}, 1)[0]))
}

// On simulated series the strengths recover the share of variance that was put in, and
// noise has none, however short the history.
func TestStrengthsRecoverWhatWasPutIn(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 9))
	mean := func(unit calendar.Unit, n int, value func(t int) float64) (trend, season float64) {
		p := &panel.Panel{Cadence: calendar.Cadence{Unit: unit}, Length: n}
		for range 200 {
			s := panel.Series{}
			for i := range n {
				s.Values = append(s.Values, 100+value(i)+rnd.NormFloat64())
			}
			s.Values[n/2] = math.NaN()
			p.Series = append(p.Series, s)
		}
		look := panel.Look(p, 2)
		for i := range p.Series {
			trend += look.Trend[i] / 200
			season += look.Season[i] / 200
		}
		return trend, season
	}
	for _, n := range []int{36, 60, 180} {
		trend, season := mean(calendar.Month, n, func(int) float64 { return 0 })
		assert.Less(t, trend, 0.12, n)
		assert.Less(t, season, 0.2, n)
		trend, season = mean(calendar.Month, n, func(t int) float64 { return 2 * math.Sin(float64(t)*math.Pi/6) }) // variance 2 against 1
		assert.InDelta(t, 2.0/3, season, 0.1, n)
		assert.Less(t, trend, 0.12, n)
	}
	trend, season := mean(calendar.Day, 140, func(t int) float64 { return float64(t) / 10 }) // variance 16.3 against 1
	assert.InDelta(t, 0.94, trend, 0.02)
	assert.Less(t, season, 0.1)
	constant := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: 100,
		Series: []panel.Series{{Values: slices.Repeat([]float64{5}, 100)}, {Values: []float64{1, 2}}}}
	look := panel.Look(constant, 1)
	assert.True(t, math.IsNaN(look.Trend[0]) && math.IsNaN(look.Season[0]) && math.IsNaN(look.Trend[1]))
}

func TestWeightsSeeNothingPastTheOrigin(t *testing.T) {
	nan := math.NaN()
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: 5, Drivers: []panel.Driver{{Name: "price", KnownAhead: true}},
		Attributes: []panel.Attribute{panel.NewAttribute("size", []string{"3", "1", "0"})},
		Series: []panel.Series{
			{Values: []float64{1, 2, 3, 4, 500}, Drivers: [][]float64{{2, nan, nan, 1, 9}}},
			{Values: []float64{1, 1, nan, 1, 1}, Drivers: [][]float64{{10, 10, 10, 10, 10}}},
			{First: 4, Values: []float64{7}, Drivers: [][]float64{{1}}},
		}}
	all := []int{0, 1, 2}
	for text, want := range map[string][]float64{
		"":               {1. / 3, 1. / 3, 1. / 3},
		"volume:2":       {7. / 8, 1. / 8, 0},
		"volume*price:3": {(4 + 6 + 4) / 34., 20. / 34, 0},
		"column:price":   {1. / 11, 10. / 11, 0},
		"column:size":    {3. / 4, 1. / 4, 0},
	} {
		w, err := panel.ParseWeights(text)
		require.NoError(t, err, text)
		assert.Equal(t, text, w.String())
		require.NoError(t, w.Check(p), text)
		assert.InDeltaSlice(t, want, w.Of(p, all, 3), 1e-15, text)
	}
	late := panel.Weights{Over: 1}
	assert.Equal(t, []float64{1}, late.Of(p, []int{2}, 3), "where nothing tells them apart, all are the same")
	for _, bad := range []string{"volume", "volume:0", "volume*:3", "column:", "price:3"} {
		_, err := panel.ParseWeights(bad)
		assert.Error(t, err, bad)
	}
	assert.ErrorContains(t, panel.Weights{Column: "cost"}.Check(p), `no column "cost"`)
	assert.ErrorContains(t, panel.Weights{Times: "cost", Over: 3}.Check(p), `no driver "cost"`)
}

// A last month that is half over is found, and neither a bad month nor a last one as it should be is.
func TestAPartOfTheLastPeriodIsFound(t *testing.T) {
	month := calendar.Cadence{Unit: calendar.Month}
	r := rand.New(rand.NewPCG(1, 2))
	p := &panel.Panel{Cadence: month, First: 600, Length: 41, Measure: "orders"}
	for i, last := range []float64{1, 0.5, 0.9, 0.6} {
		s := panel.Series{Key: string(rune('a' + i))}
		for t := range p.Length {
			s.Values = append(s.Values, (1000+8*float64(t))*(1+0.3*math.Sin(2*math.Pi*float64(t)/12))*(1+0.04*r.NormFloat64()))
		}
		s.Values[p.Length-1] *= last
		p.Series = append(p.Series, s)
	}
	var found []int
	for _, f := range panel.Look(p, 1).Findings {
		if f.Kind == "last period low" {
			found = f.Series
		}
	}
	assert.Equal(t, []int{1, 3}, found)
}

// A shop that is shut at weekends has a week of five days, as strong as it would be with seven; where most values are
// unknown nothing is told.
func TestStrengthsOfAWeekOfFiveDays(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 21))
	values, noise := make([]float64, 210), make([]float64, 210)
	for i := range values {
		values[i], noise[i] = 100+20*float64(i%7%3)+5*rnd.NormFloat64(), rnd.NormFloat64()
		if i%7 >= 5 {
			values[i], noise[i] = panel.Unknown, panel.Unknown
		}
	}
	_, season := panel.Strengths(values, 7)
	assert.Greater(t, season, 0.8)
	_, none := panel.Strengths(noise, 7)
	assert.Less(t, none, 0.2)
	for i := range values {
		if i%3 > 0 {
			values[i] = panel.Unknown
		}
	}
	_, few := panel.Strengths(values, 7)
	assert.False(t, panel.Known(few), "two of three are unknown")
}
