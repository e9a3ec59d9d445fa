package pretrained

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/model/young"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Trained is the network with what was found out of the series.
type Trained struct {
	Series   int
	Bounds   single.Bounds
	Hash     string // of the weights
	Horizon  int
	Longer   int // a season longer than the shortest; 0 for none
	Widening single.Widening
	Ties     float64     // correlation of the normal scores of neighbouring steps' errors
	Own      [][]float32 // tuned weights; nil where the network is as it was trained
	Lean     Lean        // towards a plain forecast
	Loss     float64     // of held-out windows, in usual changes
	Judged   int         // held-out windows
	Gain     float64     // by explaining drivers and events first, in the loss
	TuneGain float64
	Curve    []float64 // losses of held-out windows as it was tuned
	Unproved bool      // seasons of few rounds are taken out, and were not known before what is held out
	Cautions []string

	networks several
	now      before // what is taken out of series
	early    before // the same as known before what is held out
	workers  int
	view     *panel.View // as last seen; not written
}

// block is how many series are forecast in one go, and mostQuiet over how many unknown values at the
// end a forecast goes on.
const (
	block     = 16
	mostQuiet = 200
)

// Forecast has the network forecast every series from its last value.
func (t *Trained) Forecast(ctx context.Context, v panel.View, horizon int) (model.Result, error) {
	res := model.Result{Series: make([]forecast.Rows, v.Len()), Err: make([]error, v.Len())}
	size := max(1, min(block, (v.Len()+t.workers-1)/t.workers)) // few series keep all busy too
	parts := (v.Len() + size - 1) / size
	return res, num.Each(ctx, t.workers, parts, func(b int) {
		t.forecast(ctx, v, b*size, min(v.Len(), (b+1)*size), horizon, t.workers/parts, res)
	})
}

// forecast has the network forecast the series from one place to another in one go.
func (t *Trained) forecast(ctx context.Context, v panel.View, from, to, horizon, workers int, res model.Result) {
	var list []*ready
	var sights []*sight
	reach := horizon
	for i := from; i < to; i++ {
		res.Err[i] = model.Guard(func() error {
			r, rows, err := t.prepare(ctx, v, i, horizon)
			if res.Series[i] = rows; r != nil && err == nil {
				list, sights, reach = append(list, r), append(sights, r.sight), max(reach, r.quiet+horizon)
			}
			return err
		})
	}
	if len(list) == 0 {
		return
	}
	var quantiles [][]float64
	err := model.Guard(func() (err error) {
		quantiles, err = t.networks.ahead(ctx, workers, sights, reach)
		return err
	})
	for k, r := range list {
		if res.Err[r.place] = err; err != nil {
			continue
		}
		t.Lean.move(r.sight, quantiles[k])
		res.Err[r.place] = model.Guard(func() error {
			res.Series[r.place] = forecast.NewRows(horizon)
			return t.read(r, quantiles[k], res.Series[r.place])
		})
	}
}

// ready is a series to be forecast.
type ready struct {
	*sight
	values  []float64
	outside *model.Outside
	quiet   int   // unknown values at the end
	place   int   // of the series
	ordinal int64 // of the first period ahead
}

// prepare looks at a series; one that tells too little is forecast plainly.
func (t *Trained) prepare(ctx context.Context, v panel.View, i, horizon int) (*ready, forecast.Rows, error) {
	s, _ := single.Mend(v.Series(i))
	if !single.Tells(s.Values) {
		state, _, err := single.Start(ctx, nil, single.InputOf(s, horizon, nil))
		if err != nil {
			return nil, forecast.Rows{}, err
		}
		rows := forecast.NewRows(horizon)
		err = state.Forecast(s, rows)
		t.Bounds.Keep(rows)
		return nil, rows, err
	}
	outside, err := t.now.of(v, s, i, horizon)
	if err != nil {
		return nil, forecast.Rows{}, err
	}
	z := outlook.Without(s.Values, outside)
	quiet := single.Trailing(z)
	if quiet > mostQuiet {
		return nil, forecast.Rows{}, fmt.Errorf("nothing is known of the last %s", v.Cadence().Noun(quiet))
	}
	season, long := t.seasons(t.now, s, i)
	seen, ok := look(z[:len(z)-quiet], season, long)
	if !ok {
		return nil, forecast.Rows{}, errors.New("no value is known in the training part")
	}
	next := v.Ordinal(s.First + len(s.Values))
	return &ready{sight: seen, values: s.Values, outside: outside, quiet: quiet, place: i, ordinal: next}, forecast.Rows{}, nil
}

