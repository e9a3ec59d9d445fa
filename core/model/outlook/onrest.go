package outlook

import (
	"context"
	"errors"
	"fmt"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// OnRest is a family, named anew, that forecasts what the additive regression of drivers and events leaves, and
// puts back what they bring.
func OnRest(f model.Family, name string) model.Family {
	fresh, read := f.New, f.Read
	f.Name = name
	f.New = func(v model.Values) (model.Model, error) {
		of, err := fresh(v)
		return onRest{of}, err
	}
	f.Read = func(p model.Parts) (model.Trained, error) { return readOnRest(read, p) }
	return f
}

type onRest struct{ of model.Model }

// Bare is the model without widening of its own.
func (m onRest) Bare() model.Model { return onRest{model.Bare(m.of)} }

// Train has drivers and events explained, and the model trained on what they leave.
func (m onRest) Train(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	by, err := Explain(ctx, v, env.Within(0, 0.6, "explaining drivers and events"))
	if err != nil {
		return nil, err
	}
	rest, err := RestOf(ctx, by, v, 0, env.Workers)
	if err != nil {
		return nil, err
	}
	of, err := m.of.Train(ctx, rest.View, env.Within(0.6, 1, ""))
	if err != nil {
		return nil, err
	}
	return &trainedOnRest{by, of, env.Workers}, nil
}

// trainedOnRest is what explains drivers and events, and what forecasts the rest.
type trainedOnRest struct {
	by, of  model.Trained
	workers int
}

// Forecast forecasts the rest and puts back what drivers and events bring.
func (t *trainedOnRest) Forecast(ctx context.Context, v panel.View, horizon int) (model.Result, error) {
	rest, err := RestOf(ctx, t.by, v, horizon, t.workers)
	if err != nil {
		return model.Result{}, err
	}
	return rest.Forecast(ctx, t.of, horizon)
}

// ForecastOne forecasts one series.
func (t *trainedOnRest) ForecastOne(v panel.View, i, horizon int) (forecast.Rows, error) {
	one, ok := t.of.(interface {
		ForecastOne(v panel.View, i, horizon int) (forecast.Rows, error)
	})
	if !ok {
		return forecast.Rows{}, errors.New("it forecasts all series together only")
	}
	r := restOfOne(t.by, v, i, horizon)
	rows, err := one.ForecastOne(r.View, i, horizon)
	return rows, errors.Join(err, r.putBack(i, rows))
}

// Paths draws futures of the rest, and puts back what drivers and events bring.
func (t *trainedOnRest) Paths(ctx context.Context, v panel.View, horizon, count int, each func(i int, paths []float64, err error)) error {
	of, ok := t.of.(model.Pather)
	if !ok {
		for i := range v.Len() {
			each(i, nil, model.ErrNoPaths)
		}
		return nil
	}
	rest, err := RestOf(ctx, t.by, v, horizon, t.workers)
	if err != nil {
		return err
	}
	return rest.Paths(ctx, of, horizon, count, each)
}

// Advance moves both on.
func (t *trainedOnRest) Advance(ctx context.Context, v panel.View) error {
	if err := t.by.Advance(ctx, v); err != nil {
		return err
	}
	rest, err := RestOf(ctx, t.by, v, 0, t.workers)
	if err != nil {
		return err
	}
	return t.of.Advance(ctx, rest.View)
}

// Describe is of what forecasts the rest, with the effects of drivers and events.
func (t *trainedOnRest) Describe(i int) model.Description {
	d, by := t.of.Describe(i), t.by.Describe(i)
	d.Form += ", on what drivers and events leave"
	d.Effects = by.Effects
	return d
}

// Coarse asks for forecasts that serve to choose.
func (t *trainedOnRest) Coarse() { model.Coarsen(t.of) }

// Settled keeps what forecasts the rest as it was chosen.
func (t *trainedOnRest) Settled() model.Model {
	if s, ok := t.of.(model.Settling); ok && s.Settled() != nil {
		return onRest{s.Settled()}
	}
	return nil
}

// Use sets how many goroutines a model that was read may use.
func (t *trainedOnRest) Use(workers int) {
	t.workers = workers
	for _, m := range []model.Trained{t.by, t.of} {
		if u, ok := m.(interface{ Use(workers int) }); ok {
			u.Use(workers)
		}
	}
}

// Len is the number of series.
func (t *trainedOnRest) Len() int { return t.of.Len() }

// writtenOnRest is what the series share in both.
type writtenOnRest struct{ By, Of []byte }

// Shared writes what the series share in both.
func (t *trainedOnRest) Shared() ([]byte, error) {
	by, err := t.by.Shared()
	of, other := t.of.Shared()
	if err = errors.Join(err, other); err != nil {
		return nil, err
	}
	return model.Encode(writtenOnRest{by, of})
}

// Part writes what a series has of its own in both.
func (t *trainedOnRest) Part(i int) ([]byte, error) {
	by, err := t.by.Part(i)
	of, other := t.of.Part(i)
	if err = errors.Join(err, other); err != nil {
		return nil, err
	}
	return model.Encode(model.Pieces{by, of})
}

func readOnRest(read func(model.Parts) (model.Trained, error), p model.Parts) (model.Trained, error) {
	var w writtenOnRest
	if err := model.DecodeShared(p, &w); err != nil {
		return nil, fmt.Errorf("reading what drivers and events leave: %w", err)
	}
	places := make([]int, p.Len())
	for i := range places {
		places[i] = i
	}
	by, err := Explained(model.Nested{Of: p, Piece: 0, Common: w.By, Places: places})
	if err != nil {
		return nil, err
	}
	of, err := read(model.Nested{Of: p, Piece: 1, Common: w.Of, Places: places})
	if err != nil {
		return nil, err
	}
	return &trainedOnRest{by, of, 1}, nil
}
