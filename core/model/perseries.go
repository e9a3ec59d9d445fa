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

// PerSeries makes a Model of a SeriesModel, with a pool of workers. Where it has a method Agree, fits learn from one another
// there, once all are made. A series that fails, or panics, fails alone.
func PerSeries(m SeriesModel) Model { return perSeries{m} }

type perSeries struct{ m SeriesModel }

// Bare is the model with bare series.
func (p perSeries) Bare() Model {
	if b, ok := p.m.(interface{ Bare() SeriesModel }); ok {
		return perSeries{b.Bare()}
	}
	return p
}

func (p perSeries) Train(ctx context.Context, v panel.View, env Env) (Trained, error) {
	if l, ok := p.m.(interface {
		Learn(ctx context.Context, v panel.View, workers int) (SeriesModel, error)
	}); ok {
		m, err := l.Learn(ctx, v, env.Workers)
		if err != nil {
			return nil, err
		}
		p.m = m
	}
	t, err := fitEach(ctx, v, env, func(ctx context.Context, _ int, s panel.SeriesView) (SeriesFit, error) {
		return p.m.Fit(ctx, s, env.Horizon, func() *rand.Rand { return env.Random(s.Key) })
	})
	if err != nil {
		return t, err
	}
	if a, ok := p.m.(interface {
		Agree(fits []SeriesFit, by Judge)
	}); ok {
		a.Agree(t.fits, env.Judge)
	}
	if k, ok := p.m.(interface {
		Settle(keys []string, fits []SeriesFit) SeriesModel
	}); ok {
		keys := make([]string, v.Len())
		for i := range keys {
			keys[i] = v.Series(i).Key
		}
		if m := k.Settle(keys, t.fits); m != nil {
			t.settled = perSeries{m}
		}
	}
	return t, nil
}

// FitEach makes a Trained of a fit of each series of a view, with a pool of workers. A series
// that fails, or panics, fails alone.
func FitEach(ctx context.Context, v panel.View, env Env,
	fit func(ctx context.Context, i int, s panel.SeriesView) (SeriesFit, error)) (Trained, error) {
	return fitEach(ctx, v, env, fit)
}

func fitEach(ctx context.Context, v panel.View, env Env,
	fit func(ctx context.Context, i int, s panel.SeriesView) (SeriesFit, error)) (*trainedSeries, error) {
	t := &trainedSeries{fits: make([]SeriesFit, v.Len()), errs: make([]error, v.Len()), workers: env.Workers}
	told := env.counting(v.Len())
	err := t.each(ctx, t.errs, func(i int) (err error) {
		t.fits[i], err = fit(ctx, i, v.Series(i))
		told()
		return err
	})
	return t, err
}

// trainedSeries holds a fit of each series. Those that are read are made of their bytes when
// they are asked for.
type trainedSeries struct {
	fits    []SeriesFit
	errs    []error
	workers int
	settled Model       // nil where nothing is settled
	written *readSeries // nil where it was trained here
	common  *common     // nil until it is written
}

// common is what the fits share, each once, in the order of the series.
type common struct {
	list  []any
	place map[any]int // from 1
}

// Use sets how many goroutines a model that was read may use.
func (t *trainedSeries) Use(workers int) { t.workers = max(1, workers) }

// Coarse has the fits draw few futures from now on.
func (t *trainedSeries) Coarse() {
	for i := range t.fits {
		if f, err := t.fit(i); err == nil {
			if c, ok := f.(interface{ Coarse() }); ok {
				c.Coarse()
			}
		}
	}
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

// each runs f for every series that has not failed and keeps its error in errs.
func (t *trainedSeries) each(ctx context.Context, errs []error, f func(i int) error) error {
	return num.Each(ctx, t.workers, len(t.fits), func(i int) {
		if t.errs[i] == nil {
			errs[i] = Guard(func() error { return f(i) })
		}
	})
}

// Guard turns a panic of what is done to one series into its error, so that it never spoils the
// rest.
func Guard(f func() error) (err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("the method broke down on this series: %v", r)
		}
	}()
	return f()
}

// fit is the i-th series' fit. Series may be asked for from several goroutines, each of them
// from one.
func (t *trainedSeries) fit(i int) (SeriesFit, error) {
	if t.fits[i] == nil && t.errs[i] == nil && t.written != nil {
		t.fits[i], t.errs[i] = t.written.fit(i)
	}
	return t.fits[i], t.errs[i]
}

func (t *trainedSeries) Forecast(ctx context.Context, v panel.View, horizon int) (Result, error) {
	// Failing to forecast once must not mark the fit as failed, so errors are kept apart.
	res := Result{make([]forecast.Rows, len(t.fits)), append([]error(nil), t.errs...)}
	err := t.each(ctx, res.Err, func(i int) error {
		fit, err := t.fit(i)
		if err != nil {
			return err
		}
		rows := forecast.NewRows(horizon)
		if err := fit.Forecast(v.Series(i), rows); err != nil {
			return err
		}
		if err := rows.Check(); err != nil {
			return err
		}
		res.Series[i] = rows
		return nil
	})
	return res, err
}

