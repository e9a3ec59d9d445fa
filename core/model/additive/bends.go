package additive

import (
	"math"
	"slices"

	"paperkettle/core/panel"
)

// minBend is the fewest values between bends.
const minBend = 10

// mostBends bounds how many are taken.
const mostBends = 6

// bends finds where the slope changes: from the whitened series less its fit, one place
// after another, the one that explains most, as long as the Bayesian criterion falls.
//
// Source: Yao, Estimating the number of change-points via Schwarz' criterion, Statistics
// and Probability Letters 6 (1988); forward selection as in Tropp, IEEE Transactions on
// Information Theory 50 (2004).
func (w *work) bends(list []column, candidates int, reach float64) []int {
	n := len(w.y)
	if candidates == 0 {
		return nil
	}
	var places []int
	raw := [][]float64{w.y}
	for k := 1; k <= candidates; k++ {
		at := int(reach * float64(n) * float64(k) / float64(candidates+1))
		if at < minBend || n-at < minBend || len(places) > 0 && at <= places[len(places)-1] {
			continue
		}
		places = append(places, at)
		column := make([]float64, n)
		for i := at; i < n; i++ {
			column[i] = float64(i-at) / float64(n)
		}
		raw = append(raw, column)
	}
	white, ok := w.s.Errs.Whiten(raw)
	if !ok || len(places) == 0 {
		return nil
	}
	known := make([]bool, n)
	count := 0.0
	for i, v := range w.y {
		if known[i] = panel.Known(v) && panel.Known(w.white[0][i]); known[i] {
			count++
		}
	}
	target := w.residual(list, known)
	basis := w.basis(list, known)
	for k := range white[1:] {
		project(white[k+1], basis, known)
	}
	total := dot(target, target, known)
	var taken []int
	for len(taken) < mostBends {
		best, gain := -1, 0.0
		for k := range places {
			x := white[k+1]
			if xx := dot(x, x, known); xx > 1e-9 {
				if c := dot(x, target, known); c*c/xx > gain {
					best, gain = k, c*c/xx
				}
			}
		}
		// A bend costs its size and its place.
		if best < 0 || count*math.Log((total-gain)/total)+3*math.Log(count) >= 0 {
			break
		}
		taken = append(taken, places[best])
		x := slices.Clone(white[best+1])
		scale(x, 1/math.Sqrt(dot(x, x, known)))
		project(target, [][]float64{x}, known)
		for k := range places {
			project(white[k+1], [][]float64{x}, known)
		}
		total -= gain
	}
	slices.Sort(taken)
	return taken
}

// residual is the whitened series less the fit.
func (w *work) residual(list []column, known []bool) []float64 {
	out := make([]float64, len(w.y))
	for i := range out {
		if known[i] {
			out[i] = w.white[0][i]
			for k := range list {
				out[i] -= w.s.Beta[k] * w.white[k+1][i]
			}
		}
	}
	return out
}

// basis is an orthonormal one of the whitened columns.
func (w *work) basis(list []column, known []bool) (out [][]float64) {
	for k := range list {
		x := slices.Clone(w.white[k+1])
		before := dot(x, x, known)
		project(x, out, known)
		if after := dot(x, x, known); after > 1e-8*before {
			scale(x, 1/math.Sqrt(after))
			out = append(out, x)
		}
	}
	return out
}

func project(x []float64, basis [][]float64, known []bool) {
	for _, b := range basis {
		c := dot(x, b, known)
		for i, v := range b {
			x[i] -= c * v
		}
	}
}

func dot(a, b []float64, known []bool) (s float64) {
	for i, v := range a {
		if known[i] {
			s += v * b[i]
		}
	}
	return s
}

func scale(x []float64, c float64) {
	for i := range x {
		x[i] *= c
	}
}

// prefersLogs compares the likelihood of changes over the season in logs and on the level
// (Granger and Newbold, Forecasting Economic Time Series, 1977, section 9.2).
func prefersLogs(y []float64, season int) bool {
	lag := max(1, season)
	if len(y) < 3*lag {
		lag = 1
	}
	var n, level, logs, jacobian float64
	for i := lag; i < len(y); i++ {
		a, b := y[i]-y[i-lag], math.Log(y[i]/y[i-lag])
		if panel.Known(a) {
			n++
			level, logs, jacobian = level+a*a, logs+b*b, jacobian+math.Log(y[i])
		}
	}
	return n > 5 && level > 0 && logs > 0 && 0.5*n*math.Log(level/logs)-jacobian > 1
}
