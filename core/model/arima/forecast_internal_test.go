package arima

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

func inputOf(unit calendar.Unit, y []float64, h int) single.Input {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: unit}, Length: len(y), Series: []panel.Series{{Key: "y", Values: y}}}
	return single.Input{SeriesView: panel.NewView(p, []int{0}, 0, len(y)-1).Series(0), Horizon: h}
}

// fitted is a given order with the intervals of its errors alone, without doubt of the coefficients.
func fitted(t *testing.T, m Method, in single.Input) *State {
	t.Helper()
	m.rough = true
	s, err := m.Fit(context.Background(), in)
	require.NoError(t, err)
	return s.(*State)
}

// The forecasts of 1961 that the airline model of the logs gives, as published with it many times: the
// median on the scale of thousands of passengers.
func TestForecastsOfTheAirlineModel(t *testing.T) {
	constant := false
	in := inputOf(calendar.Month, passengers, 12)
	s, err := Method{Order: &Order{D: 1, Q: 1, SD: 1, SQ: 1, Season: 12}, Constant: &constant, Transform: "log"}.Fit(context.Background(), in)
	require.NoError(t, err)
	mu, variance, err := s.(*State).ahead(in.SeriesView, len(passengers), 12)
	require.NoError(t, err)
	for k, want := range []float64{450.4224, 425.7172, 479.0068, 492.4045, 509.0550, 583.3449, 670.0108, 667.0776, 558.1894, 497.2078, 429.8720, 477.2426} {
		assert.InEpsilon(t, want, s.(*State).Scale.back(mu[k]), 2e-4, "month %d", k+1)
		if k > 0 {
			assert.Greater(t, variance[k], variance[k-1])
		}
	}
	out := forecast.NewRows(12)
	require.NoError(t, s.Forecast(in.SeriesView, out))
	require.NoError(t, out.Check())
	assert.Greater(t, out.Mean[11], s.(*State).Scale.back(mu[11]), "the mean of a log-normal is above its median")
}

// process draws a series whose weights are known.
func process(rnd *rand.Rand, phi, theta []float64, n int) []float64 {
	const before = 300
	y, e := make([]float64, n+before), make([]float64, n+before)
	for t := range y {
		e[t] = rnd.NormFloat64()
		y[t] = e[t]
		for k := range min(t, len(phi)) {
			y[t] += phi[k] * y[t-1-k]
		}
		for k := range min(t, len(theta)) {
			y[t] += theta[k] * e[t-1-k]
		}
	}
	return y[before:]
}

func TestWeightsComeBack(t *testing.T) {
	for i, c := range []struct{ phi, theta []float64 }{
		{[]float64{0.7}, nil}, {[]float64{-0.5}, nil}, {[]float64{1.2, -0.5}, nil}, {nil, []float64{0.6}}, {nil, []float64{-0.8}},
		{[]float64{0.8}, []float64{-0.4}}, {[]float64{0.5, 0.3}, []float64{-0.6}},
	} {
		y := process(rand.New(rand.NewPCG(6, uint64(i))), c.phi, c.theta, 3000)
		f := &fitter{y: y}
		e, ok := f.fit(Order{P: len(c.phi), Q: len(c.theta)}, nil, num.Stop{Steps: 100, Gain: 1e-10})
		require.True(t, ok)
		f.shape.set(e.o, e.x)
		for k, want := range c.phi {
			assert.InDelta(t, want, f.shape.phi[k], 0.09, "%v %v: lag %d", c.phi, c.theta, k+1)
		}
		for k, want := range c.theta {
			assert.InDelta(t, want, f.shape.theta[k+1], 0.09, "%v %v: error %d", c.phi, c.theta, k+1)
		}
		assert.InDelta(t, 1, e.sigma2, 0.08)
	}
}

// Towards the mean by powers of the weight, with the variance of the stationary process in the end; also
// over unknown values at the end.
func TestForecastsOfAFirstOrder(t *testing.T) {
	y := process(rand.New(rand.NewPCG(6, 66)), []float64{0.8}, nil, 400)
	for i := range y {
		y[i] = 50 + 3*y[i]
	}
	constant := true
	m := Method{Order: &Order{P: 1}, Constant: &constant, NoSeason: true, Transform: "none"}
	s := fitted(t, m, inputOf(calendar.Year, y, 30))
	sh := &shape{}
	sh.set(s.Order, s.X)
	phi, mean := sh.phi[0], s.Beta[len(s.Beta)-1]
	level, variance := s.levelsAhead(30)
	last := s.Scale.to(y[len(y)-1])
	for k := range level {
		power := math.Pow(phi, float64(k+1))
		assert.InDelta(t, mean+power*(last-mean), level[k], 1e-9, "step %d", k+1)
		assert.InEpsilon(t, s.Sigma2*(1-power*power)/(1-phi*phi), variance[k], 1e-9, "step %d", k+1)
	}
	require.NoError(t, s.push(panel.Unknown, 0))
	later, wider := s.levelsAhead(29)
	for k := range later {
		assert.InDelta(t, level[k+1], later[k], 1e-9, "an unknown value is a step more")
		assert.InEpsilon(t, variance[k+1], wider[k], 1e-9)
	}
}