// ForecastOne continues one series, without looking at the others.
func (t *trainedSeries) ForecastOne(v panel.View, i, horizon int) (forecast.Rows, error) {
	rows := forecast.NewRows(horizon)
	fit, err := t.fit(i)
	if err != nil {
		return rows, err
	}
	if err := fit.Forecast(v.Series(i), rows); err != nil {
		return rows, err
	}
	return rows, rows.Check()
}

func (t *trainedSeries) Advance(ctx context.Context, v panel.View) error {
	if v.Len() != len(t.fits) {
		return fmt.Errorf("the model was trained on %d series and is advanced with %d", len(t.fits), v.Len())
	}
	if t.written != nil {
		t.written.view = &v
	}
	return t.each(ctx, t.errs, func(i int) error {
		if t.fits[i] == nil {
			return nil // advanced when it is read
		}
		return t.fits[i].Advance(v.Series(i))
	})
}

// Fitted gives the fitted values of a series whose fit knows them.
func (t *trainedSeries) Fitted(i, n int) []float64 {
	fit, err := t.fit(i)
	f, ok := fit.(interface{ Fitted() []float64 })
	if !ok || err != nil {
		return nil
	}
	values := f.Fitted()
	if len(values) < n { // advanced since
		return nil
	}
	return values[:n]
}

func (t *trainedSeries) Describe(i int) Description {
	fit, err := t.fit(i)
	if err != nil {
		return Description{Form: "not fitted", Cautions: []string{err.Error()}}
	}
	return fit.Describe()
}

// writtenSeries is what a series has of its own.
type writtenSeries struct {
	Err    string
	Shares int // place of what it shares, from 1; 0 for nothing
	Fit    []byte
}

// Len is the number of series.
func (t *trainedSeries) Len() int { return len(t.fits) }

func (t *trainedSeries) shares() *common {
	if t.common != nil {
		return t.common
	}
	c := &common{place: map[any]int{}}
	add := func(x any) {
		if x != nil && c.place[x] == 0 {
			c.list = append(c.list, x)
			c.place[x] = len(c.list)
		}
	}
	if t.written != nil {
		for _, x := range t.written.shared {
			add(x)
		}
	}
	for _, fit := range t.fits {
		if s, ok := fit.(Sharing); ok {
			_, x := s.Apart()
			add(x)
		}
	}
	t.common = c
	return c
}

// Shared writes what the groups of series share.
func (t *trainedSeries) Shared() ([]byte, error) {
	var b bytes.Buffer
	err := gob.NewEncoder(&b).Encode(t.shares().list)
	return b.Bytes(), err
}

// Part writes a series' fit, or why it has none.
func (t *trainedSeries) Part(i int) ([]byte, error) {
	var w writtenSeries
	fit, err := t.fit(i)
	if err != nil {
		w.Err = err.Error()
	} else {
		if s, ok := fit.(Sharing); ok {
			own, x := s.Apart()
			fit, w.Shares = own, t.shares().place[x]
		}
		if w.Fit, err = fit.MarshalBinary(); err != nil {
			return nil, err
		}
	}
	var b bytes.Buffer
	err = gob.NewEncoder(&b).Encode(w)
	return b.Bytes(), err
}

// ReadPerSeries reads what a per-series Trained wrote; read reads one fit.
func ReadPerSeries(p Parts, read func([]byte) (SeriesFit, error)) (Trained, error) {
	r := &readSeries{parts: p, read: read}
	b, err := p.Shared()
	if err != nil {
		return nil, err
	}
	if err := gob.NewDecoder(bytes.NewReader(b)).Decode(&r.shared); err != nil {
		return nil, fmt.Errorf("reading a model: %w", err)
	}
	return &trainedSeries{fits: make([]SeriesFit, p.Len()), errs: make([]error, p.Len()), workers: 1, written: r}, nil
}

// readSeries is where the fits of a model that was read come from.
type readSeries struct {
	parts  Parts
	read   func([]byte) (SeriesFit, error)
	shared []any
	view   *panel.View // where it was advanced to
}

// fit reads a series' fit and moves it to where the model stands.
func (r *readSeries) fit(i int) (SeriesFit, error) {
	b, err := r.parts.Part(i)
	if err != nil {
		return nil, err
	}
	var w writtenSeries
	if err := gob.NewDecoder(bytes.NewReader(b)).Decode(&w); err != nil {
		return nil, fmt.Errorf("reading a model: %w", err)
	}
	if w.Err != "" {
		return nil, errors.New(w.Err)
	}
	fit, err := r.read(w.Fit)
	if err != nil {
		return nil, err
	}
	if w.Shares > 0 {
		s, ok := fit.(Sharing)
		if !ok || w.Shares > len(r.shared) {
			return nil, errors.New("reading a model: what its series share is missing")
		}
		s.Join(r.shared[w.Shares-1])
	}
	if r.view != nil {
		err = fit.Advance(r.view.Series(i))
	}
	return fit, err
}

// Outside tells what drivers and events bring to a series, where its method knows.
func (t *trainedSeries) Outside(v panel.View, i, horizon int) (*Outside, error) {
	fit, err := t.fit(i)
	if err != nil {
		return nil, err
	}
	if o, ok := fit.(interface {
		Outside(s panel.SeriesView, horizon int) (*Outside, error)
	}); ok {
		return o.Outside(v.Series(i), horizon)
	}
	return nil, nil
}
