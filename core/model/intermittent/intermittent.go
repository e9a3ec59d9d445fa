// Package intermittent forecasts series that are often zero: the rate of demand by
// smoothing sizes and intervals, and around it a distribution of counts.
package intermittent

import (
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"math"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

func init() { gob.Register(&State{}) }

// Kind is a way to smooth the rate of demand.
type Kind string

// The kinds.
const (
	// Croston smooths sizes and intervals apart (Croston, Operational Research Quarterly
	// 23, 1972).
	Croston Kind = "croston"
	// Corrected takes the bias out of it (Syntetos and Boylan, International Journal of
	// Forecasting 21, 2005).
	Corrected Kind = "corrected"
	// Decaying smooths the probability of demand in every period, so that the rate falls
	// while nothing is asked for (Teunter, Syntetos and Babai, European Journal of
	// Operational Research 214, 2011).
	Decaying Kind = "decaying"
	// Aggregated smooths sums over as many periods as a demand usually takes to come
	// (Nikolopoulos, Syntetos, Boylan, Petropoulos and Assimakopoulos, Journal of the
	// Operational Research Society 62, 2011).
	Aggregated Kind = "aggregated"
)

// Kinds lists them.
var Kinds = []string{string(Croston), string(Corrected), string(Decaying), string(Aggregated)}

// Method fits one kind, or the one with the least squared error one step ahead.
type Method struct {
	Kind  Kind    // empty: the best
	Alpha float64 // 0: the best of a few
}

// State is a fitted rate at the end of what it has seen.
type State struct {
	Kind   Kind
	Alpha  float64
	Rate   rate
	Counts Counts
	Values []float64
	Used   int
	Chosen []model.Candidate
	Errors float64 // mean squared, one step ahead
	Demand int     // periods with demand among Used
}

// rate is the recursion of every kind.
type rate struct {
	Size, Gap float64 // smoothed size and interval; for Decaying Gap is the probability
	Since     int     // periods since demand
	Sum       float64 // of the bucket that is filling
	Filled    int
	Bucket    int
	Level     float64 // smoothed sum of a bucket
	Started   bool
}

// usual weights are few and low, as is the practice with sparse demand.
var usual = []float64{0.05, 0.1, 0.15, 0.2, 0.3}

// Fit chooses the weight and, where it is open, the kind.
func (m Method) Fit(_ context.Context, in single.Input) (single.State, error) {
	for i, v := range in.Values {
		if v < 0 {
			return nil, fmt.Errorf("demand can't be below zero, and the value of %s is %g", in.Cadence().Format(in.Ordinal()+int64(i)), v)
		}
	}
	s := &State{Values: in.Values, Used: len(in.Values)}
	kinds := []Kind{m.Kind}
	if m.Kind == "" {
		kinds = []Kind{Croston, Corrected, Decaying, Aggregated}
	}
	weights := usual
	if m.Alpha > 0 {
		weights = []float64{m.Alpha}
	}
	start := begin(in.Values)
	if start.Size == 0 {
		return nil, errors.New("no demand is known in the training part")
	}
	best := math.Inf(1)
	for _, kind := range kinds {
		own := math.Inf(1)
		for _, alpha := range weights {
			r := start
			e := r.run(kind, alpha, in.Values, nil)
			own = min(own, e)
			if e < best {
				best, s.Kind, s.Alpha, s.Rate, s.Errors = e, kind, alpha, r, e
			}
		}
		s.Chosen = append(s.Chosen, model.Candidate{Form: string(kind), Value: own})
	}
	for _, v := range in.Values {
		if v > 0 {
			s.Demand++
		}
	}
	s.Counts = fitCounts(in.Values)
	return s, nil
}

// begin sets the states from the whole series: mean size, mean interval, and a bucket of as
// many periods as that.
func begin(y []float64) rate {
	var known, demand, sum float64
	for _, v := range y {
		if panel.Known(v) {
			known++
			if v > 0 {
				demand++
				sum += v
			}
		}
	}
	if demand == 0 {
		return rate{}
	}
	gap := known / demand
	bucket := max(1, min(int(math.Round(gap)), len(y)/4))
	return rate{Size: sum / demand, Gap: gap, Bucket: bucket, Level: sum / known * float64(bucket)}
}

// run passes a kind over a series and gives the mean squared error one step ahead; fitted,
// where there is room, takes the forecasts.
func (r *rate) run(kind Kind, alpha float64, y, fitted []float64) float64 {
	if kind == Decaying {
		r.Gap = 1 / r.Gap
	}
	sum, n := 0.0, 0.0
	for i, v := range y {
		f := r.value(kind, alpha)
		if fitted != nil {
			fitted[i] = f
		}
		if panel.Known(v) {
			sum += (v - f) * (v - f)
			n++
		}
		r.push(kind, alpha, v)
	}
	return sum / n
}

// value is the rate: demand a period.
func (r *rate) value(kind Kind, alpha float64) float64 {
	switch kind {
	case Croston:
		return r.Size / r.Gap
	case Corrected:
		return (1 - alpha/2) * r.Size / r.Gap
	case Decaying:
		return r.Gap * r.Size
	}
	return r.Level / float64(r.Bucket)
}

// push takes a period; an unknown one changes nothing.
func (r *rate) push(kind Kind, alpha, v float64) {
	if !panel.Known(v) {
		return
	}
	switch kind {
	case Croston, Corrected:
		r.Since++
		if v > 0 {
			r.Size += alpha * (v - r.Size)
			r.Gap += alpha * (float64(r.Since) - r.Gap)
			r.Since = 0
		}
	case Decaying:
		demand := 0.0
		if v > 0 {
			demand = 1
			r.Size += alpha * (v - r.Size)
		}
		r.Gap += alpha * (demand - r.Gap)
	case Aggregated:
		r.Sum += v
		if r.Filled++; r.Filled == r.Bucket {
			// A bucket is worth as many periods as it holds.
			weight := 1 - math.Pow(1-alpha, float64(r.Bucket))
			r.Level += weight * (r.Sum - r.Level)
			r.Sum, r.Filled = 0, 0
		}
	}
}

// Forecast repeats the rate, with the quantiles of a count of that mean.
func (s *State) Forecast(_ panel.SeriesView, out forecast.Rows) error {
	mean := s.Rate.value(s.Kind, s.Alpha)
	var row [forecast.GridSize]float64
	s.Counts.quantiles(mean, row[:])
	for h := range out.Mean {
		out.Mean[h] = mean
		copy(out.At(h), row[:])
	}
	return nil
}

// Advance takes further values.
func (s *State) Advance(v panel.SeriesView, from int) error {
	values := append([]float64(nil), s.Values...)
	for _, y := range v.Values[from:] {
		s.Rate.push(s.Kind, s.Alpha, y)
		values = append(values, y)
	}
	s.Values = values
	return nil
}

// Fitted gives the rate before each period.
func (s *State) Fitted() []float64 {
	out := make([]float64, s.Used)
	r := begin(s.Values[:s.Used])
	r.run(s.Kind, s.Alpha, s.Values[:s.Used], out)
	return out
}

var kindWords = map[Kind]string{
	Croston:    "sizes and intervals of demand smoothed apart",
	Corrected:  "sizes and intervals of demand smoothed apart, less the bias of their ratio",
	Decaying:   "the size of demand and its probability smoothed, so that the rate falls while nothing is asked for",
	Aggregated: "sums over several periods smoothed, and spread evenly",
}

// Brief names the kind that was chosen.
func (s *State) Brief() string { return kindWords[s.Kind] }

// Describe says all about the rate.
func (s *State) Describe(d *model.Description, horizon int) {
	d.Form = "intermittent demand: " + kindWords[s.Kind] + "; " + s.Counts.words()
	d.Criterion, d.Choices, d.Why = "mean squared error", s.Chosen, "least squared error one step ahead"
	if len(s.Chosen) == 1 {
		d.Why = "the kind was given"
	}
	d.Parameters = []model.Parameter{
		{Name: "alpha", Value: s.Alpha, Meaning: "weight of the latest demand"},
		{Name: "rate", Value: s.Rate.value(s.Kind, s.Alpha), Meaning: "demand a period, from here on"},
		{Name: "demand", Value: float64(s.Demand) / float64(max(1, panel.CountKnown(s.Values[:s.Used]))), Meaning: "share of periods with demand"},
		{Name: "size", Value: s.Rate.Size, Meaning: "smoothed size of a demand"},
	}
	d.Parameters = append(d.Parameters, s.Counts.parameters()...)
	sigma := math.Sqrt(s.Errors)
	d.Sigma = &sigma
	ahead := make([]float64, horizon)
	for h := range ahead {
		ahead[h] = s.Rate.value(s.Kind, s.Alpha)
	}
	d.Components = []model.Component{{Name: "level", Past: s.Fitted(), Ahead: ahead}}
	quiet := 0
	for i := len(s.Values) - 1; i >= 0 && !(s.Values[i] > 0); i-- {
		quiet++
	}
	if float64(quiet) > 3*math.Max(1, float64(s.Used)/float64(max(1, s.Demand))) {
		d.Cautions = append(d.Cautions, fmt.Sprintf("nothing was asked for in the last %d periods, far longer than usual", quiet))
	}
}

// Families is intermittent demand.
func Families() model.Catalogue {
	least, most := 0.001, 1.0
	return model.Catalogue{{
		Name:      "intermittent",
		Summary:   "For series that are often zero: the rate of demand smoothed, and whole numbers around it.",
		Reference: "Croston, Operational Research Quarterly 23, 1972; Syntetos and Boylan, International Journal of Forecasting 21, 2005",
		Settings: append([]model.Setting{
			{Name: "kind", Kind: model.Choice, Choices: Kinds, Meaning: "how the rate is smoothed", Auto: "the least squared error one step ahead"},
			{Name: "alpha", Kind: model.Amount, Min: &least, Max: &most, Meaning: "weight of the latest demand",
				Auto: "the least squared error of 0.05 to 0.3"},
		}, single.BoundSettings()...),
		New: func(v model.Values) (model.Model, error) {
			alpha, _ := v["alpha"].(float64)
			return single.Model(Method{Kind: Kind(v.Text("kind", "")), Alpha: alpha}, single.BoundsOf(v)), nil
		},
		Quick: true,
		Read:  single.Read,
	}}
}
