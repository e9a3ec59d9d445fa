// Package linear forecasts by linear regression on features. What is known ahead (calendar,
// drivers, events) explains the series in one equation; what it leaves goes on by equations
// of its own past, one a step ahead, or one for the next step that goes on from its own
// forecasts. So a driver's coefficient is its whole effect, whatever the past has in it. For
// a series alone, or for many with intercepts of their own.
//
// Source: direct and recursive forecasts compared: Marcellino, Stock and Watson, Journal of
// Econometrics 135 (2006); penalties: Hoerl and Kennard, Technometrics 12 (1970), Tibshirani,
// Journal of the Royal Statistical Society B 58 (1996), Zou and Hastie, the same B 67 (2005).
package linear

import (
	"context"
	"encoding/gob"
	"fmt"
	"math"
	"slices"
	"strings"

	"paperkettle/core/feature"
	"paperkettle/core/model"
	"paperkettle/core/model/arima"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

func init() { gob.Register(&State{}) }

// Method fits the equations.
type Method struct {
	Lines     []string // nil: as Own, Outside and the cadence have it
	Own       bool     // the series' own past
	Outside   bool     // calendar, drivers and events
	Penalty   string   // none, ridge, lasso or elastic-net
	Share     float64  // of the elastic net's penalty that is on sizes rather than squares
	Strength  *float64 // nil: by inner windows
	Steps     string   // direct, recursive or averaged
	Scale     string   // level, log, difference, or empty for as the data say
	Robust    bool     // values far from their neighbours count for nothing
	Quantiles bool     // intervals by regression of quantiles
}

// Equation is a regression on centred columns.
type Equation struct {
	Center []float64
	Beta   []float64
	Errors []float64 // standard errors of Beta
	Spread []float64 // of the columns
	Own    float64   // intercept that series without one of their own have
	Used   float64   // effective number of coefficients
	Rows   int
	// Strength is the penalty's, Searched that inner windows found it.
	Strength float64
	Searched bool
}

// Pool is what the series of a group share.
type Pool struct {
	Ahead   feature.Recipe // columns that are known ahead
	Outside Equation       // on them
	// Departure is how firmly series are held to its calendar, EffectDeparture to its drivers
	// and events; 0 where nothing is shared.
	Departure, EffectDeparture float64
	Recipe                     feature.Recipe // columns of the past, of what the equation above leaves
	Logs                       bool
	Diff                       bool
	Steps                      []Equation // a step ahead; the first alone where all go on from it
	Mode                       string
	Series                     int
	Ranks                      [][]ranked
	Horizon                    int

	cache groupCache
}

// State is a series under its pool's equations.
type State struct {
	Pool    *Pool
	Outside Equation // the pool's, with the series' own departures
	Scale   single.Scale
	Own     []float64 // intercepts, a step each
	Sigma   []float64 // of the errors, a step each, on the working scale
	Free    float64
	Errors  [][]float32 // rows of errors at the steps from one origin, unknown ones NaN
	Values  []float64
	Used    int
	In      []float64
	Seed    uint64
	Notes   []string
	Odd     []int // places of values that count for nothing
	in      panel.SeriesView
}

// series is one that takes part, while it is fitted.
type series struct {
	in      single.Input
	scale   single.Scale
	whole   []float64 // on the working scale
	y       []float64 // less what is explained from outside
	outside Equation  // the pool's, with the series' own departures
	ahead   *feature.Rows
	rows    *feature.Rows
	odd     []int // places of values that count for nothing
}

// Fit fits a series alone.
func (m Method) Fit(ctx context.Context, in single.Input) (single.State, error) {
	list, err := m.fit(ctx, in.View().Pick(nil), []single.Input{in}, 1)
	if err != nil {
		return nil, err
	}
	return list[0], nil
}

// fit fits the series of a group together.
func (m Method) fit(ctx context.Context, v panel.View, inputs []single.Input, workers int) ([]*State, error) {
	p, list, err := m.lay(v, inputs)
	if err != nil {
		return nil, err
	}
	if err := p.explain(ctx, m, list, workers); err != nil {
		return nil, err
	}
	if m.Robust && takeOut(list) {
		if err := p.explain(ctx, m, list, workers); err != nil {
			return nil, err
		}
		for i := range list {
			calm(list[i].y, list[i].odd)
		}
	}
	// Errors that add up over many periods are better told in changes: both are tried.
	tries := []bool{m.Scale == "difference"}
	if m.Scale == "" && p.hasLevels() {
		tries = []bool{false, true}
	}
	var best *search
	for _, diff := range tries {
		p.Diff = diff
		s := p.searchSteps(m, list)
		if err := s.run(ctx, workers); err != nil {
			return nil, err
		}
		if best == nil || s.score < best.score {
			best = s
		}
	}
	p.Diff = best.diff
	p.Steps = best.finish()
	if p.Steps[0].Rows < fewestRows {
		p.repeat()
	}
	out := make([]*State, len(list))
	err = inParallel(ctx, workers, len(list), func(i int) {
		out[i] = p.settle(&list[i])
	})
	if err != nil {
		return nil, err
	}
	if m.Quantiles {
		p.rank(list, out)
	}
	return out, nil
}

// lay reads the features and lays out the rows of each series.
func (m Method) lay(v panel.View, inputs []single.Input) (*Pool, []series, error) {
	setting := settingOf(v, inputs)
	logs := m.Scale == "log" || m.Scale == "" && preferLogs(inputs)
	lines := m.Lines
	if lines == nil {
		lines = feature.Usual(setting, m.Own, m.Outside)
		if logs {
			lines = withLogs(lines, setting, inputs)
		}
	}
	recipe, err := feature.Parse(lines, setting)
	if err != nil {
		return nil, nil, err
	}
	p := &Pool{Logs: logs, Mode: m.Steps, Series: len(inputs), Horizon: max(1, inputs[0].Horizon)}
	p.Ahead, p.Recipe = recipe.Split()
	list := make([]series, len(inputs))
	groups := p.groupsAt(inputs[0].View())
	for i, in := range inputs {
		s := &list[i]
		s.in, s.scale = in, single.LevelScale(in.Values)
		if logs {
			if low := lowest(in.Values); low < 0 {
				return nil, nil, fmt.Errorf("logs need values from zero up, and %s goes down to %.6g: set scale to level", in.Key, low)
			}
			s.scale = single.LogScale(in.Values)
		}
		s.whole = make([]float64, len(in.Values))
		for k, x := range in.Values {
			s.whole[k] = s.scale.To(x)
		}
		s.y = slices.Clone(s.whole)
		if s.ahead, err = p.Ahead.Lay(in.SeriesView, s.whole, p.Horizon, nil); err != nil {
			return nil, nil, err
		}
		if s.rows, err = p.Recipe.Lay(in.SeriesView, s.y, p.Horizon, groups); err != nil {
			return nil, nil, err
		}
	}
	return p, list, nil
}

// settingOf is what the lines are read against: for a series alone, without what only
// differs between series.
func settingOf(v panel.View, inputs []single.Input) feature.Setting {
	if len(inputs) == 1 {
		s := feature.SettingOf(inputs[0].View().Pick(nil), inputs[0].Horizon)
		s.Length = len(inputs[0].Values)
		for _, e := range inputs[0].Events() {
			if !slices.Contains(s.Events, e.Name) {
				s.Events = append(s.Events, e.Name)
			}
		}
		slices.Sort(s.Events)
		return s
	}
	return feature.SettingOf(v, inputs[0].Horizon)
}

// preferLogs is what most of the series prefer, if all can have it.
func preferLogs(inputs []single.Input) bool {
	votes := 0
	for _, in := range inputs {
		if lowest(in.Values) < 0 {
			return false
		}
		if single.OftenZero(in.Values) {
			continue
		}
		shifted := in.Values
		if shift := single.LogScale(in.Values).Shift; shift > 0 {
			shifted = slices.Clone(shifted)
			for i := range shifted {
				shifted[i] += shift
			}
		}
		if arima.PrefersLogs(shifted, in.Cadence().Season()) {
			votes++
		}
	}
	return 2*votes > len(inputs)
}

func lowest(values []float64) float64 {
	low := math.Inf(1)
	for _, v := range values {
		if panel.Known(v) {
			low = math.Min(low, v)
		}
	}
	return low
}

// withLogs takes drivers that are above zero in logs, whose coefficients are elasticities.
func withLogs(lines []string, s feature.Setting, inputs []single.Input) (out []string) {
	for _, line := range lines {
		if line != "drivers" {
			out = append(out, line)
			continue
		}
		for d, driver := range s.Drivers {
			if !driver.KnownAhead {
				continue
			}
			positive := true
			for _, in := range inputs {
				positive = positive && lowest(in.Driver(d, len(in.Values)+in.Horizon)) > 0
			}
			if positive {
				out = append(out, "driver "+driver.Name+" log")
			} else {
				out = append(out, "driver "+driver.Name)
			}
		}
	}
	return out
}

// takeOut makes odd values of every series unknown, and says whether there were any.
func takeOut(list []series) (any bool) {
	for i := range list {
		s := &list[i]
		if single.OftenZero(s.in.Values) {
			continue
		}
		s.odd = findOdd(s.y)
		for _, k := range s.odd {
			s.whole[k], any = panel.Unknown, true
		}
	}
	return any
}

// explain fits the equation of what is known ahead, and takes what it says out of every
// series.
func (p *Pool) explain(ctx context.Context, m Method, list []series, workers int) error {
	n := len(p.Ahead.Columns)
	if n == 0 {
		return nil
	}
	for i := range list {
		copy(list[i].y, list[i].whole)
	}
	s := &search{method: m, list: list, columns: n, from: 0, steps: 1, start: func(int) int { return 0 },
		read: func(s *series, at, _ int, x []float64) (float64, bool) {
			if !panel.Known(s.whole[at]) {
				return 0, false
			}
			s.ahead.FillAhead(at, x)
			return s.whole[at], true
		}}
	if err := s.run(ctx, 1); err != nil {
		return err
	}
	p.Outside = s.finish()[0]
	for i := range list {
		list[i].outside = p.Outside
	}
	if len(list) > 1 {
		if err := p.depart(ctx, s, workers); err != nil {
			return err
		}
	}
	x := make([]float64, n)
	for i := range list {
		for t := range list[i].y {
			list[i].ahead.FillAhead(t, x)
			list[i].y[t] -= list[i].outside.at(x)
		}
	}
	return nil
}

// searchSteps is the search for the equations of the past.
func (p *Pool) searchSteps(m Method, list []series) *search {
	return &search{method: m, list: list, columns: len(p.Recipe.Columns), from: 1, steps: p.steps(), start: p.start, read: p.row, diff: p.Diff}
}

func (p *Pool) hasLevels() bool {
	return slices.ContainsFunc(p.Recipe.Columns, func(c feature.Column) bool { return c.Level })
}

// repeat makes equations that repeat the last value: there are too few rows for others.
func (p *Pool) repeat() {
	n := len(p.Recipe.Columns)
	p.Diff = true
	for k := range p.Steps {
		p.Steps[k] = Equation{Center: make([]float64, n), Beta: make([]float64, n), Spread: make([]float64, n)}
	}
	p.Recipe.Notes = append(p.Recipe.Notes, "the history is too short for an equation: the last value is repeated")
}

// steps is how many equations there are.
func (p *Pool) steps() int {
	if p.Mode == "recursive" {
		return 1
	}
	return p.Horizon
}

// start is the first origin whose columns are mostly known.
func (p *Pool) start(n int) int {
	reach := 1
	for i := range p.Recipe.Columns {
		reach = max(reach, p.Recipe.Columns[i].Reach(p.Recipe.Season))
	}
	return min(reach, n/3) - 1
}

// row fills x with the columns of the past and gives the target: the value, or its change
// since the origin. It is false where the target is unknown.
func (p *Pool) row(s *series, origin, step int, x []float64) (target float64, ok bool) {
	target = s.y[origin+step]
	if !panel.Known(target) || len(s.odd) > 0 && slices.Contains(s.odd, origin+step) {
		return 0, false
	}
	s.rows.Fill(origin, step, x)
	base, ok := p.relative(s.y[origin], x)
	return target - base, ok
}

// relative moves columns on the measure's scale by the origin's value, where changes are
// learnt.
func (p *Pool) relative(last float64, x []float64) (base float64, ok bool) {
	if !p.Diff {
		return 0, true
	}
	if !panel.Known(last) {
		return 0, false
	}
	for k := range p.Recipe.Columns {
		if p.Recipe.Columns[k].Level {
			x[k] -= last
		}
	}
	return last, true
}

// at is the equation's value on a row; what is unknown counts as usual.
func (e *Equation) at(x []float64) (sum float64) {
	for k, b := range e.Beta {
		if d := x[k] - e.Center[k]; d == d {
			sum += b * d
		}
	}
	return sum
}

// fewestRows is the number of rows below which a step has no equation of its own.
const fewestRows = 6

// settle gives a series its intercepts and the errors of the equations on it.
func (p *Pool) settle(s *series) *State {
	n, h := len(s.y), p.steps()
	st := &State{Pool: p, Outside: s.outside, Odd: s.odd, Scale: s.scale, Own: make([]float64, h), Sigma: make([]float64, h), Values: s.in.Values, Used: n, Seed: s.in.Seed, In: make([]float64, n), in: s.in.SeriesView}
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
			if o+step >= n {
				continue
			}
			if target, ok := p.row(s, o, step, x); ok {
				rest[o] = target - e.at(x)
				sum, count = sum+rest[o], count+1
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

// Advance takes further values: the equations stay.
func (s *State) Advance(v panel.SeriesView, from int) error {
	s.Values = append(slices.Clone(s.Values), v.Values[from:]...)
	s.in = v
	return nil
}

// Fitted gives the forecasts one step ahead.
func (s *State) Fitted() []float64 { return s.In }

// See lets a description show drivers and events ahead.
func (s *State) See(v panel.SeriesView) {
	if v.Values != nil {
		s.in = v
	}
}

// scaleWords says what numbers on the working scale are.
func (s *State) scaleWords() string {
	words := []string{"level"}
	if s.Pool.Logs {
		words[0] = "logs"
	}
	if s.Pool.Diff {
		words = append(words, "changes since the origin")
	}
	return strings.Join(words, ", as ")
}

// trainable makes the model of a method.
func trainable(m Method, by string, b single.Bounds) model.Model {
	if by == "" {
		return single.Model(m, b)
	}
	return together{m, by, b}
}
