package theta_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model/single"
	"paperkettle/core/model/theta"
	"paperkettle/core/panel"
)

func input(values []float64, h int) single.Input {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Year}, First: 100, Length: len(values),
		Series: []panel.Series{{Key: "a", Values: values}}}
	return single.Input{SeriesView: panel.NewView(p, []int{0}, 0, len(values)-1).Series(0), Horizon: h}
}

func fitted(t *testing.T, values []float64, h int) (*theta.State, forecast.Rows) {
	t.Helper()
	s, err := theta.Method{NoSeason: true}.Fit(context.Background(), input(values, h))
	require.NoError(t, err)
	rows := forecast.NewRows(h)
	require.NoError(t, s.Forecast(panel.SeriesView{}, rows))
	return s.(*theta.State), rows
}

// The theta method's forecasts are simple exponential smoothing plus a drift of half the slope
// of the line through the series: Hyndman and Billah, Unmasking the Theta method, International
// Journal of Forecasting 19 (2003), equation 13.
func TestThetaIsSmoothingWithHalfTheSlope(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 4))
	level, values := 100.0, make([]float64, 80)
	for i := range values {
		level += 0.8 + rnd.NormFloat64()
		values[i] = level + 2*rnd.NormFloat64()
	}
	s, rows := fitted(t, values, 10)
	n := float64(len(values))
	var meanT, meanY, tt, ty float64
	for i, y := range values {
		meanT += float64(i+1) / n
		meanY += y / n
	}
	for i, y := range values {
		d := float64(i+1) - meanT
		tt += d * d
		ty += d * (y - meanY)
	}
	slope := ty / tt
	// As h grows the forecast rises by half the slope a step.
	for h := 1; h < 10; h++ {
		assert.InDelta(t, slope/2, rows.Mean[h]-rows.Mean[h-1], 1e-6*math.Abs(slope)+1e-9)
	}
	smoothed := s.Level * s.Scale
	assert.InDelta(t, smoothed+slope/2*(1/s.Alpha-math.Pow(1-s.Alpha, n)/s.Alpha), rows.Mean[0], 0.6*math.Abs(slope)+1e-6,
		"equation 13 up to where the line starts")
}

// A line without noise is continued by half its slope from where smoothing is, and a constant by
// itself; unknown values and scale change nothing.
func TestThetaOnPlainSeries(t *testing.T) {
	values := make([]float64, 40)
	for i := range values {
		values[i] = 7 + 0.001*float64(i%2)
	}
	_, rows := fitted(t, values, 5)
	for _, m := range rows.Mean {
		assert.InDelta(t, 7.0005, m, 0.002)
	}
	rnd := rand.New(rand.NewPCG(9, 9))
	large := make([]float64, 60)
	small := make([]float64, 60)
	for i := range large {
		v := 50 + 10*rnd.NormFloat64()
		small[i], large[i] = v, 1024*v
	}
	_, a := fitted(t, small, 4)
	_, b := fitted(t, large, 4)
	for h := range a.Mean {
		assert.InEpsilon(t, 1024*a.Mean[h], b.Mean[h], 1e-6)
	}
	holes := append([]float64(nil), small...)
	holes[20], holes[21], holes[45] = panel.Unknown, panel.Unknown, panel.Unknown
	_, c := fitted(t, holes, 4)
	for h := range a.Mean {
		assert.InDelta(t, a.Mean[h], c.Mean[h], 6)
		assert.NoError(t, c.Check())
	}
}

// weeks is days of a level that wanders, with quiet weekends by ratio.
func weeks(n int, seed uint64) (values, level []float64) {
	rnd := rand.New(rand.NewPCG(seed, 4))
	x := 0.0
	for i := range n {
		x += 0.01 * rnd.NormFloat64()
		level = append(level, 1000*math.Exp(x))
		values = append(values, level[i]*[]float64{1, 1.05, 1.1, 1.05, 1, 0.3, 0.1}[i%7]*math.Exp(0.03*rnd.NormFloat64()))
	}
	return values, level
}

func daily(t *testing.T, values []float64, h int) (*theta.State, forecast.Rows) {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 700, Length: len(values), Series: []panel.Series{{Key: "a", Values: values}}}
	s, err := theta.Method{}.Fit(context.Background(), single.Input{SeriesView: panel.NewView(p, []int{0}, 0, len(values)-1).Series(0), Horizon: h})
	require.NoError(t, err)
	rows := forecast.NewRows(h)
	require.NoError(t, s.Forecast(panel.SeriesView{}, rows))
	return s.(*theta.State), rows
}

// A season that goes by ratios is told by ratios though a shop was shut on a few days, and a level is found though the first
// value is unknown.
func TestAFewDaysWithoutSales(t *testing.T) {
	for seed := range uint64(10) {
		values, level := weeks(700, seed)
		plain, rows := daily(t, values, 14)
		require.True(t, plain.Factor)
		values[0] = panel.Unknown
		for _, k := range []int{37, 138, 309, 412, 547} {
			values[k] = 0
		}
		few, after := daily(t, values, 14)
		assert.True(t, few.Factor, "seed %d", seed)
		assert.Less(t, few.Alpha, 0.499, "seed %d: it was searched for", seed)
		assert.Greater(t, few.Start, 0.0)
		for h := range after.Mean {
			assert.InDelta(t, rows.Mean[h], after.Mean[h], 0.12*level[699], "seed %d, step %d", seed, h)
		}
		for k := range values {
			if k%20 == 0 {
				values[k] = 0
			}
		}
		often, _ := daily(t, values, 14)
		assert.False(t, often.Factor, "what comes often is how the series is")
	}
}
