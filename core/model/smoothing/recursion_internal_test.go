package smoothing

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/forecast"
	"paperkettle/core/panel"
)

// drawn is a state of a form with weights and states of any kind that is allowed.
func drawn(t *rapid.T, f Form, m int) *State {
	share := rapid.Float64Range(0.01, 0.99)
	p := params{Alpha: share.Draw(t, "alpha"), Phi: 1, Level: rapid.Float64Range(50, 150).Draw(t, "level")}
	if f.Trend != NoTrend {
		p.Beta, p.Slope = p.Alpha*share.Draw(t, "beta"), rapid.Float64Range(-0.4, 2).Draw(t, "slope")
	}
	if f.Trend == Damped {
		p.Phi = rapid.Float64Range(phiLow, phiHigh).Draw(t, "phi")
	}
	if f.Season != 'N' {
		p.Gamma = (1 - p.Alpha) * share.Draw(t, "gamma")
		for range m {
			v := rapid.Float64Range(0.7, 1.3).Draw(t, "season")
			if f.Season == 'A' {
				v = 20 * (v - 1)
			}
			p.Season = append(p.Season, v)
		}
	}
	return &State{Form: f, Season: m, Scale: 1, Sigma2: 1e-4, Free: 50, First: p}
}

func values(t *rapid.T, n int) []float64 {
	return rapid.SliceOfN(rapid.Float64Range(40, 200), n, n).Draw(t, "values")
}

// A pass over all values leaves the states that following them value by value does, and the same
// forecasts of each, for every form.
func TestAPassIsValueByValue(t *testing.T) {
	for _, form := range Forms() {
		t.Run(form.String(), rapid.MakeCheck(func(t *rapid.T) {
			const m, n = 4, 17
			s, y := drawn(t, form, m), values(t, n)
			var tr trace
			if !tr.run(form, y, m, &s.First) {
				t.Skip("a state fell to zero")
			}
			s.Now = s.First
			s.Now.Season = slices.Clone(s.First.Season)
			for i, v := range y {
				require.InDelta(t, tr.mu[i], s.push(v, i), 1e-9*math.Abs(tr.mu[i]))
				if form.Positive() && s.Now.Level <= 1e-9 || form.Season == 'M' && slices.Min(s.Now.Season) <= 1e-3 {
					t.Skip("a state is held above zero")
				}
			}
			assert.InDelta(t, tr.level[n], s.Now.Level, 1e-7)
			assert.InDelta(t, tr.slope[n], s.Now.Slope, 1e-7)
			for k, v := range s.Now.Season {
				assert.InDelta(t, tr.season[n+k], v, 1e-7, "season, place %d", k)
			}
		}))
	}
}

// States that are brought over many values at once are those that follow them value by value, to the last bit: a fit
// that was kept and read back forecasts what it did before.
func TestManyAtOnceIsOneByOne(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := drawn(t, rapid.SampledFrom(Forms()).Draw(t, "form"), 4)
		s.Scale = rapid.Float64Range(0.5, 2).Draw(t, "scale")
		s.Values = values(t, rapid.IntRange(1, 30).Draw(t, "n"))
		for i := range s.Values {
			if rapid.IntRange(0, 4).Draw(t, "unknown") == 0 {
				s.Values[i] = panel.Unknown
			}
		}
		one := *s
		one.Now = one.First
		one.Now.Season = slices.Clone(one.First.Season)
		for i, y := range s.Values {
			one.see(y, i)
		}
		s.replayed()
		assert.Equal(t, one.Quiet, s.Quiet)
		assert.Equal(t, one.Now, s.Now)
	})
}

// What is forecast of several steps is what comes where no error does.
func TestPointsAreWhatComesWithoutErrors(t *testing.T) {
	for _, form := range Forms() {
		t.Run(form.String(), rapid.MakeCheck(func(t *rapid.T) {
			s := drawn(t, form, 4)
			s.Now = s.First
			s.Now.Season = slices.Clone(s.First.Season)
			points := make([]float64, 11)
			s.points(points)
			for h, want := range points {
				if want <= 0 {
					t.Skip("a slope leads below zero")
				}
				require.InDelta(t, want, s.push(want, h), 1e-9*want, "step %d", h+1)
			}
		}))
	}
}

