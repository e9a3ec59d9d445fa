// Package baseline has the families that every other one is judged against: rules
// that repeat or average the past. All are recursive, so one pass over a series
// gives the forecast, the errors at every past origin, and a cheap advance.
//
// Source of the rules: Hyndman and Athanasopoulos, Forecasting: Principles and
// Practice (3rd ed. 2021), section 5.2; their intervals are package interval's.
package baseline

import (
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"sync"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/interval"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// readiness says how much of a rule the history so far can carry.
type readiness int

const (
	nothing readiness = iota // no forecast at all
	partly                   // a simpler forecast: the history is too short for the rule
	fully                    // the rule as stated
)

// rule is a forecasting rule fed one period at a time.
type rule interface {
	push(y float64)                // the next period's value, NaN where unknown
	point(out []float64) readiness // forecasts of the periods that follow
	describe(d *model.Description) // form and parameters
	shortfall() string             // the caution for a forecast that is only partly the rule
}

// spec is all that makes a rule: it is written with the fit.
type spec struct {
	Family  string
	Cadence calendar.Cadence
	Ordinal int64 // of the first period pushed
	Length  int   // season, or periods averaged
	By      calendar.Position
}

type seriesModel struct{ spec spec }

// plainly is the error over the calendar's season, next to that from a period to the next,
// below which the calendar has it right: no other season is looked for.
const plainly = 0.8

// ownSeason is a season that the series shows and the calendar does not know, or 0.
func ownSeason(values []float64, calendar int) int {
	var over, step, n, m float64
	for i := max(1, calendar); i < len(values); i++ {
		if d := values[i] - values[i-1]; d == d {
			step, n = step+math.Abs(d), n+1
		}
		if d := values[i] - values[i-calendar]; d == d {
			over, m = over+math.Abs(d), m+1
		}
	}
	if calendar > 1 && over*n < plainly*step*m {
		return 0
	}
	return panel.FindSeason(values, calendar)
}

// seriesFit is a rule with its history and the spread of its past errors.
type seriesFit struct {
	spec    spec
	rule    rule
	first   int
	values  []float64
	offsets []float64
	fitted  []float64 // one step ahead within values
	known   int
}

var errUnknown = errors.New("no value is known in the training part")

func (m seriesModel) Fit(_ context.Context, s panel.SeriesView, horizon int, _ func() *rand.Rand) (model.SeriesFit, error) {
	if len(s.Values) == 0 {
		return nil, errUnknown
	}
	sp := m.spec
	v := s.View()
	sp.Cadence, sp.Ordinal = v.Cadence(), v.Ordinal(s.First)
	if sp.Family == "seasonal-naive" && sp.Length == 0 {
		sp.Length = ownSeason(s.Values, sp.Cadence.Season())
	}
	f := &seriesFit{spec: sp, first: s.First, values: s.Values, known: panel.CountKnown(s.Values)}
	if err := f.restart(); err != nil {
		return nil, err
	}
	f.offsets, f.fitted = make([]float64, horizon*forecast.GridSize), make([]float64, len(s.Values))
	if err := f.spread(horizon); err != nil {
		return nil, err
	}
	return f, nil
}

func (f *seriesFit) restart() (err error) {
	f.rule, err = newRule(f.spec)
	return err
}

var errorPool = sync.Pool{New: func() any { return new([]float64) }}

// spread runs the rule over the history and turns its errors into offsets. Only
// origins at which the rule was fully ready count, unless there are none.
func (f *seriesFit) spread(horizon int) error {
	buf := errorPool.Get().(*[]float64)
	defer errorPool.Put(buf)
	room := min(len(f.values), max(errorsHeld/horizon, fewestHeld))
	if cap(*buf) < room*horizon {
		*buf = make([]float64, room*horizon)
	}
	errs := make([][]float64, horizon)
	for _, need := range []readiness{fully, partly} {
		if err := f.restart(); err != nil {
			return err
		}
		counts := f.collect(need, (*buf)[:room*horizon], room, horizon)
		for h := range errs {
			errs[h] = (*buf)[h*room : h*room+counts[h]]
		}
		if counts[0] > 0 {
			break
		}
	}
	return interval.FromErrors(errs, f.offsets)
}

// errorsHeld bounds the errors of a fit, so that a very long horizon on a very long
// series does not ask for all memory: each step then keeps its latest ones, but
// never fewer than fewestHeld.
const (
	errorsHeld = 4 << 20
	fewestHeld = 500
)

// collect writes the latest errors of step h+1, at most room, from h*room on, and
// counts them.
func (f *seriesFit) collect(need readiness, errs []float64, room, horizon int) []int {
	n := len(f.values)
	if n > 0 {
		f.fitted[0] = panel.Unknown
	}
	out, next := make([]float64, horizon), make([]int, horizon)
	for h := range next {
		next[h] = h * room
	}
	for t, y := range f.values {
		f.rule.push(y)
		ahead := min(n-1-t, horizon)
		if ahead == 0 {
			continue
		}
		ready := f.rule.point(out[:ahead])
		f.fitted[t+1] = out[0]
		if ready == nothing {
			f.fitted[t+1] = panel.Unknown
		}
		if ready < need {
			continue
		}
		actual := f.values[t+1 : t+1+ahead]
		// The actual at n-1 is the last one of every step: nearer steps start later.
		for h := max(0, n-1-room-t); h < ahead; h++ {
			if e := actual[h] - out[h]; e == e {
				errs[next[h]] = e
				next[h]++
			}
		}
	}
	for h := range next {
		next[h] -= h * room
	}
	return next
}

func (f *seriesFit) Forecast(_ panel.SeriesView, out forecast.Rows) error {
	if len(out.Quantiles) > len(f.offsets) {
		return fmt.Errorf("the model was trained for %d steps and is asked for %d", len(f.offsets)/forecast.GridSize, len(out.Mean))
	}
	if f.rule.point(out.Mean) == nothing {
		return errUnknown
	}
	for h, m := range out.Mean {
		q := out.At(h)
		for g := range q {
			q[g] = m + f.offsets[h*forecast.GridSize+g]
		}
	}
	return nil
}

func (f *seriesFit) Advance(s panel.SeriesView) error {
	done := f.first + len(f.values)
	// A new slice: the old one may be the panel's own.
	values := append(make([]float64, 0, len(f.values)+len(s.Values)), f.values...)
	for i, y := range s.Values {
		if s.First+i >= done {
			values = append(values, y)
			f.rule.push(y)
		}
	}
	f.values = values
	return nil
}

// Fitted gives what the rule would have forecast one step ahead of each period that it
// was trained on.
func (f *seriesFit) Fitted() []float64 { return f.fitted }

func (f *seriesFit) Describe() model.Description {
	d := model.Description{From: f.first, To: f.first + len(f.values) - 1, Known: f.known}
	f.rule.describe(&d)
	if f.rule.point(make([]float64, len(f.offsets)/forecast.GridSize)) == partly {
		d.Cautions = append(d.Cautions, f.rule.shortfall())
	}
	if f.known < interval.EmpiricalFrom {
		d.Cautions = append(d.Cautions, fmt.Sprintf("only %d values are known, so the intervals rest on an assumed bell shape", f.known))
	}
	return d
}

type writtenFit struct {
	Spec    spec
	First   int
	Known   int
	Values  []float64
	Offsets []float64
}

func (f *seriesFit) MarshalBinary() ([]byte, error) {
	var b bytes.Buffer
	err := gob.NewEncoder(&b).Encode(writtenFit{f.spec, f.first, f.known, f.values, f.offsets})
	return b.Bytes(), err
}

func readFit(b []byte) (model.SeriesFit, error) {
	var w writtenFit
	if err := gob.NewDecoder(bytes.NewReader(b)).Decode(&w); err != nil {
		return nil, fmt.Errorf("reading a fit: %w", err)
	}
	f := &seriesFit{spec: w.Spec, first: w.First, known: w.Known, values: w.Values, offsets: w.Offsets}
	if err := f.restart(); err != nil {
		return nil, err
	}
	f.fitted = make([]float64, len(f.values))
	one := make([]float64, 1)
	for t, y := range f.values {
		f.fitted[t] = panel.Unknown
		if t > 0 && f.rule.point(one) != nothing {
			f.fitted[t] = one[0]
		}
		f.rule.push(y)
	}
	return f, nil
}
