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
	"errors"
	"fmt"
	"math"
	"slices"

	"paperkettle/core/forecast"
	"paperkettle/core/model/arima"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

func init() { gob.Register(&State{}) }

// Method fits the parts.
type Method struct {
	Trend   string // flat, straight or bending
	Bends   int    // candidates
	Reach   float64
	Parts   string // add, multiply, or empty for as the data say
	Around  int    // days before and after events
	Drivers bool
	Events  bool
	Robust  bool
}

// State is a fitted regression with its errors.
type State struct {
	Recipe  Recipe
	Logs    bool
	Size    float64
	Beta    []float64
	Cov     []float64 // of Beta, row by row
	Names   []string
	Belongs []string
	Errs    *arima.State
	Spread  float64 // of the series, on the working scale
	Values  []float64
	Past    []Part // over the training part
	Used    int
	Notes   []string
	Sigma2  float64
	early   []string // notes from before the fit
}

// Part is what the columns of one part add up to, on the working scale.
type Part struct {
	Name   string
	Values []float64
}

func (s *State) to(y float64) float64 {
	if s.Logs {
		return math.Log(y / s.Size)
	}
	return y / s.Size
}

func (s *State) back(x float64) float64 {
	if s.Logs {
		return s.Size * math.Exp(min(x, 300))
	}
	return s.Size * x
}

// Fit lays out the columns, finds bends, and fits all with the errors.
func (m Method) Fit(ctx context.Context, in single.Input) (single.State, error) {
	s := &State{Values: in.Values, Used: len(in.Values), Size: num.MeanSize(in.Values)}
	s.Logs = m.Parts == "multiply" || m.Parts == "" && arima.PrefersLogs(in.Values, in.Cadence().Season())
	if s.Logs && !positive(in.Values) {
		return nil, errors.New("parts that multiply need values above zero, and the series has others: set parts to add")
	}
	y := make([]float64, len(in.Values))
	for i, v := range in.Values {
		y[i] = s.to(v)
	}
	known := panel.CountKnown(y)
	s.Recipe = Recipe{Ordinal: in.Ordinal(), Length: len(y), Trend: m.Trend, Seasons: seasonsOf(in.Cadence(), known)}
	m.explain(s, in)
	s.Spread = spread(y)
	s.early = slices.Clip(s.Notes)
	list, err := s.Recipe.columns(in.SeriesView, 0, len(y), 0)
	if err != nil {
		return nil, err
	}
	w := &work{s: s, in: in, y: y, robust: m.Robust && !single.OftenZero(in.Values)}
	if err := w.fit(ctx, list); err != nil {
		return nil, err
	}
	if m.Trend == "bending" && known >= 3*minBend {
		if list, err = m.bend(ctx, w, list); err != nil {
			return nil, err
		}
	}
	s.Past = s.parts(list)
	return s, nil
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
	bends := w.bends(ctx, list, m.Bends, m.Reach, false)
	loosely := len(bends) == 0
	if loosely {
		if bends = w.bends(ctx, list, m.Bends, m.Reach, true); len(bends) == 0 {
			*s = straight
			return list, nil
		}
	}
	s.Recipe.Bends, s.Notes = bends, nil
	longer, err := s.Recipe.columns(w.in.SeriesView, 0, len(w.y), 0)
	if err != nil {
		return nil, err
	}
	if err := w.fit(ctx, longer); err != nil {
		return nil, err
	}
	n := float64(panel.CountKnown(w.y))
	if !loosely || n*math.Log(s.Sigma2/straight.Sigma2)+proof*float64(len(bends))*math.Log(n) < 0 {
		s.Notes = append(straight.early, s.Notes...)
		return longer, nil
	}
	*s = straight
	return list, nil
}

// proof is what a bend must be worth, in logs of the number of values, against a level that
// walks.
const proof = 4

