package additive

import (
	"encoding/gob"
	"math"
	"slices"

	"gonum.org/v1/gonum/blas/blas64"
	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/lapack/lapack64"
	"gonum.org/v1/gonum/mat"

	"paperkettle/core/forecast"
	"paperkettle/core/model/arima"
	"paperkettle/core/panel"
)

func init() { gob.Register(&Wander{}) }

// leftover is what the regression leaves, as it goes on from period to period.
type leftover interface {
	// Forecast gives the means of the steps to come.
	Forecast(v panel.SeriesView, out forecast.Rows) error
	// Advance takes what the regression leaves of further values.
	Advance(v panel.SeriesView, from int) error
	// Fitted gives the forecasts one step ahead.
	Fitted() []float64
	// Whiten passes columns through the filter: what is left are innovations of equal
	// variance, 0 where the first column is unknown.
	Whiten(columns [][]float64) ([][]float64, bool)
	// Psi is what an innovation moves k periods later, over the unknown values at the end
	// and h steps.
	Psi(h int) []float64
	Variance() float64
}

// Wander is a level that wanders, with a slope that wanders and dies away: what the regression
// leaves of a series that does not come back to its trend. Of each error one step ahead, Alpha
// stays in the level and Beta in the slope, of which Phi lasts from a period to the next.
//
// Source: Gardner and McKenzie, Forecasting trends in time series, Management Science 31
// (1985); as a filter for regressors: Hyndman, Koehler, Ord and Snyder, Forecasting with
// Exponential Smoothing (2008), ch. 9.
type Wander struct {
	Alpha, Beta, Phi float64
	Level, Slope     float64 // after the last value
	Sigma2           float64
	Quiet            int       // unknown values at the end
	In               []float64 // forecasts one step ahead
	// Jumps are the periods at which the level moved for good: it starts anew there.
	Jumps []int
}

// step takes a value, or an unknown one, and gives the error of the forecast before it.
func (w *Wander) step(y float64) (ahead, e float64) {
	w.Slope *= w.Phi
	ahead = w.Level + w.Slope
	w.Level = ahead
	if e = y - ahead; !panel.Known(e) {
		w.Quiet++
		return ahead, 0
	}
	w.Quiet = 0
	w.Level += w.Alpha * e
	w.Slope += w.Beta * e
	return ahead, e
}

// run filters a series from rest.
func (w *Wander) run(y []float64) {
	w.Level, w.Slope, w.Quiet = 0, 0, 0
	w.In = make([]float64, len(y))
	sum, n := 0.0, 0.0
	for i, v := range y {
		var e float64
		w.In[i], e = w.step(v)
		if slices.Contains(w.Jumps, i) && panel.Known(v) {
			w.Level, w.Slope = v, w.Slope-w.Beta*e
		} else if panel.Known(v) {
			sum, n = sum+e*e, n+1
		}
	}
	w.Sigma2 = sum / max(n, 1)
}

// Forecast lets the level go on by what is left of its slope.
func (w *Wander) Forecast(_ panel.SeriesView, out forecast.Rows) error {
	level, slope := w.Level, w.Slope
	for h := range out.Mean {
		slope *= w.Phi
		level += slope
		out.Mean[h] = level
	}
	return nil
}

// Advance takes further values.
func (w *Wander) Advance(v panel.SeriesView, from int) error {
	for _, y := range v.Values[from:] {
		w.step(y)
	}
	return nil
}

// Fitted gives the forecasts one step ahead.
func (w *Wander) Fitted() []float64 { return w.In }

// Psi are the weights of past errors.
func (w *Wander) Psi(h int) []float64 {
	out := make([]float64, h+w.Quiet)
	slope, level := w.Beta, w.Alpha
	for k := range out {
		if out[k] = 1; k > 0 {
			slope *= w.Phi
			level += slope
			out[k] = level
		}
	}
	return out
}

// Variance is that of an error.
func (w *Wander) Variance() float64 { return w.Sigma2 }

// The weights that are tried.
var (
	alphas = []float64{0, 0.01, 0.03, 0.06, 0.1, 0.16, 0.25, 0.4, 0.6, 0.8, 1}
	slopes = []float64{0.05, 0.15, 0.35} // as shares of alpha
	lasts  = []float64{0.8, 0.95}
)

