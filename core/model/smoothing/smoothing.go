// Package smoothing is exponential smoothing in state-space form: every admissible form
// of error, trend and season, fitted by maximum likelihood and chosen by the corrected
// Akaike criterion. Seasons too long for states of their own are described by harmonics
// with smoothed errors.
//
// Source: Hyndman, Koehler, Ord and Snyder, Forecasting with Exponential Smoothing: The
// State Space Approach (2008); the corrected criterion for it: Hyndman, Koehler, Snyder
// and Grose, International Journal of Forecasting 18 (2002).
package smoothing

import (
	"cmp"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"math"
	"slices"
	"sync"

	"paperkettle/core/model"
	"paperkettle/core/model/harmonic"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

func init() { gob.Register(&State{}) }

// Method fits exponential smoothing.
type Method struct {
	Allowed limits
	Season  int  // periods in the season with states of its own; 0: the cadence's
	Long    bool // look for longer seasons too
	// Averaged mixes the forms whose criterion is near the lowest, by Akaike's weights,
	// rather than to take the lowest alone.
	Averaged bool
	Calm     bool // the level follows the series slowly
}

// LeavesOutOdd says that mistakes are left out: each would go on in level and season.
func (m Method) LeavesOutOdd() bool { return true }

// Auto is the method with all left to the data.
func Auto() Method { return Method{Long: true, Averaged: true} }

// Trends restricts a method to kinds of trend.
func (m Method) Trends(list ...Trend) Method {
	m.Allowed.Trends = list
	return m
}

// Blind says that it sees no events.
func (m Method) Blind() bool { return true }

// TakesDays says that it may be fitted to what the calendar's days leave.
func (m Method) TakesDays() bool { return true }

// TakesLong says that a long season is told by all series together too.
func (m Method) TakesLong() bool { return true }

// TakesRest says that forms may be fitted to what a season of few rounds leaves, where none was set or ruled out.
func (m Method) TakesRest(single.Input) bool {
	return m.Season == 0 && m.Allowed.Season == "" && m.Allowed.Form == nil
}

// TakesYear says that forms may be fitted to what the season of the year leaves, where no season was set or ruled out.
func (m Method) TakesYear(panel.View) bool { return m.TakesRest(single.Input{}) }

// NoSeason restricts a method to forms without a season.
func (m Method) NoSeason() Method {
	m.Allowed.Season, m.Long = "none", false
	return m
}

// Only restricts a method to one form.
func (m Method) Only(f Form) Method {
	m.Allowed.Form = &f
	return m
}

// State is a fitted form, at the end of what it has seen.
type State struct {
	Form     Form
	Season   int
	Long     []harmonic.Terms
	First    params // before the first period
	Now      params // after the last known one; its season starts at the next period
	Quiet    int    // unknown values since
	Scale    float64
	Sigma2   float64 // scaled
	Free     float64 // degrees of freedom of Sigma2
	Loglik   float64
	AICc     float64
	Ordinal  int64 // of the first value
	Values   []float64
	Used     int // how many of them it was fitted to
	Seed     uint64
	Runners  []model.Candidate
	Cautions []string
	Why      string     // where it is not the lowest criterion
	Doubts   []params   // drawn around First: what the data leave open
	Share    float64    // of a mix; 0 where it stands alone
	near     []estimate // all forms, best first, while it is fitted
	open     []State    // under each of Doubts, once they were asked for
	coarse   bool       // few futures do
	advanced bool       // it has seen values beyond those it was fitted to
}

// Averaging takes forms whose criterion is at most farthest above the lowest, at most
// mostMixed of them. A straight trend, which goes on for ever, has to earn straightCost
// first: damped trends forecast better as a rule (Gardner, International Journal of
// Forecasting 22, 2006, section 3.2).
const (
	farthest     = 8
	mostMixed    = 6
	straightCost = 0.5
)

// cost is the criterion that a form is weighed by.
func (e *estimate) cost() float64 {
	if e.form.Trend == Straight {
		return e.aicc + straightCost
	}
	return e.aicc
}

// averaged mixes the forms near the lowest criterion by Akaike's weights.
//
// Source: Burnham and Anderson, Model Selection and Multimodel Inference, 2nd ed. 2002,
// section 2.9; for exponential smoothing Kolassa, International Journal of Forecasting 27
// (2011).
func (s *State) averaged(f *fitter) single.State {
	mix := &single.Mix{}
	list := s.near
	s.near = nil
	slices.SortStableFunc(list, func(a, b estimate) int { return cmp.Compare(a.cost(), b.cost()) })
	for i, e := range list {
		behind := e.cost() - list[0].cost()
		if behind > farthest || i == mostMixed {
			break
		}
		part := *s
		part.set(e, s.Season, s.Long)
		part.Doubts = f.doubt(&e, s.Seed)
		part.Why = "forms near the lowest AICc, weighed by how near they are"
		part.rest()
		mix.Add(e.form.String(), &part, math.Exp(-behind/2))
	}
	if len(mix.Parts) < 2 {
		return s
	}
	mix.Close()
	return mix
}

var fitters = sync.Pool{New: func() any { return &fitter{} }}

// statesUpTo is the longest season that gets a state a place after two rounds; longer
// ones need longRounds, or harmonics.
const (
	statesUpTo = 24
	longRounds = 8
)

// roundsNeeded is how many seasons must have passed before one of m periods can be told.
func roundsNeeded(m int) int {
	if m > statesUpTo {
		return longRounds
	}
	return 2
}

// fit fits under settings that leave nothing to inner windows.
func (m Method) fit(in single.Input) (single.State, error) {
	f := fitters.Get().(*fitter)
	defer fitters.Put(f)
	if f.top = 0; m.Calm {
		f.top = calmTop
	}
	s := &State{Ordinal: in.Ordinal(), Values: in.Values, Used: len(in.Values), Seed: in.Seed}
	list, season, err := m.list(f, s, in)
	if err != nil {
		return nil, err
	}
	if longer, week := m.nested(f, s, in, season); len(longer) > 0 && longer[0].aicc < list[0].aicc {
		list, season = longer, week
	} else {
		f.reset(in.Values, season, s.Scale) // as it was
	}
	s.take(list, season, nil)
	if m.Long && m.Allowed.Season != "none" {
		s.tryLong(f, m, in, list, season)
	}
	if m.Averaged {
		s.rest()
		return s.averaged(f), nil
	}
	s.Doubts = f.doubt(&s.near[0], s.Seed)
	s.near = nil
	s.rest()
	return s, nil
}

// list fits every form that may be, best first, and gives the season that they have.
func (m Method) list(f *fitter, s *State, in single.Input) (list []estimate, season int, err error) {
	s.Scale = num.MeanSize(in.Values)
	positive := above(in.Values, 1e-9*s.Scale)
	if m.Allowed.Form != nil && m.Allowed.Form.Positive() && !positive {
		return nil, 0, fmt.Errorf("form %s needs values above zero, and the series has others: take one of the A forms", m.Allowed.Form)
	}
	season = m.short(in)
	known := panel.CountKnown(in.Values)
	if season > 1 && (known < roundsNeeded(season)*season || m.Allowed.Season == "none") {
		if m.Allowed.Season != "none" && m.Allowed.Form == nil {
			s.Cautions = append(s.Cautions, fmt.Sprintf("the history is too short for a season of %d: none is modelled", season))
		}
		season = 1
	}
	f.reset(in.Values, season, s.Scale)
	f.starts(positive)
	list = f.search(m.Allowed, positive, season)
	if len(list) == 0 {
		return nil, 0, m.refusal(season, known)
	}
	return list, season, nil
}

// weeksNeeded is how many weeks give a week of hours states of its own.
const weeksNeeded = 3

// nested tries the season that holds the shortest one several times over, a week of days,
// as states of their own: days of the week differ by steps, which harmonics do not follow.
func (m Method) nested(f *fitter, s *State, in single.Input, season int) ([]estimate, int) {
	list := in.Seasons()
	if !m.Long || m.Season > 0 || m.Allowed.Season == "none" || season < 2 || len(list) < 3 {
		return nil, 0
	}
	week := int(list[1])
	if week%season != 0 || f.known < weeksNeeded*week {
		return nil, 0
	}
	f.reset(in.Values, week, s.Scale)
	positive := above(in.Values, 1e-9*s.Scale)
	f.starts(positive)
	var out []estimate
	for _, e := range f.search(m.Allowed, positive, week) {
		if e.form.Season != 'N' {
			out = append(out, e)
		}
	}
	return out, week
}

func (m Method) refusal(season, known int) error {
	if m.Allowed.Form != nil && m.Allowed.Form.Season != 'N' && season < 2 {
		return errors.New("the form has a season, and the series has none that two rounds of it show: fix the season's length, or take a form without")
	}
	return fmt.Errorf("no form can be fitted to %d known values", known)
}

// short is the season with states of its own: as set, or the cadence's shortest where it
// is short, or long in force.
func (m Method) short(in single.Input) int {
	if m.Season > 0 {
		return m.Season
	}
	season := in.Season()
	if season > statesUpTo && single.Span(in.Values) < longRounds*season {
		return 1 // harmonics serve it
	}
	return season
}

// take makes the best of a list the state's form.
func (s *State) take(list []estimate, season int, long []harmonic.Terms) {
	s.near = list
	s.set(list[0], season, long)
	s.Runners = s.Runners[:0]
	known := float64(panel.CountKnown(s.Values))
	for _, c := range list {
		name := c.form.String()
		if len(long) > 0 {
			name += " with harmonics"
		}
		s.Runners = append(s.Runners, model.Candidate{Form: name, Value: c.aicc + 2*known*math.Log(s.Scale)})
	}
}

// set makes an estimate the state's form.
func (s *State) set(e estimate, season int, long []harmonic.Terms) {
	s.Form, s.Season, s.Long = e.form, season, long
	s.First = e.p
	s.First.Season = append([]float64(nil), e.p.Season...)
	s.Sigma2, s.Loglik, s.AICc = e.sigma2, e.loglik, e.aicc
	// The count of an estimate with harmonics has them in already.
	s.Free = float64(max(1, panel.CountKnown(s.Values)-e.count+1))
}

// rest brings the state to the end of its values.
func (s *State) rest() {
	s.open = nil
	s.replayed()
	if len(s.Runners) > 6 {
		s.Runners = s.Runners[:6]
	}
}

// leastSeason is the least that a multiplicative season is held at.
const leastSeason = 1e-3

// push moves the states over the i-th period and gives its forecast, scaled, without
// harmonics.
func (s *State) push(y float64, i int) (mu float64) {
	p := &s.Now
	q := p.Level + p.Phi*p.Slope
	mu = q
	var old float64
	if s.Form.Season != 'N' {
		old = p.Season[0]
		if s.Form.Season == 'M' {
			mu = q * old
		} else {
			mu = q + old
		}
	}
	r := (y-s.longAt(i))/s.Scale - mu
	if r != r {
		r = 0
	}
	u, v := r, r
	if s.Form.Season == 'M' {
		u, v = r/old, r/q
	}
	p.Level, p.Slope = q+p.Alpha*u, p.Phi*p.Slope+p.Beta*u
	if s.Form.Season != 'N' {
		copy(p.Season, p.Season[1:])
		p.Season[len(p.Season)-1] = old + p.Gamma*v
		if s.Form.Season == 'M' { // a value near zero must not turn the season over
			p.Season[len(p.Season)-1] = max(p.Season[len(p.Season)-1], leastSeason)
		}
	}
	if s.Form.Positive() {
		p.Level = max(p.Level, 1e-9)
	}
	return mu
}

// see takes the i-th value. Unknown ones wait for the next known one: until then the
// forecast starts at the last that is known, and its intervals widen over them.
func (s *State) see(y float64, i int) {
	if !panel.Known(y) {
		s.Quiet++
		return
	}
	for ; s.Quiet > 0; s.Quiet-- {
		s.push(panel.Unknown, i-s.Quiet)
	}
	s.push(y, i)
}

// Advance takes further values.
func (s *State) Advance(v panel.SeriesView, from int) error {
	values := append(make([]float64, 0, len(s.Values)+len(v.Values)-from), s.Values...)
	s.advanced = s.advanced || from < len(v.Values)
	for _, y := range v.Values[from:] {
		s.see(y, len(values))
		s.followDoubts(y, len(values))
		values = append(values, y)
	}
	s.Values = values
	return nil
}

func above(y []float64, least float64) bool {
	for _, v := range y {
		if panel.Known(v) && !(v > least) {
			return false
		}
	}
	return true
}

// longEnough is the number of known values from which the form of a series is hardly one of
// chance.
const longEnough = 240

// Widen is what inner windows ask for: of a long series, of the form that it has; a search among
// all would cost as much again.
func (m Method) Widen(ctx context.Context, in single.Input, fitted single.State) single.Widening {
	return single.AskWindows(ctx, m.Narrow(in, fitted), in)
}

// Narrow is the method with the form that a long series has.
func (m Method) Narrow(in single.Input, fitted single.State) single.Method {
	if mix, ok := fitted.(*single.Mix); ok {
		fitted = mix.Parts[mix.Lead()]
	}
	if s, ok := fitted.(*State); ok && m.Allowed.Form == nil && in.Season() < statesUpTo && panel.CountKnown(in.Values) > longEnough {
		return m.Only(s.Form)
	}
	return m
}