// read turns the network's quantiles into a forecast, with drivers and events put back.
func (t *Trained) read(r *ready, quantiles []float64, rows forecast.Rows) error {
	for h := range rows.Mean {
		at := (r.quiet + h) * wide
		rows.Mean[h] = outlook.OnGrid(quantiles[at:at+wide], rows.At(h), forecast.Grid[:])
		for _, told := range t.now.told {
			season, ok := told[r.place]
			if !ok {
				continue
			}
			factor := 1.0
			if t.Unproved && season.Days == nil {
				factor = single.FlatteredBy(&season, r.values)
			}
			single.DoubtSeason(&season, factor, r.ordinal+int64(h), rows.Mean[h], rows.At(h))
		}
		outlook.PutBack(rows, h, len(r.values), r.outside)
	}
	t.Widening.Stretch(rows, r.quiet)
	single.Hold(r.values, rows)
	t.Bounds.Keep(rows)
	return rows.Check()
}

// Paths draws futures whose steps go together as errors did.
func (t *Trained) Paths(ctx context.Context, v panel.View, horizon, count int, each func(i int, paths []float64, err error)) error {
	res, err := t.Forecast(ctx, v, horizon)
	if err != nil {
		return err
	}
	for i := range t.Series {
		s, _ := single.Mend(v.Series(i))
		outside, err := t.now.of(v, s, i, horizon)
		if err = errors.Join(res.Err[i], err); err != nil {
			each(i, nil, err)
			continue
		}
		paths := outlook.Futures(res.Series[i], v.Series(i).Key, horizon, count, t.Ties, outside)
		t.Bounds.Clip(paths)
		each(i, paths, nil)
	}
	return nil
}

// Advance moves on: there is nothing to fit.
func (t *Trained) Advance(ctx context.Context, v panel.View) error {
	if v.Len() != t.Series {
		return fmt.Errorf("the model was trained on %d series and is advanced with %d", t.Series, v.Len())
	}
	t.view = &v
	if t.now.by != nil {
		return t.now.by.Advance(ctx, v)
	}
	return nil
}

// Use sets how many goroutines a model that was read may use.
func (t *Trained) Use(workers int) { t.workers = max(1, workers) }

// Len is the number of series.
func (t *Trained) Len() int { return t.Series }

// written is what the series share.
type written struct {
	Trained *Trained
	Outside []byte
	Told    [][]placed // in order: what is written is the same each time
}

// placed is a season of few rounds and the place of its series.
type placed struct {
	Place  int
	Season young.Season
}

// Shared writes what was found out; the weights by their hash, but where they were tuned.
func (t *Trained) Shared() ([]byte, error) {
	w := written{Trained: t}
	for _, told := range t.now.told {
		w.Told = append(w.Told, inOrder(told))
	}
	if t.now.by != nil {
		var err error
		if w.Outside, err = t.now.by.Shared(); err != nil {
			return nil, err
		}
	}
	return model.Encode(w)
}

func inOrder(seasons map[int]young.Season) (out []placed) {
	for _, i := range slices.Sorted(maps.Keys(seasons)) {
		out = append(out, placed{i, seasons[i]})
	}
	return out
}

func byPlace(list []placed) map[int]young.Season {
	out := make(map[int]young.Season, len(list))
	for _, p := range list {
		out[p.Place] = p.Season
	}
	return out
}

// Part writes what explains a series' drivers and events.
func (t *Trained) Part(i int) ([]byte, error) {
	own := model.Pieces{nil}
	if t.now.by != nil {
		var err error
		if own[0], err = t.now.by.Part(i); err != nil {
			return nil, err
		}
	}
	return model.Encode(own)
}

// read reads what Trained wrote.
func (w *Weights) read(p model.Parts) (model.Trained, error) {
	var from written
	if err := model.DecodeShared(p, &from); err != nil {
		return nil, fmt.Errorf("reading a pretrained model: %w", err)
	}
	t := from.Trained
	switch {
	case t == nil || t.Series != p.Len():
		return nil, errors.New("reading a pretrained model: parts are missing")
	case t.Hash != w.Hash:
		return nil, fmt.Errorf("reading a pretrained model: it was made with the weights %.8s, and the program has %.8s", t.Hash, w.Hash)
	}
	if t.networks = w.Networks; t.Own != nil {
		if len(t.Own) != len(w.Networks) {
			return nil, errors.New("reading a pretrained model: a network is missing")
		}
		t.networks = t.networks.clone()
		for k, values := range t.Own {
			if err := t.networks[k].Set(values); err != nil {
				return nil, fmt.Errorf("reading a pretrained model: %w", err)
			}
		}
	}
	if from.Outside != nil {
		places := make([]int, t.Series)
		for i := range places {
			places[i] = i
		}
		var err error
		if t.now.by, err = outlook.Explained(model.Nested{Of: p, Piece: 0, Common: from.Outside, Places: places}); err != nil {
			return nil, err
		}
	}
	for _, told := range from.Told {
		t.now.told = append(t.now.told, byPlace(told))
	}
	t.workers = 1
	return t, nil
}