// wander finds how the level wanders by the marginal likelihood of the series, with the
// coefficients integrated out over their priors, and fits both. Of weights that are as likely
// the level's alone are taken, and the quieter.
func (w *work) wander(list []column) error {
	y := slices.Clone(w.y)
	columns := [][]float64{y}
	for _, c := range list {
		columns = append(columns, c.values)
	}
	w.white = quiet(columns)
	for round := range rounds {
		best := w.search(list, columns, w.jumps)
		if best == nil {
			return errSolve
		}
		best.Jumps = w.jumps
		if err := w.under(list, columns, best); err != nil {
			return err
		}
		if !w.robust || round > 0 {
			break
		}
		before := slices.Clone(y)
		rest := w.rest(list, y)
		odd := shrug(y, rest, best)
		if len(odd) == 0 {
			break
		}
		w.s.Odd, w.jumps = part(odd, rest, best.Alpha, w.nothing)
		for _, i := range w.jumps {
			y[i] = before[i]
		}
		w.jumps = later(w.jumps, y)
	}
	return nil
}

// later are the moves of the level after the first known value: one there is where the level begins, and would leave
// nothing to tell it by.
func later(jumps []int, y []float64) []int {
	first := slices.IndexFunc(y, panel.Known)
	return slices.DeleteFunc(jumps, func(i int) bool { return i <= first })
}

// jumpSpan is how many values on either side tell whether the level moved for good.
const jumpSpan = 4

// part tells odd values apart: those after which the series stays where they went, as far as
// is known, are moves of the level, and the others mistakes. Where the level hardly follows the
// series all are mistakes, and days of nothing are where that is no level.
func part(odd []int, rest []float64, alpha float64, nothing func(i int) bool) (mistakes, jumps []int) {
	for _, i := range odd {
		before, after := near(rest, i-jumpSpan, i), near(rest, i+1, i+1+jumpSpan)
		moved := rest[i] - before
		if alpha > 0 && !nothing(i) && panel.Known(after) && panel.Known(before) && (after-before)/moved > 0.6 {
			jumps = append(jumps, i)
		} else {
			mistakes = append(mistakes, i)
		}
	}
	return mistakes, jumps
}

// nothing says that a value is zero where parts multiply: a weekend without sales is as far down there as it is made by what is
// added before logs are taken, and no level to go on from.
func (w *work) nothing(i int) bool { return w.s.Scale.Multiplies() && w.s.Values[i] == 0 }

// near is the median of the known values from a place up to another.
func near(x []float64, from, to int) float64 {
	var known []float64
	for _, v := range x[max(0, from):max(0, min(to, len(x)))] {
		if panel.Known(v) {
			known = append(known, v)
		}
	}
	if len(known) == 0 {
		return panel.Unknown
	}
	slices.Sort(known)
	return (known[(len(known)-1)/2] + known[len(known)/2]) / 2
}

// mostSearched is on how many of the last values weights are tried: more hardly tell two numbers better, and trying costs
// as much as there are values.
const mostSearched = 2200

// search finds the weights of the level by the last values of a long series, and where these can't tell by all.
func (w *work) search(list []column, columns [][]float64, jumps []int) *Wander {
	before := len(columns[0]) - mostSearched
	if before <= 0 {
		return w.tryAll(list, columns, jumps)
	}
	late, lateJumps := make([][]float64, len(columns)), []int{}
	for k, c := range columns {
		late[k] = c[before:]
	}
	for _, i := range jumps {
		if i >= before {
			lateJumps = append(lateJumps, i-before)
		}
	}
	if best := w.tryAll(list, late, later(lateJumps, late[0])); best != nil {
		return best
	}
	return w.tryAll(list, columns, jumps)
}

// tryAll tries weights of the level, and then slopes around the best.
func (w *work) tryAll(list []column, columns [][]float64, jumps []int) *Wander {
	var best *Wander
	least := math.Inf(1)
	try := func(x Wander) {
		x.Jumps = jumps
		if loss, noise, ok := w.likelihood(list, columns, &x); ok && loss < least-1e-9 {
			least, best = loss, &x
			best.Sigma2 = noise
		}
	}
	// Every other first, then those beside the best.
	for k := 0; k < len(alphas); k += 2 {
		try(Wander{Alpha: alphas[k]})
	}
	if best == nil {
		return nil
	}
	at := slices.Index(alphas, best.Alpha)
	for _, k := range []int{at - 1, at + 1} {
		if k >= 0 && k < len(alphas) {
			try(Wander{Alpha: alphas[k]})
		}
	}
	if best.Alpha == 0 {
		return best
	}
	alpha := best.Alpha
	least -= doubtSlope
	for _, share := range slopes {
		for _, phi := range lasts {
			try(Wander{Alpha: alpha, Beta: alpha * share, Phi: phi})
		}
	}
	if best.Beta == 0 {
		return best
	}
	share, phi := best.Beta/alpha, best.Phi
	at = slices.Index(alphas, alpha)
	for _, k := range []int{at - 1, at + 1} {
		if k > 0 && k < len(alphas) {
			try(Wander{Alpha: alphas[k], Beta: alphas[k] * share, Phi: phi})
		}
	}
	return best
}

