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
	"slices"
	"strings"

	"paperkettle/core/calendar"
	"paperkettle/core/feature"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

func init() {
	gob.Register(&State{})
	gob.Register(&Pool{})
}

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
	Memory    int      // of how many of the last periods it learns; 0 for as inner windows say
	Belief    float64  // share of the change since the origin that is believed

	zeroLogs   bool  // drivers with zeros in logs too, where the measure is
	logs, diff *bool // as inner windows have it
	both       bool  // the mean of an equation of levels and one of changes
	twin       bool  // the mean with the same on the other scale
	thin       int   // of a trial: every how many rows are taken
	season     int   // that the calendar does not know; -1 for none, 0 where nothing was asked
	trials     []string
	widening   single.Widening // of every series, and of those that were asked
	widenings  map[string]single.Widening
}

// Equation is a regression on centred columns.
type Equation struct {
	Center []float64
	Beta   []float64
	Cov    []float32 // of Beta, row by row; none where nobody asks
	Spread []float64 // of the columns
	Own    float64   // intercept that series without one of their own have
	Last   float64   // weight of the origin's value, beside what its column has
	Used   float64   // effective number of coefficients
	Rows   int
	// Strength is the penalty's, Searched that inner windows found it.
	Strength float64
	Searched bool
}

// PartDeparture is how firmly series are held to what a driver, or a part of the calendar, does to all of them.
type PartDeparture struct {
	Part     string
	Driver   bool
	Strength float64
}

// Pool is what the series of a group share.
type Pool struct {
	Ahead   feature.Recipe // columns that are known ahead
	Outside Equation       // on them
	// Departure is how firmly series are held to its calendar, EffectDeparture to its drivers
	// and events; 0 where nothing is shared.
	Departure, EffectDeparture float64
	PartDepartures             []PartDeparture // of each of several drivers, and parts of the calendar
	Recipe                     feature.Recipe  // columns of the past, of what the equation above leaves
	Logs                       bool
	Diff                       bool
	Steps                      []Equation // a step ahead; the first alone where all go on from it
	Mode                       string
	Series                     int
	Ranks                      [][]ranked
	Horizon                    int
	Belief                     float64
	Trials                     []string // what inner windows said
	Twin                       *Pool    // on the other scale, or nil

	cache groupCache
	thin  int     // of a trial: every how many origins are taken
	usual float64 // mean of the series, less what is explained from outside
	apart float64 // how many series they are worth to the equations of the past
}

// State is a series under its pool's equations.
type State struct {
	Pool    *Pool
	Outside Equation // the pool's, with the series' own departures
	Scale   single.Scale
	Own     []float64 // intercepts, a step each
	Sigma   []float64 // of the errors, a step each, on the working scale
	Held    []float64 // of which this factor is of a step before, where few errors tell; nil where it is of none
	Free    float64
	Errors  [][]float32 // rows of errors at the steps from one origin, unknown ones NaN
	Values  []float64
	Used    int
	In      []float64
	Seed    uint64
	Notes   []string
	Odd     []int  // places of values that count for nothing
	Before  int    // periods that the fit left out, longest ago
	Twin    *State // on the other scale, with which the mean is taken; or nil
	in      panel.SeriesView
}

// series is one that takes part, while it is fitted.
type series struct {
	in      single.Input
	scale   single.Scale
	whole   []float64  // on the working scale
	y       []float64  // less what is explained from outside
	past    []float64  // the same as columns of the past read it
	outside Equation   // the pool's, with the series' own departures
	line    [2]float64 // through it, on the working scale
	moves   []drift    // of the columns of drivers, where the line was taken out
	ahead   *feature.Rows
	rows    *feature.Rows
	odd     []int // places of values that count for nothing
}

// Fit fits a series alone.
func (m Method) Fit(ctx context.Context, in single.Input) (single.State, error) {
	alone, inputs := in.View().Pick(nil), []single.Input{in}
	m, err := m.choose(ctx, alone, inputs, model.Env{Workers: 1})
	if err != nil {
		return nil, err
	}
	list, err := m.fit(ctx, alone, inputs, 1)
	if err != nil {
		return nil, err
	}
	return list[0], nil
}

