// Package automatic chooses, for each series, among the families that fit its length and
// demand: by how they forecast inner windows of the training part.
package automatic

import (
	"cmp"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"math"
	"slices"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/additive"
	"paperkettle/core/model/arima"
	"paperkettle/core/model/decomposition"
	"paperkettle/core/model/intermittent"
	"paperkettle/core/model/loess"
	"paperkettle/core/model/single"
	"paperkettle/core/model/smoothing"
	"paperkettle/core/model/theta"
	"paperkettle/core/panel"
)

func init() { gob.Register(&State{}) }

// Method chooses by inner windows.
type Method struct {
	Single bool // the best form alone, never a mix
}

// State is a mix of fitted forms, or one alone, with how it was chosen.
type State struct {
	single.Mix
	Scores []model.Candidate
	Why    string
}

// entrant is a form that may be chosen.
type entrant struct {
	name   string
	method single.Method
}

// entrants lists the forms fit for a series.
func entrants(in single.Input, season int) []entrant {
	if sparse(in.Values) {
		return []entrant{{"intermittent", intermittent.Method{}}, {"smoothing", smoothing.Auto().NoSeason()}}
	}
	list := []entrant{{"smoothing", smoothing.Method{Long: true, Averaged: true}}, {"theta", theta.Method{}}, {"arima", arima.Method{}}}
	if season > 1 && panel.CountKnown(in.Values) >= 2*season+4 {
		list = append(list, entrant{"decomposition", decomposition.Method{Rest: "smoothing", Options: loess.Options{Window: 11, Robust: true}}})
	}
	if explained(in) {
		list = append(list, entrant{"additive", additive.Auto()})
	}
	return list
}

// explained says that something from outside may move the series: an event, or a driver that
// is known ahead.
func explained(in single.Input) bool {
	if len(in.Events()) > 0 {
		return true
	}
	return slices.ContainsFunc(in.View().Drivers(), func(d panel.Driver) bool { return d.KnownAhead })
}

// sparse says that demand comes now and then: on average less than every 1.32 periods,
// Syntetos, Boylan and Croston's bound (Journal of the Operational Research Society 56,
// 2005), and zeros are common.
func sparse(y []float64) bool {
	known, demand := 0, 0
	for _, v := range y {
		if v < 0 {
			return false
		}
		if panel.Known(v) {
			known++
			if v > 0 {
				demand++
			}
		}
	}
	return demand > 0 && float64(known) > 1.32*float64(demand)
}

// Fit scores the entrants on inner windows and fits those that get weight.
func (m Method) Fit(ctx context.Context, in single.Input) (single.State, error) {
	season := in.Cadence().Season()
	list := entrants(in, season)
	trial := m.rehearse(ctx, in, list)
	s := &State{Why: trial.why}
	var failed []error
	for i, w := range trial.weigh(m.Single) {
		if w <= 0 {
			continue
		}
		method := list[i].method
		if again, ok := trial.fits[i].(interface{ Again() single.Method }); ok {
			method = again.Again()
		}
		state, _, err := single.Start(ctx, method, in)
		if err != nil {
			failed = append(failed, fmt.Errorf("%s: %w", list[i].name, err))
			continue
		}
		s.Add(list[i].name, state, w)
	}
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if len(s.Parts) == 0 {
		return nil, errors.Join(failed...)
	}
	s.Close()
	for i, e := range list {
		if trial.scores != nil {
			s.Scores = append(s.Scores, model.Candidate{Form: e.name, Value: trial.scores[i]})
		}
	}
	return s, nil
}

// trial is what the entrants did on the inner windows.
type trial struct {
	scores   []float64      // of squared errors; nil without windows, NaN where an entrant failed
	fits     []single.State // as fitted before the windows
	evidence []float64      // of how they fit the part before, NaN where that tells nothing
	why      string
	caution  float64
	rounds   float64 // horizons that the inner windows span
}

// mostSpan is how many horizons the inner windows may take.
const mostSpan = 5

// rehearse fits each entrant once, before the inner windows, and advances it over them.
func (m Method) rehearse(ctx context.Context, in single.Input, list []entrant) trial {
	n := len(in.Values)
	season := in.Cadence().Season()
	h := max(1, min(in.Horizon, n/6))
	least := max(12, 2*min(season, n/4)+4)
	span := min(mostSpan*h, n/3, n-least)
	stride := max(1, h/4)
	windows := 0
	if span >= h {
		windows = (span-h)/stride + 1
		span = h + (windows-1)*stride
	}
	t := trial{fits: make([]single.State, len(list))}
	if windows == 0 {
		t.why = fmt.Sprintf("the history of %d values is too short for inner windows: the forms are mixed evenly", n)
		return t
	}
	t.rounds = float64(span) / float64(h)
	t.caution = caution(n - span)
	t.scores, t.evidence = make([]float64, len(list)), make([]float64, len(list))
	rows := forecast.NewRows(h)
	for i, e := range list {
		keep := n - span
		early := in.Before(keep)
		early.Horizon = h
		t.scores[i], t.evidence[i] = math.NaN(), math.NaN()
		state, _, err := single.Start(ctx, e.method, early)
		if err != nil {
			continue
		}
		t.evidence[i] = evidence(early.Values, state, season)
		squares, counts := make([]float64, h), make([]float64, h)
		ok := true
		for w := range windows {
			if w > 0 {
				later := in.Before(keep + w*stride)
				if err := state.Advance(later.SeriesView, keep+(w-1)*stride); err != nil {
					ok = false
					break
				}
				early = later
			}
			if err := state.Forecast(early.SeriesView, rows); err != nil {
				ok = false
				break
			}
			for k, f := range rows.Mean {
				if e := in.Values[keep+w*stride+k] - f; e == e {
					squares[k] += e * e
					counts[k]++
				}
			}
		}
		if ok {
			t.scores[i], t.fits[i] = overSteps(squares, counts), state
		}
	}
	t.why = fmt.Sprintf("by the squared errors on %d inner windows of %d", windows, h)
	return t
}

