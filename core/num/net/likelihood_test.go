package net

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"gonum.org/v1/gonum/stat/distuv"
	"pgregory.net/rapid"
)

// inverse is the number whose log(1 + e to it) is a distance.
func inverse(x float64) float64 { return math.Log(math.Expm1(x)) }

// Losses are minus the logs of densities that are known otherwise, in the measure's unit.
func TestLikelihoodsAreThoseOfTheirDistributions(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := Scale{Level: rapid.Float64Range(-50, 50).Draw(t, "level"), Unit: rapid.Float64Range(0.1, 20).Draw(t, "unit")}
		row := [Shape]float64{rapid.Float64Range(-4, 4).Draw(t, "place"), rapid.Float64Range(-3, 4).Draw(t, "width"),
			rapid.Float64Range(-3, 6).Draw(t, "shape")}
		y := rapid.Float64Range(-6, 6).Draw(t, "y")
		at := s.Level + s.Unit*y
		mu, sigma := s.Level+s.Unit*row[0], s.Unit*(leastWidth+softplus(row[1]))
		loss, _ := Normal.loss(row, y, s)
		assert.InDelta(t, -distuv.Normal{Mu: mu, Sigma: sigma}.LogProb(at), loss, 1e-9)
		loss, _ = Student.loss(row, y, s)
		assert.InDelta(t, -distuv.StudentsT{Mu: mu, Sigma: sigma, Nu: fewDegrees + softplus(row[2])}.LogProb(at), loss, 1e-9)
	})
}

// Counts add up to one, have the mean and the variance that they say, and nearly no spread is Poisson.
func TestCountsAreNegativeBinomial(t *testing.T) {
	for _, c := range []struct{ mean, spread float64 }{{0.2, 1}, {3, 0.5}, {12, 0.1}, {40, 0.01}} {
		s := Scale{Level: c.mean, Unit: 2}
		row := [Shape]float64{inverse((c.mean-leastCounted)/s.Unit) - s.Level/s.Unit, inverse(c.spread - leastSpread)}
		total, mean, squares := 0.0, 0.0, 0.0
		for k := range 2000 {
			loss, _ := Counts.loss(row, (float64(k)-s.Level)/s.Unit, s)
			p := math.Exp(-loss)
			total, mean, squares = total+p, mean+p*float64(k), squares+p*float64(k*k)
		}
		assert.InDelta(t, 1, total, 1e-9)
		assert.InDelta(t, c.mean, mean, 1e-6)
		assert.InEpsilon(t, c.mean+c.spread*c.mean*c.mean, squares-mean*mean, 1e-6)
	}
	s := Scale{Level: 5, Unit: 1}
	row := [Shape]float64{inverse(5) - 5, -40}
	for k := range 20 {
		loss, _ := Counts.loss(row, float64(k)-5, s)
		assert.InDelta(t, -distuv.Poisson{Lambda: 5}.LogProb(float64(k)), loss, 0.02)
	}
}

// From many on, counts are as a density has them, and there is no seam.
func TestManyCounts(t *testing.T) {
	for _, r := range []float64{0.7, 5, 300, 1e4, 1e7} {
		for _, p := range []float64{0.025, 0.5, 0.975} {
			below, above := countAt(p, manyCounted, r), countAt(p, manyCounted*(1+1e-9), r)
			assert.InEpsilon(t, below, above, 2e-3, "r %g, p %g", r, p)
			assert.Less(t, countAt(p, 1e15, r), 1e17)
			assert.Positive(t, countAt(p, 1e15, r))
		}
	}
}

// Quantiles rise, are where the distribution has their probability, and of counts are counts.
func TestQuantilesOfDistributions(t *testing.T) {
	probs := []float64{0.025, 0.1, 0.5, 0.9, 0.975}
	rapid.Check(t, func(t *rapid.T) {
		s := Scale{Level: rapid.Float64Range(0, 50).Draw(t, "level"), Unit: rapid.Float64Range(0.1, 20).Draw(t, "unit")}
		row := [Shape]float64{rapid.Float64Range(-4, 4).Draw(t, "place"), rapid.Float64Range(-3, 4).Draw(t, "width"),
			rapid.Float64Range(-3, 6).Draw(t, "shape")}
		out := make([]float64, len(probs))
		for _, d := range []Distribution{Normal, Student, Counts} {
			d.Quantiles(row, s, probs, out)
			for k := range probs {
				assert.True(t, k == 0 || out[k] >= out[k-1])
			}
			if d != Counts {
				assert.InDelta(t, row[0], out[2], 1e-9, "the middle")
				continue
			}
			mean, _ := s.mean(row[0])
			r := 1 / (leastSpread + softplus(row[1]))
			for k, p := range probs {
				count := math.Round(s.Level + s.Unit*out[k])
				assert.InDelta(t, count, s.Level+s.Unit*out[k], 1e-6)
				at, before := 0.0, 0.0
				for i := range int(count) + 1 {
					loss, _ := Counts.loss(row, (float64(i)-s.Level)/s.Unit, s)
					before, at = at, at+math.Exp(-loss)
				}
				assert.GreaterOrEqual(t, at, p-1e-6, "mean %g, r %g", mean, r)
				assert.Less(t, before, p+1e-6)
			}
		}
	})
}
