package outlook_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/forecast"
	"paperkettle/core/model/outlook"
	"paperkettle/core/num"
)

// normal are the quantiles of a normal distribution at Probs.
func normal(mean, sd float64) (out []float64) {
	for _, p := range outlook.Probs {
		out = append(out, mean+sd*num.NormalQuantile(p))
	}
	return out
}

func TestANormalDistributionIsReadAsItIs(t *testing.T) {
	grid := forecast.Grid[:]
	out := make([]float64, len(grid))
	mean := outlook.OnGrid(normal(50, 4), out, grid)
	assert.InDelta(t, 50, mean, 1e-9)
	for g, p := range grid {
		assert.InDelta(t, 50+4*num.NormalQuantile(p), out[g], 1e-9, "at %g", p)
	}
	assert.True(t, slices.IsSorted(out))
}

func TestTheMeanOfWhatIsSkewedLiesBeyondItsMedian(t *testing.T) {
	row := normal(0, 1)
	for j, x := range row {
		row[j] = math.Exp(x)
	}
	mean := outlook.OnGrid(row, make([]float64, len(forecast.Grid)), forecast.Grid[:])
	assert.InDelta(t, math.Exp(0.5), mean, 0.12, "of a log-normal one, whose outermost parts were not learnt")
}

// Windows whose errors are twice as large as they were thought to be ask for twice the width, and
// errors that last are seen to.
func TestAProofAsksForWhatWasMissed(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	const h = 8
	for _, times := range []float64{1, 2} {
		for _, keep := range []float64{0, 0.9} {
			proof := outlook.NewProof(h, h)
			var quantiles []float64
			for range h {
				quantiles = append(quantiles, normal(100, 5)...)
			}
			for series := range 300 {
				actual, e := make([]float64, h), rnd.NormFloat64()
				for k := range actual {
					actual[k] = 100 + 5*times*e
					e = keep*e + math.Sqrt(1-keep*keep)*rnd.NormFloat64()
				}
				actual[3] = math.NaN() // which nobody knows
				proof.Take(series, slices.Clone(quantiles), actual)
			}
			w := proof.Widening()
			assert.InDelta(t, times, w.Near, 0.2*times, "near")
			assert.InDelta(t, times, w.Far, 0.2*times, "far")
			assert.InDelta(t, keep, proof.Ties(), 0.25, "ties at %g", times)
		}
	}
	assert.Equal(t, 0.5, outlook.NewProof(h, h).Ties(), "nothing told")
	assert.Equal(t, 1.0, outlook.NewProof(h, h).Widening().Near)
}

func TestUsualChange(t *testing.T) {
	weeks := make([]float64, 70)
	for i := range weeks {
		weeks[i] = 10 * float64(i%7)
	}
	weeks[69]++
	assert.InDelta(t, 1.0/63, outlook.UsualChange(weeks, 7), 1e-12, "over a season, where that is less")
	assert.Equal(t, 2.0, outlook.UsualChange([]float64{0, 2, 4, 6, 8}, 2), "over a period, where that is")
	assert.Zero(t, outlook.UsualChange([]float64{3, 3, 3, 3}, 1))
	assert.Zero(t, outlook.UsualChange([]float64{1, math.NaN(), 2}, 1))
	assert.Zero(t, outlook.Bent(math.NaN()))
}

// What is smoothed goes on as it was: a season repeats itself, and an unknown value is taken as forecast.
func TestSmoothingGoesOn(t *testing.T) {
	z := make([]float64, 84)
	for i := range z {
		z[i] = 100 + 20*math.Sin(2*math.Pi*float64(i)/12)
	}
	for k, r := range outlook.Rates[:2] {
		s := outlook.Smooth(z, 12, r)
		for step := 1; step <= 24; step++ {
			assert.InDelta(t, 100+20*math.Sin(2*math.Pi*float64(83+step)/12), s.Ahead(len(z), step), 1, "rate %d, step %d", k, step)
		}
		before := s.Ahead(len(z), 2)
		other := s.Clone()
		other.Take(math.NaN())
		assert.InDelta(t, before, other.Ahead(len(z)+1, 1), 1e-9, "rate %d", k)
		assert.Equal(t, before, s.Ahead(len(z), 2), "a clone goes its own way")
	}
}
