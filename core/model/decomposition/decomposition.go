// Package decomposition takes series apart into trend, seasons and rest by local
// regression, to look at, and to forecast: another method continues the adjusted series,
// and the seasons repeat.
package decomposition

import (
	"context"
	"encoding/gob"
	"fmt"
	"math"
	"slices"
	"strings"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/arima"
	"paperkettle/core/model/loess"
	"paperkettle/core/model/single"
	"paperkettle/core/model/smoothing"
	"paperkettle/core/model/theta"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

func init() { gob.Register(&State{}) }

// Method decomposes and lets another method continue what is left without the seasons.
type Method struct {
	Rest    string // smoothing, theta or arima
	Options loess.Options
	Season  int
	Logs    string // on, off, or empty for as the data say
}

// LeavesOutOdd says that mistakes are left out: a large one hides the season.
func (m Method) LeavesOutOdd() bool { return true }

// Blind says that it sees no events.
func (m Method) Blind() bool { return true }

// TakesDays says that it may be fitted to what the calendar's days leave.
func (m Method) TakesDays() bool { return true }

// TakesLong says that a long season is told by all series together too.
func (m Method) TakesLong() bool { return true }

// TakesYear says that it may be applied to what the season of the year leaves, where none was set.
func (m Method) TakesYear(panel.View) bool { return m.Season == 0 }

// TakesRest says that it may be applied to what a season of few rounds leaves, where none was set.
func (m Method) TakesRest(single.Input) bool { return m.Season == 0 }

// State is a decomposed series whose adjusted part is continued by Inner.
type State struct {
	Inner   single.State
	Rest    string
	Window  int
	Robust  bool
	Periods []int
	Cycles  [][]float64 // the last round of each season; Cycles[k][0] is of the next period
	Logs    bool
	Size    float64 // that logs are relative to
	Parts   loess.Parts
	Values  []float64 // on the working scale
	Used    int
	First   int // axis index of Values[0]
	Notes   []string
}

// rounds is how many rounds of a season must have passed: of a long one more, since a
// level that wanders looks like a season of two rounds.
func rounds(m int) int {
	if m > loess.Longest {
		return 3
	}
	return 2
}

// weak is the strength below which a season is no more than noise taken for one.
const weak = 0.1

// Periods are the whole seasons of a cadence that at least two rounds of show, the
// shortest first.
func Periods(in single.Input, season int) (out []int, missed int) {
	list := in.Seasons()
	if found := in.Season(); found != in.Cadence().Season() {
		list = []float64{float64(found)}
	}
	if season > 0 {
		list = []float64{float64(season)}
	}
	for _, p := range list {
		m := int(math.Round(p))
		switch {
		case m < 2:
		case panel.CountKnown(in.Values) >= rounds(m)*m:
			if _, strength := panel.Strengths(in.Values, m); season > 0 || !(strength < weak) {
				out = append(out, m)
			}
		case missed == 0:
			missed = m
		}
	}
	return out, missed
}

// Fit decomposes the series and fits the inner method to the adjusted one.
func (m Method) Fit(ctx context.Context, in single.Input) (single.State, error) {
	periods, missed := Periods(in, m.Season)
	if m.Options.Robust && single.OftenZero(in.Values) {
		m.Options.Robust = false // demand now and then is no outlier
	}
	s := &State{Rest: m.Rest, Window: m.Options.Window, Robust: m.Options.Robust, Periods: periods, Used: len(in.Values), First: in.First}
	if len(periods) == 0 && missed > 0 {
		s.Notes = append(s.Notes, fmt.Sprintf("the history is too short for a season of %d: none is modelled", missed))
	}
	s.Logs = m.Logs == "on" || m.Logs == "" && len(periods) > 0 && inProportion(in.Values, periods[0])
	s.Size = num.MeanSize(in.Values)
	for _, v := range in.Values {
		if s.Logs && panel.Known(v) && !(v > 0) {
			return nil, fmt.Errorf("logs need values above zero, and the series has %g: turn logs off", v)
		}
		s.Values = append(s.Values, s.to(v))
	}
	s.Parts = loess.Split(s.Values, periods, m.Options)
	for at, period := range periods {
		season := s.Parts.Seasons[at]
		s.Cycles = append(s.Cycles, slices.Clone(season[len(season)-period:]))
	}
	adjusted := make([]float64, len(s.Values))
	outliers, moved := 0, s.moved()
	for i, v := range s.Values {
		adjusted[i] = v
		for _, season := range s.Parts.Seasons {
			adjusted[i] -= season[i]
		}
		if m.Options.Robust && s.Parts.Weight[i] < leastWeight && panel.Known(v) && i < moved {
			adjusted[i] = panel.Unknown
			outliers++
		}
	}
	if trailing := adjusted[len(adjusted)-1]; !panel.Known(trailing) && panel.CountKnown(adjusted) < single.Fewest {
		copy(adjusted, s.Values)
	}
	if outliers > 0 {
		s.Notes = append(s.Notes, fmt.Sprintf("values far from the fit were left out of the adjusted series: %d of them", outliers))
	}
	inner := in
	inner.Values = adjusted
	var err error
	s.Inner, _, err = single.Start(ctx, innerMethod(m.Rest), inner)
	return s, err
}

// longestStray is how many values in a row may be outliers at the end of a series; where
// more lie on the same side of the fit, the level has moved.
const longestStray = 3

// moved is where the values begin that end the series on one side of a robust fit, all
// with next to no weight; the length of the series where it has not moved.
func (s *State) moved() int {
	begin, run, side := len(s.Values), 0, 0.0
	for i := len(s.Values) - 1; i >= 0; i-- {
		if !panel.Known(s.Values[i]) {
			continue
		}
		rest := s.Parts.Rest[i]
		if s.Parts.Weight[i] >= leastWeight || rest*side < 0 {
			break
		}
		begin, run, side = i, run+1, rest
	}
	if run <= longestStray {
		return len(s.Values)
	}
	return begin
}

func innerMethod(name string) single.Method {
	switch name {
	case "theta":
		return theta.Method{NoSeason: true}
	case "arima":
		return arima.Method{NoSeason: true, Transform: "none"}
	}
	return smoothing.Auto().NoSeason()
}

// inProportion says whether a season grows with the level: the spread within a season then
// goes with the season's mean.
func inProportion(y []float64, m int) bool {
	for _, v := range y {
		if panel.Known(v) && !(v > 0) {
			return false
		}
	}
	var means, spreads []float64
	for at := len(y) % m; at+m <= len(y); at += m {
		var n, sum, ss float64
		for _, v := range y[at : at+m] {
			if panel.Known(v) {
				n, sum, ss = n+1, sum+v, ss+v*v
			}
		}
		if n > 1 {
			mean := sum / n
			means, spreads = append(means, mean), append(spreads, math.Sqrt(max(0, ss/n-mean*mean)))
		}
	}
	n := float64(len(means))
	if n < 4 {
		return false
	}
	var x, y2, xx, yy, xy float64
	for i := range means {
		a, b := math.Log(means[i]), math.Log(spreads[i]+1e-9*means[i])
		x, y2, xx, yy, xy = x+a, y2+b, xx+a*a, yy+b*b, xy+a*b
	}
	vx, vy, c := xx-x*x/n, yy-y2*y2/n, xy-x*y2/n
	if !(vx > 0) || !(vy > 0) {
		return false
	}
	return c/vx > 0.5 && c/math.Sqrt(vx*vy) > 0.5
}

func (s *State) to(v float64) float64 {
	if s.Logs {
		return math.Log(v / s.Size)
	}
	return v
}

func (s *State) back(v float64) float64 {
	if s.Logs {
		return s.Size * math.Exp(min(v, 300))
	}
	return v
}

// part is a season's or the rest's, a factor where parts multiply.
func (s *State) part(v float64) float64 {
	if s.Logs {
		return math.Exp(min(v, 300))
	}
	return v
}

// seasonal is what the seasons add h steps after what was seen.
func (s *State) seasonal(h int) (v float64) {
	for k, cycle := range s.Cycles {
		v += cycle[h%s.Periods[k]]
	}
	return v
}

// Forecast continues the adjusted series and puts the seasons back.
func (s *State) Forecast(v panel.SeriesView, out forecast.Rows) error {
	if err := s.Inner.Forecast(v, out); err != nil {
		return err
	}
	widen := s.widen()
	for h, m := range out.Mean {
		add := s.seasonal(h)
		q := out.At(h)
		for g := range q {
			q[g] = m + (q[g]-m)*widen
		}
		wide := (q[forecast.GridSize-5] - q[4]) / (2 * 1.959964) // from 2.5 to 97.5 %
		out.Mean[h] = s.back(m + add)
		if s.Logs { // the mean of what is normal in the logs
			out.Mean[h] *= math.Exp(0.5 * min(wide*wide, 1))
		}
		for g := range q {
			q[g] = s.back(q[g] + add)
		}
	}
	return nil
}

// widen is what the adjusted series' intervals lack: the seasons took part of the noise
// with them, and are uncertain themselves, by as many numbers as they are made of.
func (s *State) widen() float64 {
	n := float64(s.Used)
	taken := 0.0
	for _, m := range s.Periods {
		passed := n / float64(m)
		places := float64(m)
		if m > loess.Longest {
			places = 16 // about as many as the smoothing leaves free
		}
		taken += places * max(1, passed/float64(max(s.Window, 3)))
	}
	taken = min(taken, 0.8*n)
	return math.Sqrt((1+taken/n)*n/(n-taken)) * math.Sqrt(min(s.outlying(), mostOutlying))
}

// mostOutlying bounds how far outliers in the past widen the intervals.
const mostOutlying = 2

// outlying is the mean square of the rest over that of the values that were not left out:
// what strayed once will stray again.
func (s *State) outlying() float64 {
	var all, kept, n, k float64
	for i, r := range s.Parts.Rest {
		if !panel.Known(r) {
			continue
		}
		all, n = all+r*r, n+1
		if !s.Robust || s.Parts.Weight[i] >= leastWeight {
			kept, k = kept+r*r, k+1
		}
	}
	if !(kept > 0) {
		return 1
	}
	return all / n / (kept / k)
}

// leastWeight is the weight of robust fitting below which a value is left out as an
// outlier.
const leastWeight = 0.05

// Advance takes further values; the seasons stay as they are.
func (s *State) Advance(v panel.SeriesView, from int) error {
	next := v
	next.Values = slices.Clone(v.Values)
	values := slices.Clone(s.Values)
	for i := from; i < len(next.Values); i++ {
		y := s.to(v.Values[i])
		values = append(values, y)
		next.Values[i] = y - s.seasonal(0)
		for k, cycle := range s.Cycles {
			s.Cycles[k] = append(slices.Clone(cycle[1:]), cycle[0])
		}
	}
	s.Values = values
	return s.Inner.Advance(next, from)
}

// Fitted gives the forecasts one step ahead, with the seasons as they were found.
func (s *State) Fitted() []float64 {
	out := slices.Clone(s.Inner.Fitted())
	for i := range out {
		for _, season := range s.Parts.Seasons {
			out[i] += season[i]
		}
		out[i] = s.back(out[i])
	}
	return out
}

// Brief names the seasons that were taken out, and what the rest is continued by.
func (s *State) Brief() string {
	var words []string
	for _, m := range s.Periods {
		words = append(words, fmt.Sprintf("season of %d", m))
	}
	if s.Logs {
		words = append(words, "in logs")
	}
	if b, ok := s.Inner.(interface{ Brief() string }); ok {
		words = append(words, b.Brief())
	}
	return strings.Join(words, ", ")
}

// Describe says all about the parts.
func (s *State) Describe(d *model.Description, horizon int) {
	inner := model.Description{}
	s.Inner.Describe(&inner, horizon)
	d.Form = "taken apart by local regression"
	for _, m := range s.Periods {
		d.Form += fmt.Sprintf(", a season of %d", m)
	}
	if s.Logs {
		d.Form += ", in logs"
	}
	d.Form += "; the adjusted series is continued by " + inner.Form
	d.Why, d.Criterion, d.Choices = inner.Why, inner.Criterion, inner.Choices
	d.Parameters, d.States, d.Sigma = inner.Parameters, inner.States, inner.Sigma
	d.Cautions = append(append(d.Cautions, inner.Cautions...), s.Notes...)
	trend := model.Component{Name: "trend", Past: make([]float64, s.Used), Ahead: make([]float64, horizon)}
	for i := range trend.Past {
		trend.Past[i] = s.back(s.Parts.Trend[i])
	}
	rows := forecast.NewRows(max(horizon, 1))
	if err := s.Inner.Forecast(panel.SeriesView{}, rows); err == nil {
		for h := range trend.Ahead {
			trend.Ahead[h] = s.back(rows.Mean[h])
		}
	}
	d.Components = []model.Component{trend}
	for k, m := range s.Periods {
		c := model.Component{Name: fmt.Sprintf("season of %d", m), Factor: s.Logs}
		for i := range s.Used {
			c.Past = append(c.Past, s.part(s.Parts.Seasons[k][i]))
		}
		for h := range horizon {
			c.Ahead = append(c.Ahead, s.part(s.Cycles[k][h%m]))
		}
		d.Components = append(d.Components, c)
	}
	rest := model.Component{Name: "rest", Factor: s.Logs, Ahead: make([]float64, horizon)}
	for i := range s.Used {
		rest.Past = append(rest.Past, s.part(s.Parts.Rest[i]))
	}
	if s.Logs {
		for h := range rest.Ahead {
			rest.Ahead[h] = 1
		}
	}
	d.Components = append(d.Components, rest)
}

// Families is forecasting by decomposition.
func Families() model.Catalogue {
	one, three, most := 1.0, 3.0, 1000.0
	return model.Catalogue{{
		Name:      "decomposition",
		Version:   17, // how far errors lean
		Summary:   "Takes trend, seasons and rest apart by local regression; the adjusted series is continued by another method, and the seasons repeat.",
		Reference: "Cleveland, Cleveland, McRae and Terpenning, Journal of Official Statistics 6, 1990",
		Settings: append([]model.Setting{
			{Name: "rest", Kind: model.Choice, Choices: []string{"smoothing", "theta", "arima"}, Default: "smoothing",
				Meaning: "what continues the adjusted series"},
			{Name: "robust", Kind: model.Switch, Default: true, Meaning: "outliers get little weight"},
			{Name: "window", Kind: model.Whole, Min: &three, Max: &most, Default: 11,
				Meaning: "seasons over which a season is smoothed; more make it steadier"},
			{Name: "length", Kind: model.Whole, Min: &one, Max: &most, Meaning: "periods in the season",
				Auto: "every season of the cadence that two rounds of show"},
			{Name: "logs", Kind: model.Choice, Choices: []string{"on", "off"}, Meaning: "parts multiply rather than add",
				Auto: "on where the season's size goes with the level"},
		}, single.UsualSettings()...),
		New: func(v model.Values) (model.Model, error) {
			m := Method{Rest: v.Text("rest", "smoothing"), Options: loess.Options{Window: v.Int("window", 11)}, Season: v.Int("length", 0),
				Logs: v.Text("logs", "")}
			m.Options.Robust, _ = v["robust"].(bool)
			return single.Model(m, single.BoundsOf(v)), nil
		},
		Read: single.Read,
	}}
}

// Widen is what inner windows ask for.
func (m Method) Widen(ctx context.Context, in single.Input, _ single.State) single.Widening {
	return single.AskWindows(ctx, m, in)
}
