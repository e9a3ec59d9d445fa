package smoothing

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/forecast"
)

// simulated are quantiles from so many futures that chance does not show.
func simulated(s State, horizon int) forecast.Rows {
	const rounds = 30
	out := forecast.NewRows(horizon)
	for seed := range uint64(rounds) {
		one := forecast.NewRows(horizon)
		s.Seed = seed
		s.simulate(one)
		for i, q := range one.Quantiles {
			out.Quantiles[i] += q / rounds
		}
	}
	return out
}

// Told by their moments, forecasts with multiplicative errors are those of many simulated futures: the middle 80 % to
// 0.15 standard deviations, the outer ones to 0.3.
func TestMomentsTellWhatFuturesSimulate(t *testing.T) {
	season := func(of ...float64) []float64 { return of }
	for _, c := range []struct {
		form   Form
		now    params
		season int
	}{
		{Form{'M', 'N', NoTrend}, params{Level: 3, Alpha: 0.3, Phi: 1}, 1},
		{Form{'M', 'N', NoTrend}, params{Level: 3, Alpha: 0.9, Phi: 1}, 1},
		{Form{'M', 'N', Straight}, params{Level: 3, Slope: 0.05, Alpha: 0.4, Beta: 0.1, Phi: 1}, 1},
		{Form{'M', 'N', Damped}, params{Level: 3, Slope: -0.1, Alpha: 0.4, Beta: 0.1, Phi: 0.9}, 1},
		{Form{'M', 'M', NoTrend}, params{Level: 3, Alpha: 0.2, Gamma: 0.15, Phi: 1, Season: season(0.7, 1, 1.4, 0.9)}, 4},
		{Form{'M', 'M', Damped}, params{Level: 3, Slope: 0.1, Alpha: 0.3, Beta: 0.05, Gamma: 0.1, Phi: 0.9, Season: season(0.7, 1, 1.4, 0.9)}, 4},
		{Form{'M', 'A', NoTrend}, params{Level: 3, Alpha: 0.3, Gamma: 0.2, Phi: 1, Season: season(-0.7, 0, 1, -0.3)}, 4},
	} {
		for _, sigma := range []float64{0.02, 0.15, 0.3} {
			s := State{Form: c.form, Now: c.now, Season: c.season, Sigma2: sigma * sigma, Free: 60, Scale: 1}
			got, want := forecast.NewRows(12), simulated(s, 12)
			if !s.nearly(got) {
				require.Greater(t, sigma, 0.2, "only what is wide is left to futures")
				continue
			}
			for h := range got.Mean {
				q, w := got.At(h), want.At(h)
				wide := (at(w, 0.9) - at(w, 0.1)) / 2.56
				for _, p := range []float64{0.025, 0.1, 0.25, 0.5, 0.75, 0.9, 0.975} {
					near := 0.15
					if p < 0.1 || p > 0.9 {
						near = 0.3
					}
					assert.InDelta(t, 0, (at(q, p)-at(w, p))/wide, near, "%s, sigma %v, step %d, quantile %v", c.form, sigma, h+1, p)
				}
			}
		}
	}
}

// at is a quantile on the grid.
func at(q []float64, p float64) float64 {
	for g, x := range forecast.Grid {
		if math.Abs(x-p) < 1e-9 {
			return q[g]
		}
	}
	panic(fmt.Sprint("the grid has no ", p))
}

// What moments can't tell is left to futures: far horizons, wide forecasts, and means that fall to nothing.
func TestMomentsKnowWhatTheyCannotTell(t *testing.T) {
	s := State{Form: Form{'M', 'N', Straight}, Now: params{Level: 3, Slope: -0.5, Alpha: 0.4, Phi: 1}, Season: 1, Sigma2: 0.01, Free: 60, Scale: 1}
	assert.True(t, s.nearly(forecast.NewRows(5)))
	assert.False(t, s.nearly(forecast.NewRows(6)), "the level falls to zero")
	s.Now.Slope = 0
	assert.True(t, s.nearly(forecast.NewRows(20)))
	assert.False(t, s.nearly(forecast.NewRows(nearlySteps+1)))
	s.Sigma2 = 1
	assert.False(t, s.nearly(forecast.NewRows(2)))
	s.Sigma2 = 0
	out := forecast.NewRows(2)
	assert.True(t, s.nearly(out))
	for _, q := range out.Quantiles {
		assert.Equal(t, 3.0, q, "what never errs is its mean")
	}
}

// What moments save against the few futures that served before.
func BenchmarkCoarse(b *testing.B) {
	s := State{Form: Form{'M', 'M', NoTrend}, Now: params{Level: 3, Alpha: 0.2, Gamma: 0.1, Phi: 1, Season: []float64{1, 1, 1.2, 0.9, 1, 0.8, 1.1}},
		Season: 7, Sigma2: 0.02, Free: 60, Scale: 1, coarse: true}
	out := forecast.NewRows(28)
	b.Run("moments", func(b *testing.B) {
		for b.Loop() {
			s.nearly(out)
		}
	})
	b.Run("futures", func(b *testing.B) {
		for b.Loop() {
			s.simulate(out)
		}
	})
}
