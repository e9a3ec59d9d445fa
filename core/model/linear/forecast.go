package linear

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"sync"

	"paperkettle/core/feature"
	"paperkettle/core/forecast"
	"paperkettle/core/num"
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
	s     *State
	rows  *feature.Rows
	past  []float64 // on the working scale, up to the last known value
	quiet int       // unknown values since
	x     []float64
}

func (s *State) future(v panel.SeriesView, h int) (*future, error) {
	if v.Values == nil {
		v = s.in
	}
	if v.Values == nil {
		return nil, fmt.Errorf("what the features rest on is not at hand")
	}
	y := make([]float64, len(s.Values))
	last := -1
	for i, value := range s.Values {
		if y[i] = s.Scale.To(value); panel.Known(y[i]) {
			last = i
		}
	}
	rows, err := s.Pool.Recipe.Lay(v, y, h, s.Pool.groupsAt(v.View()))
	if err != nil {
		return nil, err
	}
	if name, at, missing := rows.Missing(len(y), len(y)+h, s.matters); missing {
		return nil, fmt.Errorf("the driver %s is unknown, or has no logarithm, at %s: give its values, or leave it out", name, v.View().Cadence().Format(v.View().Ordinal(v.First+at)))
	}
	return &future{s: s, rows: rows, past: y[:last+1], quiet: len(y) - last - 1, x: make([]float64, len(s.Pool.Recipe.Columns))}, nil
}

// matters says whether a column has a coefficient at any step.
func (s *State) matters(column int) bool {
	for i := range s.Pool.Steps {
		if s.Pool.Steps[i].Beta[column] != 0 {
			return true
		}
	}
	return false
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
	return base + f.s.Own[k-1] + f.s.Pool.Steps[k-1].at(f.x)
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

// onward forecasts the next period and goes on from there, each time with an error where
// draw has one.
func (f *future) onward(h int, path []float64, draw func(k int) float64) []float64 {
	path = append(path[:0], f.past...)
	n := len(path)
	for k := range f.quiet + h {
		v := f.value(path, 1)
		if draw != nil {
			v += draw(k)
		}
		// What runs away is held within what numbers can be.
		path = append(path, max(-1e6, min(1e6, v)))
	}
	return path[n+f.quiet:]
}

// points are the forecasts on the working scale.
func (f *future) points(h int) []float64 {
	switch f.s.Pool.Mode {
	case "recursive":
		return slices.Clone(f.onward(h, nil, nil))
	case "averaged":
		a, b := f.direct(h), f.onward(h, nil, nil)
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

// futures is how many paths the recursive form draws.
const futures = 400

// Forecast gives points and quantiles: by the steps' own errors, by quantile regression, or
// by paths where each step goes on from the one before.
func (s *State) Forecast(v panel.SeriesView, out forecast.Rows) error {
	h := len(out.Mean)
	f, err := s.future(v, h)
	if err != nil {
		return err
	}
	mu := f.points(h)
	wide := make([]float64, h)
	for k := range wide {
		wide[k] = s.width(f.quiet + k)
	}
	if s.Pool.Mode == "recursive" {
		wide = f.spreads(h, mu)
	}
	free := int(max(3, min(s.Free, 1000)))
	for k := range h {
		out.Mean[k] = s.Scale.Mean(mu[k], wide[k]*wide[k])
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
		for g, p := range forecast.Grid {
			q[g] = s.Scale.Back(mu[k] + wide[k]*num.StudentQuantile(p, free))
		}
	}
	return nil
}

// spreads are the standard deviations, about the points, of paths that go on from
// themselves with errors.
func (f *future) spreads(h int, mu []float64) []float64 {
	out := make([]float64, h)
	rnd := rand.New(rand.NewPCG(f.s.seed(), 1))
	errs := make([]float64, f.quiet+h)
	var path []float64
	for i := range futures {
		for k := range errs {
			if i%2 == 0 {
				errs[k] = f.s.Sigma[0] * rnd.NormFloat64()
			} else { // and its opposite
				errs[k] = -errs[k]
			}
		}
		path = f.onwardInto(path, h, errs)
		for k, v := range path[len(path)-h:] {
			d := v - mu[k]
			out[k] += d * d / futures
		}
	}
	for k := range out {
		out[k] = math.Sqrt(out[k])
	}
	return out
}

func (f *future) onwardInto(path []float64, h int, errs []float64) []float64 {
	tail := f.onward(h, path, func(k int) float64 { return errs[k] })
	return tail
}

func (s *State) seed() uint64 { return s.Seed ^ uint64(len(s.Values))<<32 }

// Paths draws futures: errors of all steps together, as they came together in training, or
// step after step where each goes on from the one before. The same state draws the same ones
// whatever the drivers ahead are.
func (s *State) Paths(v panel.SeriesView, h, count int) ([]float64, error) {
	f, err := s.future(v, h)
	if err != nil {
		return nil, err
	}
	rnd := rand.New(rand.NewPCG(s.seed(), 2))
	out := make([]float64, count*h)
	if s.Pool.Mode == "recursive" {
		errs := make([]float64, f.quiet+h)
		var path []float64
		for i := range count {
			for k := range errs {
				errs[k] = s.Sigma[0] * rnd.NormFloat64()
			}
			path = f.onwardInto(path, h, errs)
			for k, x := range path[len(path)-h:] {
				out[i*h+k] = s.Scale.Back(x)
			}
		}
		return out, nil
	}
	mu := f.points(h)
	rows := s.wholeRows()
	for i := range count {
		common := rnd.NormFloat64()
		var row []float32
		if len(rows) > 0 {
			row = rows[rnd.IntN(len(rows))]
		}
		for k := range h {
			at := f.quiet + k
			var e float64
			if row != nil && at < len(row) && s.Sigma[at] > 0 {
				e = float64(row[at]) * s.width(at) / rootMean(rows, at)
			} else {
				e = s.width(at) * common
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

func rootMean(rows [][]float32, at int) float64 {
	sum := 0.0
	for _, r := range rows {
		sum += float64(r[at]) * float64(r[at])
	}
	return math.Sqrt(max(sum/float64(len(rows)), 1e-300))
}
