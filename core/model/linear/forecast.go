package linear

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"sync"

	"paperkettle/core/feature"
	"paperkettle/core/forecast"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// groupCache keeps the groups' means of the view that was last asked for.
type groupCache struct {
	mu     sync.Mutex
	groups *feature.Groups
	from   int
	origin int
}

func (p *Pool) groupsAt(v panel.View) *feature.Groups {
	c := &p.cache
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.groups == nil || c.from != v.From() || c.origin != v.Origin() {
		c.groups, c.from, c.origin = p.Recipe.GroupsOf(v), v.From(), v.Origin()
	}
	return c.groups
}

// future is what a forecast is made from: rows past the last known value.
type future struct {
	s       *State
	rows    *feature.Rows
	past    []float64 // what the equation of outside leaves, up to the last known value
	quiet   int       // unknown values since
	x       []float64
	outside []float64 // what that equation says of all periods, past and ahead
	ahead   *feature.Rows
	seen    []span            // of drivers on levels, by column of the above; none where nothing is held
	over    [][]single.Excess // by step: what they go beyond, which is not in outside
}

func (s *State) future(v panel.SeriesView, h int) (*future, error) {
	if v.Values == nil {
		v = s.in
	}
	if v.Values == nil {
		return nil, fmt.Errorf("what the features rest on is not at hand")
	}
	v = v.Last(len(s.Values))
	y := make([]float64, len(s.Values))
	last := -1
	for i, value := range s.Values {
		if y[i] = s.Scale.To(value); panel.Known(y[i]) {
			last = i
		}
	}
	p := s.Pool
	ahead, err := p.Ahead.Lay(v, y, h, nil)
	if err != nil {
		return nil, err
	}
	if name, at, missing := ahead.Missing(len(y), len(y)+h, func(k int) bool { return s.Outside.Beta[k] != 0 }); missing {
		return nil, fmt.Errorf("the driver %s is unknown, or has no logarithm, at %s: give its values, or leave it out", name,
			v.View().Cadence().Format(v.View().Ordinal(v.First+at)))
	}
	f := &future{s: s, ahead: ahead, quiet: len(y) - last - 1, x: make([]float64, len(p.Recipe.Columns))}
	f.outside = append(s.Outside.over(ahead, len(y)), make([]float64, h)...)
	for t := range y {
		y[t] -= f.outside[t]
	}
	x := make([]float64, len(p.Ahead.Columns))
	f.over = make([][]single.Excess, h)
	f.watch(len(y))
	for k := range h {
		ahead.FillAhead(len(y)+k, x)
		f.over[k] = f.hold(x)
		f.outside[len(y)+k] = s.Outside.at(x)
	}
	calm(y[:s.Used], s.Odd)
	carry(y, y)
	f.past = y[:last+1]
	if f.rows, err = p.Recipe.Lay(v, y, h, s.Pool.groupsAt(v.View())); err != nil {
		return nil, err
	}
	f.rows.ReachBack()
	return f, nil
}

// value is the forecast of a step past the end of a path that may hold forecasts.
func (f *future) value(path []float64, step int) float64 {
	k := min(step, len(f.s.Pool.Steps))
	path = path[:len(path)-(k-step)] // k <= step: as is
	f.rows.FillPath(path, k, f.x)
	base, ok := f.s.Pool.relative(path[len(path)-1], f.x)
	if !ok {
		return panel.Unknown
	}
	e := &f.s.Pool.Steps[k-1]
	if e.Last != 0 {
		base += e.Last * path[len(path)-1]
	}
	return base + f.s.Own[k-1] + e.at(f.x)
}

// direct forecasts each step by its own equation; beyond the last equation it goes on from
// its own forecasts.
func (f *future) direct(h int) []float64 {
	path := slices.Clone(f.past)
	n, equations := len(path), len(f.s.Pool.Steps)
	for k := 1; k <= f.quiet+h; k++ {
		if k <= equations {
			path = append(path, f.value(path[:n], k))
		} else {
			path = append(path, f.value(path[:n+k-equations], equations))
		}
	}
	return path[n+f.quiet:]
}

// onward forecasts the next period and goes on from there.
func (f *future) onward(h int) []float64 {
	path := slices.Clone(f.past)
	n := len(path)
	for range f.quiet + h {
		v := f.value(path, 1)
		// What runs away is held within what numbers can be.
		path = append(path, max(-1e6, min(1e6, v)))
	}
	return path[n+f.quiet:]
}

// points are the forecasts on the working scale.
func (f *future) points(h int) []float64 {
	out := f.rest(h)
	for k := range out {
		out[k] += f.outside[len(f.outside)-h+k]
		out[k] *= single.Beyond(out[k], f.over[k])
	}
	return out
}

