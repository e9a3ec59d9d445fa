// Package single is what the families that fit one series at a time share: the fall back
// for series that are too short or too plain, bounds, advancing, writing and reading, and
// the part of a description that is the same for all.
package single

import (
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/interval"
	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Input is a series to fit, with what goes with it.
type Input struct {
	panel.SeriesView
	Horizon int
	Seed    uint64 // of whatever is random
	// Seasonless says that the season was taken out, and Yearless that the longer one, of the year or of the week within days, was.
	Seasonless, Yearless bool
}

// Cadence is the series' cadence.
func (in Input) Cadence() calendar.Cadence { return in.View().Cadence() }

// Season is the cadence's shortest season, or the one that the series shows where it is
// another; 1 where it was taken out.
func (in Input) Season() int {
	if in.Seasonless {
		return 1
	}
	calendar := in.Cadence().Season()
	if found := panel.Remember(in.SeriesView, "season", func() int { return panel.FindSeason(in.Values, calendar) }); found > 0 {
		return found
	}
	return calendar
}

// Seasons are the cadence's, the shortest first; none where it was taken out.
func (in Input) Seasons() []float64 {
	if in.Seasonless {
		return nil
	}
	out := in.Cadence().Seasons()
	if in.Yearless {
		out = out[:1]
	}
	return out
}

// Ordinal is the period of the first value.
func (in Input) Ordinal() int64 { return in.View().Ordinal(in.First) }

// Before is the input as an earlier origin sees it: keep values remain.
func (in Input) Before(keep int) Input {
	in.SeriesView = in.SeriesView.Before(in.First + keep - 1)
	return in
}

// Method fits one series. Values have at least Fewest known ones, not all equal.
type Method interface {
	Fit(ctx context.Context, in Input) (State, error)
}

// Widener is a Method whose intervals are widened by what inner windows ask for.
type Widener interface {
	Widen(ctx context.Context, in Input, fitted State) Widening
}

// Unmoved is a Method for which a single mistake in a history is fatal: odd values are unknown to it.
type Unmoved interface{ LeavesOutOdd() bool }

// State is a fitted method. Its concrete type is registered with encoding/gob and keeps
// what it needs in exported fields.
type State interface {
	// Forecast continues the series from the period after the last one it has seen. s
	// holds the drivers.
	Forecast(s panel.SeriesView, out forecast.Rows) error
	// Advance takes the values from s.Values[from] on.
	Advance(s panel.SeriesView, from int) error
	// Fitted gives the forecasts one step ahead along the values fitted, NaN where there
	// is none.
	Fitted() []float64
	// Describe adds what it knows; horizon is how far components reach ahead.
	Describe(d *model.Description, horizon int)
}

// Fewest is the number of known values below which a naive forecast stands in.
const Fewest = 5

// Model makes a model of a method under bounds.
func Model(m Method, b Bounds) model.Model { return model.PerSeries(seriesModel{m, b}) }

// Read reads what a model of any method wrote.
func Read(p model.Parts) (model.Trained, error) { return model.ReadPerSeries(p, readFit) }

type seriesModel struct {
	method Method
	bounds Bounds
}

// Fit is a fitted series with what it was fitted to.
type Fit struct {
	State    State
	Bounds   Bounds
	First    int // axis index of the first value
	Next     int // axis index of the next value to be seen
	Values   []float64
	Odd      []model.Stretch // what was left out as odd; it is unknown among Values
	Mends    bool            // odd values are left out, of those to come too
	Unit     Unit            // that earlier values were counted in; in the present one among Values
	Horizon  int
	Cautions []string
	Widening Widening
	view     panel.SeriesView // as last seen; not written
	ranAway  bool             // the last forecast had to be held to what history justifies
}

// Settle is the model that fits each series as its fit has it, where that can be told.
func (m seriesModel) Settle(keys []string, fits []model.SeriesFit) model.SeriesModel {
	known := settled{m.method, map[string]Method{}}
	for i, f := range fits {
		if f, ok := f.(*Fit); ok && f != nil {
			if s, ok := f.State.(interface{ Again() Method }); ok {
				if again := s.Again(); again != nil {
					known.methods[keys[i]] = again
				}
			}
		}
	}
	if len(known.methods) == 0 {
		return nil
	}
	m.method = known
	return m
}

// settled fits series by methods that leave nothing open.
type settled struct {
	Method
	methods map[string]Method
}

// LeavesOutOdd says what the method itself says.
func (m settled) LeavesOutOdd() bool { return leavesOut(m.Method) }

func leavesOut(method any) bool {
	u, ok := method.(Unmoved)
	return ok && u.LeavesOutOdd()
}

// Fit fits a series as was settled, or else by the method itself.
func (m settled) Fit(ctx context.Context, in Input) (State, error) {
	if own, ok := m.methods[in.Key]; ok {
		if s, err := own.Fit(ctx, in); err == nil {
			return s, nil
		}
	}
	return m.Method.Fit(ctx, in)
}

// Bare leaves the intervals as the method has them.
func (m seriesModel) Bare() model.SeriesModel {
	m.bounds.Bare = true
	return m
}

// Learn is the model with what the series of a view tell together.
func (m seriesModel) Learn(ctx context.Context, v panel.View, workers int) (model.SeriesModel, error) {
	taken, err := m.doingsOf(ctx, v, workers)
	if err != nil {
		return m, err
	}
	if takesYear(m.method, v) {
		driven := Driven(v) > 0 && takesDrivers(m.method, v)
		year, err := yearOf(ctx, v, all(v, leavesOut(m.method), taken), driven, workers)
		if err != nil {
			return m, err
		}
		if year != nil {
			taken = append(taken, withoutYear(year, driven, m.method))
		}
	}
	m.method, err = learnt(ctx, m.method, v, taken, workers)
	m.method = taken.method(m.method)
	return m, err
}

// Agree has the fits of all series learn from one another how errors lean.
func (m seriesModel) Agree(fits []model.SeriesFit, by model.Judge) { agree(fits, by) }

func agree(fits []model.SeriesFit, by model.Judge) {
	var widenings []Widening
	var of []*Fit
	for _, f := range fits {
		if f, ok := f.(*Fit); ok && f != nil {
			widenings, of = append(widenings, f.Widening), append(of, f)
		}
	}
	Agree(widenings, by)
	for i, f := range of {
		f.Widening = widenings[i]
	}
}

func (m seriesModel) Fit(ctx context.Context, s panel.SeriesView, horizon int, rnd func() *rand.Rand) (model.SeriesFit, error) {
	in := InputOf(s, horizon, rnd())
	var mended Mended
	mends := leavesOut(m.method)
	if mends {
		mended = in.mend()
	}
	state, cautions, err := Start(ctx, m.method, in)
	if err != nil {
		return nil, err
	}
	fit := newFit(in, state, cautions, m.bounds)
	fit.Odd, fit.Unit, fit.Mends, fit.view = mended.Odd, mended.Unit, mends, s
	if w, ok := m.method.(Widener); ok && !m.bounds.Bare && Tells(s.Values) {
		fit.Widening = w.Widen(ctx, in, state)
	}
	return fit, nil
}

// mend makes the series fit to learn from, and says what was done.
func (in *Input) mend() (m Mended) {
	in.SeriesView, m = Mend(in.SeriesView)
	return m
}

// InputOf is a series to fit, with a stream of its own, or nil.
func InputOf(s panel.SeriesView, horizon int, rnd *rand.Rand) Input {
	in := Input{SeriesView: s, Horizon: horizon}
	if rnd != nil {
		in.Seed = rnd.Uint64()
	}
	return in
}

func newFit(in Input, state State, cautions []string, b Bounds) *Fit {
	s := in.SeriesView
	return &Fit{State: state, Bounds: b, First: s.First, Next: s.First + len(s.Values), Values: s.Values, Horizon: in.Horizon,
		Cautions: cautions, view: s}
}

// Start fits a method, or what stands in for it where the series carries no more, with
// cautions.
func Start(ctx context.Context, m Method, in Input) (State, []string, error) {
	known := panel.CountKnown(in.Values)
	switch {
	case known == 0:
		return nil, nil, errors.New("no value is known in the training part")
	case known == 1:
		return nil, nil, interval.ErrNoErrors
	case equal(in.Values):
		return newPlain(in.Values), []string{"all known values are equal, so the intervals have no width: nothing tells how far the series may move"}, nil
	case known < Fewest:
		return newPlain(in.Values), []string{fmt.Sprintf("only %d values are known, too few for a model: the last one is repeated", known)}, nil
	}
	state, err := m.Fit(ctx, in)
	if err != nil {
		return nil, nil, err
	}
	return state, GapCautions(in, known), nil
}

// GapCautions say that a series ends in unknown values, or has many.
func GapCautions(in Input, known int) (out []string) {
	n := len(in.Values)
	quiet := Trailing(in.Values)
	for quiet > 0 && in.Closed(in.First+n-quiet) { // known not to have happened
		quiet--
	}
	if quiet > 0 {
		out = append(out, fmt.Sprintf("nothing is known of the last %s: the forecast reaches over them", in.Cadence().Noun(quiet)))
	}
	if 2*known < n {
		out = append(out, fmt.Sprintf("only %d of %d periods are known", known, n))
	}
	return out
}

// OftenZero says that a fifth of the known values or more are zero: what is not is then no
// outlier, but demand.
func OftenZero(y []float64) bool {
	zeros, known := 0, 0
	for _, v := range y {
		if panel.Known(v) {
			known++
			if v == 0 {
				zeros++
			}
		}
	}
	return 5*zeros >= known
}

// Span is how many periods lie from the first known value to the last.
func Span(values []float64) int {
	for i, v := range values {
		if panel.Known(v) {
			return len(values) - i - Trailing(values)
		}
	}
	return 0
}

// Trailing is the number of unknown values at the end.
func Trailing(values []float64) (n int) {
	for i := len(values) - 1; i >= 0 && !panel.Known(values[i]); i-- {
		n++
	}
	return n
}

func equal(values []float64) bool {
	first := panel.Unknown
	for _, v := range values {
		switch {
		case !panel.Known(v):
		case !panel.Known(first):
			first = v
		case v != first:
			return false
		}
	}
	return true
}

// Forecast continues the series within its bounds.
func (f *Fit) Forecast(s panel.SeriesView, out forecast.Rows) error {
	if err := f.State.Forecast(s, out); err != nil {
		return err
	}
	seen := s.Values
	if seen == nil {
		seen = f.Values
	}
	f.Widening.Stretch(out, Trailing(seen))
	f.ranAway = Hold(seen, out)
	f.Bounds.Keep(out)
	return nil
}

// Brief is what the state found, in a few words.
func (f *Fit) Brief() string { return brief(f.State) }

func brief(s State) string {
	if b, ok := s.(interface{ Brief() string }); ok {
		return b.Brief()
	}
	return ""
}

// Coarse has the state draw few futures from now on.
func (f *Fit) Coarse() { coarsen(f.State) }

// Advance takes the values that it has not seen, or none: a fit that was read back learns of its
// series, its drivers and events, by being advanced to where it stands. What of them looks like a mistake by
// all that is known is left out, as it would be if the series were fitted anew.
func (f *Fit) Advance(s panel.SeriesView) error {
	from := f.Next - s.First
	if from < 0 {
		return fmt.Errorf("the series now starts after the %s it was last advanced to: train it anew", s.View().Cadence().Format(s.View().Ordinal(f.Next)))
	}
	if from == len(s.Values) {
		f.view = s
	}
	if from >= len(s.Values) {
		return nil
	}
	if err := f.State.Advance(f.mended(s, from), from); err != nil {
		return err
	}
	f.Next, f.view = s.First+len(s.Values), s
	return nil
}

// mended is a series whose odd values from a place on are unknown, which it notes.
func (f *Fit) mended(s panel.SeriesView, from int) panel.SeriesView {
	if !f.Mends || !unusual(s.Values, from) {
		return s
	}
	all := panel.Remember(s, "odd", func() []int { return Odd(s) })
	at, _ := slices.BinarySearch(all, from)
	if at == len(all) {
		return s
	}
	f.Odd = append(slices.Clip(f.Odd), model.Odd(s.First, all[at:], s.Values, elsewhere)...)
	return without(s, all[at:])
}

// glanced is how many values new ones are compared with at a glance.
const glanced = 60

// unusual says that some value from a place on is so far from the last before it that it is worth asking whether it is
// odd, which takes the whole series: beyond what the middle 80 % span by more than that again, or a fraction of them.
func unusual(y []float64, from int) bool {
	recent := num.Known(num.Tail(y[:from], glanced))
	if len(recent) == 0 {
		return true
	}
	slices.Sort(recent)
	low, high := recent[len(recent)/10], recent[len(recent)*9/10]
	wide := high - low
	return slices.ContainsFunc(y[from:], func(v float64) bool { return v > high+wide || v < low-wide || lowest*v < low })
}

// Paths draws count futures of h steps, one after another, within the bounds.
func (f *Fit) Paths(s panel.SeriesView, h, count int) ([]float64, error) {
	p, ok := f.State.(interface {
		Paths(s panel.SeriesView, h, count int) ([]float64, error)
	})
	if !ok {
		return nil, model.ErrNoPaths
	}
	out, err := p.Paths(s, h, count)
	f.Bounds.Clip(out)
	return out, err
}

// Fitted gives the forecasts one step ahead within the training part.
func (f *Fit) Fitted() []float64 {
	out := f.State.Fitted()
	if f.Unit.changes() {
		out = slices.Clone(out)
		f.Unit.undo(out)
	}
	return out
}

// Sharing is a State that shares something with the other series of its group.
type Sharing interface {
	State
	// Apart gives the state without what it shares, and that, of a type registered with
	// encoding/gob.
	Apart() (own State, shared any)
	// Join gives a state that was read what it shares.
	Join(shared any)
}

// Apart gives the fit without what its state shares with others.
func (f *Fit) Apart() (model.SeriesFit, any) {
	s, ok := f.State.(Sharing)
	if !ok {
		return f, nil
	}
	own := *f
	var shared any
	own.State, shared = s.Apart()
	return &own, shared
}

// Join gives the state what it shares.
func (f *Fit) Join(shared any) {
	if s, ok := f.State.(Sharing); ok {
		s.Join(shared)
	}
}

// MarshalBinary writes the fit.
func (f *Fit) MarshalBinary() ([]byte, error) {
	type plain Fit // without this method, or gob would call it again
	var b bytes.Buffer
	err := gob.NewEncoder(&b).Encode((*plain)(f))
	return b.Bytes(), err
}

func readFit(b []byte) (model.SeriesFit, error) {
	type plain Fit
	f := &Fit{}
	if err := gob.NewDecoder(bytes.NewReader(b)).Decode((*plain)(f)); err != nil {
		return nil, fmt.Errorf("reading a fit: %w", err)
	}
	if f.State == nil {
		return nil, errors.New("reading a fit: nothing is in it")
	}
	return f, nil
}

// Tells says that values carry a model: Start would fit them.
func Tells(values []float64) bool {
	return panel.CountKnown(values) >= Fewest && !equal(values)
}
