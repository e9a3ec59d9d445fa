package linear

import (
	"math"

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
	x := make([]float64, len(p.Recipe.Columns))
	st.Free = math.Inf(1)
	rest := make([]float64, n)
	for step := 1; step <= h; step++ {
		e := &p.Steps[step-1]
		sum, count := 0.0, 0.0
		for o := start; o+1 < n; o++ {
			rest[o] = panel.Unknown
			if o+step >= n || (o-start)%p.thin > 0 {
				continue
			}
			if target, ok := p.row(s, o, step, x); ok {
				rest[o] = target - e.at(x)
				if e.Last != 0 {
					rest[o] -= e.Last * s.y[o]
				}
				if panel.Known(rest[o]) {
					sum, count = sum+rest[o]-(1-p.Belief)*target, count+1
				}
			}
		}
		const held = 2 // rows' worth of the pool's intercept
		own := e.Own
		if p.Series == 1 {
			if count > 0 {
				own = sum / count
			}
		} else {
			own = (sum + held*e.Own) / (count + held)
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
		used := (e.Used + st.Outside.Used) / float64(p.Series)
		free := max(0.25*count, count-1-used, 1)
		st.Sigma[step-1] = math.Sqrt(squares / free * (1 + (1+used)/max(count, 1)))
		st.Free = math.Min(st.Free, free)
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

// mostErrors bounds the rows of errors that a state keeps to draw futures from.
const mostErrors = 120

// forget keeps every few rows of errors.
func (s *State) forget() {
	stride := 1 + (len(s.Errors)-1)/mostErrors
	kept := make([][]float32, 0, mostErrors)
	for o := len(s.Errors) - 1; o >= 0; o -= stride {
		kept = append(kept, s.Errors[o])
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
	for o := start; o+1 < n; o += stride {
		if !panel.Known(s.y[o]) {
			continue
		}
		f := &future{s: st, rows: s.rows, past: s.y[: o+1 : o+1], x: make([]float64, len(p.Recipe.Columns))}
		row := make([]float32, h)
		for k, v := range f.onward(min(h, n-1-o)) {
			row[k] = float32(s.y[o+1+k] - v)
			if e := s.y[o+1+k] - v; panel.Known(e) {
				squares[k] += e * e
				counts[k]++
			}
		}
		for k := n - 1 - o; k < h; k++ {
			row[k] = float32(math.NaN())
		}
		st.Errors = append(st.Errors, row)
	}
	used := (p.Steps[0].Used + st.Outside.Used) / float64(p.Series)
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
