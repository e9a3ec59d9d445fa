package linear

import (
	"context"
	"math"
	"slices"

	"gonum.org/v1/gonum/blas"
	"gonum.org/v1/gonum/blas/blas64"
	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/mat"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// search finds the penalty's strength on inner windows and solves the equations.
type search struct {
	method  Method
	list    []series
	columns int
	from    int // first step
	steps   int
	start   func(n int) int
	read    func(s *series, origin, step int, x []float64) (target float64, ok bool)
	diff    bool

	sums  []products
	score float64 // squared error on the inner windows at the best strength
	best  int     // place in the path
}

// The history is cut into folds by time. Each inner window is trained on the folds before
// one and judged on it.
const (
	folds       = 5
	firstJudged = 2
)

// mostRows bounds the rows of a step; of longer panels every few origins are taken.
const mostRows = 60000

// products is all that a step's equation needs of its rows: sums of products within each
// series, of the training part and the judged part of each inner window, and of the whole.
type products struct {
	rows   int
	center []float64
	whole  *moments
	train  [folds]*moments // before fold k
	judged [folds]*moments // fold k, about the training part's means
	curve  []float64       // squared errors along the path
}

// moments are sums of products of columns and target about a series' means.
type moments struct {
	n      float64
	xx     blas64.Symmetric
	xy     []float64
	yy     float64
	meanY  float64 // over all series
	meanXs []float64
}

func newMoments(p int) *moments {
	return &moments{xx: blas64.Symmetric{N: p, Stride: p, Uplo: blas.Upper, Data: make([]float64, p*p)}, xy: make([]float64, p),
		meanXs: make([]float64, p)}
}

// clear makes them those of no row.
func (m *moments) clear() {
	m.n, m.yy, m.meanY = 0, 0, 0
	for _, x := range [][]float64{m.xx.Data, m.xy, m.meanXs} {
		clear(x)
	}
}

// run sums up the rows of every step, and follows the path of penalties over the inner
// windows. Steps are independent of each other, so that the sums do not depend on how many
// workers there are.
func (s *search) run(ctx context.Context, workers int) error {
	s.sums = make([]products, s.steps)
	if err := num.Each(ctx, workers, s.steps, func(k int) {
		s.sums[k] = s.sum(s.from + k)
		s.sums[k].follow(s.method)
	}); err != nil {
		return err
	}
	total := make([]float64, len(s.method.path()))
	judged := false
	for _, k := range s.sums {
		for i, v := range k.curve {
			total[i] += v
			judged = true
		}
	}
	s.score = math.Inf(1)
	for i, v := range total {
		if judged && v < s.score {
			s.score, s.best = v, i
		}
	}
	if !judged { // too short for inner windows: hold firmly
		s.best = len(total) / 3
	}
	return nil
}

// sum goes over a step's rows, series by series, fold by fold.
func (s *search) sum(step int) products {
	p := s.columns
	out := products{center: make([]float64, p), whole: newMoments(p)}
	for k := range out.train {
		out.train[k], out.judged[k] = newMoments(p), newMoments(p)
	}
	total := 0
	for i := range s.list {
		total += max(0, len(s.list[i].y)-step)
	}
	stride := max(1+total/mostRows, s.method.thin)
	b := &block{p: p, search: s, so: *newMoments(p), part: *newMoments(p)}
	s.findCenter(step, out.center)
	for i := range s.list {
		x := &s.list[i]
		b.read(x, step, stride, out.center)
		out.rows += b.n
		out.add(b)
	}
	return out
}

// block is a series' rows at a step.
type block struct {
	p      int
	search *search
	n      int
	x      []float64 // n by p, less the centre
	y      []float64
	fold   []int     // first row of each fold
	centre []float64 // room for rows less their means
	so     moments   // room for those of the folds so far
	part   moments   // and of one fold
}

// findCenter puts the mean over the series of a row in the middle of each: numbers such as years are summed near zero, and
// what is unknown counts as usual.
func (s *search) findCenter(step int, center []float64) {
	x, known := make([]float64, len(center)), make([]float64, len(center))
	for i := range s.list {
		n := len(s.list[i].y)
		for o := n / 2; o+step < n; o++ {
			if _, ok := s.read(&s.list[i], o, step, x); !ok {
				continue
			}
			for k, v := range x {
				if panel.Known(v) {
					center[k], known[k] = center[k]+v, known[k]+1
				}
			}
			break
		}
	}
	for k, n := range known {
		center[k] /= max(1, n)
	}
}

func (b *block) read(s *series, step, stride int, center []float64) {
	n, p := len(s.y), b.p
	start := max(0, b.search.start(n))
	b.x, b.y, b.n = b.x[:0], b.y[:0], 0
	b.fold = b.fold[:0]
	span := float64(max(1, n-step-start))
	for k := 0; start+num.Thin(k, stride)+step < n; k++ {
		o := start + num.Thin(k, stride)
		for len(b.fold) <= int(folds*float64(o-start)/span) {
			b.fold = append(b.fold, b.n)
		}
		at := len(b.x)
		for range p {
			b.x = append(b.x, 0)
		}
		x := b.x[at:]
		target, ok := b.search.read(s, o, step, x)
		if !ok {
			b.x = b.x[:at]
			continue
		}
		for k := range x {
			if x[k] -= center[k]; x[k] != x[k] {
				x[k] = 0
			}
		}
		b.y = append(b.y, target)
		b.n++
	}
	for len(b.fold) <= folds {
		b.fold = append(b.fold, b.n)
	}
}

// add sums a series' products up: of each fold once, about its own means, and of what several
// folds hold by putting these together.
func (s *products) add(b *block) {
	if b.n == 0 {
		return
	}
	so := &b.so // the folds so far
	so.clear()
	for k := range folds {
		from, to := b.fold[k], b.fold[k+1]
		if to == from {
			continue
		}
		b.moments(from, to)
		if k >= firstJudged && so.n >= 2 {
			s.train[k].take(so)
			s.judged[k].judge(&b.part, so)
		}
		so.merge(&b.part)
	}
	s.whole.take(so)
}

// moments puts those of some rows about their own means into part.
func (b *block) moments(from, to int) {
	m, p := &b.part, b.p
	m.clear()
	m.n = float64(to - from)
	for i := from; i < to; i++ {
		floats.Add(m.meanXs, b.x[i*p:(i+1)*p])
		m.meanY += b.y[i]
	}
	floats.Scale(1/m.n, m.meanXs)
	m.meanY /= m.n
	if cap(b.centre) < (to-from)*p {
		b.centre = make([]float64, (to-from)*p)
	}
	c := b.centre[:(to-from)*p]
	for i := range to - from {
		row, out := b.x[(from+i)*p:(from+i+1)*p], c[i*p:(i+1)*p]
		d := b.y[from+i] - m.meanY
		m.yy += d * d
		floats.SubTo(out, row, m.meanXs)
		floats.AddScaled(m.xy, d, out)
	}
	if p > 0 {
		blas64.Syrk(blas.Trans, 1, blas64.General{Rows: to - from, Cols: p, Stride: p, Data: c}, 0, m.xx)
	}
}

// judge adds the moments of rows, moved from their own means to those of others.
func (m *moments) judge(x, about *moments) {
	p := len(m.xy)
	dy := x.meanY - about.meanY
	m.n += x.n
	m.yy += x.yy + x.n*dy*dy
	m.meanY += x.n * about.meanY
	for a := range p {
		da := x.n * (x.meanXs[a] - about.meanXs[a])
		m.xy[a] += x.xy[a] + da*dy
		m.meanXs[a] += x.n * about.meanXs[a]
		row, other := m.xx.Data[a*p:(a+1)*p], x.xx.Data[a*p:(a+1)*p]
		for k := a; k < p; k++ {
			row[k] += other[k] + da*(x.meanXs[k]-about.meanXs[k])
		}
	}
}

// merge puts together moments about means of their own.
//
// Source: Chan, Golub and LeVeque, Algorithms for computing the sample variance, The American
// Statistician 37 (1983).
func (m *moments) merge(x *moments) {
	p, n := len(m.xy), m.n+x.n
	f := m.n * x.n / n
	dy := x.meanY - m.meanY
	m.yy += x.yy + f*dy*dy
	for a := range p {
		da := x.meanXs[a] - m.meanXs[a]
		m.xy[a] += x.xy[a] + f*da*dy
		row, other := m.xx.Data[a*p:(a+1)*p], x.xx.Data[a*p:(a+1)*p]
		for k := a; k < p; k++ {
			row[k] += other[k] + f*da*(x.meanXs[k]-m.meanXs[k])
		}
	}
	for a := range p {
		m.meanXs[a] += x.n / n * (x.meanXs[a] - m.meanXs[a])
	}
	m.meanY += x.n / n * dy
	m.n = n
}

// take adds a series' moments about its own means to those of all.
func (m *moments) take(x *moments) {
	p := len(m.xy)
	m.n, m.yy, m.meanY = m.n+x.n, m.yy+x.yy, m.meanY+x.n*x.meanY
	for a := range p {
		m.xy[a] += x.xy[a]
		m.meanXs[a] += x.n * x.meanXs[a]
		row, other := m.xx.Data[a*p:(a+1)*p], x.xx.Data[a*p:(a+1)*p]
		for k := a; k < p; k++ {
			row[k] += other[k]
		}
	}
}

// standard divides the columns by their spread, so that the penalty treats all alike.
func (m *moments) standard() (g []float64, c, spread []float64) {
	p := m.xx.N
	g, c, spread = make([]float64, p*p), make([]float64, p), make([]float64, p)
	for k := range p {
		if v := m.xx.Data[k*p+k] / m.n; v > 1e-18 {
			spread[k] = math.Sqrt(v)
		}
	}
	for a := range p {
		if spread[a] == 0 {
			g[a*p+a] = 1 // a column that never changes: its coefficient is zero
			continue
		}
		c[a] = m.xy[a] / m.n / spread[a]
		for b := a; b < p; b++ {
			if spread[b] > 0 {
				v := m.xx.Data[a*p+b] / m.n / spread[a] / spread[b]
				g[a*p+b], g[b*p+a] = v, v
			}
		}
	}
	return g, c, spread
}

// error is the squared error of coefficients on these rows.
func (m *moments) error(beta []float64) float64 {
	sum := m.yy
	p := m.xx.N
	for a, v := range beta {
		if v == 0 {
			continue
		}
		sum -= 2 * v * m.xy[a]
		sum += v * v * m.xx.Data[a*p+a]
		for b := a + 1; b < p; b++ {
			sum += 2 * v * beta[b] * m.xx.Data[a*p+b]
		}
	}
	return sum
}

// follow goes along the path on every inner window.
func (s *products) follow(m Method) {
	path := m.path()
	for k := firstJudged; k < folds; k++ {
		if s.train[k].n < fewestRows || s.judged[k].n < 2 {
			continue
		}
		if s.curve == nil {
			s.curve = make([]float64, len(path))
		}
		g, c, spread := s.train[k].standard()
		beta := make([]float64, len(c))
		raw := make([]float64, len(c))
		for i, strength := range path {
			m.solve(g, c, strength, beta)
			for j := range raw {
				if raw[j] = 0; spread[j] > 0 {
					raw[j] = beta[j] / spread[j]
				}
			}
			s.curve[i] += s.judged[k].error(raw)
		}
	}
}

// finish solves every step's equation at the strength that was found.
func (s *search) finish() []Equation {
	strength := s.method.path()[s.best]
	searched := s.method.Strength == nil && s.method.Penalty != "none" && s.sums[0].curve != nil
	out := make([]Equation, len(s.sums))
	for k := range s.sums {
		step := &s.sums[k]
		if step.rows < fewestRows {
			if k > 0 {
				out[k] = out[k-1]
			} else {
				out[k] = Equation{Center: make([]float64, s.columns), Beta: make([]float64, s.columns), Cov: make([]float32, s.columns*s.columns),
					Spread: make([]float64, s.columns)}
			}
			out[k].Rows = step.rows
			continue
		}
		out[k] = s.equation(step, strength)
		out[k].Strength, out[k].Searched = strength, searched
	}
	return out
}

func (s *search) equation(step *products, strength float64) Equation {
	g, c, spread := step.whole.standard()
	beta := make([]float64, len(c))
	s.method.solve(g, c, strength, beta)
	e := Equation{Rows: step.rows, Used: s.method.used(g, beta, strength), Beta: make([]float64, len(c)), Center: make([]float64, len(c)),
		Spread: spread, Own: step.whole.meanY / step.whole.n}
	for j := range beta {
		if spread[j] > 0 {
			e.Beta[j] = beta[j] / spread[j]
		}
		e.Center[j] = step.center[j] + step.whole.meanXs[j]/step.whole.n
	}
	if s.from == 0 { // of what is known ahead
		e.Cov = covariance(g, slices.Repeat([]float64{strength}, len(c)), step.whole.error(e.Beta)/step.whole.n, step.whole.n, spread)
	}
	return e
}

// used is the effective number of coefficients: the trace of the hat matrix of a ridge, or
// those that are not zero.
func (m Method) used(g, beta []float64, strength float64) (n float64) {
	if m.Penalty == "lasso" || m.Penalty == "elastic-net" {
		for _, b := range beta {
			if b != 0 {
				n++
			}
		}
		return n
	}
	p := len(beta)
	if p == 0 {
		return 0
	}
	sym := mat.NewSymDense(p, nil)
	for a := range p {
		for b := a; b < p; b++ {
			sym.SetSym(a, b, g[a*p+b])
		}
	}
	var eigen mat.EigenSym
	if !eigen.Factorize(sym, false) {
		return float64(p)
	}
	for _, v := range eigen.Values(nil) {
		if v = max(v, 0); v > 1e-12 {
			n += v / (v + strength)
		}
	}
	return n
}
