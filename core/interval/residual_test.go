package interval_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/forecast"
	"paperkettle/core/interval"
	"paperkettle/core/num"
)

// For errors drawn from any one distribution, intervals cover a further draw as
// often as their level says, whether they are read from the errors or assumed.
func TestCoverageOfAFurtherError(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	laws := map[string]func() float64{"normal": rnd.NormFloat64, "skewed": func() float64 { return rnd.ExpFloat64() - 0.7 }}
	for name, draw := range laws {
		for _, n := range []int{12, 60, 400} {
			if name == "skewed" && n < interval.EmpiricalFrom {
				continue // a bell shape is assumed there, which this is not
			}
			const trials = 4000
			inside := map[float64]int{80: 0, 95: 0}
			offsets := make([]float64, forecast.GridSize)
			for range trials {
				e := make([]float64, n)
				for i := range e {
					e[i] = draw()
				}
				require.NoError(t, interval.FromErrors([][]float64{e}, offsets))
				next := draw()
				for level := range inside {
					if low, high := forecast.Interval(offsets, level); low <= next && next <= high {
						inside[level]++
					}
				}
			}
			for level, k := range inside {
				// Three standard errors, and half a per cent for the interpolation.
				p := level / 100
				assert.InDelta(t, p, float64(k)/trials, 3*math.Sqrt(p*(1-p)/trials)+0.005, "%s, n=%d, level %v", name, n, level)
			}
		}
	}
}

func TestFewErrorsAreStudent(t *testing.T) {
	offsets := make([]float64, 3*forecast.GridSize)
	require.NoError(t, interval.FromErrors([][]float64{{3, -4}, nil, {5}}, offsets))
	rms := math.Sqrt(12.5)
	_, high := forecast.Interval(offsets, 95)
	assert.InDelta(t, rms*num.StudentQuantile(0.975, 2), high, 1e-9)
	_, wider := forecast.Interval(offsets[forecast.GridSize:2*forecast.GridSize], 95)
	assert.InDelta(t, high*math.Sqrt2, wider, 1e-9, "a step without errors widens the one before")
	assert.ErrorIs(t, interval.FromErrors([][]float64{nil}, offsets), interval.ErrNoErrors)

	require.NoError(t, interval.FromErrors([][]float64{{1}}, offsets[:forecast.GridSize]))
	assert.True(t, slices.IsSorted(offsets[:forecast.GridSize]))
	assert.Less(t, offsets[forecast.GridSize-1], 50.0, "one error does not reach hundreds of deviations")
}

func TestIntervalsHoldThePointForecast(t *testing.T) {
	e := make([]float64, 100)
	for i := range e {
		e[i] = 5 + float64(i)/100 // always too low a forecast
	}
	offsets := make([]float64, forecast.GridSize)
	require.NoError(t, interval.FromErrors([][]float64{e}, offsets))
	assert.True(t, slices.IsSorted(offsets))
	low, high := forecast.Interval(offsets, 80)
	assert.Zero(t, low)
	assert.InDelta(t, 5.9, high, 0.02)
}