// doubtSlope is what two more weights must gain in minus twice the log likelihood.
const doubtSlope = 4

// likelihood is minus twice the marginal log-likelihood but for constants, and the variance of
// the errors at which it is largest.
func (w *work) likelihood(list []column, columns [][]float64, x *Wander) (loss, noise float64, ok bool) {
	white := x.whiten(columns, &w.room)
	k := len(list)
	y := white[0]
	n := float64(panel.CountKnown(columns[0]))
	for i, v := range y {
		if !panel.Known(v) {
			y[i] = 0
		}
	}
	gram, right := products(white[1:], y)
	total := floats.Dot(y, y)
	noise = max(total/max(n, 1), leastNoise*w.s.Spread*w.s.Spread)
	beta := mat.NewVecDense(k, nil)
	for range 3 {
		held, side := mat.NewSymDense(k, nil), mat.VecDenseCopyOf(right)
		held.CopySym(gram)
		priors, pull := 0.0, 0.0
		for a := range k {
			mean, variance := w.prior(&list[a])
			held.SetSym(a, a, gram.At(a, a)*(1+1e-9)+noise/variance)
			side.SetVec(a, side.AtVec(a)+mean*noise/variance)
			if !math.IsInf(variance, 0) {
				priors += math.Log(noise / variance)
				pull += mean * mean * noise / variance
			}
		}
		// Straight to the factor: an estimate of the condition would cost as much again.
		upper, fine := lapack64.Potrf(held.RawSymmetric())
		if !fine {
			return 0, 0, false
		}
		beta.CopyVec(side)
		lapack64.Potrs(upper, blas64.General{Rows: k, Cols: 1, Stride: 1, Data: beta.RawVector().Data})
		logs := 0.0
		for a := range k {
			logs += 2 * math.Log(upper.Data[a*upper.Stride+a])
		}
		rest := max(total+pull-mat.Dot(side, beta), 1e-12*total)
		free := max(n-1, 1) // the level's prior is infinite
		noise = max(rest/free, leastNoise*w.s.Spread*w.s.Spread)
		loss = free*math.Log(noise) + rest/noise + logs - priors
	}
	return loss, noise, true
}

// products are the columns' with each other and with the values.
func products(columns [][]float64, y []float64) (*mat.SymDense, *mat.VecDense) {
	k := len(columns)
	gram, right, begins := mat.NewSymDense(k, nil), mat.NewVecDense(k, nil), starts(columns)
	for a, c := range columns {
		right.SetVec(a, floats.Dot(c[begins[a]:], y[begins[a]:]))
		for b := a; b < k; b++ {
			from := max(begins[a], begins[b])
			gram.SetSym(a, b, floats.Dot(c[from:], columns[b][from:]))
		}
	}
	return gram, right
}

// starts are the places of the columns' first values that are not zero: bends, and most events, are nothing until then.
func starts(columns [][]float64) []int {
	out := make([]int, len(columns))
	for k, c := range columns {
		if out[k] = slices.IndexFunc(c, func(v float64) bool { return v != 0 }); out[k] < 0 {
			out[k] = len(c)
		}
		out[k] &^= 3 // sums are taken four by four: so they are the same, to the bit
	}
	return out
}

// under solves the regression with the level wandering by given weights.
func (w *work) under(list []column, columns [][]float64, x *Wander) error {
	white, _ := x.Whiten(columns)
	for i, v := range white[0] {
		if !panel.Known(v) {
			white[0][i] = 0
		}
	}
	w.white = white
	if err := w.regress(list, x.Sigma2); err != nil {
		return err
	}
	noise := x.Sigma2
	x.run(w.rest(list, columns[0]))
	x.Sigma2 = noise
	w.s.Errs, w.s.Sigma2 = x, noise
	return nil
}

// again keeps the weights of the wandering level, and fits the rest anew.
func (w *work) again(list []column, columns [][]float64) error {
	if x, ok := w.s.Errs.(*Wander); ok {
		next := *x
		return w.under(list, columns, &next)
	}
	return nil
}

// words say what the errors are.
func words(e leftover) string {
	switch x := e.(type) {
	case *Wander:
		switch {
		case x.Alpha == 0:
			return "errors that are forgotten at once"
		case x.Beta == 0:
			return "a level that wanders"
		}
		return "a level and a slope that wander"
	case *arima.State:
		return x.Order.Arma() + " errors"
	}
	return "errors"
}
