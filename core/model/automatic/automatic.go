// Package automatic chooses, for each series, among the families that fit its length and
// demand: by how they forecast inner windows of the training part.
package automatic

import (
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/arima"
	"paperkettle/core/model/decomposition"
	"paperkettle/core/model/intermittent"
	"paperkettle/core/model/single"
	"paperkettle/core/model/smoothing"
	"paperkettle/core/model/theta"
	"paperkettle/core/panel"
)

func init() { gob.Register(&State{}) }

// Method chooses by inner windows.
type Method struct {
	Single bool // one form alone, never a mix
	Power  float64
	Mix    string
}

// State is a mix of fitted forms; most often one or a few of them have weight.
type State struct {
	Names   []string
	Parts   []single.State
	Weights []float64
	Widen   []float64 // by step: how much wider the errors were than the intervals said
	Scores  []model.Candidate
	Why     string
	Notes   []string
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
	if season > 1 && panel.CountKnown(in.Values) >= 3*season {
		list = append(list, entrant{"decomposition", decomposition.Method{Rest: "smoothing", Options: decomposition.Options{Window: 11, Robust: true}}})
	}
	return list
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
	trial := m.try(ctx, in, list)
	s := &State{Notes: trial.notes}
	weights := trial.weigh(m)
	var failed []error
	for i, w := range weights {
		if w <= 0 {
			continue
		}
		state, _, err := single.Start(ctx, list[i].method, in)
		if err != nil {
			failed = append(failed, fmt.Errorf("%s: %w", list[i].name, err))
			continue
		}
		s.Names, s.Parts, s.Weights = append(s.Names, list[i].name), append(s.Parts, state), append(s.Weights, w)
	}
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if len(s.Parts) == 0 {
		return nil, errors.Join(failed...)
	}
	total := 0.0
	for _, w := range s.Weights {
		total += w
	}
	for i := range s.Weights {
		s.Weights[i] /= total
	}
	for i, e := range list {
		if trial.scores != nil {
			s.Scores = append(s.Scores, model.Candidate{Form: e.name, Value: trial.scores[i]})
		}
	}
	s.Why = trial.why
	return s, nil
}

// trial is what the entrants did on the inner windows.
type trial struct {
	scores []float64 // mean squared error; nil without windows
	errors [][]float64
	why    string
	notes  []string
	n      int
	rounds float64 // horizons that the inner windows span
}

// mostSpan is how many horizons the inner windows may take.
const mostSpan = 5

// try fits each entrant once, before the inner windows, and advances it over them.
func (m Method) try(ctx context.Context, in single.Input, list []entrant) trial {
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
	t := trial{n: n}
	if windows == 0 {
		t.why = fmt.Sprintf("the history of %d values is too short for inner windows: the forms are mixed evenly", n)
		return t
	}
	t.rounds = float64(span) / float64(h)
	t.errors = make([][]float64, len(list))
	t.scores = make([]float64, len(list))
	rows := forecast.NewRows(h)
	for i, e := range list {
		keep := n - span
		early := in.Before(keep)
		early.Horizon = h
		t.scores[i] = math.NaN()
		state, _, err := single.Start(ctx, e.method, early)
		if err != nil {
			continue
		}
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
				e := in.Values[keep+w*stride+k] - f
				if e != e {
					e = 0
				} else {
					squares[k] += e * e
					counts[k]++
				}
				t.errors[i] = append(t.errors[i], e)
			}
		}
		if ok {
			t.scores[i] = overSteps(squares, counts)
		} else {
			t.errors[i] = nil
		}
	}
	t.why = fmt.Sprintf("weights by the squared errors on %d inner windows of %d", windows, h)
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

// weigh turns scores into weights.
func (t trial) weigh(m Method) []float64 {
	k := len(t.scores)
	if t.scores == nil {
		return []float64{1, 1, 1, 1, 1}
	}
	out := make([]float64, k)
	best := math.Inf(1)
	for _, v := range t.scores {
		if v < best {
			best = v
		}
	}
	power := m.Power
	if power == 0 {
		power = max(0.3, 1.3*(t.rounds-1.5))
	}
	for i, v := range t.scores {
		switch {
		case math.IsNaN(v):
		case m.Single:
			if v == best {
				out[i] = 1
			}
		case best == 0:
			if v == 0 {
				out[i] = 1
			}
		default:
			out[i] = math.Pow(best/v, power)
			if out[i] < 0.05 {
				out[i] = 0
			}
		}
	}
	return out
}

// Forecast mixes the parts: means by weight, and quantiles too.
func (s *State) Forecast(v panel.SeriesView, out forecast.Rows) error {
	clear(out.Mean)
	clear(out.Quantiles)
	rows := forecast.NewRows(len(out.Mean))
	for i, part := range s.Parts {
		if err := part.Forecast(v, rows); err != nil {
			return err
		}
		for h, m := range rows.Mean {
			out.Mean[h] += s.Weights[i] * m
		}
		for g, q := range rows.Quantiles {
			out.Quantiles[g] += s.Weights[i] * q
		}
	}
	return nil
}

// Advance moves every part on.
func (s *State) Advance(v panel.SeriesView, from int) error {
	for _, part := range s.Parts {
		if err := part.Advance(v, from); err != nil {
			return err
		}
	}
	return nil
}

// Fitted mixes the parts' fitted values.
func (s *State) Fitted() []float64 {
	var out []float64
	for i, part := range s.Parts {
		f := part.Fitted()
		if out == nil {
			out = make([]float64, len(f))
		}
		for t := range out {
			out[t] += s.Weights[i] * f[t]
		}
	}
	return out
}

// Describe says what was chosen, and why.
func (s *State) Describe(d *model.Description, horizon int) {
	lead := 0
	for i, w := range s.Weights {
		if w > s.Weights[lead] {
			lead = i
		}
	}
	s.Parts[lead].Describe(d, horizon)
	if len(s.Parts) > 1 {
		var names []string
		for i, n := range s.Names {
			names = append(names, fmt.Sprintf("%s %.0f %%", n, 100*s.Weights[i]))
		}
		d.Form = "a mix of " + strings.Join(names, ", ") + "; first of them " + d.Form
	}
	d.Why = s.Why
	d.Criterion, d.Choices = "mean squared error on inner windows", nil
	for _, c := range s.Scores {
		if !math.IsNaN(c.Value) {
			d.Choices = append(d.Choices, c)
		}
	}
	slices.SortStableFunc(d.Choices, func(a, b model.Candidate) int {
		switch {
		case a.Value < b.Value:
			return -1
		case a.Value > b.Value:
			return 1
		}
		return 0
	})
	d.Cautions = append(d.Cautions, s.Notes...)
}

// Families is the automatic choice.
func Families() model.Catalogue {
	return model.Catalogue{{
		Name:      "automatic",
		Summary:   "Chooses per series among smoothing, theta, ARIMA, decomposition and intermittent demand, by inner windows.",
		Reference: "inner windows: Tashman, International Journal of Forecasting 16, 2000; mixing: Timmermann, Handbook of Economic Forecasting 1, 2006",
		Settings: append([]model.Setting{
			{Name: "power", Kind: model.Amount, Meaning: "dev"},
			{Name: "single", Kind: model.Switch, Default: false, Meaning: "dev"},
		}, single.BoundSettings()...),
		New: func(v model.Values) (model.Model, error) {
			one, _ := v["single"].(bool)
			p, _ := v["power"].(float64)
			return single.Model(Method{Single: one, Power: p}, single.BoundsOf(v)), nil
		},
		Read: single.Read,
	}}
}