// overSteps is the geometric mean over the steps of their mean squared errors, so that far
// steps, whose errors are large for all, do not drown the near ones.
func overSteps(squares, counts []float64) float64 {
	sum, n := 0.0, 0.0
	for k, v := range squares {
		if counts[k] > 0 && v > 0 {
			sum += math.Log(v / counts[k])
			n++
		}
	}
	if n == 0 {
		return 0
	}
	return math.Exp(sum / n)
}

// leastWeight is the weight, next to the best form's, below which a form is left out.
const leastWeight = 0.05

// weigh turns scores into weights: the inverse of the squared error to a power that grows
// with the evidence, so that few windows hardly tell the forms apart, and many almost
// choose one (Bates and Granger, Operational Research Quarterly 20, 1969, weigh by the
// first power).
func (t trial) weigh(alone bool) []float64 {
	out := make([]float64, len(t.fits))
	if t.scores == nil {
		for i := range out {
			out[i] = 1
		}
		return out
	}
	best := math.Inf(1)
	for _, v := range t.scores {
		if v < best {
			best = v
		}
	}
	power := max(0.3, 1.3*(t.rounds-1.5))
	chosen := false
	for i, v := range t.scores {
		switch {
		case math.IsNaN(v), alone && (chosen || v > best):
		case v == best:
			out[i], chosen = 1, true
		default:
			out[i] = math.Pow(best/v, power)
		}
	}
	if !alone {
		t.temper(out)
	}
	return out
}

// temper multiplies the weights by what the fits before the windows tell, and leaves out
// the smallest.
func (t trial) temper(weights []float64) {
	most := math.Inf(-1)
	for i, v := range t.evidence {
		if weights[i] > 0 && v > most {
			most = v
		}
	}
	// Without evidence of its own a form is taken for a relative of smoothing, the first.
	kin := t.evidence[0]
	top := 0.0
	for i, v := range t.evidence {
		if math.IsNaN(v) {
			v = kin
		}
		if !math.IsNaN(v) && !math.IsInf(most, 0) {
			weights[i] *= math.Exp((v - most) / t.caution)
		}
		if i == 0 {
			weights[i] *= lead
		}
		top = math.Max(top, weights[i])
	}
	for i := range weights {
		if weights[i] < leastWeight*top {
			weights[i] = 0
		}
	}
}

// caution divides the evidence of fits: a likelihood takes its form for true, and choosing
// a form costs more the fewer values there are.
func caution(n int) float64 { return max(3, min(8, 8*100/float64(n))) }

// lead is the weight of the first entrant before anything is seen: smoothing mixes forms of
// its own, and on short histories loses least.
const lead = 2

// evidence is the log-likelihood of the errors one step ahead, less the parameters that
// it cost (Akaike's criterion, halved and turned round), of the values after the first
// rounds.
func evidence(values []float64, state single.State, season int) float64 {
	counted, ok := state.(interface{ Count() int })
	if !ok {
		return math.NaN()
	}
	fitted := state.Fitted()
	sum, n := 0.0, 0.0
	for i := min(2*season+4, len(values)/2); i < len(values); i++ {
		if e := values[i] - fitted[i]; e == e {
			sum += e * e
			n++
		}
	}
	k := float64(counted.Count())
	if n <= k+2 || !(sum > 0) {
		return math.NaN()
	}
	return -n/2*math.Log(sum/n) - k*n/(n-k-1)
}

// Describe says what was chosen, and why.
func (s *State) Describe(d *model.Description, horizon int) {
	s.Mix.Describe(d, horizon)
	d.Why = s.Why
	d.Criterion, d.Choices = "squared error on inner windows", nil
	for _, c := range s.Scores {
		if !math.IsNaN(c.Value) {
			d.Choices = append(d.Choices, c)
		}
	}
	slices.SortStableFunc(d.Choices, func(a, b model.Candidate) int { return cmp.Compare(a.Value, b.Value) })
}

// Families is the automatic choice.
func Families() model.Catalogue {
	return model.Catalogue{{
		Name:      "automatic",
		Summary:   "Chooses per series among smoothing, theta, ARIMA, decomposition and intermittent demand, and additive where there are events or drivers, by inner windows.",
		Reference: "inner windows: Tashman, International Journal of Forecasting 16, 2000; mixing: Timmermann, Handbook of Economic Forecasting 1, 2006",
		Settings: append([]model.Setting{
			{Name: "choose", Kind: model.Choice, Choices: []string{"mixed", "single"}, Default: "mixed", Meaning: "mix the forms by how sure the inner windows are, or take the best alone"},
		}, single.BoundSettings()...),
		New: func(v model.Values) (model.Model, error) {
			return single.Model(Method{Single: v.Text("choose", "") == "single"}, single.BoundsOf(v)), nil
		},
		Read: single.Read,
	}}
}
