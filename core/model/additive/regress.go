package additive

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"paperkettle/core/model/arima"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// work is a fit in the making.
type work struct {
	s      *State
	in     single.Input
	y      []float64
	robust bool
	white  [][]float64 // the series and the columns, whitened
}

// leastNoise is the least share of the series' variance that is taken for noise: with none
// at all, nothing would hold columns that repeat each other.
const leastNoise = 1e-5

// rounds is how often regression and errors are fitted in turn.
const rounds = 3

// fit alternates the regression on whitened columns with the ARMA of what it leaves.
func (w *work) fit(ctx context.Context, list []column) error {
	y := slices.Clone(w.y)
	columns := [][]float64{y}
	for _, c := range list {
		columns = append(columns, c.values)
	}
	w.white = quiet(columns)
	noise := 0.3 * w.s.Spread * w.s.Spread
	var like *arima.State // the errors' shape is chosen once
	for round := range rounds {
		if err := w.regress(list, noise); err != nil {
			return err
		}
		rest := w.rest(list, y)
		errs, err := arima.Errors(ctx, w.restInput(rest), like)
		if err != nil {
			return err
		}
		if w.robust && round == 0 {
			if n := shrug(y, rest, errs); n > 0 {
				w.s.Notes = append(w.s.Notes[:len(w.s.Notes):len(w.s.Notes)], fmt.Sprintf("values far from all others of their kind count for nothing: %d of them", n))
			}
		}
		white, ok := errs.Whiten(columns)
		if !ok {
			return errors.New("the errors could not be modelled")
		}
		w.white, w.s.Errs, like = white, errs, errs
		sum, n := 0.0, 0.0
		again, _ := errs.Whiten([][]float64{rest})
		for i, e := range again[0] {
			if panel.Known(y[i]) {
				sum += e * e
				n++
			}
		}
		noise = max(sum/max(0.3*n, n-float64(len(list))-3), leastNoise*w.s.Spread*w.s.Spread)
		w.s.Sigma2 = noise
	}
	if err := w.regress(list, noise); err != nil {
		return err
	}
	errs, err := arima.Errors(ctx, w.restInput(w.rest(list, y)), like)
	if err == nil {
		w.s.Errs = errs
	}
	return nil
}

// quiet gives the columns with zeros where the first is unknown, as whitening does.
func quiet(columns [][]float64) [][]float64 {
	if panel.CountKnown(columns[0]) == len(columns[0]) {
		return columns
	}
	out := make([][]float64, len(columns))
	for k, c := range columns {
		out[k] = slices.Clone(c)
		for i, v := range columns[0] {
			if !panel.Known(v) {
				out[k][i] = 0
			}
		}
	}
	return out
}

// product is the sum of products, in four lanes.
func product(a, b []float64) float64 {
	b = b[:len(a)]
	var s0, s1, s2, s3 float64
	i := 0
	for ; i+4 <= len(a); i += 4 {
		s0 += a[i] * b[i]
		s1 += a[i+1] * b[i+1]
		s2 += a[i+2] * b[i+2]
		s3 += a[i+3] * b[i+3]
	}
	for ; i < len(a); i++ {
		s0 += a[i] * b[i]
	}
	return s0 + s1 + s2 + s3
}

// restInput is what the regression leaves, as a series of its own.
func (w *work) restInput(rest []float64) single.Input {
	in := w.in
	in.Values = rest
	return in
}

func (w *work) rest(list []column, y []float64) []float64 {
	out := slices.Clone(y)
	for k, c := range list {
		if b := w.s.Beta[k]; b != 0 {
			for i, x := range c.values {
				out[i] -= b * x
			}
		}
	}
	return out
}

// shrug makes values unknown whose error one step ahead is beyond five of the usual ones.
func shrug(y, rest []float64, errs *arima.State) (n int) {
	white, ok := errs.Whiten([][]float64{rest})
	if !ok {
		return 0
	}
	var sizes []float64
	for i, e := range white[0] {
		if panel.Known(y[i]) {
			sizes = append(sizes, math.Abs(e))
		}
	}
	slices.Sort(sizes)
	bound := 5 * 1.4826 * sizes[len(sizes)/2]
	if bound == 0 {
		return 0
	}
	for i, e := range white[0] {
		if panel.Known(y[i]) && math.Abs(e) > bound {
			y[i] = panel.Unknown
			n++
		}
	}
	return n
}

// regress solves the penalised least squares of the whitened columns: each coefficient is
// held by a normal prior as wide as its column is loose.
func (w *work) regress(list []column, noise float64) error {
	k := len(list)
	gram, right := mat.NewSymDense(k, nil), mat.NewVecDense(k, nil)
	y := w.white[0]
	for a := range k {
		xa := w.white[a+1]
		right.SetVec(a, product(xa, y))
		for b := a; b < k; b++ {
			gram.SetSym(a, b, product(xa, w.white[b+1]))
		}
		prior := list[a].loose * w.s.Spread
		gram.SetSym(a, a, gram.At(a, a)*(1+1e-9)+noise/(prior*prior))
	}
	var chol mat.Cholesky
	if !chol.Factorize(gram) {
		return errors.New("the regression could not be solved")
	}
	beta := mat.NewVecDense(k, nil)
	if err := solved(chol.SolveVecTo(beta, right)); err != nil {
		return err
	}
	w.s.Beta = slices.Clone(beta.RawVector().Data)
	var inverse mat.SymDense
	if err := solved(chol.InverseTo(&inverse)); err != nil {
		return err
	}
	w.s.Cov = make([]float64, k*k)
	w.s.Names, w.s.Belongs = nil, nil
	for a := range k {
		w.s.Names, w.s.Belongs = append(w.s.Names, list[a].name), append(w.s.Belongs, list[a].part)
		for b := range k {
			w.s.Cov[a*k+b] = noise * inverse.At(a, b)
		}
	}
	return nil
}

// solved lets a poor condition pass: columns that repeat each other share their effect, as
// the priors have it.
func solved(err error) error {
	var poor mat.Condition
	if errors.As(err, &poor) {
		return nil
	}
	return err
}
