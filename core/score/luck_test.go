package score_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/score"
)

// kolmogorov is the probability that uniform values stray this far from uniform
// (Kolmogorov 1933).
func kolmogorov(p []float64) float64 {
	slices.Sort(p)
	n := float64(len(p))
	d := 0.0
	for i, v := range p {
		d = max(d, v-float64(i)/n, float64(i+1)/n-v)
	}
	x := (math.Sqrt(n) + 0.12 + 0.11/math.Sqrt(n)) * d
	sum := 0.0
	for k := 1.0; k < 100; k++ {
		sum += 2 * math.Pow(-1, k-1) * math.Exp(-2*k*k*x*x)
	}
	return min(1, max(0, sum))
}

// For contenders of equal accuracy the p-values are uniform.
func TestDieboldMarianoIsUniformUnderEquality(t *testing.T) {
	for _, c := range []struct{ n, h int }{{40, 1}, {120, 1}, {300, 3}} {
		rnd := rand.New(rand.NewPCG(11, uint64(c.n)))
		var ps []float64
		for range 2000 {
			// Errors h steps ahead are moving sums of h shocks.
			errors := func() []float64 {
				shocks := make([]float64, c.n+c.h)
				for i := range shocks {
					shocks[i] = rnd.NormFloat64()
				}
				out := make([]float64, c.n)
				for i := range out {
					for k := range c.h {
						out[i] += shocks[i+k]
					}
				}
				return out
			}
			dm, err := score.TestEqual(errors(), errors(), c.h, 1)
			require.NoError(t, err)
			ps = append(ps, dm.P)
		}
		assert.Greater(t, kolmogorov(ps), 0.01, "n %d, h %d", c.n, c.h)
	}
}

// By hand: d = 1, -1, 3, 1, 2, 0, 1, 1 under |e|.
func TestDieboldMarianoByHand(t *testing.T) {
	a := []float64{2, 0, -4, 2, 3, 1, math.NaN(), 2, -2}
	b := []float64{1, 1, 1, -1, 1, -1, 5, 1, 1}
	dm, err := score.TestEqual(a, b, 1, 1)
	require.NoError(t, err)
	// The mean of squares less the squared mean: (1+1+9+1+4+0+1+1)/8 - 1 = 1.25.
	assert.Equal(t, 8, dm.N)
	assert.InDelta(t, 1, dm.Mean, 1e-15)
	assert.InDelta(t, math.Sqrt(7.0/8)*1/math.Sqrt(1.25/8), dm.Statistic, 1e-12)
	assert.InDelta(t, 0.05, dm.P, 1e-3) // Student's t with 7 degrees of freedom: 2.365 is the 5 % point
	same, err := score.TestEqual(a, a, 1, 2)
	require.NoError(t, err)
	assert.Equal(t, 1.0, same.P)
	_, err = score.TestEqual(a[:7], b[:7], 1, 1)
	assert.ErrorContains(t, err, "fewer than eight")
}

// The intervals of the difference hold the true one 93 to 97 times in a hundred.
func TestBootstrapCovers(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 17))
	held, trials := 0, 600
	m, err := score.FindMetric("mase", nil)
	require.NoError(t, err)
	for range trials {
		parts := make([][][2]float64, 2)
		for range 120 { // series: a common difficulty, and contenders 0.1 apart
			hard := math.Exp(0.3 * rnd.NormFloat64())
			parts[0] = append(parts[0], [2]float64{4 * (hard + 0.3*rnd.NormFloat64()), 4})
			parts[1] = append(parts[1], [2]float64{4 * (hard + 0.1 + 0.3*rnd.NormFloat64()), 4})
		}
		between := score.Bootstrap(parts, m.Ratio, m.Order, 0, rnd)
		if b := between[1]; b.Low <= 0.1 && 0.1 <= b.High {
			held++
		}
		assert.Equal(t, score.Between{}, between[0], "against itself")
	}
	share := float64(held) / float64(trials)
	assert.InDelta(t, 0.95, share, 0.02)
}

// Demsar (2006), table 5(a): the critical values at 5 % for 2 to 10 contenders.
func TestCriticalDistances(t *testing.T) {
	for i, want := range []float64{1.960, 2.343, 2.569, 2.728, 2.850, 2.949, 3.031, 3.102, 3.164} {
		k := i + 2
		q := score.CriticalDistance(k, 1) / math.Sqrt(float64(k*(k+1))/6)
		assert.InDelta(t, want, q, 1e-3, k)
	}
	assert.Equal(t, []float64{2.5, 1, 2.5, 4}, score.Ranks([]float64{3, 1, 3, math.NaN()}))
}
