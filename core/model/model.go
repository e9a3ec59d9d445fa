// Package model is the one way a forecasting method enters a bake-off, whatever
// its family: settings in, a view up to the origin in, a trained model out.
//
// A family is added in one folder below this one, plus one line in the catalogue.
package model

import (
	"context"
	"encoding"
	"fmt"
	"math/rand/v2"
	"slices"

	"paperkettle/core/forecast"
	"paperkettle/core/panel"
)

// Model trains on a view. It is safe for concurrent use.
type Model interface {
	Train(ctx context.Context, v panel.View, env Env) (Trained, error)
}

// Bare is a model as one wants it that calibrates intervals itself: where the model would widen
// its own by inner windows, it leaves them as they are.
func Bare(m Model) Model {
	if b, ok := m.(interface{ Bare() Model }); ok {
		return b.Bare()
	}
	return m
}

// Coarsen asks a trained model for forecasts that only serve to choose among models, or that are
// judged by the hundred: where it simulates its quantiles, few futures do. Means stay as they are.
func Coarsen(t Trained) {
	if c, ok := t.(interface{ Coarse() }); ok {
		c.Coarse()
	}
}

// Welcoming is a model that forecasts series without a past from their likes.
type Welcoming interface {
	// Welcome forecasts those series of a view that have too few values for a model of their own, env.Horizon
	// steps past the origin, as the model would in a release; the others' forecasts are left empty. Err
	// holds why a series got none.
	Welcome(ctx context.Context, v panel.View, env Env) (Result, error)
}

// Trained is a model fitted to the series of one view. Its methods are not safe
// for concurrent use.
type Trained interface {
	// Forecast continues each series for a horizon. v is the view trained on (or
	// advanced to); drivers known ahead are read from it past the origin. A series
	// that can't be forecast has its own error in the result; the error returned is for
	// what spoils all.
	Forecast(ctx context.Context, v panel.View, horizon int) (Result, error)
	// Advance takes the same series with a later origin, without refitting.
	Advance(ctx context.Context, v panel.View) error
	// Describe explains the fit of the i-th series.
	Describe(i int) Description
	// Parts writes the model; Family.Read reads it back.
	Parts
}

// Result holds one forecast for each series of the view, or its error.
type Result struct {
	Series []forecast.Rows
	Err    []error
}

// Description says what a fit is, in plain words and numbers. Its arrays run over the
// periods From..To, or over the steps ahead.
type Description struct {
	Form       string        `json:"form" doc:"one sentence on how the forecast is made"`
	From       int           `json:"-"` // axis index of the first period used
	To         int           `json:"-"` // axis index of the origin
	Known      int           `json:"known" doc:"known values used"`
	LeftOut    []Stretch     `json:"-"`
	Why        string        `json:"why,omitempty" doc:"why this form was chosen"`
	Criterion  string        `json:"criterion,omitempty" doc:"what the choices are compared by; lower is better"`
	Choices    []Candidate   `json:"choices,omitempty" doc:"the form chosen and the runners-up"`
	Parameters []Parameter   `json:"parameters,omitempty"`
	States     []Parameter   `json:"states,omitempty" doc:"what the recursion starts from, before the first period"`
	Sigma      *float64      `json:"sigma,omitempty" doc:"standard deviation of the errors, one step ahead"`
	Training   []Parameter   `json:"training,omitempty" doc:"scores within the training part, one step ahead"`
	Tests      []Test        `json:"tests,omitempty" doc:"tests of the residuals"`
	Components []Component   `json:"components,omitempty"`
	Effects    []Effect      `json:"-"`
	Bends      []Bend        `json:"-"` // largest first
	Shares     []Parameter   `json:"shares,omitempty" doc:"how much of the forecast each part is"`
	Worths     []Worth       `json:"-"` // most first
	Curves     []EffectCurve `json:"-"` // of a meaning of their own first
	Reasons    []Reason      `json:"-"` // they add up to the forecast
	Learning   []Curve       `json:"-"`
	Line       *Line         `json:"line,omitempty" doc:"the forecast as a straight line over its steps"`
	Cautions   []string      `json:"cautions,omitempty"`
}

// Stretch is what was left out, from an axis index to another, both included, and why.
type Stretch struct {
	From, To int
	Why      string
	Apart    bool // no mistake, but how things were then
}

