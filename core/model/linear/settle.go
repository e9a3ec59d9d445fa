package linear

import (
	"math"
	"slices"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// fewestRows is the number of rows below which a step has no equation of its own.
const fewestRows = 6

// settle gives a series its intercepts and the errors of the equations on it.
func (p *Pool) settle(s *series) *State {
	n, h := len(s.y), p.steps()
	st := &State{Pool: p, Outside: s.outside, Odd: s.odd, Scale: s.scale, Own: make([]float64, h), Sigma: make([]float64, h),
		Values: s.in.Values, Used: n, Seed: s.in.Seed, In: make([]float64, n), in: s.in.SeriesView}
	for i := range st.In {
		st.In[i] = panel.Unknown
	}
	start := max(0, p.start(n))
	st.Errors = make([][]float32, max(0, n-1-start))
	for i := range st.Errors {
		st.Errors[i] = make([]float32, h)
	}
	st.Free = math.Inf(1)
	x := p.across(s, start)
	rest := make([]float64, n)
	apart := num.KnownMean(s.y) - p.usual
	for step := 1; step <= h; step++ {
		e := &p.Steps[step-1]
		sum, count := x.rest(e, step, rest)
		const held = 2 // rows' worth of the pool's intercept
		own := e.Own
		if p.Series == 1 {
			if count > 0 {
				own = sum / count
			}
		} else {
			usual := e.Own
			if count < fewOwn && panel.Known(apart) { // else what is held to is a small part
				usual += p.moved(e) * apart
			}
			own = (sum + held*usual) / (count + held)
		}
		st.Own[step-1] = own
		squares := 0.0
		for o := start; o+1 < n; o++ {
			r := rest[o] - own
			st.Errors[o-start][step-1] = float32(r)
			if panel.Known(r) {
				squares += r * r
			}
		}
		used := p.used(e, st)
		free := max(0.25*count, count-1-used, 1)
		st.Sigma[step-1] = math.Sqrt(squares / free * (1 + (1+used)/max(count, 1)))
		st.Free = math.Min(st.Free, free)
		if step > 1 && count < fewOwn {
			st.holdUp(step - 1)
		}
		if step == 1 {
			for o := start; o+1 < n; o++ {
				st.In[o+1] = s.scale.Back(s.whole[o+1] - (rest[o] - own))
			}
		}
	}
	if p.Mode == "recursive" {
		p.rehearse(st, s, start)
	}
	p.widen(st, s)
	st.Notes = append(st.Notes, p.Ahead.Notes...)
	st.Notes = append(st.Notes, p.Recipe.Notes...)
	return st
}

// used is how many of a series' errors its coefficients stand for. What it has of its own of what is known ahead was learnt
// from all of its values, also in a trial that takes every few.
func (p *Pool) used(e *Equation, s *State) float64 {
	own := s.Outside.Used / float64(p.Series)
	if p.Series > 1 {
		own /= float64(p.thin)
	}
	return e.Used/p.apart + own
}

// holdUp keeps a step that few errors tell of from being surer than the one before: errors of changes add up as those
// of a walk do.
func (s *State) holdUp(k int) {
	least := s.Sigma[k-1]
	if s.Pool.Diff {
		least *= math.Sqrt(float64(k+1) / float64(k))
	}
	if s.Sigma[k] >= least {
		return
	}
	if s.Held == nil {
		s.Held = slices.Repeat([]float64{1}, len(s.Sigma))
	}
	if s.Sigma[k] > 0 {
		s.Held[k] = least / s.Sigma[k]
	}
	s.Sigma[k] = least
}

// across is the rows of a series from all origins at once, column by column.
type across struct {
	pool          *Pool
	series        *series
	start, stride int
	same          [][]float64 // columns that no step changes; nil for the others
	column, said  []float64   // room for a column, and for what an equation says
}

// across prepares the rows from an origin on.
func (p *Pool) across(s *series, start int) *across {
	n := max(0, (len(s.y)-1-start+p.thin-1)/p.thin)
	x := &across{pool: p, series: s, start: start, stride: p.thin, same: make([][]float64, len(p.Recipe.Columns)),
		column: make([]float64, n), said: make([]float64, n)}
	for k := range x.same {
		if !p.Recipe.Columns[k].AtStep() {
			x.same[k] = make([]float64, n)
			s.rows.FillColumn(k, start, x.stride, 1, x.same[k])
		}
	}
	return x
}

// say puts what an equation says of a step past each origin into said; what is unknown counts as usual.
func (x *across) say(e *Equation, step int) {
	clear(x.said)
	for k, b := range e.Beta {
		column := x.same[k]
		if column == nil {
			column = x.column
			x.series.rows.FillColumn(k, x.start, x.stride, step, column)
		}
		center := e.Center[k]
		if x.pool.Diff && x.pool.Recipe.Columns[k].Level {
			for i, v := range column {
				if d := v - x.series.past[x.start+i*x.stride] - center; d == d {
					x.said[i] += b * d
				}
			}
			continue
		}
		for i, v := range column {
			if d := v - center; d == d {
				x.said[i] += b * d
			}
		}
	}
}

// rest puts what an equation of a step leaves at each origin into rest, unknown where it can't be told; sum is of what
// it leaves of targets that are believed in, and count how many they are.
func (x *across) rest(e *Equation, step int, rest []float64) (sum, count float64) {
	for o := range rest {
		rest[o] = panel.Unknown
	}
	x.say(e, step)
	for i := range x.said {
		o := x.start + i*x.stride
		if o+step >= len(x.series.y) {
			break
		}
		target, ok := x.pool.target(x.series, o, step)
		if !ok {
			continue
		}
		rest[o] = target - x.said[i]
		if e.Last != 0 {
			rest[o] -= e.Last * x.series.past[o]
		}
		if panel.Known(rest[o]) {
			sum, count = sum+rest[o]-(1-x.pool.Belief)*target, count+1
		}
	}
	return sum, count
}

// fewOwn is how many rows of its own a series must have for its intercept to be held to the pool's, wherever it lies
// itself: a driver that is another for each puts them on levels of their own.
const fewOwn = 7

// moved is by how much an equation's intercept is larger of a series that lies higher by 1: by what its columns don't
// tell of that.
func (p *Pool) moved(e *Equation) float64 {
	if p.Diff {
		return 0
	}
	by := 1 - e.Last
	for k, b := range e.Beta {
		if p.Recipe.Columns[k].Level {
			by -= b
		}
	}
	return by
}

// mostErrors bounds the rows of errors that a state keeps to draw futures from.
const mostErrors = 120

// forget keeps every few rows of errors.
func (s *State) forget() {
	stride := 1 + (len(s.Errors)-1)/mostErrors
	kept := make([][]float32, 0, mostErrors)
	for k := 0; num.Thin(k, stride) < len(s.Errors); k++ {
		kept = append(kept, s.Errors[len(s.Errors)-1-num.Thin(k, stride)])
	}
	s.Errors = kept
}

// mostRehearsed is from how many origins the recursive form is judged.
const mostRehearsed = 60

// rehearse goes on from origins of the training part, for the errors of every step of a form
// that goes on from its own forecasts.
func (p *Pool) rehearse(st *State, s *series, start int) {
	n, h := len(s.y), p.Horizon
	one := st.Sigma[0]
	st.Errors = nil
	st.Sigma = make([]float64, h)
	stride := 1 + max(0, n-1-start)/mostRehearsed
	squares, counts := make([]float64, h), make([]float64, h)
	for k := 0; start+num.Thin(k, stride)+1 < n; k++ {
		o := start + num.Thin(k, stride)
		if !panel.Known(s.y[o]) {
			continue
		}
		f := &future{s: st, rows: s.rows, past: s.past[: o+1 : o+1], x: make([]float64, len(p.Recipe.Columns))}
		row := make([]float32, h)
		for step, v := range f.onward(min(h, n-1-o)) {
			row[step] = float32(s.y[o+1+step] - v)
			if e := s.y[o+1+step] - v; panel.Known(e) {
				squares[step] += e * e
				counts[step]++
			}
		}
		for step := n - 1 - o; step < h; step++ {
			row[step] = float32(math.NaN())
		}
		st.Errors = append(st.Errors, row)
	}
	used := p.used(&p.Steps[0], st)
	for k := range st.Sigma {
		if counts[k] >= fewestRows {
			free := max(0.25*float64(n), float64(n)-1-used)
			st.Sigma[k] = max(one, math.Sqrt(squares[k]/counts[k]*float64(n)/free))
		} else if k > 0 {
			st.Sigma[k] = st.Sigma[k-1] * math.Sqrt(float64(k+1)/float64(k))
		} else {
			st.Sigma[0] = one
		}
	}
}

// widen gives steps without errors of their own those of the step before, wider.
func (p *Pool) widen(st *State, s *series) {
	for k := range st.Own {
		if p.Steps[k].Rows >= fewestRows && st.Sigma[k] > 0 {
			continue
		}
		if k > 0 {
			st.Sigma[k] = st.Sigma[k-1] * math.Sqrt(float64(k+1)/float64(k))
			st.Own[k] = st.Own[k-1]
		} else if st.Sigma[0] == 0 {
			st.Sigma[0] = 1e-6 * (1 + math.Abs(mean(s.y)))
		}
	}
}

func mean(y []float64) float64 {
	n, sum := 0.0, 0.0
	for _, v := range y {
		if panel.Known(v) {
			n, sum = n+1, sum+v
		}
	}
	return sum / max(n, 1)
}
