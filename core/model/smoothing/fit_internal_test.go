package smoothing

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// simulate makes a series of a form from known parameters.
func simulate(f Form, p params, m, n int, sigma float64, rnd *rand.Rand) []float64 {
	season := append([]float64(nil), p.Season...)
	l, b := p.Level, p.Slope
	y := make([]float64, n)
	for i := range y {
		q, s := l+p.Phi*b, 0.0
		mu := q
		if f.Season != 'N' {
			s = season[i%m]
			mu = map[byte]float64{'A': q + s, 'M': q * s}[f.Season]
		}
		e := sigma * rnd.NormFloat64()
		if f.Error == 'M' {
			e *= mu
		}
		y[i] = mu + e
		u, v := e, e
		if f.Season == 'M' {
			u, v = e/s, e/q
		}
		l, b = q+p.Alpha*u, p.Phi*b+p.Beta*u
		if f.Season != 'N' {
			season[i%m] += p.Gamma * v
		}
	}
	return y
}

// The way back gives the slopes that differences of the loss give, for every form, with
// unknown periods in between.
func TestGradient(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	season := []float64{0.8, 1.1, 1.3, 0.8}
	y := simulate(Form{'M', 'M', Damped}, params{Alpha: 0.3, Beta: 0.05, Gamma: 0.1, Phi: 0.9, Level: 10, Slope: 0.5, Season: season}, 4, 60, 0.05, rnd)
	y[7], y[8], y[31] = panel.Unknown, panel.Unknown, panel.Unknown
	f := &fitter{}
	f.reset(y, 4, 10)
	f.starts(true)
	for _, form := range Forms() {
		x := f.begin(form)
		f.form = form
		g := make([]float64, len(x))
		require.True(t, f.gradientAt(x, g))
		for i := range x {
			const h = 1e-6
			up, down := append([]float64(nil), x...), append([]float64(nil), x...)
			up[i] += h
			down[i] -= h
			want := (objective{f}.Value(up) - objective{f}.Value(down)) / (2 * h)
			assert.InDelta(t, want, g[i], 1e-6*(1+math.Abs(want)), "%s, parameter %d", form, i)
		}
	}
}

// Parameters come back from a long simulated series.
func TestParametersComeBack(t *testing.T) {
	truth := params{Alpha: 0.4, Beta: 0.06, Gamma: 0.15, Phi: 0.9, Level: 100, Slope: 2, Season: []float64{-10, 4, 8, -3, 1, 5, -5}}
	form := Form{'A', 'A', Damped}
	y := simulate(form, truth, 7, 4000, 3, rand.New(rand.NewPCG(3, 4)))
	f := &fitter{}
	f.reset(y, 7, 100)
	f.starts(true)
	e, ok := f.fit(form, nil, num.Stop{Steps: 200, Gain: 1e-10})
	require.True(t, ok)
	assert.InDelta(t, truth.Alpha, e.p.Alpha, 0.05)
	assert.InDelta(t, truth.Beta, e.p.Beta, 0.03)
	assert.InDelta(t, truth.Gamma, e.p.Gamma, 0.03)
	assert.InDelta(t, truth.Phi, e.p.Phi, 0.05)
	assert.InDelta(t, 0.03, math.Sqrt(e.sigma2), 0.001)
}

func benchSeries(n, m int) []float64 {
	season := make([]float64, m)
	for i := range season {
		season[i] = 1 + 0.2*math.Sin(2*math.Pi*float64(i)/float64(m))
	}
	return simulate(Form{'M', 'M', Damped}, params{Alpha: 0.3, Beta: 0.02, Gamma: 0.05, Phi: 0.95, Level: 100, Slope: 1, Season: season}, m, n,
		0.08, rand.New(rand.NewPCG(uint64(n), 5)))
}

