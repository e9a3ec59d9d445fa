package arima

import (
	"math"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// estimate is an order fitted to a series by maximum likelihood.
type estimate struct {
	o      Order
	x      []float64 // weights, unbounded
	beta   []float64 // of the regressors, the constant last
	errs   []float64 // of beta, standard errors
	sigma2 float64   // by maximum likelihood
	loglik float64   // of the differenced series
	known  int       // differenced values that count
	aicc   float64
}

// count is the number of free parameters, the variance included.
func (e *estimate) count() int { return e.o.weights() + len(e.beta) + 1 }

// fitter fits orders to one series. It keeps its working space.
type fitter struct {
	y       []float64
	x       [][]float64 // regressors on the series' scale
	shape   shape
	filter  filter
	skip    skipper
	open    bool // values are unknown: the levels are filtered, not their differences
	tracks  []*track
	min     num.Scoring
	w       [][]float64 // the series and its regressors, differenced
	out     [][]float64
	o       Order
	trial   []float64
	last    float64     // loss at the weights asked last
	errors  [][]float64 // innovations there, and what a unit of each weight adds to them
	gram    []float64
	right   []float64
	scratch []float64
}

// lay differences the columns for an order; where values are unknown it leaves them as they
// are, for the filter that skips.
func (f *fitter) lay(o Order) {
	f.o = o
	f.open = panel.CountKnown(f.y) < len(f.y)
	f.w = f.w[:0]
	for _, column := range append([][]float64{f.y}, f.x...) {
		if !f.open {
			column = difference(column, o)
		}
		f.w = append(f.w, column)
	}
	if o.Constant {
		f.w = append(f.w, f.constant())
	}
	f.out = f.out[:0]
	for range f.w {
		f.out = append(f.out, make([]float64, len(f.y)-min(len(f.y), o.lost())))
	}
	k := len(f.w) - 1
	f.gram, f.right, f.scratch = make([]float64, k*k), make([]float64, k), make([]float64, k)
	f.trial = make([]float64, o.weights())
}

// constant is the column of the mean: ones, or on the levels of what is differenced the line
// whose differences are ones.
func (f *fitter) constant() []float64 {
	out := make([]float64, len(f.w[0]))
	for i := range out {
		switch {
		case !f.open || f.o.D+f.o.SD == 0:
			out[i] = 1
		case f.o.D > 0:
			out[i] = float64(i)
		default:
			out[i] = float64(i) / float64(f.o.Season)
		}
	}
	return out
}

// filtered passes the columns through the filter that suits them; it is false where the
// model is too near to the bounds.
func (f *fitter) filtered() (ok bool) {
	if !f.open {
		return f.filter.run(&f.shape, f.w, f.out)
	}
	f.tracks, ok = f.skip.run(&f.filter, &f.shape, f.w, f.out)
	return ok
}

// counts is how many values the likelihood is of: those known after the ones that
// differencing takes.
func (f *fitter) counts() int {
	if f.open {
		return panel.CountKnown(f.y[min(len(f.y), f.o.lost()):])
	}
	return len(f.w[0])
}

// difference takes d first differences and D seasonal ones.
func difference(y []float64, o Order) []float64 {
	out := append([]float64(nil), y...)
	for range o.SD {
		for i := len(out) - 1; i >= o.Season; i-- {
			out[i] -= out[i-o.Season]
		}
		out = out[min(o.Season, len(out)):]
	}
	for range o.D {
		for i := len(out) - 1; i >= 1; i-- {
			out[i] -= out[i-1]
		}
		out = out[min(1, len(out)):]
	}
	return out
}

// value is minus the log-likelihood per known value, the variance and the regressors'
// coefficients concentrated out, without its constant.
func (f *fitter) value(x []float64) float64 {
	f.shape.set(f.o, x)
	if !f.filtered() {
		return math.Inf(1)
	}
	n := float64(f.counts())
	rss := f.regress()
	if !(rss > 0) {
		return math.Inf(1)
	}
	return 0.5*math.Log(rss/n) + f.filter.logF/(2*n)
}

// regress leaves the least-squares coefficients of the innovations in scratch and gives
// the sum of squares that remains.
func (f *fitter) regress() float64 {
	e := f.out[0]
	rss := 0.0
	for _, v := range e {
		rss += v * v
	}
	k := len(f.out) - 1
	least := exact * float64(len(e))
	if k == 0 {
		return max(rss, least)
	}
	for a := range k {
		x := f.out[a+1]
		for b := 0; b <= a; b++ {
			z, sum := f.out[b+1], 0.0
			for i, v := range x {
				sum += v * z[i]
			}
			f.gram[a*k+b] = sum
		}
		sum := 0.0
		for i, v := range x {
			sum += v * e[i]
		}
		f.right[a] = sum
	}
	if !cholesky(f.gram, k) {
		return math.NaN()
	}
	forward(f.gram, f.right, f.scratch)
	for _, v := range f.scratch {
		rss -= v * v
	}
	backward(f.gram, f.scratch)
	return max(rss, least)
}

// exact is the mean square, of values about 1 in size, below which errors are rounding.
const exact = 1e-18

// cholesky replaces the lower triangle by its root; a tiny ridge keeps columns that
// repeat each other from breaking it, and columns of nothing, as of an event that did not
// come in the part looked at, get no coefficient.
func cholesky(a []float64, k int) bool {
	for i := range k {
		if a[i*k+i] *= 1 + 1e-10; a[i*k+i] == 0 {
			a[i*k+i] = 1
		}
	}
	for i := range k {
		for j := 0; j <= i; j++ {
			sum := a[i*k+j]
			for l := range j {
				sum -= a[i*k+l] * a[j*k+l]
			}
			if i == j {
				if !(sum > 0) {
					return false
				}
				a[i*k+i] = math.Sqrt(sum)
			} else {
				a[i*k+j] = sum / a[j*k+j]
			}
		}
	}
	return true
}

func forward(a, b, x []float64) {
	k := len(b)
	for i := range k {
		sum := b[i]
		for l := range i {
			sum -= a[i*k+l] * x[l]
		}
		x[i] = sum / a[i*k+i]
	}
}

func backward(a, x []float64) {
	k := len(x)
	for i := k - 1; i >= 0; i-- {
		sum := x[i]
		for l := i + 1; l < k; l++ {
			sum -= a[l*k+i] * x[l]
		}
		x[i] = sum / a[i*k+i]
	}
}

// pullHome is a prior on the unbounded weights, so weak that only a likelihood that is
// flat towards a bound notices.
const pullHome = 2e-3

// objective is what a fit minimises.
type objective struct{ *fitter }

// Value is the loss and the prior of the weights.
func (f objective) Value(x []float64) float64 {
	f.last = f.value(x)
	if math.IsInf(f.last, 0) || math.IsNaN(f.last) {
		return math.Inf(1)
	}
	home, prior := pullHome/float64(f.counts()), 0.0
	for _, v := range x {
		prior += 0.5 * home * v * v
	}
	return f.last + prior
}

// Gradient is by differences. The gain is steady from the same period on for all of them: where it is for each its own,
// the loss has steps, which are small, but not beside differences.
func (f objective) Gradient(x, g []float64) {
	const step = 1e-6
	f.filter.held = true
	defer func() { f.filter.held = false }()
	home := pullHome / float64(f.counts())
	copy(f.trial, x)
	f.errors = grownTo(f.errors, len(x)+1)
	f.remain(0)
	for i := range x {
		f.trial[i] = x[i] + step
		v := f.value(f.trial)
		g[i] = (v-f.last)/step + home*x[i]
		f.trial[i] = x[i]
		f.remain(i + 1)
		for t, base := range f.errors[0] {
			f.errors[i+1][t] = (f.errors[i+1][t] - base) / step
		}
	}
}

// Curvature is that of the sum of squares with the errors as straight lines of the weights; what the variances of the
// innovations add is small beside it.
func (f objective) Curvature(x, h []float64) {
	n, k := float64(f.counts()), len(x)
	rss := 0.0
	for _, e := range f.errors[0] {
		rss += e * e
	}
	rss = max(rss, exact*n)
	for i := range k {
		for j := range i + 1 {
			sum := 0.0
			other := f.errors[j+1]
			for t, v := range f.errors[i+1] {
				sum += v * other[t]
			}
			h[i*k+j] = sum / rss
			h[j*k+i] = h[i*k+j]
		}
		h[i*k+i] += pullHome / n
	}
}

// remain keeps the innovations that the regressors leave, as the i-th.
func (f *fitter) remain(i int) {
	e := append(f.errors[i][:0], f.out[0]...)
	for k, b := range f.scratch {
		for t, v := range f.out[k+1] {
			e[t] -= b * v
		}
	}
	f.errors[i] = e
}

func grownTo(list [][]float64, n int) [][]float64 {
	for len(list) < n {
		list = append(list, nil)
	}
	return list
}

// fit estimates an order from a start, or from small weights.
func (f *fitter) fit(o Order, from []float64, stop num.Stop) (estimate, bool) {
	if len(f.y)-o.lost() < 3 {
		return estimate{}, false
	}
	f.lay(o)
	known := f.counts()
	if known < o.weights()+len(f.w)+2 {
		return estimate{}, false
	}
	x := make([]float64, o.weights())
	if len(from) == len(x) {
		copy(x, from)
	} else {
		for i := range x {
			x[i] = 0.1
		}
	}
	if len(x) > 0 {
		f.min.Run(objective{f}, x, stop)
	}
	v := f.value(x)
	if math.IsInf(v, 0) || math.IsNaN(v) {
		return estimate{}, false
	}
	n := float64(known)
	rss := f.regress()
	e := estimate{o: o, x: x, sigma2: rss / n, known: known, loglik: -n * (v + 0.5*(1+math.Log(2*math.Pi)))}
	e.beta = append([]float64(nil), f.scratch...)
	e.errs = f.standardErrors(rss / max(1, n-float64(len(x)+len(e.beta))))
	e.aicc = criterion(e.loglik, e.count(), known)
	return e, true
}

// standardErrors of the regressors' coefficients, from the root of their Gram matrix.
func (f *fitter) standardErrors(sigma2 float64) []float64 {
	k := len(f.right)
	out := make([]float64, k)
	unit, half := make([]float64, k), make([]float64, k)
	for i := range k {
		clear(unit)
		unit[i] = 1
		forward(f.gram, unit, half)
		sum := 0.0
		for _, v := range half {
			sum += v * v
		}
		out[i] = math.Sqrt(sigma2 * sum)
	}
	return out
}

// criterion is Akaike's with the small-sample correction.
func criterion(loglik float64, count, n int) float64 {
	if n <= count+1 {
		return math.Inf(1)
	}
	k := float64(count)
	return -2*loglik + 2*k + 2*k*(k+1)/(float64(n)-k-1)
}
