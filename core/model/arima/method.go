package arima

import (
	"context"
	"errors"
	"fmt"
	"math"

	"paperkettle/core/model"
	"paperkettle/core/model/harmonic"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// estimate fits the given order, or the one that the search finds, with harmonics of
// long seasons where they are worth it.
func (m Method) estimate(ctx context.Context, f *fitter, s *State, in single.Input, season int) (estimate, error) {
	find := func() (estimate, error) {
		if m.Order != nil {
			return m.given(f, s, season)
		}
		return m.searched(ctx, f, s, season)
	}
	e, err := find()
	if err != nil || m.NoSeason && m.Pairs == nil {
		return e, err
	}
	if joint, ok := m.withLong(f, s, in, season, e, e, find); ok {
		return joint, nil
	}
	// Weights of three periods or more can walk along a cycle, and hide it from their own
	// innovations: those of one weight show it.
	if e.o.P < 2 || m.Order != nil || len(in.Seasons()) == 0 {
		return e, nil
	}
	if plain, ok := f.fit(Order{P: 1, D: e.o.D, Constant: e.o.D == 0}, nil, num.Stop{Steps: 20, Gain: 1e-2 / float64(len(f.y))}); ok {
		if joint, ok := m.withLong(f, s, in, season, e, plain, find); ok {
			return joint, nil
		}
	}
	return e, nil
}

// withLong fits with the harmonics that the innovations of a first fit show, where that is
// better than without.
func (m Method) withLong(f *fitter, s *State, in single.Input, season int, without, first estimate, find func() (estimate, error)) (estimate, bool) {
	coef, columns := s.tryLong(f, m, in, season, first)
	if len(columns) == 0 {
		return estimate{}, false
	}
	// The order is searched for on what the harmonics leave; then all is fitted at once.
	whole, tried, why := f.y, s.Tried, s.Why
	f.y = less(whole, columns, coef)
	e, err := find()
	f.y = whole
	if err == nil {
		f.x = append(columns, f.x...)
		if joint, ok := f.fit(e.o, e.x, num.Stop{Steps: 20, Gain: 1e-3 / float64(len(f.y))}); ok && (m.Pairs != nil || compare(&joint, &without)) {
			return joint, true
		}
		f.x = f.x[len(columns):]
	}
	s.Tried, s.Why, s.Long = tried, why, nil
	return estimate{}, false
}

// given fits the order that was asked for.
func (m Method) given(f *fitter, s *State, season int) (estimate, error) {
	o := *m.Order
	o.Season = season
	if o.SP+o.SD+o.SQ == 0 {
		o.Season = 0
	}
	o.Constant = o.D+o.SD == 0
	if m.Constant != nil {
		o.Constant = *m.Constant && o.D+o.SD <= 1
	}
	stop := num.Stop{Steps: 200, Gain: 1e-10}
	if m.warm { // near the end already
		stop = num.Stop{Steps: 40, Gain: 1e-3 / float64(len(f.y))}
	}
	if m.rough {
		stop = num.Stop{Steps: 40, Gain: 0.01 / float64(len(f.y))}
	}
	var first []float64
	starts := m.starts
	if m.warm {
		first, starts = starts[0], nil
	}
	if known := f.y; !m.rough && panel.CountKnown(known) < len(known) && (m.warm || len(first) == 0) {
		f.y = bridged(known, season)
		if e, ok := f.fit(o, first, stop); ok {
			first = e.x
		}
		f.y = known
		if m.warm { // the weights of the bridged series will do
			stop.Steps = 1
		}
	}
	e, ok := f.fit(o, first, stop)
	for _, from := range starts {
		if other, fits := f.fit(o, from, stop); fits && (!ok || other.loglik > e.loglik+0.1) {
			e, ok = other, true
		}
	}
	if !ok {
		return e, fmt.Errorf("order %s can't be fitted to %d values: it needs more of them, or a smaller order", o, len(f.y))
	}
	s.Tried, s.Why = []model.Candidate{{Form: o.String(), Value: e.aicc}}, "the order was given"
	return e, nil
}

// searched fits the order that the search finds.
func (m Method) searched(ctx context.Context, f *fitter, s *State, season int) (estimate, error) {
	span := season
	if len(f.y) < 2*season+2 {
		span = 1
	}
	if span != season && span == 1 && season > 1 {
		s.Notes = []string{fmt.Sprintf("the history is too short for a season of %d: none is modelled", season)}
	}
	// A long series shows its order in its later part, and one of which values are unknown
	// shows it where they are put near their neighbours; the weights are fitted to all that
	// is known.
	all, x := f.y, f.x
	f.y = bridged(f.y, span)
	plain := f.y
	if len(f.x) > 0 {
		plain = f.withoutRegressors()
	}
	d, sd := differences(plain, span)
	f.shorten(max(searchedLength, 12*span))
	e, tried, ok := f.search(ctx, d, sd, span, mostTried)
	// Where the test sees no unit root after seasonal differences, but the errors are no
	// larger with one, it is there: a slow return to a level is hard to tell from none.
	if d == 0 && (sd == 1 || ok && e.persistent()) {
		if other, more, fits := f.search(ctx, 1, sd, span, mostTried); fits && (!ok || compare(&other, &e)) {
			e, tried, ok, d = other, more, true, 1
		}
	}
	if !ok {
		if ctx.Err() != nil {
			return e, ctx.Err()
		}
		return e, errors.New("no order could be fitted")
	}
	cut := len(f.y) < len(all) || panel.CountKnown(all) < len(all)
	f.y, f.x = all, x
	if cut {
		if e, ok = f.fit(e.o, e.x, num.Stop{Steps: 40, Gain: 1e-3 / float64(len(f.y))}); !ok {
			return e, errors.New("no order could be fitted")
		}
	}
	s.Tried, s.Why = tried, fmt.Sprintf("lowest AICc of %d orders tried, after %d differences and %d over the season", len(tried), d, sd)
	return e, nil
}

// less is a series less columns at coefficients.
func less(y []float64, columns [][]float64, coef []float64) []float64 {
	out := append([]float64(nil), y...)
	for k, c := range coef {
		for i := range out {
			out[i] -= c * columns[k][i]
		}
	}
	return out
}

// searchedLength is how many values the search for an order looks at.
const searchedLength = 360

// shorten leaves the last n values.
func (f *fitter) shorten(n int) {
	from := len(f.y) - n
	if from <= 0 {
		return
	}
	f.y = f.y[from:]
	x := make([][]float64, len(f.x))
	for k := range x {
		x[k] = f.x[k][from:]
	}
	f.x = x
}

// compare says whether a is better than b. Where they difference otherwise, their
// likelihoods are of other data: then the variance of the errors decides, each taken with
// what it costs.
func compare(a, b *estimate) bool {
	if a.o.D == b.o.D && a.o.SD == b.o.SD {
		return a.aicc < b.aicc
	}
	cost := func(e *estimate) float64 {
		n := float64(e.known)
		return math.Log(e.sigma2) + float64(e.count())*math.Log(n)/n
	}
	return cost(a) < cost(b)
}

func pairs(long []harmonic.Terms) (n int) {
	for i := range long {
		n += long[i].Pairs()
	}
	return n
}

// tryLong finds harmonics of the seasons longer than the one with weights: as many pairs as
// generalised least squares, by the innovations of the model so far, finds worth it.
func (s *State) tryLong(f *fitter, m Method, in single.Input, season int, e estimate) (coef []float64, columns [][]float64) {
	span := single.Span(f.y)
	for _, period := range in.Seasons() {
		if period <= float64(season)*1.01 || m.Season > 0 || float64(span) < 2*period {
			continue
		}
		most := max(0, min(10, int(period/2)-1, span/20))
		if m.Pairs != nil {
			most = min(*m.Pairs, int(period/2)-1)
		}
		list := harmonic.Columns(period, most, s.Ordinal, len(f.y))
		fewest := 0
		if m.Pairs != nil {
			fewest = 2 * most
		}
		if own := f.worth(e, list, fewest); len(own) > 0 {
			s.Long = append(s.Long, harmonic.Terms{Period: period, Coef: make([]float64, len(own))})
			coef, columns = append(coef, own...), append(columns, list[:len(own)]...)
		}
	}
	return coef, columns
}

// worth gives the coefficients of those columns that are worth it.
func (f *fitter) worth(e estimate, columns [][]float64, fewest int) []float64 {
	kept := f.x
	f.x = columns
	defer func() { f.x = kept }()
	o := e.o
	o.Constant = false
	f.lay(o)
	f.shape.set(o, e.x)
	if !f.filtered() {
		return nil
	}
	return harmonic.Regress(f.out[0], f.out[1:], fewest)
}

// withoutRegressors is the series less its least squares on the regressors.
func (f *fitter) withoutRegressors() []float64 {
	o := Order{D: 1}
	f.lay(o)
	f.shape.set(o, nil)
	if !f.filtered() || math.IsNaN(f.regress()) {
		return f.y
	}
	out := append([]float64(nil), f.y...)
	for k, b := range f.scratch {
		for i := range out {
			out[i] -= b * f.x[k][i]
		}
	}
	return out
}
