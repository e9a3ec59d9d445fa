package forecast_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/forecast"
	"paperkettle/core/num"
)

// normal is a forecast whose quantiles are a normal distribution's.
func normal(means, deviations []float64) forecast.Rows {
	r := forecast.NewRows(len(means))
	for k, m := range means {
		r.Mean[k] = m
		for g, p := range forecast.Grid {
			r.At(k)[g] = m + deviations[k]*num.NormalQuantile(p)
		}
	}
	return r
}

// deviation is that of a normal row.
func deviation(q []float64) float64 {
	low, high := forecast.Interval(q, 80)
	return (high - low) / (2 * num.NormalQuantile(0.9))
}

// Sums of normal forecasts have the variances that the correlations give, written out pair by pair;
// they are what they are whatever the order, and a sum of one is itself.
func TestTotalsOfNormals(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n, h := rapid.IntRange(1, 6).Draw(t, "series"), rapid.IntRange(1, 5).Draw(t, "steps")
		unit := rapid.Float64Range(0, 1)
		ties := forecast.Ties{Series: unit.Draw(t, "between series"), Steps: unit.Draw(t, "between steps")}
		ties.Across = ties.Series * ties.Steps
		rnd := rand.New(rand.NewPCG(uint64(n), uint64(h)))
		sum := forecast.NewSum(h)
		means, wide := make([][]float64, n), make([][]float64, n)
		for i := range n {
			means[i], wide[i] = make([]float64, h), make([]float64, h)
			for k := range h {
				means[i][k], wide[i][k] = 100*rnd.Float64(), 0.1+5*rnd.Float64()
			}
			sum.Add(normal(means[i], wide[i]))
		}
		steps, whole := sum.Total(ties)
		require.NoError(t, steps.Check())
		require.NoError(t, whole.Check())
		mean, variance := 0.0, 0.0
		for k := range h {
			at, own := 0.0, 0.0
			for i := range n {
				at += means[i][k]
				for j := range n {
					for l := range h {
						tie := ties.Across
						switch {
						case i == j && k == l:
							tie = 1
						case i == j:
							tie = ties.Steps
						case k == l:
							tie = ties.Series
						}
						variance += tie * wide[i][k] * wide[j][l]
						if k == l {
							own += tie * wide[i][k] * wide[j][l]
						}
					}
				}
			}
			mean += at
			require.InDelta(t, at, steps.Mean[k], 1e-9)
			require.InEpsilon(t, math.Sqrt(own), deviation(steps.At(k)), 1e-4)
		}
		require.InDelta(t, mean, whole.Mean[0], 1e-9)
		require.InEpsilon(t, math.Sqrt(variance), deviation(whole.At(0)), 1e-4)
	})
}

// Two series' sums over steps go together as the variance of their sum has it.
func TestTiesOfTotals(t *testing.T) {
	ties := forecast.Ties{Series: 0.3, Steps: 0.2, Across: 0.1}
	const h = 4
	sum := func(n int) float64 {
		s := forecast.NewSum(h)
		for range n {
			s.Add(normal([]float64{1, 1, 1, 1}, []float64{2, 2, 2, 2}))
		}
		_, whole := s.Total(ties)
		return deviation(whole.At(0))
	}
	one, two := sum(1), sum(2)
	assert.InDelta(t, (two*two-2*one*one)/(2*one*one), ties.OfTotals(h), 1e-3)
}

// A sum never says less than nothing where its parts don't, and a closed step adds nothing.
func TestTotalsKeepBounds(t *testing.T) {
	r := forecast.NewRows(2)
	for k := range 2 {
		r.Mean[k] = 3
		for g, p := range forecast.Grid {
			r.At(k)[g] = max(0, 3*(p-0.3)/0.3)
		}
	}
	r.PointAt(0, 1)
	r.PointAt(1, 0.5)
	require.NotEqual(t, 3.0, r.Mean[0], "the points are no means: sums are made of expectations")
	shut := forecast.NewRows(2)
	copy(shut.Mean, r.Mean)
	copy(shut.Quantiles, r.Quantiles)
	copy(shut.Lean, r.Lean)
	shut.Closed = []bool{false, true}
	sum := forecast.NewSum(2)
	sum.Add(r)
	sum.Add(shut)
	steps, whole := sum.Total(forecast.Ties{Series: 0.4, Steps: 0.2, Across: 0.1})
	const mean = 3.0
	assert.InDeltaSlice(t, []float64{2 * mean, mean}, steps.Mean, 1e-12)
	assert.InDeltaSlice(t, []float64{3 * mean}, whole.Mean, 1e-12)
	assert.InDeltaSlice(t, r.At(1), steps.At(1), 1e-12, "the other is closed there")
	for _, q := range append(steps.Quantiles, whole.Quantiles...) {
		assert.GreaterOrEqual(t, q, 0.0)
	}
}
