package single

import (
	"context"
	"encoding/gob"
	"fmt"
	"math"
	"slices"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/young"
	"paperkettle/core/panel"
)

func init() { gob.Register(&Seasoned{}) }

// OnRest is a Method that tells no season from few rounds of it: it may be fitted to what the season leaves that all
// series of a panel tell together, and continues that.
type OnRest interface {
	// TakesRest says whether it may for a series: not where a season was set or ruled out.
	TakesRest(in Input) bool
}

// OnLong is an OnRest that leaves a long season to all series also where many rounds of it were seen.
type OnLong interface{ TakesLong() bool }

// takesRest says whether a method may be fitted to what is left of a series.
func takesRest(method Method, in Input) bool {
	r, ok := method.(OnRest)
	if !ok || !r.TakesRest(in) {
		return false
	}
	if !young.Long(in.Values, in.Cadence().Season()) {
		return true
	}
	l, ok := method.(OnLong)
	return ok && l.TakesLong()
}

// seasoned fits a method to what the season leaves of series that have seen few rounds of it.
type seasoned struct {
	Method
	prior *young.Prior
}

// LeavesOutOdd says what the method itself says.
func (m seasoned) LeavesOutOdd() bool { return leavesOut(m.Method) }

// Fit fits the rest where there is a season to take out, and else the series.
func (m seasoned) Fit(ctx context.Context, in Input) (State, error) {
	season := m.seasonOf(in)
	if season == nil {
		return m.Method.Fit(ctx, in)
	}
	s, rest := takeOut(season, in)
	s.again = m
	s.flatter(in)
	var err error
	s.State, err = m.Method.Fit(ctx, rest)
	return s, err
}

// takeOut is a series without a season, and what is to put it back.
func takeOut(season *young.Season, in Input) (*Seasoned, Input) {
	s := &Seasoned{Season: *season, Next: in.Ordinal() + int64(len(in.Values))}
	in.SeriesView, in.Seasonless = s.without(in.SeriesView), true
	return s, in
}

// seasonOf is the season to take out of a series; nil for none.
func (m seasoned) seasonOf(in Input) *young.Season {
	if !takesRest(m.Method, in) {
		return nil
	}
	return toldSeason(m.prior, in, takesDrivers(m.Method, in.View()))
}

// toldSeason is the season that a prior tells of a series, beside its drivers where it is driven; nil for none, or where
// the series shows another.
func toldSeason(prior *young.Prior, in Input, driven bool) *young.Season {
	if panel.FindSeason(in.Values, in.Cadence().Season()) > 0 {
		return nil
	}
	// What is remembered holds the prior too, or another might come to stand where it stood.
	return panel.Remember(in.SeriesView, fmt.Sprintf("season as %p tells it", prior), func() toldBy {
		return toldBy{prior, prior.Of(youngSeries(in, in.Cadence().Season(), driven))}
	}).season
}

// toldBy is a season of a series and the prior that told it.
type toldBy struct {
	prior  *young.Prior
	season *young.Season
}

// quiet are the values of a series but for those on days of events, which are no season's; where an event comes at the
// same place in every round, it is the season's.
func quiet(in Input, season int) []float64 {
	if len(in.Events()) == 0 {
		return in.Values
	}
	on := onEvents(in.SeriesView)
	seen := make([]bool, season)
	for i, v := range in.Values {
		seen[i%season] = seen[i%season] || panel.Known(v) && !on[i]
	}
	out := slices.Clone(in.Values)
	for i := range out {
		if on[i] && seen[i%season] {
			out[i] = panel.Unknown
		}
	}
	return out
}

// Widen asks the inner windows with seasons as they were known there.
func (m seasoned) Widen(ctx context.Context, in Input, fitted State) Widening {
	w, ok := m.Method.(Widener)
	if !ok {
		return Widening{}
	}
	if _, ok := fitted.(*Seasoned); ok {
		return AskWindows(ctx, m, in)
	}
	return w.Widen(ctx, in, fitted)
}

// learnt is the method with what the series of a view, without what was taken out of them before, tell of their seasons
// together, where any of them has seen few rounds, and the method itself where none has.
func learnt(ctx context.Context, method Method, v panel.View, after Doings, workers int) (Method, error) {
	if _, ok := method.(OnRest); !ok {
		return method, nil
	}
	prior, err := priorOf(ctx, v, all(v, leavesOut(method), after), takesDrivers(method, v), workers)
	if err != nil || prior == nil {
		return method, err
	}
	return seasoned{method, prior}, nil
}

func inputOf(v panel.View, i int, mended bool) Input {
	in := InputOf(v.Series(i), 0, nil)
	if mended {
		in.mend()
	}
	return in
}

