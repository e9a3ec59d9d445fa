package model

import (
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"math/rand/v2"

	"paperkettle/core/forecast"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// PerSeries makes a Model of a SeriesModel, with a pool of workers. A series that
// fails, or panics, fails alone.
func PerSeries(m SeriesModel) Model { return perSeries{m} }

// ReadPerSeries reads what a per-series Trained wrote; read reads one fit.
func ReadPerSeries(b []byte, read func([]byte) (SeriesFit, error)) (Trained, error) {
	var w written
	if err := gob.NewDecoder(bytes.NewReader(b)).Decode(&w); err != nil {
		return nil, fmt.Errorf("reading a model: %w", err)
	}
	t := &trainedSeries{fits: make([]SeriesFit, len(w.Fits)), errs: make([]error, len(w.Fits)), workers: 1}
	for i, f := range w.Fits {
		if w.Errs[i] != "" {
			t.errs[i] = errors.New(w.Errs[i])
			continue
		}
		fit, err := read(f)
		if err != nil {
			return nil, err
		}
		t.fits[i] = fit
	}
	return t, nil
}

type perSeries struct{ m SeriesModel }

// Bare is the model with bare series.
func (p perSeries) Bare() Model {
	if b, ok := p.m.(interface{ Bare() SeriesModel }); ok {
		return perSeries{b.Bare()}
	}
	return p
}

type trainedSeries struct {
	fits    []SeriesFit
	errs    []error
	workers int
	settled Model // nil where nothing is settled
}

// Settling says that what a model chose while it was trained can be kept: Settled is the model
// that fits the same to more of the same series, without choosing anew; nil where that can't be
// had.
type Settling interface{ Settled() Model }

// Settled is the model that fits the same choice.
func (t *trainedSeries) Settled() Model { return t.settled }

// Settle gives a per-series Trained the model that keeps its choice.
func Settle(t Trained, m Model) Trained {
	if s, ok := t.(*trainedSeries); ok {
		s.settled = m
	}
	return t
}

type written struct {
	Fits [][]byte
	Errs []string
}

func (p perSeries) Train(ctx context.Context, v panel.View, env Env) (Trained, error) {
	t := &trainedSeries{fits: make([]SeriesFit, v.Len()), errs: make([]error, v.Len()), workers: env.Workers}
	keys := make([]string, v.Len())
	err := t.each(ctx, func(i int) (err error) {
		s := v.Series(i)
		keys[i] = s.Key
		t.fits[i], err = p.m.Fit(ctx, s, env.Horizon, func() *rand.Rand { return env.Random(s.Key) })
		return err
	})
	if k, ok := p.m.(interface {
		Settle(keys []string, fits []SeriesFit) SeriesModel
	}); ok {
		if m := k.Settle(keys, t.fits); m != nil {
			t.settled = perSeries{m}
		}
	}
	return t, err
}

// each runs f for every series that has not failed yet and keeps its error.
func (t *trainedSeries) each(ctx context.Context, f func(i int) error) error {
	return num.Each(ctx, t.workers, len(t.fits), func(i int) {
		if t.errs[i] == nil {
			t.errs[i] = guard(i, f)
		}
	})
}

// guard turns a panic of one series into its error, so that it never spoils the rest.
func guard(i int, f func(int) error) (err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("the method broke down on this series: %v", r)
		}
	}()
	return f(i)
}

func (t *trainedSeries) Forecast(ctx context.Context, v panel.View, horizon int) (Result, error) {
	res := Result{make([]forecast.Rows, len(t.fits)), make([]error, len(t.fits))}
	// Failing to forecast once must not mark the fit as failed, so errors are kept apart.
	scratch := &trainedSeries{fits: t.fits, errs: append([]error(nil), t.errs...), workers: t.workers}
	err := scratch.each(ctx, func(i int) error {
		rows := forecast.NewRows(horizon)
		if err := t.fits[i].Forecast(v.Series(i), rows); err != nil {
			return err
		}
		if err := rows.Check(); err != nil {
			return err
		}
		res.Series[i] = rows
		return nil
	})
	copy(res.Err, scratch.errs)
	return res, err
}

func (t *trainedSeries) Advance(ctx context.Context, v panel.View) error {
	if v.Len() != len(t.fits) {
		return fmt.Errorf("the model was trained on %d series and is advanced with %d", len(t.fits), v.Len())
	}
	return t.each(ctx, func(i int) error { return t.fits[i].Advance(v.Series(i)) })
}

// Fitted gives the fitted values of a series whose fit knows them.
func (t *trainedSeries) Fitted(i, n int) []float64 {
	f, ok := t.fits[i].(interface{ Fitted() []float64 })
	if !ok || t.errs[i] != nil {
		return nil
	}
	values := f.Fitted()
	if len(values) < n { // read back, or advanced since
		return nil
	}
	return values[:n]
}

func (t *trainedSeries) Describe(i int) Description {
	if err := t.errs[i]; err != nil {
		return Description{Form: "not fitted", Cautions: []string{err.Error()}}
	}
	return t.fits[i].Describe()
}

func (t *trainedSeries) MarshalBinary() ([]byte, error) {
	w := written{make([][]byte, len(t.fits)), make([]string, len(t.fits))}
	for i, f := range t.fits {
		if t.errs[i] != nil {
			w.Errs[i] = t.errs[i].Error()
			continue
		}
		b, err := f.MarshalBinary()
		if err != nil {
			return nil, err
		}
		w.Fits[i] = b
	}
	var buf bytes.Buffer
	err := gob.NewEncoder(&buf).Encode(w)
	return buf.Bytes(), err
}
