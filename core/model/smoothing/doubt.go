package smoothing

import (
	"math"
	"math/rand/v2"

	"gonum.org/v1/gonum/mat"
)

// doubts is how many parameter vectors stand for what the data leave open.
const doubts = 24

// priorPrecision keeps a weight that the data say nothing about within a few units on the
// transformed scale.
const priorPrecision = 0.1

// gradientAt writes the loss's gradient at x; false where x is out of bounds.
func (f *fitter) gradientAt(x, g []float64) bool {
	o := objective{f}
	if math.IsInf(o.Value(x), 0) {
		return false
	}
	o.Gradient(x, g)
	return true
}

// doubt draws parameters around an estimate, from the normal distribution whose covariance
// is the inverse of the likelihood's curvature. The season's first states keep their
// estimates: there are many, and each matters little.
//
// Source: the large-sample distribution of maximum likelihood; its use for forecasts as in
// Hyndman, Koehler, Ord and Snyder (2008), section 6.2.
func (f *fitter) doubt(e *estimate, seed uint64) []params {
	k := e.form.weights() + 1
	if e.form.Trend != NoTrend {
		k++
	}
	f.form = e.form
	x := append([]float64(nil), e.x...)
	up, down := make([]float64, len(x)), make([]float64, len(x))
	curve := mat.NewSymDense(k, nil)
	n := float64(f.known)
	full := make([]float64, k*k)
	for i := range k {
		step := 1e-4 * (1 + math.Abs(x[i]))
		kept := x[i]
		x[i] = kept + step
		above := f.gradientAt(x, up)
		x[i] = kept - step
		below := f.gradientAt(x, down)
		x[i] = kept
		if !above || !below {
			return nil
		}
		for j := range k {
			full[i*k+j] = n * (up[j] - down[j]) / (2 * step)
		}
	}
	for i := range k {
		for j := i; j < k; j++ {
			curve.SetSym(i, j, (full[i*k+j]+full[j*k+i])/2)
		}
		if i < e.form.weights() {
			curve.SetSym(i, i, curve.At(i, i)+priorPrecision)
		}
	}
	var chol mat.Cholesky
	if !chol.Factorize(curve) {
		return nil
	}
	var upper mat.TriDense
	chol.UTo(&upper)
	rnd := rand.New(rand.NewPCG(seed, doubts))
	out := make([]params, 0, doubts)
	z, shift := mat.NewVecDense(k, nil), mat.NewVecDense(k, nil)
	for d := range doubts {
		if d%2 == 0 {
			for i := range k {
				z.SetVec(i, rnd.NormFloat64())
			}
		} else { // and its opposite
			z.ScaleVec(-1, z)
		}
		if err := shift.SolveVec(&upper, z); err != nil {
			return nil
		}
		copy(x, e.x)
		for i := range k {
			x[i] += max(-4, min(4, shift.AtVec(i)))
		}
		if math.IsInf(f.value(x), 0) {
			continue
		}
		p := f.p
		p.Season = nil
		out = append(out, p)
	}
	return out
}

// doubtful gives the state under each of the drawn parameters, at the end of the values. They are kept
// only where there are forecasts from one origin after another: they are many times the state itself.
func (s *State) doubtful() []State {
	if s.open != nil {
		return s.open
	}
	open := s.replayedDoubts()
	if s.coarse || s.advanced {
		s.open = open
	}
	return open
}

// replayedDoubts replays the series under each of the drawn parameters.
func (s *State) replayedDoubts() []State {
	out, x := make([]State, 0, len(s.Doubts)), s.scaled()
	for _, p := range s.Doubts {
		again := *s
		p.Season = s.First.Season
		again.First, again.open = p, nil
		again.follow(x)
		out = append(out, again)
	}
	return out
}

// followDoubts has the states under the drawn parameters see a further value, so that a forecast
// from one origin after another need not replay the whole series each time.
func (s *State) followDoubts(y float64, i int) {
	for k := range s.open {
		s.open[k].see(y, i)
	}
}
