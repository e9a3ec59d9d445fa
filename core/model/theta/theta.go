// Package theta is the theta method: a line through the whole series and exponential
// smoothing of what bends around it, on the seasonally adjusted series.
//
// Source: Assimakopoulos and Nikolopoulos, The theta model, International Journal of
// Forecasting 16 (2000); as a model whose theta is estimated: Fiorucci, Pellegrini,
// Louzada, Petropoulos and Koehler, International Journal of Forecasting 32 (2016).
package theta

import (
	"context"
	"encoding/gob"
	"fmt"
	"math"
	"slices"
	"sync"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

func init() { gob.Register(&State{}) }

// Method fits theta models.
type Method struct {
	Optimised bool
	Season    int
	NoSeason  bool
}

// LeavesOutOdd says that mistakes are left out: each would go on in level and season.
func (m Method) LeavesOutOdd() bool { return true }

// Blind says that it sees no events.
func (m Method) Blind() bool { return true }

// TakesDays says that it may be fitted to what the calendar's days leave.
func (m Method) TakesDays() bool { return true }

// TakesLong says that a long season is told by all series together too.
func (m Method) TakesLong() bool { return true }

// TakesRest says that it may be fitted to what a season of few rounds leaves, where none was set or ruled out.
func (m Method) TakesRest(single.Input) bool { return m.Season == 0 && !m.NoSeason }

// TakesYear says that it may be fitted to what the season of the year leaves, where none was set or ruled out.
func (m Method) TakesYear(panel.View) bool { return m.Season == 0 && !m.NoSeason }

// State is a fitted model at the end of what it has seen.
type State struct {
	Theta, Alpha, Start float64 // Start is the level before the first value
	Level               float64 // of the smoothing, at the end
	Fade                float64 // (1-alpha)^T
	A, B                float64 // the line a + b t, t = 1 at the first value
	Season              []float64
	Factor              bool
	T                   int // values seen
	Sigma2              float64
	Free                float64
	Scale               float64
	Values              []float64
	Used                int
	Quiet               int
	Notes               []string
}

type fitter struct {
	y   []float64
	s   State
	min num.Minimizer

	last float64 // loss at what was asked last
}

var fitters = sync.Pool{New: func() any { return &fitter{} }}

// Fit adjusts for the season, where there is one, and fits the rest.
func (m Method) Fit(_ context.Context, in single.Input) (single.State, error) {
	f := fitters.Get().(*fitter)
	defer fitters.Put(f)
	s := State{Theta: 2, Values: in.Values, Used: len(in.Values)}
	s.Scale = num.MeanSize(in.Values)
	season := in.Season()
	if m.Season > 0 {
		season = m.Season
	}
	if m.NoSeason {
		season = 1
	}
	f.y = f.y[:0]
	for _, v := range in.Values {
		f.y = append(f.y, v/s.Scale)
	}
	if season > 1 && len(f.y) < 2*season+2 {
		s.Notes = append(s.Notes, fmt.Sprintf("the history is too short for a season of %d: none is adjusted for", season))
	} else if season > 1 && seasonal(f.y, season) {
		s.Season, s.Factor = adjust(f.y, season)
	}
	s.A, s.B = line(f.y)
	f.s = s
	f.fit(m.Optimised)
	out := f.s
	out.restart()
	for _, v := range in.Values {
		out.push(v)
	}
	return &out, nil
}

const (
	// nearZero is up to which part of the mean of its place a value has no ratio to speak of, and mostNear one in how many
	// such values may be.
	nearZero = 0.05
	mostNear = 50
	// leastPlace is the least part of the mean that a place has where it multiplies.
	leastPlace = 0.01
)

// multiplies says whether a season can be factors: every place has something of its own, and no more than a few values have
// next to nothing of it, or less than nothing. Days on which a shop was shut are no reason to tell what goes by ratios by
// differences.
func multiplies(y []float64, m int) bool {
	sums, counts := make([]float64, m), make([]float64, m)
	for i, v := range y {
		if panel.Known(v) {
			sums[i%m], counts[i%m] = sums[i%m]+v, counts[i%m]+1
		}
	}
	near, known := 0, 0
	for i, v := range y {
		if !panel.Known(v) {
			continue
		}
		mean := sums[i%m] / counts[i%m]
		if !(mean > leastPlace) {
			return false
		}
		if known++; v <= nearZero*mean {
			near++
		}
	}
	return mostNear*near <= known
}

// seasonal says whether a season is more than noise taken for one: by its strength, since
// a test of the autocorrelation misses plain seasons in short histories.
func seasonal(y []float64, m int) bool {
	_, strength := panel.Strengths(y, m)
	return strength > 0.15
}

// adjust takes the season out of a series, as factors where all, or all but a few, is above zero: ratios to,
// or differences from, the centred mean over a season, averaged place by place.
func adjust(y []float64, m int) (season []float64, factor bool) {
	factor = multiplies(y, m)
	season = make([]float64, m)
	count := make([]float64, m)
	for i := m / 2; i+m/2 < len(y); i++ {
		sum, weight := 0.0, 0.0
		for j := i - m/2; j <= i+m/2; j++ {
			w := 1.0
			if m%2 == 0 && (j == i-m/2 || j == i+m/2) {
				w = 0.5
			}
			if panel.Known(y[j]) {
				sum, weight = sum+w*y[j], weight+w
			}
		}
		if !panel.Known(y[i]) || weight < float64(m)/2 {
			continue
		}
		d := y[i] - sum/weight
		if factor {
			d = y[i] / (sum / weight)
		}
		season[i%m] += d
		count[i%m]++
	}
	mean := 0.0
	for k := range season {
		switch {
		case count[k] > 0:
			season[k] /= count[k]
		case factor:
			season[k] = 1
		}
		mean += season[k] / float64(m)
	}
	for k := range season {
		if factor {
			season[k] /= mean
		} else {
			season[k] -= mean
		}
	}
	for i := range y {
		if factor {
			y[i] /= season[i%m]
		} else {
			y[i] -= season[i%m]
		}
	}
	return season, factor
}

func line(y []float64) (a, b float64) {
	var n, st, sy, stt, sty float64
	for i, v := range y {
		if panel.Known(v) {
			t := float64(i + 1)
			n, st, sy, stt, sty = n+1, st+t, sy+v, stt+t*t, sty+t*v
		}
	}
	if d := n*stt - st*st; d > 0 {
		b = (n*sty - st*sy) / d
	}
	return (sy - b*st) / n, b
}

// fit finds alpha and the first level, and theta where it is free, by least squares.
func (f *fitter) fit(free bool) {
	first := f.y[max(0, slices.IndexFunc(f.y, panel.Known))]
	best, bestSum := [3]float64{}, math.Inf(1)
	k := 2
	if free {
		k = 3
	}
	for _, alpha := range []float64{0.1, 0.5, 0.9} {
		x := [3]float64{math.Log(alpha / (1 - alpha)), first, 0}
		sum := f.min.Run(objective{f}, x[:k], num.Stop{Steps: 60, Gain: 1e-7})
		if sum < bestSum {
			best, bestSum = x, sum
		}
	}
	f.set(best[:k])
	n, sum := f.sum()
	f.s.Free = max(1, float64(n-k-2-len(f.s.Season)))
	f.s.Sigma2 = sum / f.s.Free
}

func (f *fitter) set(x []float64) {
	f.s.Alpha = 0.001 + 0.998/(1+math.Exp(-x[0]))
	f.s.Start = x[1]
	if len(x) == 3 {
		f.s.Theta = 1 + math.Exp(min(max(x[2], -5), 3)) // 2 at 0
	}
}

// sum is of the squared errors one step ahead.
func (f *fitter) sum() (n int, sum float64) {
	s := &f.s
	s.restart()
	for _, y := range f.y {
		mu := s.ahead()
		if panel.Known(y) {
			e := y - mu
			sum += e * e
			n++
			s.move(e)
		} else {
			s.move(0)
		}
	}
	return n, sum
}

// objective is what a fit minimises: the log of the root of the mean squared error one step ahead.
type objective struct{ *fitter }

func (f objective) Value(x []float64) float64 {
	f.set(x)
	n, sum := f.sum()
	f.last = 0.5 * math.Log(sum/float64(n))
	return f.last
}

// Gradient is by differences.
func (f objective) Gradient(x, g []float64) {
	const step = 1e-6
	v := f.last
	for i := range x {
		kept := x[i]
		x[i] += step
		g[i] = (f.Value(x) - v) / step
		x[i] = kept
	}
}

func (s *State) restart() { s.Level, s.Fade, s.T, s.Quiet = s.Start, 1, 0, 0 }

// ahead is the adjusted forecast one step ahead: the smoothed level plus the share
// 1 - 1/theta of the line, as far as smoothing has not caught up with it.
func (s *State) ahead() float64 { return s.Level + (1-1/s.Theta)*s.pull() }

// pull is (1-alpha)^t A + (1-(1-alpha)^(t+1))/alpha B, t values seen: the part of the line
// that a level smoothed from the start lacks.
func (s *State) pull() float64 {
	return s.Fade*s.A + (1-s.Fade*(1-s.Alpha))/s.Alpha*s.B
}

// move takes an error one step ahead.
func (s *State) move(e float64) {
	s.Level = s.Alpha*(s.ahead()+e) + (1-s.Alpha)*s.Level
	s.Fade *= 1 - s.Alpha
	s.T++
}

// push takes a value of the series.
func (s *State) push(v float64) {
	y := s.adjusted(v/s.Scale, s.T)
	if panel.Known(y) {
		s.move(y - s.ahead())
		s.Quiet = 0
		return
	}
	s.move(0)
	s.Quiet++
}

func (s *State) adjusted(y float64, t int) float64 {
	switch {
	case len(s.Season) == 0:
		return y
	case s.Factor:
		return y / s.Season[t%len(s.Season)]
	}
	return y - s.Season[t%len(s.Season)]
}

// Forecast continues the series. The errors are those of simple exponential smoothing:
// sigma2 (1 + (h-1) alpha^2).
func (s *State) Forecast(_ panel.SeriesView, out forecast.Rows) error {
	again := *s
	free := int(min(s.Free, 1000))
	doubt := float64(len(s.Season)) / float64(s.Used) // each place is known from its own values
	for h := range out.Mean {
		mu := again.ahead()
		again.move(0)
		wide := math.Sqrt(s.Sigma2 * (1 + doubt + float64(h+s.Quiet)*s.Alpha*s.Alpha))
		out.Mean[h] = s.whole(mu, s.T+h)
		q := out.At(h)
		for g, t := range forecast.Student(free) {
			q[g] = s.whole(mu+wide*t, s.T+h)
		}
	}
	return nil
}

// whole puts the season back.
func (s *State) whole(y float64, t int) float64 {
	switch {
	case len(s.Season) == 0:
	case s.Factor:
		y *= s.Season[t%len(s.Season)]
	default:
		y += s.Season[t%len(s.Season)]
	}
	return y * s.Scale
}

// Advance takes further values.
func (s *State) Advance(v panel.SeriesView, from int) error {
	values := append([]float64(nil), s.Values...)
	for _, y := range v.Values[from:] {
		s.push(y)
		values = append(values, y)
	}
	s.Values = values
	return nil
}

// Fitted gives the forecasts one step ahead.
func (s *State) Fitted() []float64 {
	again := *s
	again.restart()
	out := make([]float64, s.Used)
	for i := range out {
		out[i] = s.whole(again.ahead(), i)
		again.push(s.Values[i])
	}
	return out
}

// Brief says what the line and the season were found to be.
func (s *State) Brief() string {
	if len(s.Season) == 0 {
		return "no season"
	}
	return fmt.Sprintf("%s season of %d", map[bool]string{true: "multiplied", false: "added"}[s.Factor], len(s.Season))
}

// Describe says all about the model.
func (s *State) Describe(d *model.Description, horizon int) {
	d.Form = "theta: a line, and exponential smoothing of what bends around it"
	if len(s.Season) > 0 {
		d.Form += fmt.Sprintf(", adjusted for a season of %d", len(s.Season))
	}
	d.Parameters = []model.Parameter{
		{Name: "theta", Value: s.Theta, Meaning: "how far the bends are stretched; 2 takes half of the line's slope"},
		{Name: "alpha", Value: s.Alpha, Meaning: "weight of an error in the level"},
		{Name: "slope", Value: (1 - 1/s.Theta) * s.B * s.Scale, Meaning: "change from a period to the next in the long run"},
	}
	d.States = []model.Parameter{{Name: "l0", Value: s.Start * s.Scale, Meaning: "level before the first period"}}
	sigma := math.Sqrt(s.Sigma2) * s.Scale
	d.Sigma = &sigma
	again := *s
	again.restart()
	level, season := make([]float64, s.Used), make([]float64, s.Used)
	for i := range level { // where it would go on without a season
		again.push(s.Values[i])
		level[i] = again.ahead() * s.Scale
	}
	last := *s
	ahead := make([]float64, horizon)
	for h := range ahead {
		ahead[h] = last.ahead() * s.Scale
		last.move(0)
	}
	d.Components = []model.Component{{Name: "level", Past: level, Ahead: ahead}}
	if k := len(s.Season); k > 0 {
		at := func(t int) float64 {
			if s.Factor {
				return s.Season[t%k]
			}
			return s.Season[t%k] * s.Scale
		}
		for i := range season {
			season[i] = at(i)
		}
		next := make([]float64, horizon)
		for h := range next {
			next[h] = at(s.T + h)
		}
		d.Components = append(d.Components, model.Component{Name: fmt.Sprintf("season of %d", k), Factor: s.Factor, Past: season, Ahead: next})
	}
	d.Cautions = append(d.Cautions, s.Notes...)
}

// Families is the theta method.
func Families() model.Catalogue {
	one, most := 1.0, 1000.0
	return model.Catalogue{{
		Name:      "theta",
		Version:   16, // how far errors lean
		Summary:   "The theta method: half the slope of a line, and exponential smoothing around it, seasonally adjusted.",
		Reference: "Assimakopoulos and Nikolopoulos, International Journal of Forecasting 16, 2000; Fiorucci and others, 32, 2016",
		Settings: append([]model.Setting{
			{Name: "kind", Kind: model.Choice, Choices: []string{"standard", "optimised"}, Default: "standard", Meaning: "theta fixed at 2, or estimated"},
			{Name: "length", Kind: model.Whole, Min: &one, Max: &most, Meaning: "periods in the season", Auto: "the cadence's shortest"},
			{Name: "season", Kind: model.Choice, Choices: []string{"none"}, Meaning: "none adjusts for no season", Auto: "adjusted for where a test finds it"},
		}, single.UsualSettings()...),
		New: func(v model.Values) (model.Model, error) {
			return single.Model(Method{Optimised: v.Text("kind", "") == "optimised", Season: v.Int("length", 0),
				NoSeason: v.Text("season", "") == "none"}, single.BoundsOf(v)), nil
		},
		Quick: true,
		Read:  single.Read,
	}}
}

// Widen is what inner windows ask for.
func (m Method) Widen(ctx context.Context, in single.Input, _ single.State) single.Widening {
	return single.AskWindows(ctx, m, in)
}
