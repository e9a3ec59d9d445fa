package intermittent

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/forecast"
)

// Quantiles of counts at any mean are those of the distribution: finite, in order, and about a
// normal's where the mean is large, however small the probability of nothing is.
func TestQuantilesAtAnyMean(t *testing.T) {
	q := make([]float64, forecast.GridSize)
	for _, c := range []Counts{{Whole: true}, {Whole: true, Spread: 3}, {Whole: true, Zeros: 0.3}} {
		for _, mean := range []float64{0.5, 20, 740, 750, 900, 1100, 1e5} {
			c.quantiles(mean, q)
			assert.True(t, slices.IsSorted(q), "%v at %g", c, mean)
			inside := mean / (1 - c.Zeros)
			variance := inside
			if c.Spread > 0 {
				variance += inside * inside / c.Spread
			}
			assert.Less(t, q[forecast.GridSize-1], inside+12*math.Sqrt(variance)+10, "%v at %g", c, mean)
			if c.Zeros == 0 && c.Spread == 0 && mean >= 20 {
				assert.InDelta(t, mean, q[forecast.Median], 1)
				low, high := forecast.Interval(q, 80)
				assert.InDelta(t, 2*1.2816*math.Sqrt(mean), high-low, 0.06*math.Sqrt(mean)*2.5632+2)
			}
		}
	}
}

// Orders of 300 to 600 now and then: what comes when something comes is told, not a count in
// between.
func TestLumpyOrders(t *testing.T) {
	rnd := rand.New(rand.NewPCG(2, 3))
	y := make([]float64, 120)
	sum := 0.0
	for i := range y {
		if rnd.IntN(10) < 3 {
			y[i] = float64(300 + rnd.IntN(301))
		}
		sum += y[i]
	}
	c := fitCounts(y)
	assert.True(t, c.Sized)
	q := make([]float64, forecast.GridSize)
	c.quantiles(sum/120, q)
	assert.Zero(t, forecast.Quantile(q, 0.5))
	assert.InDelta(t, 400, forecast.Quantile(q, 0.8), 90, "three in ten ask for 300 to 600")
	assert.InDelta(t, 600, forecast.Quantile(q, 0.975), 120)
}
