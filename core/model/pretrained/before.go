package pretrained

import (
	"context"

	"paperkettle/core/feature"
	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/model/young"
	"paperkettle/core/panel"
)

// before is what is taken out of series before networks see them, and put back after.
type before struct {
	by    model.Trained        // explains drivers and events; nil where it does not help
	young map[int]young.Season // of few rounds, that all series tell together, by the place of the series
	days  map[int]young.Season // what the calendar's days do
}

// of is what is taken out of a series, given as it is learnt from, over its values and a horizon past them; nil for
// nothing.
func (b before) of(v panel.View, s panel.SeriesView, i, horizon int) (*model.Outside, error) {
	var inner *model.Outside
	if season, ok := b.young[i]; ok {
		inner = outsideOf(season, v, s)
	} else {
		var err error
		if inner, err = outlook.OutsideOf(b.by, v, i, horizon); err != nil {
			return nil, err
		}
	}
	if effect, ok := b.days[i]; ok {
		return both(inner, outsideOf(effect, v, s)), nil
	}
	return inner, nil
}

// outsideOf is a season of a series as what is taken out of it. What is not known of it is in the quantiles.
func outsideOf(season young.Season, v panel.View, s panel.SeriesView) *model.Outside {
	at := func(t int) int64 { return v.Ordinal(s.First + t) }
	return &model.Outside{
		Take: func(t int, y float64) float64 { return season.Without([]float64{y}, at(t))[0] },
		Put: func(t int, y float64) float64 {
			out := []float64{y}
			season.With(at(t), out)
			return out[0]
		},
		Doubt: func(int) func(p, step int, y float64) float64 { return func(_, _ int, y float64) float64 { return y } },
	}
}

// both takes one thing out after another; the first may be nil.
func both(first, second *model.Outside) *model.Outside {
	if first == nil {
		return second
	}
	return &model.Outside{
		Take:  func(t int, y float64) float64 { return second.Take(t, first.Take(t, y)) },
		Put:   func(t int, y float64) float64 { return first.Put(t, second.Put(t, y)) },
		Doubt: first.Doubt,
	}
}

// seasons are those that the networks are told of a series: that of its cadence, or the one that it shows, and a longer
// one; none where it was taken out.
func (t *Trained) seasons(b before, s panel.SeriesView, i int) (season, long int) {
	if _, ok := b.young[i]; ok {
		return 1, 0
	}
	season = max(1, single.InputOf(s, t.Horizon, nil).Season())
	if long = t.Longer; 2*len(s.Values) < 3*long || long%season != 0 {
		long = 0
	}
	return season, long
}

// tellSeasons has all series tell of a season of which few rounds were seen, as known now and before what is held out,
// and takes it out unless held-out windows lose by it. Where nobody had seen their places in it before, they can't tell,
// and nothing speaks against it.
func (t *Trained) tellSeasons(ctx context.Context, v panel.View, out int, judge model.Judge) error {
	now, err := t.young(ctx, v)
	if err != nil || len(now) == 0 {
		return err
	}
	t.Unproved = feature.SettingOf(v, t.Horizon).Length < v.Cadence().Season()+2*out
	if t.Unproved {
		t.now.young = now
		return nil
	}
	early, err := t.young(ctx, v.Before(v.Origin()-out))
	if err != nil {
		return err
	}
	with, err := t.judged(ctx, v, out, before{young: early}, judge)
	if err != nil {
		return err
	}
	without, err := t.judged(ctx, v, out, before{}, judge)
	if err != nil || with.loss > without.loss {
		return err
	}
	t.now.young, t.early.young, t.Unproved = now, early, with.loss != with.loss // no window
	return nil
}

// tellDays has all series tell what the calendar's days do, as known now and before what is held out, and takes it out
// unless held-out windows lose by it. Where nothing was known of it then, they can't tell, and nothing speaks against it.
func (t *Trained) tellDays(ctx context.Context, v panel.View, out int, judge model.Judge) error {
	if t.Bounds.KeepDays {
		return nil
	}
	now, err := single.DaysOf(ctx, v, t.workers)
	if err != nil || len(now) == 0 {
		return err
	}
	early, err := single.DaysOf(ctx, v.Before(v.Origin()-out), t.workers)
	if err != nil {
		return err
	}
	if len(early) > 0 {
		by := t.early
		without, err := t.judged(ctx, v, out, by, judge)
		if err != nil {
			return err
		}
		by.days = early
		with, err := t.judged(ctx, v, out, by, judge)
		if err != nil || with.loss > without.loss {
			return err
		}
	}
	t.now.days, t.early.days = now, early
	return nil
}

// young are the seasons of which few rounds were seen, of series that are not often zero: without its season such a
// one is not what the networks know.
func (t *Trained) young(ctx context.Context, v panel.View) (map[int]young.Season, error) {
	out, err := single.SeasonsOf(ctx, v, t.workers)
	for i := range out {
		if values, _ := v.Values(i); single.OftenZero(values) {
			delete(out, i)
		}
	}
	return out, err
}