// rest are the forecasts of what the equation of outside leaves.
func (f *future) rest(h int) []float64 {
	switch f.s.Pool.Mode {
	case "recursive":
		return f.onward(h)
	case "averaged":
		a, b := f.direct(h), f.onward(h)
		for i := range a {
			a[i] = (a[i] + b[i]) / 2
		}
		return a
	}
	return f.direct(h)
}

// width is the standard deviation of a step's errors.
func (s *State) width(k int) float64 {
	if k < len(s.Sigma) {
		return s.Sigma[k]
	}
	last := len(s.Sigma)
	return s.Sigma[last-1] * math.Sqrt(float64(k+1)/float64(last))
}

// forecast gives points and quantiles: by the steps' own errors, or by quantile regression.
func (s *State) forecast(v panel.SeriesView, out forecast.Rows) error {
	h := len(out.Mean)
	f, err := s.future(v, h)
	if err != nil {
		return err
	}
	mu := f.points(h)
	wide, told := make([]float64, h), make([]float64, h) // standard deviations, and variances as the errors themselves tell
	for k, away := range f.away(h) {
		width, doubt := s.width(f.quiet+k), s.Outside.doubt(away)
		wide[k] = math.Sqrt(width*width + doubt)
		if own := f.quiet + k; own < len(s.Held) {
			width /= s.Held[own]
		}
		told[k] = width*width + doubt
	}
	free := int(max(3, min(s.Free, 1000)))
	for k := range h {
		out.Mean[k] = s.Scale.Mean(mu[k], told[k])
		q := out.At(k)
		if s.Pool.Ranks != nil && k+f.quiet < len(s.Pool.Ranks) && s.Pool.Mode != "recursive" {
			f.rows.FillPath(f.past, min(k+f.quiet+1, len(s.Pool.Steps)), f.x)
			s.Pool.relative(f.past[len(f.past)-1], f.x)
			s.Pool.quantiles(k+f.quiet, f.x, q)
			for g := range q {
				q[g] = s.Scale.Back(mu[k] + wide[k]*q[g])
			}
			continue
		}
		for g, t := range forecast.Student(free) {
			q[g] = s.Scale.Back(mu[k] + wide[k]*t)
		}
	}
	return nil
}

func (s *State) seed() uint64 { return s.Seed ^ uint64(len(s.Values))<<32 }

// paths draws futures on this scale.
func (s *State) paths(v panel.SeriesView, h, count int) ([]float64, error) {
	f, err := s.future(v, h)
	if err != nil {
		return nil, err
	}
	rnd := rand.New(rand.NewPCG(s.seed(), 2))
	out := make([]float64, count*h)
	mu, away := f.points(h), f.away(h)
	rows := s.wholeRows()
	usual := rootMeans(rows)
	root, z := s.Outside.root(), make([]float64, len(s.Outside.Beta))
	moved := make([]float64, len(z))
	for i := range count {
		common := rnd.NormFloat64()
		for k := range z {
			z[k] = rnd.NormFloat64()
		}
		for a := range moved {
			moved[a] = 0
			for b, v := range root[a*len(z) : a*len(z)+a+1] {
				moved[a] += v * z[b]
			}
		}
		var row []float32
		if len(rows) > 0 {
			row = rows[rnd.IntN(len(rows))]
		}
		for k := range h {
			at := f.quiet + k
			var e float64
			if row != nil && at < len(row) && s.Sigma[at] > 0 {
				e = float64(row[at]) * s.width(at) / usual[at]
			} else {
				e = s.width(at) * common
			}
			for a, x := range away[k] {
				e += x * moved[a]
			}
			out[i*h+k] = s.Scale.Back(mu[k] + e)
		}
	}
	return out, nil
}

// wholeRows are the errors of origins all of whose steps are known.
func (s *State) wholeRows() (out [][]float32) {
	for _, row := range s.Errors {
		if !slices.ContainsFunc(row, func(e float32) bool { return e != e }) {
			out = append(out, row)
		}
	}
	if len(out) < 10 {
		return nil
	}
	return out
}

// rootMeans are the root mean squares of errors, step by step.
func rootMeans(rows [][]float32) []float64 {
	if len(rows) == 0 {
		return nil
	}
	out := make([]float64, len(rows[0]))
	for _, row := range rows {
		for at, e := range row {
			out[at] += float64(e) * float64(e)
		}
	}
	for at, sum := range out {
		out[at] = math.Sqrt(max(sum/float64(len(rows)), 1e-300))
	}
	return out
}
