package single

import (
	"context"
	"fmt"

	"paperkettle/core/calendar"
	"paperkettle/core/model/young"
	"paperkettle/core/panel"
)

// OnYear is a Method that may be fitted to what the season of the year leaves of daily series, as all series of a panel
// tell it together, and continues that.
type OnYear interface {
	// TakesYear says whether it may: not where seasons were set or ruled out, or where it tells that one by itself.
	TakesYear(v panel.View) bool
}

// TakesYear is so, for that is what the form was chosen for.
func (resting) TakesYear(panel.View) bool { return true }

// yearOf is what the series of a view tell of the season of the year; nil where they tell nothing, or the method is not
// for what it leaves.
func (m seriesModel) yearOf(ctx context.Context, v panel.View, workers int) (*young.Year, error) {
	if y, ok := m.method.(OnYear); !ok || !y.TakesYear(v) {
		return nil, nil
	}
	mended := leavesOut(m.method)
	return yearOf(ctx, v, v.Len(), func(i int) Input { return inputOf(v, i, mended) }, workers)
}

// yearOf is what a number of daily series tell of the season of the year together. Of many those are asked that are evenly
// spread.
func yearOf(ctx context.Context, v panel.View, n int, input func(i int) Input, workers int) (*young.Year, error) {
	if v.Cadence().Unit != calendar.Day {
		return nil, nil
	}
	inputs, seen := make([]Input, min(n, mostLearnt)), make([]panel.SeriesView, min(n, mostLearnt))
	for k := range inputs {
		inputs[k] = input(k * n / len(inputs))
		seen[k] = inputs[k].SeriesView
	}
	return panel.RememberAll(seen, "season of the year", func() (*young.Year, error) {
		list := make([]young.Series, len(inputs))
		for k, in := range inputs {
			list[k] = seriesOfYear(in)
		}
		return young.LearnYear(ctx, list, workers)
	})
}

func seriesOfYear(in Input) young.Series {
	return young.Series{Key: in.Key, Values: seriesOfDays(in).Values, First: in.Ordinal()}
}

// yearBy is the season of the year of a series and what told it, which is kept so that no other comes to stand there.
type yearBy struct {
	prior  *young.Year
	season *young.Season
}

// withoutYear takes the season of the year out of series, and gives what puts it back; nil where there is none.
func withoutYear(prior *young.Year) func(in Input) (*Seasoned, Input) {
	return func(in Input) (*Seasoned, Input) {
		season := panel.Remember(in.SeriesView, fmt.Sprintf("year as %p tells it", prior), func() yearBy {
			return yearBy{prior, prior.Of(seriesOfYear(in))}
		}).season
		if season == nil || !season.Log && OftenZero(in.Values) {
			return nil, in
		}
		s := &Seasoned{Season: *season, Next: in.Ordinal() + int64(len(in.Values))}
		s.flatter(in)
		in.SeriesView, in.Yearless = s.without(in.SeriesView), true
		return s, in
	}
}

// YearsOf are the seasons of the year of the daily series of a view, without what looks like mistakes, by place: one map of
// them, or nothing. Of series that are often zero there is none: without it they would not be what they are.
func YearsOf(ctx context.Context, v panel.View, workers int) ([]map[int]young.Season, error) {
	prior, err := yearOf(ctx, v, v.Len(), func(i int) Input { return inputOf(v, i, true) }, workers)
	if err != nil || prior == nil {
		return nil, err
	}
	return doings{withoutYear(prior)}.byPlace(ctx, v, workers)
}
