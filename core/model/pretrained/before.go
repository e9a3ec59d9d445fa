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
	by model.Trained // explains drivers and events; nil where it does not help
	// told is what all series tell together, one thing after another, by the place of the series, and done what tells it.
	told []map[int]young.Season
	done single.Doings
}

// of is what is taken out of a series, given as it is learnt from, over its values and a horizon past them; nil for
// nothing.
func (b before) of(v panel.View, s panel.SeriesView, i, horizon int) (*model.Outside, error) {
	inner, err := outlook.OutsideOf(b.by, v, i, horizon)
	if err != nil {
		return nil, err
	}
	for _, told := range b.told {
		if season, ok := told[i]; ok {
			inner = both(inner, outsideOf(season, v, s, horizon))
		}
	}
	return inner, nil
}

// outsideOf is a season of a series, over its values and a horizon past them, as what is taken out of it. What is not known
// of it is in the quantiles.
func outsideOf(season young.Season, v panel.View, s panel.SeriesView, horizon int) *model.Outside {
	span := season.Over(v.Ordinal(s.First), len(s.Values)+horizon)
	return &model.Outside{
		Take:  span.Rest,
		Put:   span.With,
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
	season = max(1, single.InputOf(s, t.Horizon, nil).Season())
	if long = t.Longer; 2*len(s.Values) < 3*long || long%season != 0 {
		long = 0
	}
	for _, told := range b.told {
		switch taken, ok := told[i]; {
		case !ok || taken.Days != nil || taken.Places != nil:
		case taken.Length() < 2*s.View().Cadence().Season():
			return 1, 0
		default:
			long = 0
		}
	}
	return season, long
}

// teller has all series of a view tell something, after something else was taken out of them.
type teller func(ctx context.Context, v panel.View, after single.Doings, workers int) (single.Doings, error)

// tellTogether has all series tell what of them may be taken out, as known now and before what is held out: what days do, and
// what comes once a year, which hardly ever is in windows that are held out; the season of the year, unless drivers may be
// its cause; and a season of few rounds, beside the drivers where these are explained.
func (t *Trained) tellTogether(ctx context.Context, v panel.View, out int, judge model.Judge) error {
	if !t.Bounds.KeepDays {
		if _, err := t.takeOut(ctx, v, out, &judge, single.DaysOf); err != nil {
			return err
		}
		if _, err := t.takeOut(ctx, v, out, nil, single.FeastsOf); err != nil {
			return err
		}
	}
	if err := t.tellYear(ctx, v, out, judge); err != nil {
		return err
	}
	switch {
	case t.now.by != nil:
		return t.tellSeasons(ctx, v, out, judge, single.SeasonsBesideDrivers)
	case outlook.Explainable(v):
		return nil
	}
	return t.tellSeasons(ctx, v, out, judge, single.SeasonsOf)
}

// tellYear takes the season of the year out, beside the drivers where these are explained, and not where they are not: they may
// be its cause.
func (t *Trained) tellYear(ctx context.Context, v panel.View, out int, judge model.Judge) error {
	tell := single.YearOf
	if len(v.Drivers()) > 0 {
		if t.now.by == nil {
			return nil
		}
		tell = single.YearBesideDrivers
	}
	_, err := t.takeOut(ctx, v, out, &judge, tell)
	return err
}

// tellSeasons takes a season of few rounds out. Where nobody had seen their places in it before what is held out, that can't
// tell, and nothing speaks against it.
func (t *Trained) tellSeasons(ctx context.Context, v panel.View, out int, judge model.Judge, tell teller) error {
	n := len(t.now.told)
	if feature.SettingOf(v, t.Horizon).Length < v.Cadence().Season()+2*out {
		now, err := t.now.and(ctx, v, tell, t.workers)
		if err == nil {
			t.now, t.Unproved = now, len(now.told) > n
		}
		return err
	}
	proved, err := t.takeOut(ctx, v, out, &judge, tell)
	t.Unproved = len(t.now.told) > n && !proved
	return err
}

// takeOut takes something out, unless held-out windows lose by it, where they are asked, and says whether there are any.
// Where nothing was known of it then, they can't tell, and nothing speaks against it.
func (t *Trained) takeOut(ctx context.Context, v panel.View, out int, asked *model.Judge, tell teller) (proved bool, err error) {
	now, err := t.now.and(ctx, v, tell, t.workers)
	if err != nil || len(now.told) == len(t.now.told) {
		return false, err
	}
	early, err := t.early.and(ctx, v.Before(v.Origin()-out), tell, t.workers)
	if err != nil {
		return false, err
	}
	if asked != nil {
		without, err := t.judged(ctx, v, out, t.early, *asked)
		if err != nil {
			return false, err
		}
		with, err := t.judged(ctx, v, out, early, *asked)
		if err != nil || with.loss > without.loss {
			return false, err
		}
		proved = with.loss == with.loss // there are windows
	}
	t.now, t.early = now, early
	return proved, nil
}

// and is what is taken out with what series tell besides.
func (b before) and(ctx context.Context, v panel.View, tell teller, workers int) (before, error) {
	more, err := tell(ctx, v, b.done, workers)
	if err != nil || len(more) == 0 {
		return b, err
	}
	told, err := more.ByPlace(ctx, v, b.done, workers)
	b.told, b.done = append(slices.Clip(b.told), told...), append(slices.Clip(b.done), more...)
	return b, err
}
