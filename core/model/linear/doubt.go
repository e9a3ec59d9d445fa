package linear

import (
	"math"

	"gonum.org/v1/gonum/mat"

	"paperkettle/core/panel"
)

// leastHeld is how firmly a coefficient is held at least where its doubt is told: of columns that
// repeat each other any split would do, and none is a thousand times as large as what they say
// together.
const leastHeld = 1e-3

// covariance is that of a penalised regression's coefficients, in the columns' own units, of
// independent errors.
func covariance(g, strength []float64, variance, n float64, spread []float64) []float32 {
	p := len(spread)
	out := make([]float32, p*p)
	if p == 0 {
		return out
	}
	sym := mat.NewSymDense(p, nil)
	for a := range p {
		for b := a; b < p; b++ {
			sym.SetSym(a, b, g[a*p+b])
		}
		sym.SetSym(a, a, g[a*p+a]+max(strength[a], leastHeld))
	}
	var chol mat.Cholesky
	var inverse mat.SymDense
	if !chol.Factorize(sym) {
		return out
	}
	_ = chol.InverseTo(&inverse) // poorly conditioned where columns repeat each other
	for a := range p {
		for b := range p {
			if spread[a] > 0 && spread[b] > 0 {
				out[a*p+b] = float32(variance * inverse.At(a, b) / n / spread[a] / spread[b])
			}
		}
	}
	return out
}

// deviation is the standard error of a coefficient.
func (e *Equation) deviation(k int) float64 {
	return math.Sqrt(max(0, float64(e.Cov[k*len(e.Beta)+k])))
}

// linger widens the covariance for errors that go on for a while: a column that goes on too
// has fewer independent values to tell its effect by. The factor of a coefficient's variance
// is (1 + r s) / (1 - r s), of the first autocorrelations r of the errors and s of the column
// (Bartlett, Journal of the Royal Statistical Society 98, 1935).
func (p *Pool) linger(s *series) {
	e := &s.outside
	n := len(e.Beta)
	r := first(s.y)
	root := make([]float64, n)
	for k := range root {
		both := max(0, min(0.95, r*first(s.ahead.Ahead(k, len(s.y)))))
		root[k] = math.Sqrt((1 + both) / (1 - both))
	}
	wider := make([]float32, len(e.Cov))
	for a := range n {
		for b := range n {
			wider[a*n+b] = e.Cov[a*n+b] * float32(root[a]*root[b])
		}
	}
	e.Cov = wider
}

// first is the autocorrelation of neighbours.
func first(y []float64) float64 {
	m := mean(y)
	var with, own float64
	for i := 1; i < len(y); i++ {
		if a, b := y[i]-m, y[i-1]-m; panel.Known(a) && panel.Known(b) {
			with += a * b
			own += a * a
		}
	}
	if own == 0 {
		return 0
	}
	return with / own
}

// away is how far the drivers and events of each step lie from what they lately were: the
// level has taken in their effect as it was, so that doubt about the effect concerns what is
// new alone. Other columns are 0, but where an event comes at its usual place in the calendar, which
// says the same as it: what the two say together is in less doubt, and is what is asked for.
func (f *future) away(h int) [][]float64 {
	p := f.s.Pool
	n := len(f.outside) - h
	usual, row := make([]float64, len(p.Ahead.Columns)), make([]float64, len(p.Ahead.Columns))
	from := max(0, n-max(p.Ahead.Season, 8))
	counts := make([]float64, len(usual))
	for t := from; t < n; t++ {
		f.ahead.FillAhead(t, row)
		for k, v := range row {
			if panel.Known(v) {
				usual[k] += v
				counts[k]++
			}
		}
	}
	out := make([][]float64, h)
	for i := range out {
		f.ahead.FillAhead(n+i, row)
		effects, all := make([]float64, len(usual)), make([]float64, len(usual))
		for k := range usual {
			if counts[k] == 0 || !panel.Known(row[k]) {
				continue
			}
			all[k] = row[k] - usual[k]/counts[k]
			if c := &p.Ahead.Columns[k]; c.IsDriver() || c.IsEvent() {
				effects[k] = all[k]
			}
		}
		if out[i] = effects; f.s.Outside.doubt(all) < f.s.Outside.doubt(effects) {
			out[i] = all
		}
	}
	return out
}

// doubt is the variance that the coefficients' gives to a step.
func (e *Equation) doubt(away []float64) (sum float64) {
	n := len(away)
	for a, x := range away {
		if x == 0 {
			continue
		}
		for b, y := range away {
			sum += x * y * float64(e.Cov[a*n+b])
		}
	}
	return max(0, sum)
}

// root is the lower Cholesky factor of the coefficients' covariance, row by row.
func (e *Equation) root() []float64 {
	n := len(e.Beta)
	out := make([]float64, n*n)
	if n == 0 {
		return out
	}
	sym := mat.NewSymDense(n, nil)
	for a := range n {
		for b := a; b < n; b++ {
			sym.SetSym(a, b, float64(e.Cov[a*n+b]))
		}
		sym.SetSym(a, a, sym.At(a, a)*(1+1e-5)+1e-14) // kept in single precision
	}
	var chol mat.Cholesky
	if !chol.Factorize(sym) {
		for a := range n {
			out[a*n+a] = e.deviation(a)
		}
		return out
	}
	var lower mat.TriDense
	chol.LTo(&lower)
	for a := range n {
		for b := range a + 1 {
			out[a*n+b] = lower.At(a, b)
		}
	}
	return out
}
