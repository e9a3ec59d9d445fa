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
	"paperkettle/core/num"
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
	Values  []float64
	Used    int
	Tried   []model.Candidate
	Why     string
	Notes   []string

	// At the end of what was seen: the ARMA state of the differenced series, its steady
	// gain, and the last levels less the regressors, on the transformed scale.
	Arma  []float64
	Gain  []float64
	Tail  []float64
	Quiet int // unknown values at the end
	In    []float64
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
	s.take(f, e)
	for range quiet {
		if err := s.push(panel.Unknown, 0); err != nil {
			return nil, err
		}
	}
	return s, nil
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
	f.shape.set(e.o, e.x)
	f.filter.run(&f.shape, f.w, f.out)
	r, stride := f.shape.r, f.filter.stride
	s.Arma = make([]float64, r)
	for i := range r {
		s.Arma[i] = f.filter.state[i]
		for k, b := range e.beta {
			s.Arma[i] -= b * f.filter.state[(k+1)*stride+i]
		}
	}
	s.Gain = append([]float64(nil), f.filter.lastGain...)
	s.fitted(f, e)
}

// fitted walks over the series: the fitted values, and the levels that differencing
// needs, unknown ones at their forecast.
func (s *State) fitted(f *fitter, e estimate) {
	n, lost := len(f.y), e.o.lost()
	s.In = make([]float64, s.Used)
	for i := range s.In {
		s.In[i] = panel.Unknown
	}
	level := make([]float64, n) // less the regressors
	part := make([]float64, n)
	for i := range level {
		for k := range f.x {
			part[i] += e.beta[k] * f.x[k][i]
		}
		level[i] = f.y[i] - part[i]
	}
	fillStart(level[:min(lost, n)], level)
	filter := &f.filter
	constant := s.constant()
	// A second pass with the weights as they are in the end: exact innovations where all is
	// known, the steady ones over unknown values.
	known := filter.known == len(f.w[0])
	again := s.walker()
	for t := lost; t < n; t++ {
		i := t - lost
		base := s.undifference(level[:t])
		var ahead float64
		if known {
			e0 := f.out[0][i]
			for k, b := range e.beta {
				e0 -= b * f.out[k+1][i]
			}
			ahead = level[t] - e0*filterRoot(f, i)
		} else {
			ahead = base + constant + again.state[0]
		}
		if !panel.Known(level[t]) {
			level[t] = ahead
		}
		if !known {
			again.step(level[t] - ahead)
		}
		s.In[t] = s.Scale.from(ahead+part[t], s.Sigma2)
	}
	if !known {
		s.Arma = again.state[:len(s.Arma)]
	}
	s.Tail = append([]float64(nil), level[max(0, n-lost):]...)
}

// filterRoot is the standard deviation by which an innovation was divided.
func filterRoot(f *fitter, i int) float64 { return 1 / f.filter.roots[i] }

// fillStart puts the nearest known value where the first ones are unknown.
func fillStart(first, all []float64) {
	next := panel.Unknown
	for i := len(all) - 1; i >= 0; i-- {
		if panel.Known(all[i]) {
			next = all[i]
		} else if i < len(first) {
			first[i] = next
		}
	}
	for i := 1; i < len(first); i++ {
		if !panel.Known(first[i]) {
			first[i] = first[i-1]
		}
	}
}

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
	state, gain, phi []float64
}

func (s *State) walker() *walker {
	sh := &shape{}
	sh.set(s.Order, s.X)
	w := &walker{state: make([]float64, sh.r+1), gain: s.Gain, phi: make([]float64, sh.r)}
	copy(w.phi, sh.phi)
	return w
}

func (w *walker) step(e float64) { move(w.state, w.gain, w.phi, e, w.state[0]) }

// push takes the next value, part the regressors' share of it.
func (s *State) push(y, part float64) error {
	w := s.walker()
	copy(w.state, s.Arma)
	base := 0.0
	if len(s.Tail) > 0 {
		base = s.undifference(s.Tail)
	}
	ahead := base + s.constant() + w.state[0]
	level := ahead
	if panel.Known(y) {
		level = s.Scale.to(y) - part
		if !panel.Known(level) {
			return fmt.Errorf("a value of %g has no logarithm: train the model anew, without logs", y)
		}
		s.Quiet = 0
	} else {
		s.Quiet++
	}
	w.step(level - ahead)
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
		if err := s.push(y, s.regress(v, from+i)); err != nil {
			return err
		}
		values = append(values, y)
	}
	s.Values = values
	return nil
}

// Forecast continues the series: normal on the transformed scale, by the weights of past
// errors.
func (s *State) Forecast(v panel.SeriesView, out forecast.Rows) error {
	h := len(out.Mean)
	w := s.walker()
	copy(w.state, s.Arma)
	tail := append(make([]float64, 0, len(s.Tail)+h), s.Tail...)
	wide := s.widths(h)
	free := int(min(s.Free, 1000))
	for k := range h {
		base := 0.0
		if len(s.Tail) > 0 {
			base = s.undifference(tail)
		}
		level := base + s.constant() + w.state[0]
		w.step(0)
		tail = append(tail, level)
		part, err := s.partAhead(v, k)
		if err != nil {
			return err
		}
		mu := level + part
		out.Mean[k] = s.Scale.from(mu, wide[k]*wide[k])
		q := out.At(k)
		for g, p := range forecast.Grid {
			q[g] = s.Scale.back(mu + wide[k]*num.StudentQuantile(p, free))
		}
	}
	return nil
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

// widths are the standard deviations of the forecasts: sigma times the root of the sum of
// psi squared.
func (s *State) widths(h int) []float64 {
	psi := s.Psi(h)
	out := make([]float64, h)
	sum := 0.0
	for k, v := range psi {
		sum += v * v
		if k >= s.Quiet {
			out[k-s.Quiet] = math.Sqrt(s.Sigma2 * sum)
		}
	}
	return out
}

// Again is the method that fits the same order on the same scale, to another history.
func (s *State) Again() single.Method {
	o := s.Order
	m := Method{Order: &o, Constant: &o.Constant, Drivers: s.Drivers > 0, Events: len(s.Events) > 0, Transform: "none"}
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

// Count is the number of parameters estimated.
func (s *State) Count() int { return s.Order.weights() + len(s.Beta) + 1 }

// Fitted gives the forecasts one step ahead.
func (s *State) Fitted() []float64 { return s.In }
