package loess

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/panel"
)

// made is a line, a week and a year with noise.
func made(n int, noise float64) (y []float64, week, year func(i int) float64) {
	rnd := rand.New(rand.NewPCG(1, 2))
	week = func(i int) float64 { return []float64{-6, -2, 0, 3, 7, 4, -6}[i%7] }
	year = func(i int) float64 { return 12 * math.Sin(2*math.Pi*float64(i)/365) }
	for i := range n {
		y = append(y, 50+0.02*float64(i)+week(i)+year(i)+noise*rnd.NormFloat64())
	}
	return y, week, year
}

func rms(n int, d func(i int) float64) (sum float64) {
	for i := range n {
		sum += d(i) * d(i) / float64(n)
	}
	return math.Sqrt(sum)
}

// The parts come back, one season or two, and add up to the series.
func TestPartsComeBack(t *testing.T) {
	const n = 1200
	y, week, year := made(n, 1)
	y[100], y[101] = panel.Unknown, panel.Unknown
	p := Split(y, []int{7, 365}, Options{Window: 11})
	for i := range y {
		if panel.Known(y[i]) {
			assert.InDelta(t, y[i], p.Trend[i]+p.Seasons[0][i]+p.Seasons[1][i]+p.Rest[i], 1e-9)
		}
	}
	assert.Less(t, rms(n, func(i int) float64 { return p.Seasons[0][i] - week(i) }), 0.5)
	assert.Less(t, rms(n, func(i int) float64 { return p.Seasons[1][i] - year(i) }), 1.0)
	assert.Less(t, rms(n, func(i int) float64 { return p.Trend[i] - 50 - 0.02*float64(i) }), 1.0)
}

// Outliers change a robust decomposition little, and an ordinary one much.
func TestRobust(t *testing.T) {
	const n = 210
	clean, _, _ := made(n, 1)
	spoiled := append([]float64(nil), clean...)
	for i := 20; i < n; i += 35 { // always on the same weekday
		spoiled[i] += 80
	}
	moved := func(robust bool) float64 {
		o := Options{Window: 11, Robust: robust}
		a, b := Split(clean, []int{7}, o), Split(spoiled, []int{7}, o)
		return rms(n, func(i int) float64 { return a.Seasons[0][i] - b.Seasons[0][i] })
	}
	assert.Less(t, moved(true), 0.5)
	assert.Greater(t, moved(false), 3*moved(true))
}
