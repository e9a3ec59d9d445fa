package smoothing

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat"

	"paperkettle/core/forecast"
	"paperkettle/core/panel"
)

// echo is what an error of one, at the first step, moves in the steps after it: a path with it less one
// without, step by step through the recursion.
func echo(s *State, n int) []float64 {
	walk := func(first float64) []float64 {
		p := s.Now
		season, out := slices.Clone(p.Season), make([]float64, n)
		for h := range out {
			e := 0.0
			if h == 0 {
				e = first
			}
			level := p.Level + p.Phi*p.Slope
			out[h] = level + e
			p.Level, p.Slope = level+p.Alpha*e, p.Phi*p.Slope+p.Beta*e
			if s.Form.Season == 'A' {
				out[h] += season[h%s.Season]
				season[h%s.Season] += p.Gamma * e
			}
		}
		return out
	}
	with, without := walk(1), walk(0)
	for h := range with {
		with[h] -= without[h]
	}
	return with
}

// Variances are those of the sums of all errors' echoes, for every form of additive errors.
func TestVariancesAreThoseOfTheRecursion(t *testing.T) {
	const n = 14
	for _, form := range Forms() {
		if form.Error != 'A' || form.Season == 'M' {
			continue
		}
		s := &State{Form: form, Season: 4, Sigma2: 2.5,
			Now: params{Alpha: 0.4, Beta: 0.07, Gamma: 0.2, Phi: 1, Level: 50, Slope: 0.3, Season: []float64{3, -1, -4, 2}}}
		switch form.Trend {
		case Damped:
			s.Now.Phi = 0.9
		case NoTrend:
			s.Now.Beta, s.Now.Slope = 0, 0
		}
		got := make([]float64, n)
		s.variances(got)
		sum := 0.0
		for h, c := range echo(s, n) {
			sum += s.Sigma2 * c * c
			assert.InDelta(t, sum, got[h], 1e-9*sum, "%s, step %d", form, h+1)
		}
	}
}

// Where errors are in proportion, quantiles are those of futures drawn one by one.
func TestFuturesInProportion(t *testing.T) {
	form := Form{'M', 'M', Straight}
	now := params{Alpha: 0.3, Beta: 0.02, Gamma: 0.1, Phi: 1, Level: 100, Slope: 2, Season: []float64{0.7, 1.3, 1.1, 0.9}}
	s := &State{Form: form, Season: 4, Scale: 1, Sigma2: 0.01, Free: 500, Now: now, Values: make([]float64, 40), Used: 40, Seed: 5}
	const n, futures = 8, 20_000
	rows := forecast.NewRows(n)
	require.NoError(t, s.Forecast(panel.SeriesView{}, rows))
	drawn := make([][]float64, n)
	rnd := rand.New(rand.NewPCG(9, 9))
	for range futures {
		for h, y := range simulate(form, now, 4, n, 0.1, rnd) {
			drawn[h] = append(drawn[h], y)
		}
	}
	for h := range drawn {
		slices.Sort(drawn[h])
		for _, level := range []float64{0.1, 0.5, 0.9} {
			want := stat.Quantile(level, stat.LinInterp, drawn[h], nil)
			assert.InEpsilon(t, want, forecast.Quantile(rows.At(h), level), 0.02, "step %d, quantile %g", h+1, level)
		}
		assert.InEpsilon(t, stat.Mean(drawn[h], nil), rows.Mean[h], 0.01, "the mean of step %d", h+1)
	}
}
