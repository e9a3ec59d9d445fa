// Package arima is the seasonal autoregressive integrated moving average model, with
// regressors, exact likelihood, and orders found from the data.
//
// Source: Box and Jenkins, Time Series Analysis: Forecasting and Control (1976); the
// search: Hyndman and Khandakar, Journal of Statistical Software 27 (2008).
package arima

import (
	"context"
	"encoding/gob"
	"fmt"
	"math"
	"sync"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/harmonic"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

func init() { gob.Register(&State{}) }

// Method fits ARIMA models.
type Method struct {
	Order     *Order // nil: searched for; its Season may be 0 for the cadence's
	Constant  *bool  // of a given order
	NoSeason  bool
	Season    int
	Transform string // none, log, box-cox, or empty for none or log as the data say
	Pairs     *int   // of harmonics of each long season; nil: as many as are worth it
	Drivers   bool
	Events    bool
	starts    [][]float64 // of a given order's search, besides the usual one
	warm      bool        // start from the first of starts alone
	rough     bool        // stop where the likelihood hardly rises any more
}

// LeavesOutOdd says that mistakes are left out: each would go on in level and season.
func (m Method) LeavesOutOdd() bool { return true }

// TakesDays says that it may be fitted to what the calendar's days leave.
func (m Method) TakesDays() bool { return true }

// TakesRest says that it may be fitted to what a season of few rounds leaves: where none was set or ruled out, no order
// was, and no driver may be the season's cause.
func (m Method) TakesRest(in single.Input) bool {
	return m.Season == 0 && !m.NoSeason && m.Order == nil && m.Pairs == nil && len(in.View().Drivers()) == 0
}

// TakesYear says that it may be fitted to what the season of the year leaves: where no season was set or ruled out, no order
// was, and no driver may be its cause.
func (m Method) TakesYear(v panel.View) bool {
	return m.Season == 0 && !m.NoSeason && m.Order == nil && m.Pairs == nil && len(v.Drivers()) == 0
}

// longest is the longest season that is modelled by seasonal weights; longer ones are
// described by harmonics.
const longest = 24

// State is a fitted model at the end of what it has seen.
type State struct {
	Order   Order
	X       []float64 // weights, unbounded
	Beta    []float64 // of the regressors: harmonics, drivers, events, and the constant
	Errors  []float64 // standard errors of Beta
	Names   []string  // of drivers and events
	Long    []harmonic.Terms
	Sigma2  float64
	Free    float64
	Loglik  float64
	AICc    float64
	Scale   Scale
	Ordinal int64
	Drivers int // how many drivers are regressors
	Events  []string
	// Weekends are those that are told apart on weekends and on working days, and Sundays those of them on Sundays and on
	// Saturdays.
	Weekends, Sundays []string
	Values            []float64
	Used              int
	Tried             []model.Candidate
	Why               string
	Notes             []string

	// At the end of what was seen: the ARMA state of the differenced series, its steady
	// gain, and the last levels less the regressors, on the transformed scale. Where values
	// are unknown, Open has it all.
	Arma  []float64
	Gain  []float64
	Tail  []float64
	Open  *Open
	Quiet int // unknown values at the end
	In    []float64

	Doubts []Doubt // of the coefficients
}

var fitters = sync.Pool{New: func() any { return &fitter{} }}

// Fit chooses an order, where none is given, and fits it.
func (m Method) Fit(ctx context.Context, in single.Input) (single.State, error) {
	f := fitters.Get().(*fitter)
	defer fitters.Put(f)
	values := in.Values
	quiet := 0
	for !panel.Known(values[len(values)-1]) {
		values = values[:len(values)-1]
		quiet++
	}
	s := &State{Ordinal: in.Ordinal(), Values: in.Values, Used: len(in.Values)}
	season := m.season(in)
	var err error
	if s.Scale, err = m.scale(values, season); err != nil {
		return nil, err
	}
	f.y = make([]float64, len(values))
	for i, v := range values {
		f.y[i] = s.Scale.to(v)
	}
	f.x = f.x[:0]
	if err := s.regressors(f, m, in); err != nil {
		return nil, err
	}
	e, err := m.estimate(ctx, f, s, in, season)
	if err != nil {
		return nil, err
	}
	list, weights := []estimate{e}, []float64{1}
	if m.Order == nil {
		list, weights = f.rivals(ctx, e, max(1, e.o.Season))
	}
	var states []*State
	for _, e := range list {
		x := *s
		x.Long = longWith(s.Long, e.beta)
		x.take(f, e)
		if !m.rough {
			x.doubts(f, e)
		}
		for _, each := range x.all() {
			for range quiet {
				if err := each.push(panel.Unknown, 0); err != nil {
					return nil, err
				}
			}
		}
		states = append(states, &x)
	}
	return together(states, weights), nil
}

func (m Method) season(in single.Input) int {
	season := in.Season()
	if m.Season > 0 {
		season = m.Season
	}
	if m.Order != nil && m.Order.Season > 0 {
		season = m.Order.Season
	}
	if m.NoSeason || season > longest && m.Season == 0 && (m.Order == nil || m.Order.SP+m.Order.SD+m.Order.SQ == 0) {
		season = 1
	}
	return season
}

// take makes an estimate the state, at the end of the series.
func (s *State) take(f *fitter, e estimate) {
	s.Order, s.X, s.Beta, s.Errors = e.o, e.x, e.beta, e.errs
	s.Loglik, s.AICc = e.loglik, e.aicc
	s.Free = max(1, float64(e.known-e.o.weights()-len(e.beta)))
	s.Sigma2 = e.sigma2 * float64(e.known) / s.Free
	at := 0
	for i := range s.Long {
		at += copy(s.Long[i].Coef, e.beta[at:])
	}
	f.lay(e.o)
	s.stand(f)
}

// stand walks over the series as it is laid out: the fitted values, and where it stands at its
// end.
func (s *State) stand(f *fitter) {
	f.shape.set(s.Order, s.X)
	s.In = make([]float64, s.Used)
	for i := range s.In {
		s.In[i] = panel.Unknown
	}
	level, part := f.levels(s.Beta)
	if f.open {
		s.walkOpen(f, level, part)
	} else {
		s.walk(f, level, part)
	}
}

// levels are the series less its regressors, and what these add.
func (f *fitter) levels(beta []float64) (level, part []float64) {
	level, part = make([]float64, len(f.y)), make([]float64, len(f.y))
	for i := range level {
		for k := range f.x {
			part[i] += beta[k] * f.x[k][i]
		}
		level[i] = f.y[i] - part[i]
	}
	return level, part
}

// walk leaves the fitted values, and where the series stands at its end.
func (s *State) walk(f *fitter, level, part []float64) {
	n, lost := len(f.y), s.Order.lost()
	f.filter.run(&f.shape, f.w, f.out)
	s.Arma = make([]float64, f.shape.r)
	for i := range s.Arma {
		s.Arma[i] = f.filter.state[i]
		for k, b := range s.Beta {
			s.Arma[i] -= b * f.filter.state[(k+1)*f.filter.stride+i]
		}
	}
	s.Gain = append([]float64(nil), f.filter.lastGain...)
	for t := lost; t < n; t++ {
		e := f.out[0][t-lost]
		for k, b := range s.Beta {
			e -= b * f.out[k+1][t-lost]
		}
		s.In[t] = s.Scale.from(level[t]-e*filterRoot(f, t-lost)+part[t], s.Sigma2)
	}
	s.Tail = append([]float64(nil), level[max(0, n-lost):]...)
}

// walkOpen does so where values are unknown.
func (s *State) walkOpen(f *fitter, level, part []float64) {
	n, lost := len(f.y), s.Order.lost()
	k := &f.skip
	if !f.filter.autocovariances(&f.shape) {
		return
	}
	k.set(&f.shape)
	k.mean = s.constant()
	k.start(&f.filter, &f.shape, level[:lost])
	first := make([]float64, lost)
	for i, from := range nearest(level, lost) {
		first[i] = level[from]
	}
	t := k.begin(first)
	for i := lost; i < n; i++ {
		s.In[i] = s.Scale.from(k.see(t, level[i])+part[i], s.Sigma2)
	}
	s.Open = k.kept(t)
}

// filterRoot is the standard deviation by which an innovation was divided.
func filterRoot(f *fitter, i int) float64 { return 1 / f.filter.roots[i] }

// constant is the mean of the differenced series.
func (s *State) constant() float64 {
	if !s.Order.Constant {
		return 0
	}
	return s.Beta[len(s.Beta)-1]
}

// undifference is what the past levels alone make of the next one: the levels whose
// difference with it the ARMA process forecasts.
func (s *State) undifference(level []float64) float64 {
	return -s.differenceWeights(func(lag int) float64 { return level[len(level)-lag] })
}

// differenceWeights sums (1-B)^d (1-B^s)^D over past levels, the present one left out.
func (s *State) differenceWeights(at func(lag int) float64) (sum float64) {
	weights := binomials(s.Order.D)
	seasonal := binomials(s.Order.SD)
	for j, b := range seasonal {
		for i, a := range weights {
			if lag := i + j*s.Order.Season; lag > 0 {
				sum += a * b * at(lag)
			}
		}
	}
	return sum
}

func binomials(d int) []float64 {
	return [][]float64{{1}, {1, -1}, {1, -2, 1}, {1, -3, 3, -1}}[min(d, 3)]
}

// walker steps the ARMA state by the steady gain.
type walker struct {
	shape       *shape
	state, gain []float64
}

func (s *State) walker() *walker {
	sh := &shape{}
	sh.set(s.Order, s.X)
	return &walker{shape: sh, state: make([]float64, sh.r+1), gain: s.Gain}
}

func (w *walker) step(e float64) {
	w.shape.carry(w.state, w.state[0])
	move(w.state, w.gain, e)
}

// push takes the next value, part the regressors' share of it.
func (s *State) push(y, part float64) error {
	level := panel.Unknown
	if panel.Known(y) {
		if level = s.Scale.to(y) - part; !panel.Known(level) {
			return fmt.Errorf("a value of %g has no logarithm: train the model anew, without logs", y)
		}
		s.Quiet = 0
	} else {
		s.Quiet++
		if s.Open == nil {
			s.Open = s.opened()
		}
	}
	if s.Open != nil {
		k, t := s.resume(s.Open)
		k.see(t, level)
		s.Open = k.kept(t)
		return nil
	}
	w := s.walker()
	copy(w.state, s.Arma)
	base := 0.0
	if len(s.Tail) > 0 {
		base = s.undifference(s.Tail)
	}
	w.step(level - base - s.constant() - w.state[0])
	copy(s.Arma, w.state)
	if len(s.Tail) > 0 {
		copy(s.Tail, s.Tail[1:])
		s.Tail[len(s.Tail)-1] = level
	}
	return nil
}

// Advance takes further values.
func (s *State) Advance(v panel.SeriesView, from int) error {
	values := append([]float64(nil), s.Values...)
	for i, y := range v.Values[from:] {
		for _, x := range s.all() {
			if err := x.push(y, x.regress(v, from+i)); err != nil {
				return err
			}
		}
		values = append(values, y)
	}
	s.Values = values
	return nil
}

// Forecast continues the series: normal on the transformed scale, by the weights of past
// errors.
func (s *State) Forecast(v panel.SeriesView, out forecast.Rows) error {
	mu, variance, err := s.ahead(v, len(s.Values), len(out.Mean))
	if err == nil {
		err = s.spread(v, mu, variance)
	}
	if err != nil {
		return err
	}
	free := int(min(s.Free, 1000))
	for k, m := range mu {
		wide := math.Sqrt(variance[k])
		out.Mean[k] = s.Scale.from(m, variance[k])
		q := out.At(k)
		for g, t := range forecast.Student(free) {
			q[g] = s.Scale.back(m + wide*t)
		}
	}
	return nil
}

// ahead are the h values after the n-th on the transformed scale, and their variances.
func (s *State) ahead(v panel.SeriesView, n, h int) (mu, variance []float64, err error) {
	mu, variance = s.levelsAhead(h)
	for k := range mu {
		part, err := s.partAhead(v, n, k)
		if err != nil {
			return nil, nil, err
		}
		mu[k] += part
	}
	return mu, variance, nil
}

// levelsAhead are the next h levels less the regressors, and their variances.
func (s *State) levelsAhead(h int) (level, variance []float64) {
	level, variance = make([]float64, h), make([]float64, h)
	if s.Open != nil {
		k, t := s.resume(s.Open)
		for i := range level {
			level[i] = k.see(t, panel.Unknown)
			variance[i] = s.Sigma2 * k.ahead
		}
		return level, variance
	}
	w := s.walker()
	copy(w.state, s.Arma)
	tail := append(make([]float64, 0, len(s.Tail)+h), s.Tail...)
	sum := 0.0
	for i, psi := range s.Psi(h) {
		base := 0.0
		if len(s.Tail) > 0 {
			base = s.undifference(tail)
		}
		level[i] = base + s.constant() + w.state[0]
		w.step(0)
		tail = append(tail, level[i])
		sum += psi * psi
		variance[i] = s.Sigma2 * sum
	}
	return level, variance
}

// Psi are the weights of the errors: what one moves, on the transformed scale, k periods
// later; over the unknown values at the end and h steps.
func (s *State) Psi(h int) []float64 {
	sh := &shape{}
	sh.set(s.Order, s.X)
	n := h + s.Quiet
	psi := make([]float64, n)
	for k := range psi {
		if k < len(sh.theta) {
			psi[k] = sh.theta[k]
		}
		for i := 1; i <= min(k, len(sh.phi)); i++ {
			psi[k] += sh.phi[i-1] * psi[k-i]
		}
	}
	// Undone differences add up what went before.
	for range s.Order.D {
		for k := 1; k < n; k++ {
			psi[k] += psi[k-1]
		}
	}
	for range s.Order.SD {
		for k := s.Order.Season; k < n; k++ {
			psi[k] += psi[k-s.Order.Season]
		}
	}
	return psi
}

// Again is the method that fits the same order on the same scale, to another part of the
// history; nil where the order may be another then.
func (s *State) Again() single.Method {
	if !s.settled() {
		return nil
	}
	o := s.Order
	m := Method{Order: &o, Constant: &o.Constant, starts: [][]float64{s.X}, warm: true, Drivers: s.Drivers > 0, Events: len(s.Events) > 0,
		Transform: "none"}
	if o.SP+o.SD+o.SQ == 0 {
		m.NoSeason = true
	}
	switch {
	case s.Scale.On && s.Scale.Lambda == 0:
		m.Transform = "log"
	case s.Scale.On:
		m.Transform = "box-cox"
	}
	if n := pairs(s.Long); n > 0 && len(s.Long) == 1 {
		m.Pairs = &n
	}
	return m
}

// settled says that the series is so long that its order is hardly one of chance.
func (s *State) settled() bool { return panel.CountKnown(s.Values) > rivalLength }

// Count is the number of parameters estimated.
func (s *State) Count() int { return s.Order.weights() + len(s.Beta) + 1 }

// Fitted gives the forecasts one step ahead.
func (s *State) Fitted() []float64 { return s.In }

// Widen is what inner windows ask for. Of a long series it is the same order, fitted to what was
// known before them: a search would cost as much again, and no longer chooses by chance.
func (m Method) Widen(ctx context.Context, in single.Input, fitted single.State) single.Widening {
	return single.AskWindows(ctx, m.Narrow(in, fitted), in)
}

// Narrow is the method with the order that a long series has.
func (m Method) Narrow(_ single.Input, fitted single.State) single.Method {
	if s, ok := fitted.(*State); ok && m.Order == nil && s.settled() {
		return s.Again()
	}
	return m
}
