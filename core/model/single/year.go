package single

import (
	"context"
	"fmt"

	"paperkettle/core/calendar"
	"paperkettle/core/model/young"
	"paperkettle/core/panel"
)

// OnYear is a Method that may be fitted to what the season of the year leaves of daily series, or the week of series within
// days, as all series of a panel tell it together, and continues that.
type OnYear interface {
	// TakesYear says whether it may: not where seasons were set or ruled out, or where it tells that one by itself.
	TakesYear(v panel.View) bool
}

// YearTeller is an OnYear that tells the season of the year by itself of series that have seen enough of it.
type YearTeller interface {
	TellsYear(in Input) bool
}

// manyYears is how many must have been seen for one series to tell their season as well as all of them do.
const manyYears = 5

// WithinDays says that a view's series have several periods a day, so that the week is a season of theirs.
func WithinDays(v panel.View) bool { return len(v.Cadence().Seasons()) > 2 }

// ManyWeeks says that a series within days has seen so many weeks.
func ManyWeeks(in Input, weeks float64) bool {
	return float64(len(in.Values)) >= weeks*in.Cadence().Seasons()[1]
}

// ManyYears says that a series has seen so many rounds of its cadence's longest season.
func ManyYears(in Input) bool {
	seasons := in.Cadence().Seasons()
	return float64(len(in.Values)) >= manyYears*seasons[len(seasons)-1]
}

// tellsYear says that a method tells the season of the year of a series by itself.
func tellsYear(method any, in Input) bool {
	t, ok := method.(YearTeller)
	return ok && t.TellsYear(in)
}

// mostTellYear says that a method tells the season of the year by itself of more than half of some series.
func mostTellYear(method any, inputs []Input) bool {
	own := 0
	for _, in := range inputs {
		if tellsYear(method, in) {
			own++
		}
	}
	return 2*own > len(inputs)
}

// TakesYear is so, for that is what the form was chosen for.
func (resting) TakesYear(panel.View) bool { return true }

// takesYear says that a method is for what the season of the year leaves of a view's series.
func takesYear(method any, v panel.View) bool {
	y, ok := method.(OnYear)
	return ok && y.TakesYear(v)
}

// longer tells a season of several of the calendar's shortest: of the year of days, or the week within days.
type longer interface {
	Of(s young.Series) *young.Season
}

// yearOf is what a number of series tell of the season of the year of their days, beside their drivers where they are driven,
// or of the week within days, together; nil where they tell nothing.
func yearOf(ctx context.Context, v panel.View, of asked, driven bool, workers int) (longer, error) {
	listed := func(rests []Input) []young.Series {
		list := make([]young.Series, len(rests))
		for k, in := range rests {
			list[k] = seriesOfYear(in, driven)
		}
		return list
	}
	switch seasons := v.Cadence().Seasons(); {
	case v.Cadence().Unit == calendar.Day:
		what := "season of the year"
		if driven {
			what += " beside drivers"
		}
		year, err := learnOf(of, what, func(rests []Input) (*young.Year, error) {
			return young.LearnYear(ctx, listed(rests), workers)
		})
		if err != nil || year == nil {
			return nil, err
		}
		return year, nil
	case len(seasons) > 2:
		week, err := learnOf(of, "week within days", func(rests []Input) (*young.Week, error) {
			return young.LearnWeek(ctx, listed(rests), int(seasons[0]), workers)
		})
		if err != nil || week == nil {
			return nil, err
		}
		return week, nil
	}
	return nil, nil
}

func seriesOfYear(in Input, driven bool) young.Series {
	s := young.Series{Key: in.Key, Values: seriesOfDays(in).Values, First: in.Ordinal()}
	if driven {
		s.Drivers = drivenBy(in)
	}
	return s
}

// yearBy is the season of the year of a series and what told it, which is kept so that no other comes to stand there.
type yearBy struct {
	prior  longer
	season *young.Season
}

// withoutYear takes the season of the year, or the week within days, out of series, and gives what puts it back; nil where there
// is none, or where the method that is to be fitted to the rest tells it by itself.
func withoutYear(prior longer, driven bool, method any) Doing {
	what := "the year"
	if _, ok := method.(YearTeller); ok {
		what += " where few are known"
	}
	return doing(what, prior, func(in Input) (*Seasoned, Input) {
		if tellsYear(method, in) {
			return nil, in
		}
		season := panel.Remember(in.SeriesView, fmt.Sprintf("year as %p tells it", prior), func() yearBy {
			return yearBy{prior, prior.Of(seriesOfYear(in, driven))}
		}).season
		if season == nil || !season.Log && OftenZero(in.Values) {
			return nil, in
		}
		s := &Seasoned{Season: *season, Next: in.Ordinal() + int64(len(in.Values))}
		s.flatter(in)
		in.SeriesView, in.Yearless = s.without(in.SeriesView), true
		return s, in
	})
}

// YearOf is the season of the year of the daily series of a view, or the week of series within days, after something was
// taken out of them; nothing for none. Of series that are often zero there is none unless it is a factor: without it they
// would not be what they are.
func YearOf(ctx context.Context, v panel.View, after Doings, workers int) (Doings, error) {
	return yearsOf(ctx, v, after, false, workers)
}

// YearBesideDrivers is that of daily series of which what drivers known ahead do is told apart; nothing where these are too
// many.
func YearBesideDrivers(ctx context.Context, v panel.View, after Doings, workers int) (Doings, error) {
	if v.Cadence().Unit != calendar.Day || Driven(v) > MostDriven {
		return nil, nil
	}
	return yearsOf(ctx, v, after, true, workers)
}

func yearsOf(ctx context.Context, v panel.View, after Doings, driven bool, workers int) (Doings, error) {
	prior, err := yearOf(ctx, v, all(v, true, after), driven, workers)
	if err != nil || prior == nil {
		return nil, err
	}
	return Doings{withoutYear(prior, driven, nil)}, nil
}
