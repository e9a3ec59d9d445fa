package arima

import (
	"paperkettle/core/model/harmonic"
	"paperkettle/core/panel"

	"gonum.org/v1/gonum/mat"
)

// Doubt is where a series would stand under coefficients a standard deviation off, and the
// same amount off the other way.
type Doubt struct{ Up, Down *State }

const (
	// curveStep is the step, on the unbounded scale, of the likelihood's second differences.
	curveStep = 0.02
	// firmness of a prior on the weights, so that one that the data say nothing about stays
	// within a few units.
	firmness = 0.2
	// farthest is how far off a weight is tried.
	farthest = 1.5
)

// doubts are the directions in which the coefficients may be wrong: the columns of a root of
// their covariance, by the curvature of the likelihood, and the standard error of the constant.
// The regressors' coefficients are least squares given the weights, and move with them.
//
// Source: the large-sample distribution of maximum likelihood; for forecasts Ansley and Kohn,
// Prediction mean squared error for state space models with estimated parameters, Biometrika
// 73 (1986), by differences in the place of derivatives.
func (s *State) doubts(f *fitter, e estimate) {
	// How the likelihood bends, a long series shows as well with its gaps bridged.
	known := f.y
	if len(known) > rivalLength {
		f.y = bridged(known, max(1, e.o.Season))
	}
	f.lay(e.o)
	moves := f.directions(e)
	f.y = known
	f.lay(e.o)
	for _, move := range moves {
		up, down := s.moved(f, e, move, 1), s.moved(f, e, move, -1)
		if up != nil && down != nil {
			s.Doubts = append(s.Doubts, Doubt{up, down})
		}
	}
	if !e.o.Constant {
		return
	}
	last := len(e.beta) - 1
	var both [2]*State
	for i, sign := range []float64{1, -1} {
		off := e
		off.beta = append([]float64(nil), e.beta...)
		off.beta[last] += sign * e.errs[last]
		both[i] = s.under(f, off)
	}
	s.Doubts = append(s.Doubts, Doubt{both[0], both[1]})
}

// directions are the columns of a root of the weights' covariance.
func (f *fitter) directions(e estimate) [][]float64 {
	k := len(e.x)
	if k == 0 {
		return nil
	}
	n := float64(f.counts())
	at := func(i, j int) float64 {
		x := append([]float64(nil), e.x...)
		if i >= 0 {
			x[i] += curveStep
		}
		if j >= 0 {
			x[j] += curveStep
		}
		return f.value(x)
	}
	middle := at(-1, -1)
	single := make([]float64, k)
	for i := range k {
		single[i] = at(i, -1)
	}
	curve := mat.NewSymDense(k, nil)
	for i := range k {
		for j := i; j < k; j++ {
			v := n * (at(i, j) - single[i] - single[j] + middle) / (curveStep * curveStep)
			if i == j {
				v = max(v, 0) + firmness
			}
			curve.SetSym(i, j, v)
		}
	}
	var chol mat.Cholesky
	for !chol.Factorize(curve) {
		for i := range k {
			curve.SetSym(i, i, 1.1*curve.At(i, i)+firmness)
		}
	}
	var covariance mat.SymDense
	if err := chol.InverseTo(&covariance); err != nil || !chol.Factorize(&covariance) {
		return nil
	}
	var lower mat.TriDense
	chol.LTo(&lower)
	out := make([][]float64, k)
	for j := range out {
		out[j] = make([]float64, k)
		for i := j; i < k; i++ {
			out[j][i] = max(-farthest, min(farthest, lower.At(i, j)))
		}
	}
	return out
}

// moved is the state with the weights off in a direction, the regression done anew.
func (s *State) moved(f *fitter, e estimate, move []float64, sign float64) *State {
	off := e
	off.x = append([]float64(nil), e.x...)
	for i, v := range move {
		off.x[i] += sign * v
	}
	f.shape.set(off.o, off.x)
	if !f.filtered() {
		return nil
	}
	if rss := f.regress(); !(rss > 0) {
		return nil
	}
	off.beta = append([]float64(nil), f.scratch...)
	return s.under(f, off)
}

// under is where the series stands under an estimate.
func (s *State) under(f *fitter, e estimate) *State {
	out := &State{Scale: s.Scale, Ordinal: s.Ordinal, Used: s.Used, Long: longWith(s.Long, e.beta),
		Drivers: s.Drivers, Events: s.Events, Weekends: s.Weekends, Sundays: s.Sundays, Names: s.Names}
	out.Order, out.X, out.Beta, out.Sigma2 = e.o, e.x, e.beta, s.Sigma2
	out.stand(f)
	out.In = nil
	return out
}

// all are the state and those under doubted coefficients.
func (s *State) all() []*State {
	out := []*State{s}
	for _, d := range s.Doubts {
		out = append(out, d.Up, d.Down)
	}
	return out
}

// spread adds what the doubts make of the next values to their variances: the squares of what
// they move the forecast by, and how they change the spread of what is to come.
func (s *State) spread(v panel.SeriesView, mu, variance []float64) error {
	base := append([]float64(nil), variance...)
	for _, d := range s.Doubts {
		up, wide, err := d.Up.ahead(v, len(s.Values), len(mu))
		if err != nil {
			return err
		}
		down, narrow, err := d.Down.ahead(v, len(s.Values), len(mu))
		if err != nil {
			return err
		}
		for k := range mu {
			a, b := up[k]-mu[k], down[k]-mu[k]
			variance[k] += (a*a+b*b)/2 + (wide[k]+narrow[k])/2 - base[k]
		}
	}
	for k := range variance {
		variance[k] = max(variance[k], base[k])
	}
	return nil
}

// longWith are the harmonics with the first of the coefficients.
func longWith(long []harmonic.Terms, beta []float64) []harmonic.Terms {
	out := append([]harmonic.Terms(nil), long...)
	at := 0
	for i := range out {
		n := len(out[i].Coef)
		out[i].Coef = append([]float64(nil), beta[at:at+n]...)
		at += n
	}
	return out
}