// Odd are the stretches of values that were left out because they are far from others: places, in
// order, count from the axis index from. Neighbours are one stretch.
func Odd(from int, places []int, values []float64, others string) (out []Stretch) {
	for k := 0; k < len(places); {
		end := k + 1
		for end < len(places) && places[end] == places[end-1]+1 {
			end++
		}
		run := values[places[k] : places[end-1]+1]
		why := fmt.Sprintf("%.6g is far from %s", run[0], others)
		if len(run) > 1 {
			why = fmt.Sprintf("%d values from %.6g to %.6g, each far from %s", len(run), slices.Min(run), slices.Max(run), others)
		}
		out = append(out, Stretch{From: from + places[k], To: from + places[end-1], Why: why})
		k = end
	}
	return out
}

// Parameter is a number that a fit rests on.
type Parameter struct {
	Name    string  `json:"name"`
	Value   float64 `json:"value"`
	Meaning string  `json:"meaning"`
}

// Candidate is a form that was tried, with its criterion.
type Candidate struct {
	Form  string  `json:"form"`
	Value float64 `json:"value"`
}

// Test is a test of the residuals: a small p speaks against what is tested.
type Test struct {
	Name      string  `json:"name"`
	Statistic float64 `json:"statistic"`
	P         float64 `json:"p"`
	Meaning   string  `json:"meaning"`
}

// Component is a part of the series: Past along the periods used, Ahead along the steps;
// NaN where unknown. A factor multiplies, others add.
type Component struct {
	Name   string
	Factor bool
	Past   []float64
	Ahead  []float64
	// 80 % intervals of what the coefficients leave open, where the family knows them.
	Low, High           []float64
	AheadLow, AheadHigh []float64
}

// Effect is what an event, or a step of a driver, changes at the usual level, with 95 %
// intervals.
type Effect struct {
	Name, Kind                       string
	Per                              string // what it is the effect of: "an occurrence", "10 % more"
	Units, Low, High                 float64
	Percent, PercentLow, PercentHigh float64
}

// Worth is what a column is worth to a model: the share of what the model explains that its
// splits do, and by how much the error of held-out rows rises where the column's values change
// places among them, as a share of that error, with its standard error.
type Worth struct {
	Name, Meaning   string
	Share, Rise, Sd float64
}

// EffectCurve is how a forecast moves with a column, in shares of a series' recent size: the mean over rows
// at each place, from its own mean over the places, and where the middle 80 % of rows lie.
type EffectCurve struct {
	Name, Meaning   string
	At              []float64
	Labels          []string // of the places, where they are names
	Mean, Low, High []float64
}

// Reason is a part of the forecast, step by step, in the measure's unit.
type Reason struct {
	Name  string
	Steps []float64
}

// Curve is how a loss went while something was learnt.
type Curve struct {
	Name   string
	Of     string // what is counted along it, as "trees"
	Every  int    // of these from a value to the next
	Values []float64
}

// Bend is a change of the trend's slope: by how much a period, in units and in per cent of
// the usual level.
type Bend struct {
	At              int // axis index
	Change, Percent float64
}

// Line is the least-squares line through the point forecasts: Start + Slope times the
// step; R2 says how straight they are.
type Line struct {
	Start float64 `json:"start"`
	Slope float64 `json:"slope"`
	R2    float64 `json:"r2"`
}

// SeriesModel fits one series at a time; PerSeries makes a Model of it.
type SeriesModel interface {
	Fit(ctx context.Context, s panel.SeriesView, horizon int, rnd func() *rand.Rand) (SeriesFit, error)
}

// SeriesFit is a fitted series. Its methods mirror those of Trained.
type SeriesFit interface {
	Forecast(s panel.SeriesView, out forecast.Rows) error
	Advance(s panel.SeriesView) error
	Describe() Description
	encoding.BinaryMarshaler
}

// Sharing is a SeriesFit that has something in common with the other series of its group, which
// is written once for all of them.
type Sharing interface {
	// Apart gives the fit without what it shares, and that: a pointer of a type registered with
	// encoding/gob, the same one for all that share it, or nil.
	Apart() (own SeriesFit, shared any)
	// Join gives a fit that was read what it shares.
	Join(shared any)
}
