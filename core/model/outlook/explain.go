package outlook

import (
	"bytes"
	"context"
	"encoding/gob"
	"fmt"
	"slices"
	"time"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/additive"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Harm is by which share held-out losses must rise for drivers and events not to be explained first: occasions are
// few, and what is held out may have none.
const Harm = 0.01

// Explainable says whether drivers known ahead or events are there to be explained first.
func Explainable(v panel.View) bool {
	if slices.ContainsFunc(v.Drivers(), func(d panel.Driver) bool { return d.KnownAhead }) {
		return true
	}
	for i := range v.Len() {
		if len(v.Series(i).Events()) > 0 {
			return true
		}
	}
	return false
}

// Explain trains the additive regression, whose effects are taken out before a network looks. Where it takes long
// it is kept in the environment's checkpoint, and taken from there after a stop.
func Explain(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	check := env.Checkpoint
	env.Checkpoint = nil
	if check == nil || env.Clock == nil {
		return explain(ctx, v, env)
	}
	of := fmt.Sprintf("%s|%d", v.Fingerprint(), env.Horizon)
	kept, err := explainedBefore(ctx, v, env.Workers, check, of)
	if kept != nil || err != nil {
		return kept, err
	}
	start := env.Clock()
	trained, err := explain(ctx, v, env)
	if err != nil || env.Clock()-start < worthKeeping {
		return trained, err
	}
	if err := keep(trained, check, of); err != nil {
		return nil, err
	}
	return trained, nil
}

// explain trains the additive regression. Where the view remembers it is trained once: those who ask again get it as it was
// written, for they move it on, each as it needs.
func explain(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	if !v.Remembers() {
		return additively(ctx, v, env)
	}
	var fresh model.Trained
	series := make([]panel.SeriesView, v.Len())
	for i := range series {
		series[i] = v.Series(i)
	}
	w, err := panel.RememberAll(series, fmt.Sprintf("explained for %d periods", env.Horizon), func() (*model.Written, error) {
		var err error
		if fresh, err = additively(ctx, v, env); err != nil {
			return nil, err
		}
		return model.Write(fresh)
	})
	if fresh != nil || err != nil {
		return fresh, err
	}
	return readFor(ctx, v, w, env.Workers)
}

func additively(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	made, _, err := additive.Families().New("additive", nil)
	if err != nil {
		return nil, err
	}
	return model.Bare(made).Train(ctx, v, env)
}

// readFor reads what explains, as it was trained on a view.
func readFor(ctx context.Context, v panel.View, w *model.Written, workers int) (model.Trained, error) {
	trained, err := additive.Families()[0].Read(w)
	if err != nil {
		return nil, err
	}
	if u, ok := trained.(interface{ Use(workers int) }); ok {
		u.Use(workers)
	}
	return trained, trained.Advance(ctx, v)
}

// Explainer is the additive regression as Explain trains it, which others that explain with it need not train again.
func Explainer() model.Model { return explainer{} }

type explainer struct{}

// Train has the additive regression trained, or gives what others trained.
func (explainer) Train(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	if !Explainable(v) { // nobody else asks
		return additively(ctx, v, env)
	}
	return explain(ctx, v, env)
}

func keep(trained model.Trained, check model.Checkpoint, of string) error {
	w, err := model.Write(trained)
	if err != nil || model.Size(w) > mostKept {
		return err
	}
	b, err := model.Encode(keptExplained{of, w})
	if err != nil {
		return err
	}
	return check.Save(b)
}

// worthKeeping is how long it must have taken to be kept: what is quick is made again as soon as it is read.
const worthKeeping = 3 * time.Second

// mostKept is up to how many bytes what explains is kept: beyond, it is made again after a stop.
const mostKept = 256 << 20

// keptExplained is what explains, and of what.
type keptExplained struct {
	Of      string
	Written *model.Written
}

// explainedBefore is what an earlier run kept of the same training; nil where there is none.
func explainedBefore(ctx context.Context, v panel.View, workers int, check model.Checkpoint, of string) (model.Trained, error) {
	b, err := check.Load()
	if err != nil || len(b) == 0 {
		return nil, err
	}
	var kept keptExplained
	if gob.NewDecoder(bytes.NewReader(b)).Decode(&kept) != nil || kept.Of != of || kept.Written == nil {
		return nil, nil
	}
	trained, err := readFor(ctx, v, kept.Written, workers)
	if ctx.Err() == nil && err != nil {
		return nil, nil // it is made anew
	}
	return trained, err
}

// Explained reads what Explain trained, from a piece of what was written.
func Explained(n model.Nested) (model.Trained, error) { return additive.Families()[0].Read(n) }

// OutsideOf is what drivers and events bring to a series; nil where nothing explains them. At a
// forecast, what was explained in training must be known ahead.
func OutsideOf(by model.Trained, v panel.View, i, horizon int) (*model.Outside, error) {
	o, ok := by.(model.Outsider)
	if !ok {
		return nil, nil
	}
	outside, err := o.Outside(v, i, horizon)
	if err != nil && horizon == 0 {
		return nil, nil
	}
	return outside, err
}

// Without is the values of a series without what drivers and events bring.
func Without(values []float64, outside *model.Outside) []float64 {
	if outside == nil {
		return values
	}
	out := make([]float64, len(values))
	for t, y := range values {
		out[t] = outside.Take(t, y)
	}
	return out
}

// PutBack puts what drivers and events bring to a step, counted from 0, into its forecast, after n
// values.
func PutBack(rows forecast.Rows, h, n int, outside *model.Outside) {
	if outside == nil {
		return
	}
	rows.Mean[h] = outside.Put(n+h, rows.Mean[h])
	out := rows.At(h)
	for k := range out {
		out[k] = outside.Put(n+h, out[k])
	}
}

// futureSeed is of the futures: a series has the same ones whatever its drivers ahead are.
const futureSeed = 1

// Futures draws futures of a series from its forecast, whose steps go together as errors did, by a
// chain of normal scores; what drivers and events bring is in doubt as well.
func Futures(rows forecast.Rows, key string, horizon, count int, ties float64, outside *model.Outside) []float64 {
	paths := rows.Paths(count, ties, num.Stream(futureSeed, key))
	if outside != nil {
		doubt := outside.Doubt(count)
		for k, y := range paths {
			paths[k] = doubt(k/horizon, k%horizon, y)
		}
	}
	return paths
}
