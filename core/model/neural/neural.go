// Package neural forecasts by networks that are trained on windows of all series: a window of the
// recent past, scaled by its own level and usual change, tells a decoder what it is like; the
// decoder sees each step's calendar, drivers, events and the last values of its place in the
// season, weighs plain forecasts of it, corrects their mix, and gives quantiles. What is far
// from the range of the past is so no farther for the network than what was always there.
//
// Source: direct forecasts of quantiles by one network for many series: Wen and others, A
// multi-horizon quantile recurrent forecaster, 2017; residual blocks on windows: Oreshkin and
// others, ICLR 2020; own scales: Smyl, International Journal of Forecasting 36 (2020).
package neural

import (
	"context"
	"errors"

	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Model trains networks.
type Model struct {
	Kind    string
	Lines   []string // of features; nil for what suits
	By      string   // an attribute whose series share a network, or all; empty for none
	Window  int      // 0 for as the season has it
	Units   int      // 0 for as the number of windows has it
	Layers  int
	Dropout float64
	Passes  float64 // over all windows; 0 for as their number has it
	Members int
	Onward  bool    // a step at a time, from its own forecasts
	Within  float64 // minutes that training may take; 0 for as long as it needs
	Explain bool    // drivers and events are explained first
	Output  string  // quantiles, one of the distributions, or the likeliest of them
	Level   bool    // the rate of learning stays until held-out windows gain no more
	Anew    bool    // no training goes on from an earlier one
	Bounds  single.Bounds
}

// Train trains the groups' networks, one group after another, or side by side where each series
// is one. A group that fails fails alone.
func (m Model) Train(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	groups, err := single.Places(v, m.By)
	if err != nil {
		return nil, err
	}
	earlier, err := m.earlier(ctx, env)
	if err != nil {
		return nil, err
	}
	out := &Trained{Series: v.Len(), Bounds: m.Bounds, Groups: make([]*Group, len(groups)), workers: env.Workers, view: &v}
	one := func(k int, part model.Env) {
		g := &Group{Places: groups[k], Name: m.nameOf(v, groups[k])}
		if err := model.Guard(func() error { return m.fit(ctx, v.Pick(groups[k]), part, g, earlier[g.Name]) }); err != nil {
			g.Failed = err.Error()
		}
		out.Groups[k] = g
	}
	if m.By == "" && len(groups) > 1 {
		own := env
		own.Report, own.Show, own.Checkpoint, own.Workers = nil, nil, nil, 1
		err = num.Each(ctx, env.Workers, len(groups), func(k int) { one(k, own) })
	} else {
		for k := range groups {
			part := env.Within(float64(k)/float64(len(groups)), float64(k+1)/float64(len(groups)), "")
			if len(groups) == 1 {
				part.Checkpoint = env.Checkpoint
			}
			one(k, part)
			if ctx.Err() != nil {
				return nil, ctx.Err()
			}
		}
	}
	return out, errors.Join(err, ctx.Err())
}

// sequences prepares the series of a view, without what looks like mistakes; those that can't be are left nil,
// with the reason.
//
// At a forecast, what was explained in training must be known ahead.
func (l *Layout) sequences(ctx context.Context, v panel.View, horizon, workers int, by model.Trained) ([]*sequence, []error, error) {
	out, errs := make([]*sequence, v.Len()), make([]error, v.Len())
	err := num.Each(ctx, workers, v.Len(), func(i int) {
		errs[i] = model.Guard(func() error {
			outside, err := outlook.OutsideOf(by, v, i, horizon)
			if err != nil {
				return err
			}
			s, _ := single.Mend(v.Series(i))
			out[i], err = l.sequenceOf(s, horizon, outside)
			return err
		})
	})
	return out, errs, err
}