// SeasonsOf are the seasons of which the series of a view have seen few rounds, after something was taken out of them;
// nothing for none. Of series that are often zero there is none: without it they would not be what they are.
func SeasonsOf(ctx context.Context, v panel.View, after Doings, workers int) (Doings, error) {
	return seasonsOf(ctx, v, after, false, workers)
}

// SeasonsBesideDrivers are those of series of which what drivers known ahead do is told apart; nothing where these are too
// many.
func SeasonsBesideDrivers(ctx context.Context, v panel.View, after Doings, workers int) (Doings, error) {
	if Driven(v) > MostDriven {
		return nil, nil
	}
	return seasonsOf(ctx, v, after, true, workers)
}

func seasonsOf(ctx context.Context, v panel.View, after Doings, driven bool, workers int) (Doings, error) {
	prior, err := priorOf(ctx, v, all(v, true, after), driven, workers)
	if err != nil || prior == nil {
		return nil, err
	}
	return Doings{doing("the season", prior, func(in Input) (*Seasoned, Input) {
		season := toldSeason(prior, in, driven)
		if season == nil || OftenZero(in.Values) {
			return nil, in
		}
		return takeOut(season, in)
	})}, nil
}

// mostLearnt bounds the series that tell of seasons.
const mostLearnt = 400

// priorOf is what a number of series tell of their seasons together; nil where none has seen few rounds, or they tell
// nothing.
func priorOf(ctx context.Context, v panel.View, of asked, driven bool, workers int) (*young.Prior, error) {
	m, period := seasonOf(v)
	short := false
	for i := 0; i < of.n && !short; i++ {
		short = young.Short(of.values(i), m)
	}
	if !short {
		return nil, nil
	}
	what := "seasons of few rounds"
	if driven {
		what += " beside drivers"
	}
	return learnOf(of, what, func(rests []Input) (*young.Prior, error) {
		list := make([]young.Series, len(rests))
		for k, in := range rests {
			list[k] = youngSeries(in, m, driven)
		}
		return young.Learn(ctx, list, m, period, workers)
	})
}

// mostFlattered bounds the square of the factor by which errors are held to be too small.
const mostFlattered = 2

// flatter says that the errors that lay the rest's intervals are too small, for the season was learnt from the same values.
func (s *Seasoned) flatter(in Input) { s.Flattered = FlatteredBy(&s.Season, in.Values) }

// FlatteredBy is by what factor errors are too small of a rest whose season was learnt from the same values.
func FlatteredBy(s *young.Season, values []float64) float64 {
	n := float64(panel.CountKnown(values))
	return math.Sqrt(n / max(n/mostFlattered, n-s.Learnt))
}

// seasonOf is the shortest season of a view's cadence, in whole periods and exactly.
func seasonOf(v panel.View) (m int, period float64) {
	m = v.Cadence().Season()
	period = float64(m)
	for _, p := range v.Cadence().Seasons() {
		if int(p) == m {
			period = p
		}
	}
	return m, period
}

// Seasoned is a fit of what a season leaves, with that season put back.
type Seasoned struct {
	State  State
	Season young.Season
	Next   int64 // ordinal of the next period to be seen
	// Flattered is by what factor errors of the rest are too small: it was made of the same values, and inner windows
	// know the others' season from later ones too.
	Flattered float64
	again     Method
}

// without is a series without the season.
func (s *Seasoned) without(v panel.SeriesView) panel.SeriesView {
	if v.Values != nil {
		v.Values = s.Season.Rest(v.Values, v.View().Ordinal(v.First))
	}
	return v
}

// Forecast continues the rest and puts the season back, with what is not known of it.
func (s *Seasoned) Forecast(v panel.SeriesView, out forecast.Rows) error {
	if err := s.State.Forecast(s.without(v), out); err != nil {
		return err
	}
	span := s.Season.Over(s.Next, len(out.Mean))
	for h := range out.Mean {
		s.doubt(s.Next+int64(h), out.Mean[h], out.At(h))
		out.Mean[h] = span.With(h, out.Mean[h])
		span.PutBack(h, out.At(h))
	}
	return nil
}

// normalHeart is how many standard deviations an 80 % interval of normal values spans.
const normalHeart = 2.563

// doubt widens a step's quantiles by the season's own deviation, and as far as errors flatter.
func (s *Seasoned) doubt(on int64, mean float64, quantiles []float64) {
	DoubtSeason(&s.Season, max(1, s.Flattered), on, mean, quantiles)
}

// DoubtSeason widens a step's quantiles of what a season leaves, about their median, by a factor and the season's own
// deviation.
func DoubtSeason(s *young.Season, factor float64, on int64, mean float64, quantiles []float64) {
	low, high := forecast.Interval(quantiles, 80)
	own, more := (high-low)/normalHeart, s.Deviation(on)
	if s.Log {
		more *= math.Abs(mean)
	}
	if !(own > 0) || !(more >= 0) {
		return
	}
	middle := quantiles[forecast.Median]
	factor = math.Hypot(factor, more/own)
	for g, q := range quantiles {
		quantiles[g] = middle + factor*(q-middle)
	}
}