// A walk goes on where it is, as much wider as there are steps; with drift along its mean step.
func TestForecastsOfAWalk(t *testing.T) {
	rnd := rand.New(rand.NewPCG(6, 67))
	y, at := make([]float64, 200), 100.0
	for i := range y {
		at += 0.5 + rnd.NormFloat64()
		y[i] = at
	}
	for _, drift := range []bool{false, true} {
		s := fitted(t, Method{Order: &Order{D: 1}, Constant: &drift, NoSeason: true, Transform: "none"}, inputOf(calendar.Year, y, 5))
		level, variance := s.levelsAhead(5)
		step := 0.0
		if drift {
			step = s.Scale.to(y[199]) - s.Scale.to(y[0])
			step /= 199
		}
		for k := range level {
			assert.InDelta(t, s.Scale.to(y[199])+float64(k+1)*step, level[k], 1e-6, "with drift %v, step %d", drift, k+1)
			assert.InEpsilon(t, float64(k+1)*s.Sigma2, variance[k], 1e-9)
		}
	}
}

// Every weight makes a stationary model: stepping down gives the partial autocorrelations back, all of
// them within one.
//
// Source: Monahan, Biometrika 71 (1984).
func TestEveryWeightIsStationary(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		x := rapid.SliceOfN(rapid.Float64Range(-6, 6), 1, 5).Draw(t, "x")
		phi := make([]float64, len(x))
		stationary(x, phi)
		off := 1e-14 // by rounding, which each step down multiplies, by much near a unit root
		for k := len(x) - 1; k >= 0 && off < 1e-3; k-- {
			r := phi[k]
			if math.Abs(r) >= 1 || math.Abs(r-squash(x[k])) > off {
				t.Fatalf("partial autocorrelation %d is %g, not %g", k+1, r, squash(x[k]))
			}
			off *= 4 / (1 - r*r)
			down := make([]float64, k)
			for i := range down {
				down[i] = (phi[i] + r*phi[k-1-i]) / (1 - r*r)
			}
			phi = down
		}
	})
}

// What differences take away, the levels before give back.
func TestDifferencesAreUndone(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		o := Order{D: rapid.IntRange(0, 2).Draw(t, "d"), SD: rapid.IntRange(0, 1).Draw(t, "D"), Season: rapid.IntRange(2, 7).Draw(t, "season")}
		y := rapid.SliceOfN(rapid.Float64Range(-100, 100), o.lost()+1, o.lost()+12).Draw(t, "y")
		w := difference(y, o)
		s := &State{Order: o}
		for i := o.lost(); i < len(y); i++ {
			if got := w[i-o.lost()] + s.undifference(y[:i]); math.Abs(got-y[i]) > 1e-9 {
				t.Fatalf("%v: value %d is %g, not %g", o, i, got, y[i])
			}
		}
	})
}

func TestOrdersInWords(t *testing.T) {
	for want, o := range map[string]Order{"(0,1,1)(0,1,1)12": {D: 1, Q: 1, SD: 1, SQ: 1, Season: 12}, "(1,0,0) with a mean": {P: 1, Constant: true},
		"(0,1,0) with drift": {D: 1, Constant: true}, "(2,0,1)": {P: 2, Q: 1, Season: 12}} {
		assert.Equal(t, want, o.String())
	}
	v, err := parseTriple([]string{"(0", " 1", "1)"})
	require.NoError(t, err)
	assert.Equal(t, [3]int{0, 1, 1}, v)
	for want, list := range map[string][]string{`"1,2" is no order: write three whole numbers`: {"1", "2"}, `"x" in an order is no whole number`: {"0", "x", "1"},
		`"9" in an order`: {"9", "0", "0"}, `"-1" in an order`: {"0", "-1", "0"}} {
		_, err := parseTriple(list)
		assert.ErrorContains(t, err, want)
	}
}