// fit fits the series of a group together, on one scale or on both.
func (m Method) fit(ctx context.Context, v panel.View, inputs []single.Input, workers int) ([]*State, error) {
	out, err := m.fitScale(ctx, v, inputs, workers)
	if err != nil || !m.twin {
		return out, err
	}
	other := m
	other.logs = new(bool)
	*other.logs = !out[0].Pool.Logs
	twins, err := other.fitScale(ctx, v, inputs, workers)
	if err != nil {
		return nil, err
	}
	out[0].Pool.Twin = twins[0].Pool
	for i, s := range out {
		s.Twin = twins[i]
	}
	return out, nil
}

// fitScale fits the series of a group together, on one scale.
func (m Method) fitScale(ctx context.Context, v panel.View, inputs []single.Input, workers int) ([]*State, error) {
	recent := slices.Clone(inputs)
	before := make([]int, len(inputs))
	for i := range recent {
		if m.Memory > 0 {
			recent[i].SeriesView = recent[i].Last(m.Memory)
		}
		before[i] = len(inputs[i].Values) - len(recent[i].Values)
	}
	p, list, err := m.lay(v, recent)
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
	for i := range list {
		carry(list[i].past, list[i].y)
	}
	if err := p.learn(ctx, m, list, workers); err != nil {
		return nil, err
	}
	p.apart = apart(list)
	if p.Steps[0].Rows < fewestRows {
		p.repeat()
	}
	p.believe(m.Belief)
	p.Trials = m.trials
	for i := range list {
		if mean := num.KnownMean(list[i].y); panel.Known(mean) {
			p.usual += mean / float64(len(list))
		}
	}
	out := make([]*State, len(list))
	err = num.Each(ctx, workers, len(list), func(i int) {
		out[i] = p.settle(&list[i])
		out[i].Before = before[i]
		if !m.Quantiles {
			out[i].forget()
		}
	})
	if err != nil {
		return nil, err
	}
	if m.Quantiles {
		if err := p.rank(ctx, list, out, workers); err != nil {
			return nil, err
		}
		for _, s := range out {
			s.forget()
		}
	}
	return out, nil
}

// learn finds the equations of the steps. Errors that add up over many periods are better told in
// changes, others in levels: both are tried, or their mean is taken.
func (p *Pool) learn(ctx context.Context, m Method, list []series, workers int) error {
	tries := []bool{m.Scale == "difference" || m.diff != nil && *m.diff}
	if m.Scale == "" && (m.both || m.diff == nil) && p.hasLevels() {
		tries = []bool{false, true}
	}
	found := make([]*search, len(tries))
	best := 0
	for i, diff := range tries {
		p.Diff = diff
		found[i] = p.searchSteps(m, list)
		if err := found[i].run(ctx, workers); err != nil {
			return err
		}
		if found[i].score < found[best].score {
			best = i
		}
	}
	if m.both && len(tries) == 2 {
		p.Diff = false
		p.Steps = p.mean(found[0].finish(), found[1].finish())
		return nil
	}
	p.Diff = found[best].diff
	p.Steps = found[best].finish()
	return nil
}

// mean is the equation of levels that says what one of levels and one of changes since the origin
// say in the mean, step by step: a change b (x - last - c) on a column of the measure's scale is
// b x - b c with -b of the origin's value, of which the change itself has all.
func (p *Pool) mean(levels, changes []Equation) []Equation {
	out := make([]Equation, len(levels))
	for k := range levels {
		l, c := &levels[k], &changes[k]
		e := *l
		e.Beta = make([]float64, len(l.Beta))
		e.Own, e.Last, e.Used = (l.Own+c.Own)/2, 0.5, (l.Used+c.Used)/2
		for j := range e.Beta {
			e.Beta[j] = (l.Beta[j] + c.Beta[j]) / 2
			e.Own += c.Beta[j] * (l.Center[j] - c.Center[j]) / 2
			if p.Recipe.Columns[j].Level {
				e.Last -= c.Beta[j] / 2
			}
		}
		if l.Rows < fewestRows { // nothing was learnt: the last value stands for all
			e.Last = 1
		}
		out[k] = e
	}
	return out
}

// row fills x with the columns of the past and gives the target: the value, or its change
// since the origin. It is false where the target is unknown.
func (p *Pool) row(s *series, origin, step int, x []float64) (target float64, ok bool) {
	if target, ok = p.target(s, origin, step); !ok {
		return 0, false
	}
	s.rows.Fill(origin, step, x)
	_, ok = p.relative(s.past[origin], x)
	return target, ok
}