// Unknown values change no state: a forecast over them is the one from before, further on.
func TestUnknownValuesArePassedOver(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		form := rapid.SampledFrom(Forms()).Draw(t, "form")
		gap := rapid.IntRange(1, 9).Draw(t, "gap")
		s := drawn(t, form, 4)
		s.Values = values(t, 12)
		for range gap {
			s.Values = append(s.Values, panel.Unknown)
		}
		s.Used = len(s.Values)
		short := *s
		short.Values, short.Used = s.Values[:12], 12
		s.rest()
		short.rest()
		assert.Equal(t, gap, s.Quiet)
		over, near := forecast.NewRows(3), forecast.NewRows(3+gap)
		require.NoError(t, s.Forecast(panel.SeriesView{}, over))
		require.NoError(t, short.Forecast(panel.SeriesView{}, near))
		for h, v := range over.Mean {
			assert.InDelta(t, near.Mean[gap+h], v, 1e-9*math.Abs(v), "step %d", h+1)
		}
		if form.Error == 'A' { // exact; the others are drawn
			assert.InDeltaSlice(t, near.At(gap), over.At(0), 1e-9*math.Abs(over.Mean[0])+1e-9)
			wide := func(r forecast.Rows, h int) float64 { q := r.At(h); return q[len(q)-1] - q[0] }
			assert.Greater(t, wide(over, 0), wide(near, 0)*(1-1e-9), "what was not seen widens")
		}
	})
}

// What parameters are laid out to is what they are gathered from, and weights stay within their bounds.
func TestParametersAreLaidOutAndGathered(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		form := rapid.SampledFrom(Forms()).Draw(t, "form")
		s := drawn(t, form, 4)
		f := &fitter{form: form, m: 4}
		x := f.gather(form, &s.First, nil)
		f.spread(x)
		for _, c := range [][2]float64{{s.First.Alpha, f.p.Alpha}, {s.First.Beta, f.p.Beta}, {s.First.Gamma, f.p.Gamma},
			{s.First.Phi, f.p.Phi}, {s.First.Level, f.p.Level}, {s.First.Slope, f.p.Slope}} {
			assert.InDelta(t, c[0], c[1], 1e-5)
		}
		wild := rapid.SliceOfN(rapid.Float64Range(-60, 60), len(x), len(x)).Draw(t, "x")
		f.spread(wild)
		p := f.p
		assert.True(t, p.Alpha > 0 && p.Alpha < 1 && p.Beta >= 0 && p.Beta <= p.Alpha && p.Gamma >= 0 && p.Gamma <= 1-p.Alpha && p.Phi <= 1,
			"alpha %g, beta %g, gamma %g, phi %g", p.Alpha, p.Beta, p.Gamma, p.Phi)
	})
}

// The letters are read as they are written, in any spelling of the trade, and nothing else is.
func TestFormsAreRead(t *testing.T) {
	assert.Len(t, Forms(), 15)
	for _, f := range Forms() {
		for _, text := range []string{f.String(), "(" + f.String() + ")"} {
			got, err := ParseForm(text)
			require.NoError(t, err)
			assert.Equal(t, f, got)
		}
		assert.Equal(t, f.Error == 'M' || f.Season == 'M', f.Positive())
	}
	for text, want := range map[string]Form{"a,ad,n": {'A', 'N', Damped}, "M, A, M": {'M', 'M', Straight}, "ann": {'A', 'N', NoTrend}} {
		got, err := ParseForm(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"", "AAM", "ZZZ", "MM", "ANNN"} {
		_, err := ParseForm(text)
		require.ErrorContains(t, err, "is no admissible form: use one of ANN, ", text)
	}
}
