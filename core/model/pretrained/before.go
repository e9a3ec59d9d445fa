package pretrained

import (
	"context"
	"slices"

	"paperkettle/core/feature"
	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/model/young"
	"paperkettle/core/panel"
)

// before is what is taken out of series before networks see them, and put back after.
type before struct {
	by    model.Trained          // explains drivers and events; nil where it does not help
	young map[int]young.Season   // of few rounds, that all series tell together, by the place of the series
	days  []map[int]young.Season // what the calendar's days do, one thing after another
	year  map[int]young.Season   // of daily series, after that
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
	for _, told := range b.told() {
		if season, ok := told[i]; ok {
			inner = both(inner, outsideOf(season, v, s))
		}
	}
	return inner, nil
}

// told are the seasons that are taken out beside what explains drivers and events.
func (b before) told() []map[int]young.Season { return append(slices.Clip(b.days), b.year) }

// outsideOf is a season of a series as what is taken out of it. What is not known of it is in the quantiles.
func outsideOf(season young.Season, v panel.View, s panel.SeriesView) *model.Outside {
	at := func(t int) int64 { return v.Ordinal(s.First + t) }
	return &model.Outside{
		Take: func(t int, y float64) float64 { return season.Rest([]float64{y}, at(t))[0] },
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
	if _, ok := b.year[i]; ok {
		return season, 0
	}
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

// together is what all series tell together that may be taken out of them.
type together struct {
	of   func(ctx context.Context, v panel.View, workers int) ([]map[int]young.Season, error)
	take func(b *before, told []map[int]young.Season)
	// sure says that held-out windows are not asked: what comes once a year is hardly ever in them.
	sure bool
}

// tellTogether has all series tell what of them may be taken out, as known now and before what is held out.
func (t *Trained) tellTogether(ctx context.Context, v panel.View, out int, judge model.Judge) error {
	if !t.Bounds.KeepDays {
		more := func(b *before, told []map[int]young.Season) { b.days = append(slices.Clip(b.days), told...) }
		if err := t.takeOut(ctx, v, out, judge, together{of: single.DaysOf, take: more}); err != nil {
			return err
		}
		afterDays := len(t.now.days) > 0
		feasts := func(ctx context.Context, v panel.View, workers int) ([]map[int]young.Season, error) {
			return single.FeastsOf(ctx, v, afterDays, workers)
		}
		if err := t.takeOut(ctx, v, out, judge, together{of: feasts, take: more, sure: true}); err != nil {
			return err
		}
	}
	if len(v.Drivers()) > 0 { // which may be the year's cause
		return nil
	}
	return t.takeOut(ctx, v, out, judge, together{of: single.YearsOf, take: func(b *before, told []map[int]young.Season) {
		if len(told) > 0 {
			b.year = told[0]
		}
	}})
}

// takeOut takes something out unless held-out windows lose by it. Where nothing was known of it then, they can't tell, and
// nothing speaks against it.
func (t *Trained) takeOut(ctx context.Context, v panel.View, out int, judge model.Judge, what together) error {
	now, err := what.of(ctx, v, t.workers)
	if err != nil || len(now) == 0 {
		return err
	}
	early, err := what.of(ctx, v.Before(v.Origin()-out), t.workers)
	if err != nil {
		return err
	}
	if len(early) > 0 && !what.sure {
		by := t.early
		without, err := t.judged(ctx, v, out, by, judge)
		if err != nil {
			return err
		}
		what.take(&by, early)
		with, err := t.judged(ctx, v, out, by, judge)
		if err != nil || with.loss > without.loss {
			return err
		}
	}
	what.take(&t.now, now)
	what.take(&t.early, early)
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