// target is what a row's equation is to say; not ok where it is unknown, or counts for nothing.
func (p *Pool) target(s *series, origin, step int) (target float64, ok bool) {
	target = s.y[origin+step]
	if !panel.Known(target) || len(s.odd) > 0 && slices.Contains(s.odd, origin+step) {
		return 0, false
	}
	if p.Diff {
		target -= s.past[origin]
	}
	return target, panel.Known(target)
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

// over is the equation's value on the first n periods of rows that are known ahead: what at gives row by row, a column at
// a time, for these lie together.
func (e *Equation) over(rows *feature.Rows, n int) []float64 {
	out := make([]float64, n)
	for k, b := range e.Beta {
		if b == 0 {
			continue
		}
		center := e.Center[k]
		for t, x := range rows.Ahead(k, n) {
			if d := x - center; d == d {
				out[t] += b * d
			}
		}
	}
	return out
}

// Advance takes further values: the equations stay.
func (s *State) Advance(v panel.SeriesView, from int) error {
	s.Values = append(slices.Clone(s.Values), v.Values[from:]...)
	s.in = v
	if s.Twin != nil {
		return s.Twin.Advance(v, from)
	}
	return nil
}

// Fitted gives the forecasts one step ahead.
func (s *State) Fitted() []float64 {
	out := append(slices.Repeat([]float64{panel.Unknown}, s.Before), s.In...)
	if s.Twin != nil {
		average(out, s.Twin.Fitted())
	}
	return out
}

// See lets a description show drivers and events ahead.
func (s *State) See(v panel.SeriesView) {
	if v.Values == nil {
		return
	}
	s.in = v
	if s.Twin != nil {
		s.Twin.See(v)
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
	if s.Pool.Steps[0].Last != 0 {
		words = append(words, "the mean of levels and changes since the origin")
	}
	return strings.Join(words, ", as ")
}

// trainable makes the model of a method.
func trainable(m Method, by string, b single.Bounds) model.Model {
	if by == "" {
		return single.Model(m, b)
	}
	return single.Together(together{method: m}, by, b)
}

// LeavesOutOdd says that mistakes are left out: inner windows, which lay memory and widths, would be of
// little else.
func (m Method) LeavesOutOdd() bool { return true }

// TakesDays says that it may be fitted to what the calendar's days leave: where it reads the calendar, by no features of the
// user's own.
func (m Method) TakesDays() bool { return m.Outside && m.Lines == nil }

// besideDrivers is how many rounds of a season must be seen for it to be told from the calendar, beside drivers, as well as
// from what all series tell of it together: of one as short as months' in a year, and of longer ones, as weeks' are.
const besideDrivers, besideDriversLong, longSeason = 2.0, 1.5, 24

// TakesRest says that it may be fitted to what a season of few rounds leaves: where it reads the calendar by itself.
// Beside drivers it does better by the calendar, but where that was hardly seen.
func (m Method) TakesRest(in single.Input) bool {
	if m.Lines != nil || !m.Outside {
		return false
	}
	season, rounds := in.Cadence().Season(), besideDrivers
	if season > longSeason {
		rounds = besideDriversLong
	}
	driven := single.Driven(in.View())
	return driven == 0 || driven <= single.MostDriven && float64(len(in.Values)) < rounds*float64(season)
}

// TakesYear says that it may be fitted to what the season of the year leaves of daily series, or the week of series within
// days: where it reads the calendar by itself.
func (m Method) TakesYear(v panel.View) bool {
	driven := single.Driven(v)
	if single.WithinDays(v) {
		return m.TakesDays() && driven == 0
	}
	return m.TakesDays() && v.Cadence().Unit == calendar.Day && driven <= single.MostDriven
}

// fewWeeks are enough, of series within days, for what all tell of their week together to be better than what linear does by
// itself, and from manyWeeks on it is told from the calendar.
const fewWeeks, manyWeeks = 2.5, 4.0

// TellsYear says that a series has seen so many years, or weeks within days, that their season is told from the calendar.
func (m Method) TellsYear(in single.Input) bool {
	if single.WithinDays(in.View()) {
		return !single.ManyWeeks(in, fewWeeks) || single.ManyWeeks(in, manyWeeks)
	}
	return single.ManyYears(in)
}

// TakesDrivers says that it tells what drivers do.
func (m Method) TakesDrivers(panel.View) bool { return true }
