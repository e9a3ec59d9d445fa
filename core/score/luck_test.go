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

// For contenders of equal accuracy the p-values of window means are uniform, however the steps
// of a window lean on each other.
func TestWindowsAreUniformUnderEquality(t *testing.T) {
	for _, windows := range []int{6, 12} {
		rnd := rand.New(rand.NewPCG(11, uint64(windows)))
		var ps []float64
		for range 2000 {
			means := func() []float64 {
				out := make([]float64, windows)
				for w := range out {
					level := rnd.NormFloat64() // what a window's steps have in common
					for range 8 {
						out[w] += math.Abs(level+0.5*rnd.NormFloat64()) / 8
					}
				}
				return out
			}
			got, err := score.TestWindows(means(), means())
			require.NoError(t, err)
			ps = append(ps, got.P)
		}
		assert.Greater(t, kolmogorov(ps), 0.01, "%d windows", windows)
	}
}

// By hand: d = 1, -1, 3, 1, 2, 0, 1, 1.
func TestWindowsByHand(t *testing.T) {
	a := []float64{2, 0, 4, 2, 3, 1, math.NaN(), 2, 2}
	b := []float64{1, 1, 1, 1, 1, 1, 5, 1, 1}
	got, err := score.TestWindows(a, b)
	require.NoError(t, err)
	assert.Equal(t, 8, got.N)
	assert.InDelta(t, 1, got.Mean, 1e-15)
	// Squares about the mean add up to 10: the standard error is the root of 10/7/8.
	assert.InDelta(t, 1/math.Sqrt(10.0/7/8), got.Statistic, 1e-12)
	assert.InDelta(t, 0.05, got.P, 2e-3) // Student's t with 7 degrees of freedom: 2.365 is the 5 % point
	same, err := score.TestWindows(a, a)
	require.NoError(t, err)
	assert.Equal(t, 1.0, same.P)
	_, err = score.TestWindows(a[:5], b[:5])
	assert.ErrorContains(t, err, "fewer than 6")
}

// The intervals of a difference hold the true one 93 to 97 times in a hundred, also where a
// tenth or three tenths of the error variance are common to the series of a window.
func TestDifferenceCovers(t *testing.T) {
	m, err := score.FindMetric("mase", nil)
	require.NoError(t, err)
	for _, c := range []struct {
		common  float64
		windows int
	}{{0, 6}, {0.1, 6}, {0.3, 6}, {0.1, 12}, {0.3, 12}} {
		rnd := rand.New(rand.NewPCG(3, 17))
		held, trials := 0, 1500
		for range trials {
			cells := [2]score.Cells{make(score.Cells, 60), make(score.Cells, 60)}
			shared := [2][]float64{}
			for i := range shared {
				for range c.windows {
					shared[i] = append(shared[i], math.Sqrt(c.common)*rnd.NormFloat64())
				}
			}
			for s := range 60 { // a difficulty of its own, and contenders 0.1 apart
				hard := math.Exp(0.3 * rnd.NormFloat64())
				for w := range c.windows {
					for i, apart := range []float64{0, 0.1} {
						e := shared[i][w] + math.Sqrt(1-c.common)*rnd.NormFloat64()
						cells[i][s] = append(cells[i][s], [2]float64{4 * (hard + apart + 0.3*e), 4})
					}
				}
			}
			if b := score.Difference(cells[1], cells[0], m.Ratio, m.Order); b.Low <= 0.1 && 0.1 <= b.High {
				held++
			}
			assert.Equal(t, score.Between{}, score.Difference(cells[0], cells[0], m.Ratio, m.Order), "against itself")
		}
		share := float64(held) / float64(trials)
		t.Logf("%.0f %% in common, %d windows: %.3f", 100*c.common, c.windows, share)
		assert.InDelta(t, 0.95, share, 0.025)
	}
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

// A plan of before may name a metric as it was called then.
func TestFormerNamesOfMetrics(t *testing.T) {
	m, err := score.FindMetric("wql", []float64{80})
	require.NoError(t, err)
	assert.Equal(t, "weighted_quantile_loss", m.Name)
}
