// Package additive takes a series apart into trend, seasons, events and drivers by one
// penalised regression, with short-memory errors so that a forecast starts from where the
// series is. In logs the parts multiply.
//
// Source: Harvey and Peters, Estimation procedures for structural time series models,
// Journal of Forecasting 9 (1990); the penalties as normal priors: Hoerl and Kennard,
// Technometrics 12 (1970); errors: Cochrane and Orcutt, Journal of the American
// Statistical Association 44 (1949), by exact filtering.
package additive

import (
	"context"
	"encoding/gob"
	"fmt"
	"math"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/arima"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

func init() { gob.Register(&State{}) }

// Method fits the parts.
type Method struct {
	Trend     string // flat, straight, bending or saturating
	Floor     float64
	Ceiling   *float64 // of a saturating trend
	Bends     int      // candidates; -1 for as the length has it
	LastBend  int      // periods before the end that the last may lie; -1 for as the length has it
	Stiffness float64
	Parts     string // add, multiply, or empty for as the data say
	Seasons   []wish // nil: by cadence and length
	Around    int    // days before and after events
	Drivers   bool
	Events    bool
	Signs     map[string]int // of drivers' and events' effects: 1 or -1
	Hold      float64        // how strongly effects are held towards zero; 1 as a rule
	Robust    bool
	Growing   []string // parts that are multiplied by the trend where others add
	Level     string   // steady, wandering, or empty for as inner windows say
	ZeroLogs  bool     // drivers with zeros in logs too, where parts multiply
	Bent      bool     // the lines of drivers that take many values bend
	Straight  bool     // they don't, whatever inner windows say
	Memory    int      // of how many of the last periods it learns; 0 for as inner windows say

	trials   []model.Candidate // what inner windows said
	widening single.Widening
}

// Auto is the method with all left to the data.
func Auto() Method {
	return Method{Bends: -1, LastBend: -1, Stiffness: 1, Around: 1, Drivers: true, Events: true, Hold: 1, Robust: true}
}

// State is a fitted regression with its errors.
type State struct {
	Recipe  Recipe
	Scale   single.Scale
	Beta    []float64
	Cov     []float32 // of Beta, row by row
	Names   []string
	Belongs []string
	Kinds   []int
	Loose   []float64 // standard deviations of the coefficients before anything was seen
	Errs    leftover
	Spread  float64 // of the series, on the working scale
	Values  []float64
	Past    []Part // over the training part
	Used    int
	Notes   []string
	Odd     []int // places in Values that are so far from all others that they count for nothing
	Sigma2  float64
	Seed    uint64
	Shared  map[string]Prior // of effects that all series share, by column
	Before  int              // periods that the fit left out, longest ago
	Trials  []model.Candidate

	method Method
	free   bool             // nothing is held where drivers go beyond those seen
	in     panel.SeriesView // what was last seen, for drivers and events ahead; not written
}

// Part is what the columns of one part add up to, on the working scale.
type Part struct {
	Name   string
	Values []float64
}

// Fit lays out the columns, finds bends, and fits all with the errors.
func (m Method) Fit(ctx context.Context, in single.Input) (single.State, error) {
	chosen, err := m.choose(ctx, []single.Input{in}, model.Env{Workers: 1})
	if err != nil {
		return nil, err
	}
	return chosen[0].fit(ctx, in)
}

// fit fits under settings that leave nothing to inner windows.
func (m Method) fit(ctx context.Context, in single.Input) (*State, error) {
	before := 0
	if m.Memory > 0 && m.Memory < len(in.Values) {
		before = len(in.Values) - m.Memory
		in.SeriesView = in.SeriesView.Last(m.Memory)
	}
	s := &State{Values: in.Values, Used: len(in.Values), Seed: in.Seed, method: m, in: in.SeriesView, Before: before, Trials: m.trials}
	if err := m.scale(s, in); err != nil {
		return nil, err
	}
	y := s.worked()
	known := panel.CountKnown(y)
	s.Recipe = Recipe{Ordinal: in.Ordinal(), Length: len(y), Trend: m.Trend}
	switch {
	case m.Trend == "" && m.Level != steady:
		s.Recipe.Trend = "straight"
	case m.Trend == "":
		s.Recipe.Trend = "bending"
	}
	s.Recipe.Seasons, s.Notes = seasonsOf(in.Cadence(), known, m.wishes(in))
	s.Spread = spread(y)
	m.explain(s, in)
	list, err := s.Recipe.columns(in.SeriesView, 0, len(y), 0)
	if err != nil {
		return nil, err
	}
	w := &work{s: s, in: in, y: y, robust: m.Robust && !single.OftenZero(in.Values)}
	if err := w.fit(ctx, list); err != nil {
		return nil, err
	}
	if s.Recipe.Trend == "bending" && known >= 3*minBend {
		if list, err = m.bend(ctx, w, list); err != nil {
			return nil, err
		}
	}
	if m.Trend == "" && len(s.Recipe.Bends) == 0 && s.slopeMatters(known) {
		s.Recipe.Trend = "straight"
	} else if m.Trend == "" && len(s.Recipe.Bends) == 0 {
		s.Recipe.Trend = "flat"
		if list, err = s.Recipe.columns(in.SeriesView, 0, len(y), 0); err != nil {
			return nil, err
		}
		for range 2 {
			if err := w.settle(ctx, list); err != nil {
				return nil, err
			}
		}
	}
	if len(m.Growing) > 0 && !s.Scale.Multiplies() {
		if list, err = s.grow(ctx, w); err != nil {
			return nil, err
		}
	}
	s.Past = s.parts(list)
	return s, nil
}

// The ways in which a level goes on.
const (
	steady    = "steady"
	wandering = "wandering"
)

// grow fits again with parts that are multiplied by the trend, which the fit before gives.
func (s *State) grow(ctx context.Context, w *work) (list []column, err error) {
	for range 3 {
		s.Recipe.Growing, s.Recipe.Level = s.method.Growing, nil
		for k, kind := range s.Kinds {
			if kind == ofTrend {
				s.Recipe.Level = append(s.Recipe.Level, s.Beta[k])
			}
		}
		if list, err = s.Recipe.columns(w.in.SeriesView, 0, s.Used, 0); err != nil {
			return nil, err
		}
		if err := w.settle(ctx, list); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// slopeMatters says that the slope is worth a coefficient by the Bayesian criterion, sure
// times over: errors that walk for a while look like a slope.
func (s *State) slopeMatters(known int) bool {
	const slope, sure = 1, 4
	return s.Beta[slope]*s.Beta[slope] > float64(s.Cov[slope*len(s.Beta)+slope])*sure*math.Log(float64(known))
}

// scale chooses where the parts add up.
func (m Method) scale(s *State, in single.Input) error {
	low, high := extent(in.Values)
	if m.Trend == "saturating" {
		if m.Ceiling == nil {
			return fmt.Errorf("a saturating trend needs a ceiling above the data, which reach %.6g: set ceiling", high)
		}
		if high > *m.Ceiling || low < m.Floor {
			return fmt.Errorf("the series runs from %.6g to %.6g, beyond the floor %.6g or the ceiling %.6g: widen them", low, high, m.Floor, *m.Ceiling)
		}
		s.Scale = single.OddsScale(m.Floor, *m.Ceiling)
		return nil
	}
	s.Scale = single.LevelScale(in.Values)
	switch {
	case m.Parts == "add" || low < 0:
		if m.Parts == "multiply" {
			return fmt.Errorf("parts that multiply need values from zero up, and the series goes down to %.6g: set parts to add", low)
		}
	case m.Parts == "multiply":
		s.Scale = single.LogScale(in.Values)
	case !single.OftenZero(in.Values) && arima.SteadierInLogs(in):
		s.Scale = single.LogScale(in.Values)
	}
	return nil
}

func extent(values []float64) (low, high float64) {
	low, high = math.Inf(1), math.Inf(-1)
	for _, v := range values {
		if panel.Known(v) {
			low, high = math.Min(low, v), math.Max(high, v)
		}
	}
	return low, high
}

// worked is the training part on the working scale.
func (s *State) worked() []float64 {
	y := make([]float64, s.Used)
	for i, v := range s.Values[:s.Used] {
		y[i] = s.Scale.To(v)
	}
	return y
}

// parts adds the columns up, part by part in their order.
func (s *State) parts(list []column) (out []Part) {
	at := map[string]int{}
	for a, c := range list {
		k, ok := at[c.part]
		if !ok {
			k = len(out)
			at[c.part] = k
			out = append(out, Part{c.part, make([]float64, len(c.values))})
		}
		for i, x := range c.values {
			out[k].Values[i] += s.Beta[a] * x
		}
	}
	return out
}

// bend fits again with the bends that are found. Where the fit so far shows none, they are
// looked for loosely, and kept where the errors one step ahead are smaller by more than a
// proof: a level that walks explains a curved path as well.
func (m Method) bend(ctx context.Context, w *work, list []column) ([]column, error) {
	s := w.s
	straight := *s
	bends := w.bends(ctx, list, m, false)
	loosely := len(bends) == 0
	if loosely {
		if bends = w.bends(ctx, list, m, true); len(bends) == 0 {
			*s = straight
			return list, nil
		}
	}
	s.Recipe.Bends = bends
	longer, err := s.Recipe.columns(w.in.SeriesView, 0, len(w.y), 0)
	if err != nil {
		return nil, err
	}
	if err := w.fit(ctx, longer); err != nil {
		return nil, err
	}
	n := float64(panel.CountKnown(w.y))
	if !loosely || n*math.Log(s.Sigma2/straight.Sigma2)+m.Stiffness*proof*float64(len(bends))*math.Log(n) < 0 {
		return longer, nil
	}
	*s = straight
	return list, nil
}

// proof is what a bend must be worth, in logs of the number of values, against a level that
// walks.
const proof = 6

// explain takes events that were seen and drivers that are known and vary.
func (m Method) explain(s *State, in single.Input) {
	n := len(in.Values)
	if m.Events {
		seen := map[string]bool{}
		for _, e := range in.Events() {
			if seen[e.Name] {
				continue
			}
			for i := range n {
				if panel.Known(in.Values[i]) && e.Share(in.Cadence(), s.Recipe.Ordinal+int64(i), 0) > 0 {
					seen[e.Name] = true
					item := Event{Name: e.Name, Before: m.Around, After: m.Around}
					s.Recipe.tellWeekends(&item, in)
					s.Recipe.Events = append(s.Recipe.Events, item)
					break
				}
			}
		}
		m.unseen(s, in, seen)
	}
	if !m.Drivers {
		return
	}
	for d, driver := range in.View().Drivers() {
		item, note := m.driver(s, in, d, driver)
		if note != "" {
			s.Notes = append(s.Notes, note)
			continue
		}
		s.Recipe.Drivers = append(s.Recipe.Drivers, item)
		s.doubtSteps(driver.Name, in.Driver(d, n))
	}
}

// A driver that changes at most rarely times tells its effect by those changes alone, and the
// level, which is taken to move by about usualMove on the working scale over the years, may
// have moved at the same time.
const (
	rarely    = 3
	usualMove = 0.1
)

// doubtSteps lets the level move where a driver that hardly ever changes does.
func (s *State) doubtSteps(name string, values []float64) {
	var at []int
	for i := 1; i < len(values); i++ {
		if values[i] != values[i-1] {
			at = append(at, i)
		}
	}
	if len(at) > rarely {
		return
	}
	times := fmt.Sprintf("%d times", len(at))
	if len(at) == 1 {
		times = "once"
	}
	s.Notes = append(s.Notes, fmt.Sprintf("the driver %s changed %s in the training part: its effect can hardly be told from a level that "+
		"moved at the same time", name, times))
	s.Recipe.Loose = usualMove / s.Spread
	for _, i := range at {
		if !slices.Contains(s.Recipe.Steps, i) {
			s.Recipe.Steps = append(s.Recipe.Steps, i)
		}
	}
}

// unseen notes the events that lie ahead and never were in the training part.
func (m Method) unseen(s *State, in single.Input, seen map[string]bool) {
	c, n := in.Cadence(), int64(len(in.Values))
	for _, e := range in.Events() {
		if seen[e.Name] {
			continue
		}
		for h := range int64(in.Horizon) {
			if e.Share(c, s.Recipe.Ordinal+n+h, 0) > 0 {
				seen[e.Name] = true
				s.Notes = append(s.Notes, fmt.Sprintf("the event %s lies ahead and was never seen in training: it changes nothing", e.Name))
				break
			}
		}
	}
}

func lowest(values []float64) float64 {
	low, _ := extent(values)
	return low
}

func (m Method) driver(s *State, in single.Input, d int, driver panel.Driver) (item Driver, note string) {
	n := len(in.Values)
	values := in.Driver(d, n+in.Horizon)
	low, high, whole := math.Inf(1), math.Inf(-1), true
	positive := lowest(values) > 0
	values = values[:n]
	for _, v := range values {
		whole = whole && panel.Known(v)
		low, high = math.Min(low, v), math.Max(high, v)
	}
	switch {
	case !driver.KnownAhead:
		return item, fmt.Sprintf("the driver %s is left out: it is not known ahead", driver.Name)
	case !whole:
		return item, fmt.Sprintf("the driver %s is left out: no value of it is known in the training part", driver.Name)
	case low == high:
		return item, fmt.Sprintf("the driver %s is left out: it never changes in the training part", driver.Name)
	}
	item = Driver{Name: driver.Name, At: d, Log: s.Scale.Multiplies() && positive, Low: low, High: high}
	if shift := single.ZeroShift(values); m.ZeroLogs && s.Scale.Multiplies() && shift > 0 {
		item.Log, item.Shift = true, shift
	}
	sum, ss := 0.0, 0.0
	for _, v := range values {
		x := item.to(v)
		sum, ss = sum+x, ss+x*x
	}
	item.Mean = sum / float64(n)
	item.Spread = math.Sqrt(max(ss/float64(n)-item.Mean*item.Mean, 1e-300))
	if m.Bent && m.Signs[driver.Name] == 0 {
		item.bend(values)
	}
	return item, ""
}

// Advance takes further values: the errors go on, the coefficients stay.
func (s *State) Advance(v panel.SeriesView, from int) error {
	n := len(s.Values)
	more := len(v.Values) - from
	list, err := s.Recipe.columns(v, n, n+more, n-from)
	if err != nil {
		return err
	}
	values := slices.Clone(s.Values)
	next := v
	next.Values = slices.Clone(v.Values)
	for i := range more {
		y := v.Values[from+i]
		values = append(values, y)
		rest := s.Scale.To(y)
		for a := range list {
			rest -= s.Beta[a] * list[a].values[i]
		}
		next.Values[from+i] = rest
	}
	s.Values, s.in = values, v
	return s.Errs.Advance(next, from)
}

// Fitted gives the forecasts one step ahead.
func (s *State) Fitted() []float64 {
	out := slices.Repeat([]float64{panel.Unknown}, s.Before+len(s.Errs.Fitted()))
	rest := s.Errs.Fitted()
	for i, x := range rest {
		if !panel.Known(x) {
			x = 0
		}
		for _, part := range s.Past {
			x += part.Values[i]
		}
		out[s.Before+i] = s.Scale.Back(x)
	}
	return out
}

func spread(y []float64) float64 {
	var n, sum, ss float64
	for _, v := range y {
		if panel.Known(v) {
			n, sum, ss = n+1, sum+v, ss+v*v
		}
	}
	return math.Sqrt(max(ss/n-sum/n*sum/n, 1e-18))
}

// seed is of the random paths: the same for every scenario of a series.
func (s *State) seed() uint64 { return s.Seed ^ uint64(len(s.Values))<<32 }