func BenchmarkObjective(b *testing.B) {
	f := &fitter{}
	y := benchSeries(730, 7)
	f.reset(y, 7, 100)
	f.starts(true)
	for _, form := range []Form{{'A', 'A', Damped}, {'M', 'M', Damped}} {
		b.Run(form.String(), func(b *testing.B) {
			x := f.begin(form)
			g := make([]float64, len(x))
			b.ReportAllocs()
			for b.Loop() {
				f.gradientAt(x, g)
			}
		})
	}
}

func BenchmarkFit(b *testing.B) {
	f := &fitter{}
	y := benchSeries(730, 7)
	f.reset(y, 7, 100)
	f.starts(true)
	for _, form := range Forms() {
		b.Run(form.String(), func(b *testing.B) {
			for b.Loop() {
				f.fit(form, nil, num.Stop{Steps: 100, Gain: 1e-8})
			}
		})
	}
}

func BenchmarkSearch(b *testing.B) {
	for _, c := range []struct {
		name string
		n, m int
	}{{"daily", 730, 7}, {"monthly", 120, 12}} {
		b.Run(c.name, func(b *testing.B) {
			y := benchSeries(c.n, c.m)
			f := &fitter{}
			for b.Loop() {
				f.reset(y, c.m, 100)
				f.starts(true)
				f.search(limits{}, true, c.m)
			}
			b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "series/s")
		})
	}
}

// Forecasts from one origin after another keep their states, coarse ones from the first, to the same numbers as
// when they are replayed; others keep nothing, for that is many times the state itself.
func TestStatesFollow(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 9))
	values := make([]float64, 90)
	for i := range values {
		values[i] = 50 + 10*math.Sin(float64(i)*math.Pi/6) + rnd.NormFloat64()
	}
	values[75] = panel.Unknown
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Month}, First: 600, Length: len(values),
		Series: []panel.Series{{Key: "s", Values: values}}}
	at := func(origin int) panel.SeriesView { return panel.NewView(p, []int{0}, 0, origin).Series(0) }
	for _, coarse := range []bool{true, false} {
		trained := func() *State {
			m := Method{}
			state, err := m.Fit(t.Context(), single.InputOf(at(71), 4, rand.New(rand.NewPCG(1, 2))))
			require.NoError(t, err)
			s := state.(*State)
			s.coarse = coarse
			return s
		}
		kept, replayed := trained(), trained()
		for origin := 71; origin < 86; origin += 5 {
			a, b := forecast.NewRows(4), forecast.NewRows(4)
			require.NoError(t, kept.Forecast(at(origin), a))
			replayed.open = nil
			require.NoError(t, replayed.Forecast(at(origin), b))
			assert.Equal(t, b, a, "at %d", origin)
			assert.Equal(t, coarse || origin > 71, kept.open != nil, "before it goes on, a release's state stays small")
			require.NoError(t, kept.Advance(at(origin), origin+1)) // which brings nothing
			assert.Equal(t, origin > 71, kept.advanced)
			require.NoError(t, kept.Advance(at(origin+5), origin+1))
			require.NoError(t, replayed.Advance(at(origin+5), origin+1))
		}
	}
}

// On a long series with a clear season no form that leaves it out is tried with trends; on a short one all are.
func TestFormsBeyondHopeAreNotTried(t *testing.T) {
	tried := func(n int) (out []string) {
		rnd := rand.New(rand.NewPCG(1, 2))
		y := make([]float64, n)
		for i := range y {
			y[i] = 100 + 30*math.Sin(2*math.Pi*float64(i)/7) + rnd.NormFloat64()
		}
		f := &fitter{}
		f.reset(y, 7, 100)
		f.starts(true)
		for _, e := range f.search(limits{}, true, 7) {
			out = append(out, e.form.String())
		}
		return out
	}
	assert.Len(t, tried(200), len(Forms()))
	long := tried(300)
	assert.Subset(t, long, []string{"ANN", "MNN", "ANA", "AAA", "AAdA", "MNM"})
	for _, form := range []string{"AAN", "AAdN", "MAN", "MAdN"} {
		assert.NotContains(t, long, form)
	}
	assert.NotEqual(t, byte('N'), long[0][len(long[0])-1], "the best has a season")
}
