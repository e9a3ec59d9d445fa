package panel_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/panel"
)

// A cycle that the calendar does not know is found through noise, a trend and gaps; the
// calendar's own, its multiples, walks and noise are not taken for one.
func TestFindSeason(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 20))
	of := func(n int, f func(i int) float64) []float64 {
		out := make([]float64, n)
		for i := range out {
			out[i] = f(i)
		}
		return out
	}
	cycle := func(i, m int) float64 { return 40 * math.Sin(2*math.Pi*float64(i)/float64(m)) }
	for _, m := range []int{10, 20, 45} {
		y := of(600, func(i int) float64 { return 200 + 0.1*float64(i) + cycle(i, m) + 12*rnd.NormFloat64() })
		for range 60 {
			y[rnd.IntN(600)] = panel.Unknown
		}
		assert.Equal(t, m, panel.FindSeason(y, 7))
	}
	assert.Zero(t, panel.FindSeason(of(600, func(i int) float64 { return 100 + cycle(i, 7) + 5*rnd.NormFloat64() }), 7), "the calendar's own")
	pay := func(i int) float64 { return 50 * float64(i%4/3) }
	year := func(i int) float64 { return 30 * math.Sin(2*math.Pi*float64(i)/52) }
	paidFound := 0
	for range 20 {
		paid := of(156, func(i int) float64 { return 100 + pay(i) + 4*rnd.NormFloat64() })
		if panel.FindSeason(paid, 52) == 4 {
			paidFound++
		}
		both := of(208, func(i int) float64 { return 100 + pay(i)/2 + 2*year(i) + 4*rnd.NormFloat64() })
		assert.Zero(t, panel.FindSeason(both, 52), "a year that matters more")
		assert.Equal(t, 4, panel.FindWithin(both, 52), "every fourth week within it")
		assert.Zero(t, panel.FindWithin(of(208, func(i int) float64 { return 100 + 2*year(i) + 8*rnd.NormFloat64() }), 52))
	}
	assert.GreaterOrEqual(t, paidFound, 17, "every fourth week, which a year of 52 holds, of 20 times")
	assert.Zero(t, panel.FindSeason(of(30, func(i int) float64 { return 100 + cycle(i, 12) }), 1), "too few rounds")
	assert.Zero(t, panel.FindSeason(of(60, func(int) float64 { return panel.Unknown }), 7))
	found := 0
	for range 300 {
		level := 0.0
		walk := of(300, func(int) float64 { level += rnd.NormFloat64(); return level })
		noise := of(300, func(int) float64 { return rnd.NormFloat64() })
		if panel.FindSeason(walk, 7) > 0 {
			found++
		}
		if panel.FindSeason(noise, 7) > 0 {
			found++
		}
	}
	assert.LessOrEqual(t, found, 12, "of 600 series without a season")
}
