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
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: 75}
	var all []int
	for i := range 41 {
		s := panel.Series{First: i % 3}
		for range 75 - i%3 - i%5 {
			s.Values = append(s.Values, rnd.NormFloat64())
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