// Advance moves the rest on.
func (s *Seasoned) Advance(v panel.SeriesView, from int) error {
	s.Next = v.View().Ordinal(v.First + len(v.Values))
	return s.State.Advance(s.without(v), from)
}

// Fitted are the rest's fitted values with the season.
func (s *Seasoned) Fitted() []float64 {
	out := slices.Clone(s.State.Fitted())
	span := s.Season.Over(s.Next-int64(len(out)), len(out))
	for i := range out {
		out[i] = span.With(i, out[i])
	}
	return out
}

// Again is the method with what it settled on.
func (s *Seasoned) Again() Method {
	a, ok := s.State.(interface{ Again() Method })
	if !ok {
		return nil
	}
	again := a.Again()
	if again == nil {
		return nil
	}
	switch m := s.again.(type) {
	case seasoned:
		return seasoned{resting{again}, m.prior}
	case takenOut:
		return takenOut{resting{again}, m.take}
	}
	return nil
}

// resting is a method that settled on a form for the rest.
type resting struct{ Method }

// TakesRest is so, for that is what the form was chosen for.
func (resting) TakesRest(Input) bool { return true }

// TakesLong is so, for that is what the form was chosen for.
func (resting) TakesLong() bool { return true }

// TakesDrivers is as it was for what the form was chosen from.
func (r resting) TakesDrivers(v panel.View) bool { return takesDrivers(r.Method, v) }

// Apart is the fit without what the rest's shares with others.
func (s *Seasoned) Apart() (State, any) {
	sharing, ok := s.State.(Sharing)
	if !ok {
		return s, nil
	}
	own := *s
	var shared any
	own.State, shared = sharing.Apart()
	return &own, shared
}

// Join gives the rest's fit what it shares.
func (s *Seasoned) Join(shared any) {
	if sharing, ok := s.State.(Sharing); ok {
		sharing.Join(shared)
	}
}

// Brief is what the rest's fit found.
func (s *Seasoned) Brief() string { return brief(s.State) }

// Coarse has the rest's fit draw few futures from now on.
func (s *Seasoned) Coarse() { coarsen(s.State) }

// Count is the number of the rest's parameters.
func (s *Seasoned) Count() int {
	if c, ok := s.State.(interface{ Count() int }); ok {
		return c.Count()
	}
	return 0
}

// See shows the rest's fit the series.
func (s *Seasoned) See(v panel.SeriesView) {
	if o, ok := s.State.(interface{ See(panel.SeriesView) }); ok {
		o.See(s.without(v))
	}
}

// Outside is what drivers and events bring to the rest; the season is none of it.
func (s *Seasoned) Outside(v panel.SeriesView, h int) (*model.Outside, error) {
	o, ok := s.State.(outsider)
	if !ok {
		return nil, nil
	}
	inner, err := o.Outside(s.without(v), h)
	if err != nil || inner == nil {
		return inner, err
	}
	n := len(v.Values)
	span := s.Season.Over(s.Next-int64(n), n+h)
	through := func(f func(t int, y float64) float64) func(t int, y float64) float64 {
		return func(t int, y float64) float64 { return span.With(t, f(t, span.Without(t, y))) }
	}
	return &model.Outside{Take: through(inner.Take), Put: through(inner.Put), Doubt: func(count int) func(p, step int, y float64) float64 {
		doubt := inner.Doubt(count)
		return func(p, step int, y float64) float64 {
			return span.With(n+step, doubt(p, step, span.Without(n+step, y)))
		}
	}}, nil
}

// Paths draws futures of the rest, with the season.
func (s *Seasoned) Paths(v panel.SeriesView, h, count int) ([]float64, error) {
	p, ok := s.State.(interface {
		Paths(s panel.SeriesView, h, count int) ([]float64, error)
	})
	if !ok {
		return nil, model.ErrNoPaths
	}
	out, err := p.Paths(s.without(v), h, count)
	span := s.Season.Over(s.Next, h)
	for k, y := range out {
		out[k] = span.With(k%h, y)
	}
	return out, err
}

// Describe describes the rest, and the season as a part.
func (s *Seasoned) Describe(d *model.Description, horizon int) {
	s.State.Describe(d, horizon)
	c := model.Component{Name: partName(&s.Season), Factor: s.Season.Log}
	used := len(s.State.Fitted())
	span := s.Season.Over(s.Next-int64(used), used+horizon)
	for i := range used {
		c.Past = append(c.Past, span.At(i))
	}
	for h := range horizon {
		c.Ahead = append(c.Ahead, span.At(used+h))
	}
	d.Components = append(d.Components, c)
	d.Form += SeasonWords(&s.Season)
}
