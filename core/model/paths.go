package model

import (
	"context"
	"errors"

	"paperkettle/core/panel"
)

// ErrNoPaths says that a family draws no futures, for drivers and events don't matter to it.
var ErrNoPaths = errors.New("this family takes neither drivers nor events, so that nothing in its forecast would change: choose additive or linear")

// Pather is a Trained that draws futures.
type Pather interface {
	// Paths draws count futures of horizon steps for each series of the view that it was
	// trained on, one after another, and hands them to each, which may be called from
	// several workers at once. The same model draws the same ones, so that two views that
	// differ by drivers and events alone differ by their effects alone.
	Paths(ctx context.Context, v panel.View, horizon, count int, each func(i int, paths []float64, err error)) error
}

// Paths draws the futures of every series.
func (t *trainedSeries) Paths(ctx context.Context, v panel.View, horizon, count int, each func(i int, paths []float64, err error)) error {
	errs := append([]error(nil), t.errs...)
	err := t.each(ctx, errs, func(i int) error {
		fit, err := t.fit(i)
		if err != nil {
			return err
		}
		p, ok := fit.(interface {
			Paths(s panel.SeriesView, h, count int) ([]float64, error)
		})
		if !ok {
			return ErrNoPaths
		}
		paths, err := p.Paths(v.Series(i), horizon, count)
		if err == nil {
			each(i, paths, nil)
		}
		return err
	})
	for i, e := range errs {
		if e != nil {
			each(i, nil, e)
		}
	}
	return err
}
