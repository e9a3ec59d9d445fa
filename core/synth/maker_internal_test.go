package synth

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func seeded(seed uint64) *maker { return &maker{rand.New(rand.NewPCG(seed, 5))} }

// moments are the mean and the variance of many draws.
func moments(n int, draw func() float64) (mean, variance float64) {
	sum, squares := 0.0, 0.0
	for range n {
		v := draw()
		sum, squares = sum+v, squares+v*v
	}
	mean = sum / float64(n)
	return mean, squares/float64(n) - mean*mean
}

// Numbers are of the distributions that they are said to be of.
func TestDrawsHaveTheirMoments(t *testing.T) {
	const n = 200_000
	d := seeded(1)
	for _, m := range []float64{0.1, 2, 30, 49, 51, 400} {
		mean, variance := moments(n, func() float64 { return d.poisson(m) })
		assert.InDelta(t, m, mean, 0.02*m+0.005, "mean of counts")
		assert.InDelta(t, m, variance, 0.03*m+0.01, "a count's variance is its mean")
	}
	for _, shape := range []float64{0.3, 1, 2.5, 20} {
		mean, variance := moments(n, func() float64 { return d.gamma(shape) })
		assert.InDelta(t, 1, mean, 0.02, "shape %g", shape)
		assert.InDelta(t, 1/shape, variance, 0.08/shape, "shape %g", shape)
	}
	for _, degrees := range []float64{5, 8, 30} { // below five, the variance of a variance is not finite
		mean, variance := moments(n, func() float64 { return d.heavy(degrees) })
		assert.InDelta(t, 0, mean, 0.02)
		assert.InDelta(t, 1, variance, 0.1, "%g degrees", degrees)
	}
	mean, _ := moments(n, func() float64 { return math.Log(d.between(0.01, 100)) })
	assert.InDelta(t, 0, mean, 0.03, "as often below 1 as above")
	counts := make([]float64, 3)
	for range n {
		counts[d.pick([]float64{0.5, 0.3, 0.2})] += 1.0 / n
	}
	assert.InDeltaSlice(t, []float64{0.5, 0.3, 0.2}, counts, 0.01)
}

// An autoregression has the autocorrelations of its weights.
//
// Source: Box and Jenkins, Time Series Analysis (1970): of the second order, r1 = a / (1 - b) and
// r2 = a r1 + b.
func TestAutoregressionsRememberAsTheyShould(t *testing.T) {
	d := seeded(2)
	out := make([]float64, 200_000)
	for _, w := range [][2]float64{{0.7, 0}, {1.2, -0.5}, {-0.3, 0.2}} {
		d.recursive(out, w[0], w[1], d.NormFloat64)
		x := standard(out)
		r := func(lag int) (sum float64) {
			for i := lag; i < len(x); i++ {
				sum += x[i] * x[i-lag] / float64(len(x))
			}
			return sum
		}
		first := w[0] / (1 - w[1])
		assert.InDelta(t, first, r(1), 0.02)
		assert.InDelta(t, w[0]*first+w[1], r(2), 0.02)
	}
}

// Shapes have mean 0 and spread 1, whatever they are of, and seasons of whole periods come back while they
// neither grow nor move.
func TestShapesAreStandard(t *testing.T) {
	d := seeded(3)
	for i := range 400 {
		period := []float64{2, 4, 7, 12, 24, 52.18, 168, 365.25}[i%8]
		shape := d.shape(period, period == 7)
		mean, spread := 0.0, 0.0
		for _, v := range shape {
			mean += v / float64(len(shape))
		}
		for _, v := range shape {
			spread += (v - mean) * (v - mean) / float64(len(shape))
		}
		assert.InDelta(t, 0, mean, 1e-9)
		if spread > 0 { // "open" all the time is constant
			assert.InDelta(t, 1, spread, 1e-9)
		}
		for _, at := range []float64{0, 0.25, 0.999999} {
			v := read(shape, at)
			assert.False(t, math.IsNaN(v))
		}
	}
	long := make([]float64, 100)
	for i := range long {
		long[i] = float64(i)
	}
	assert.InDelta(t, 12.5, read(long, 0.125), 1e-9, "between points of a long shape it runs straight")
	assert.Equal(t, 3.0, read([]float64{1, 2, 3, 4}, 0.6), "a short one has a value a place")
}

// Days are all alike within, but for their high time, and blocks stay inside the series.
func TestBlocksStayInside(t *testing.T) {
	d := seeded(4)
	y := make([]float64, 10)
	d.block(y, -3, 5, 1)
	d.block(y, 8, 5, 2)
	d.block(y, 20, 5, 9)
	assert.Equal(t, []float64{1, 1, 0, 0, 0, 0, 0, 0, 2, 2}, y)
	assert.Equal(t, []float64{0, 0, 0}, standard([]float64{5, 5, 5}), "what is constant tells nothing")
}

// What becomes of a sum: never outside the bounds that it is given, and counts are whole.
func TestScalesAreBounded(t *testing.T) {
	for seed := range uint64(300) {
		d := seeded(seed)
		y := make([]float64, 50)
		for i := range y {
			y[i] = 40 * d.NormFloat64() // far beyond what is usual
		}
		for _, v := range d.multiplied(y) {
			require.GreaterOrEqual(t, v, 0.0)
			require.LessOrEqual(t, v, 1e5*math.Exp(6)*1.01)
		}
		for _, v := range d.counted([]float64{0, 1, 5, 1e7}, 5) {
			require.Equal(t, math.Round(v), v)
			require.GreaterOrEqual(t, v, 0.0)
		}
	}
}

// What spoils data leaves what is to be forecast known, but where a place of the season is always shut.
func TestSpoiltDataKeepsItsFuture(t *testing.T) {
	k := &rhythm{season: 7}
	holes, shut := 0, 0
	for seed := range uint64(3000) {
		d := seeded(seed)
		y := make([]float64, 70+Ahead)
		for i := range y {
			y[i] = 10 + float64(i%7)
		}
		d.spoil(y, 70, k)
		places := map[int]int{}
		for i := 70; i < len(y); i++ {
			if y[i] != y[i] {
				places[i%7]++
			}
		}
		require.LessOrEqual(t, len(places), 1, "seed %d", seed)
		for place, n := range places {
			shut++
			for i := place; i < len(y); i += 7 {
				require.True(t, y[i] != y[i], "shut is shut always")
			}
			require.GreaterOrEqual(t, n, Ahead/7)
		}
		for _, v := range y[:70] {
			if v != v {
				holes++
				break
			}
		}
	}
	assert.InDelta(t, 0.03, float64(shut)/3000, 0.015)
	assert.InDelta(t, 0.15, float64(holes)/3000, 0.03)
}

// A smooth random function turns about as fast as it is told.
func TestWavesTurnInTheirTime(t *testing.T) {
	d := seeded(6)
	for _, length := range []float64{3, 30, 100} {
		turns := 0.0
		for range 60 {
			y := d.wave(3000, length)
			for i := 1; i < len(y); i++ {
				if (y[i] > 0) != (y[i-1] > 0) {
					turns++
				}
			}
		}
		// A Gaussian function of that kind crosses zero 1 / (pi length) times a period (Rice's formula).
		assert.InDelta(t, 1/(math.Pi*length), turns/60/3000, 0.2/(math.Pi*length), "length %g", length)
	}
}