// explain takes events that were seen and drivers that are known and vary.
func (m Method) explain(s *State, in single.Input) {
	n := len(in.Values)
	if m.Events {
		seen := map[string]bool{}
		for _, e := range in.Events() {
			if seen[e.Name] {
				continue
			}
			seen[e.Name] = true
			for i := range n {
				if panel.Known(in.Values[i]) && e.Share(in.Cadence(), s.Recipe.Ordinal+int64(i), 0) > 0 {
					s.Recipe.Events = append(s.Recipe.Events, Event{e.Name, m.Around, m.Around})
					break
				}
			}
		}
	}
	if !m.Drivers {
		return
	}
	for d, driver := range in.View().Drivers() {
		values := in.Driver(d, n)
		low, high, whole := math.Inf(1), math.Inf(-1), true
		for _, v := range values {
			whole = whole && panel.Known(v)
			low, high = math.Min(low, v), math.Max(high, v)
		}
		if !whole || !driver.KnownAhead {
			s.Notes = append(s.Notes, fmt.Sprintf("the driver %s is left out: it is not known in every period, or not ahead", driver.Name))
			continue
		}
		if low == high {
			s.Notes = append(s.Notes, fmt.Sprintf("the driver %s is left out: it never changes in the training part", driver.Name))
			continue
		}
		item := Driver{Name: driver.Name, At: d, Log: s.Logs && low > 0}
		sum, ss := 0.0, 0.0
		for _, v := range values {
			x := item.to(v)
			sum, ss = sum+x, ss+x*x
		}
		item.Mean = sum / float64(n)
		item.Spread = math.Sqrt(max(ss/float64(n)-item.Mean*item.Mean, 1e-300))
		s.Recipe.Drivers = append(s.Recipe.Drivers, item)
	}
}

// Forecast adds the parts up over the steps, and what the errors go on by; its variance is
// that of the errors and of the coefficients together.
func (s *State) Forecast(v panel.SeriesView, out forecast.Rows) error {
	h := len(out.Mean)
	n := len(s.Values)
	if v.Values == nil && len(s.Recipe.Events)+len(s.Recipe.Drivers) > 0 {
		return errors.New("the events and drivers past the origin are not at hand")
	}
	shift := 0
	if v.Values != nil {
		shift = n - len(v.Values)
	}
	list, err := s.Recipe.columns(v, n, n+h, shift)
	if err != nil {
		return err
	}
	later := s.laterBends()
	known := float64(panel.CountKnown(s.Values[:s.Used]))
	lost := known / max(0.3*known, known-float64(len(s.Beta))) // degrees of freedom that the columns took
	rest := forecast.NewRows(h)
	if err := s.Errs.Forecast(panel.SeriesView{}, rest); err != nil {
		return err
	}
	k := len(list)
	row := make([]float64, k)
	for i := range h {
		mu := rest.Mean[i]
		for a := range list {
			row[a] = list[a].values[i]
			mu += s.Beta[a] * row[a]
		}
		doubt := 0.0
		for a := range k {
			for b := range k {
				doubt += row[a] * s.Cov[a*k+b] * row[b]
			}
		}
		own := (rest.At(i)[forecast.GridSize-5] - rest.At(i)[4]) / (2 * 1.959964)
		ahead := float64(i + 1)
		wide := math.Sqrt(own*own*lost + max(0, doubt) + later*ahead*ahead*ahead/3)
		out.Mean[i] = s.back(mu)
		if s.Logs {
			out.Mean[i] *= math.Exp(0.5 * min(wide*wide, 1))
		}
		q := out.At(i)
		for g, p := range forecast.Grid {
			q[g] = s.back(mu + wide*num.StudentQuantile(p, max(3, min(s.Used-k, 1000))))
		}
	}
	return nil
}

// laterBends is the variance a period of the slope's change in time to come: bends as often
// and as large as those that were found. Their effect on the level h steps ahead has the
// variance of this times h^3 / 3.
func (s *State) laterBends() float64 {
	sum := 0.0
	for k, part := range s.Belongs {
		if part == "trend" && k >= 2 {
			slope := s.Beta[k] / float64(s.Recipe.Length)
			sum += slope * slope
		}
	}
	return sum / float64(s.Recipe.Length)
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
		rest := s.to(y)
		if s.Logs && !(y > 0) {
			rest = panel.Unknown
		}
		for a := range list {
			rest -= s.Beta[a] * list[a].values[i]
		}
		next.Values[from+i] = rest
	}
	s.Values = values
	return s.Errs.Advance(next, from)
}

// Fitted gives the forecasts one step ahead.
func (s *State) Fitted() []float64 {
	out := slices.Clone(s.Errs.Fitted())
	for i := range out {
		if !panel.Known(out[i]) {
			out[i] = 0
		}
		for _, part := range s.Past {
			out[i] += part.Values[i]
		}
		out[i] = s.back(out[i])
	}
	return out
}

func positive(y []float64) bool {
	for _, v := range y {
		if panel.Known(v) && !(v > 0) {
			return false
		}
	}
	return true
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
