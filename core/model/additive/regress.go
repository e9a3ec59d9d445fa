package additive

import (
	"context"
	"errors"
	"math"
	"slices"

	"gonum.org/v1/gonum/floats"
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
	jumps  []int       // periods at which the level moved for good
	room   []float64   // of columns whitened to try
}

// leastNoise is the least share of the series' variance that is taken for noise: with none
// at all, nothing would hold columns that repeat each other.
const leastNoise = 1e-5

// rounds is how often regression and errors are fitted in turn.
const rounds = 2

// fit alternates the regression on whitened columns with the ARMA of what it leaves.
func (w *work) fit(ctx context.Context, list []column) error {
	if w.s.method.Level != steady {
		if err := w.wander(list); err == nil {
			return nil
		}
		w.s.Odd, w.jumps = nil, nil // where no level can be told, errors with a memory can
	}
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
			w.s.Odd = shrug(y, rest, errs)
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

// loosely fits errors of the shortest memory alone, to what one regression without memory leaves.
func (w *work) loosely(ctx context.Context, list []column) error {
	columns := [][]float64{w.y}
	for _, c := range list {
		columns = append(columns, c.values)
	}
	w.white = quiet(columns)
	if err := w.regress(list, 0.3*w.s.Spread*w.s.Spread); err != nil {
		return err
	}
	errs, err := arima.Errors(ctx, w.restInput(w.rest(list, w.y)), arima.Short())
	if err == nil {
		w.s.Errs = errs
	}
	return err
}

// settle solves the regression under the errors as they are, and fits them once more.
func (w *work) settle(ctx context.Context, list []column) error {
	y := slices.Clone(w.y)
	for _, i := range w.s.Odd {
		y[i] = panel.Unknown
	}
	columns := [][]float64{y}
	for _, c := range list {
		columns = append(columns, c.values)
	}
	if _, ok := w.s.Errs.(*Wander); ok {
		return w.again(list, columns)
	}
	like := w.s.Errs.(*arima.State)
	white, ok := like.Whiten(columns)
	if !ok {
		return errors.New("the errors could not be modelled")
	}
	w.white = white
	if err := w.regress(list, w.s.Sigma2); err != nil {
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

// shrug makes values unknown whose error one step ahead is beyond five of the usual ones,
// and gives their places.
func shrug(y, rest []float64, errs leftover) (odd []int) {
	white, ok := errs.Whiten([][]float64{rest})
	if !ok {
		return nil
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
		return nil
	}
	for i, e := range white[0] {
		if panel.Known(y[i]) && math.Abs(e) > bound {
			y[i] = panel.Unknown
			odd = append(odd, i)
		}
	}
	return odd
}

// regress solves the penalised least squares of the whitened columns: each coefficient is
// held by a normal prior as wide as its column is loose.
func (w *work) regress(list []column, noise float64) error {
	k := len(list)
	gram, right := mat.NewSymDense(k, nil), mat.NewVecDense(k, nil)
	y := w.white[0]
	for a := range k {
		xa := w.white[a+1]
		right.SetVec(a, floats.Dot(xa, y))
		for b := a; b < k; b++ {
			gram.SetSym(a, b, floats.Dot(xa, w.white[b+1]))
		}
		mean, variance := w.prior(&list[a])
		gram.SetSym(a, a, gram.At(a, a)*(1+1e-9)+noise/variance)
		right.SetVec(a, right.AtVec(a)+mean*noise/variance)
	}
	s := w.s
	s.Names, s.Belongs, s.Kinds, s.Loose = make([]string, k), make([]string, k), make([]int, k), make([]float64, k)
	for a := range list {
		s.Names[a], s.Belongs[a], s.Kinds[a] = list[a].name, list[a].part, list[a].kind
		_, variance := w.prior(&list[a])
		s.Loose[a] = math.Sqrt(variance)
	}
	var inverse mat.SymDense
	held := map[int]bool{} // at zero, by their sign
	for {
		if err := solve(gram, right, held, &inverse, s); err != nil {
			return err
		}
		wrong := w.wrongSigns(held)
		if len(wrong) == 0 {
			break
		}
		for _, a := range wrong {
			held[a] = true
		}
	}
	s.Cov = make([]float32, k*k)
	for a := range k {
		for b := range k {
			if !held[a] && !held[b] {
				s.Cov[a*k+b] = float32(noise * inverse.At(a, b))
			}
		}
	}
	return nil
}

var errSolve = errors.New("the regression could not be solved")

// solve finds the coefficients; those that are held are zero.
func solve(gram *mat.SymDense, right *mat.VecDense, held map[int]bool, inverse *mat.SymDense, s *State) error {
	k := right.Len()
	if len(held) > 0 {
		again, side := mat.NewSymDense(k, nil), mat.VecDenseCopyOf(right)
		again.CopySym(gram)
		for a := range held {
			for b := range k {
				again.SetSym(a, b, 0)
			}
			again.SetSym(a, a, 1)
			side.SetVec(a, 0)
		}
		gram, right = again, side
	}
	var chol mat.Cholesky
	if !chol.Factorize(gram) {
		return errSolve
	}
	beta := mat.NewVecDense(k, nil)
	if err := solved(chol.SolveVecTo(beta, right)); err != nil {
		return err
	}
	s.Beta = slices.Clone(beta.RawVector().Data)
	return solved(chol.InverseTo(inverse))
}

// prior is what is known of a column's coefficient before this series is seen: what other
// series say of it, or that it is small.
func (w *work) prior(c *column) (mean, variance float64) {
	loose := c.loose * w.s.Spread
	if c.kind != ofTrend && c.kind != ofStep {
		if p, ok := w.s.Shared[c.name]; ok {
			per := w.s.perUnit(c.part)
			return p.Mean / per, p.Variance / (per * per)
		}
		if w.s.method.Hold > 0 && c.kind != ofSeason {
			loose /= w.s.method.Hold
		}
	}
	return 0, loose * loose
}

// wrongSigns lists the coefficients that the settings want on the other side of zero.
func (w *work) wrongSigns(held map[int]bool) (out []int) {
	for a, part := range w.s.Belongs {
		if sign := w.s.method.Signs[part]; sign != 0 && !held[a] && w.s.Beta[a]*float64(sign) < 0 {
			out = append(out, a)
		}
	}
	return out
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
