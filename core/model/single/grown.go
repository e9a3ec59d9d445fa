package single

import (
	"context"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// TellYear says that all series of a view together tell the season of the year of days, or the week within days, beside
// their drivers where there are some.
func TellYear(ctx context.Context, v panel.View, workers int) (bool, error) {
	tell := YearOf
	if Driven(v) > 0 {
		tell = YearBesideDrivers
	}
	year, err := tell(ctx, v, nil, workers)
	return year != nil, err
}

// Grown says that all of the histories of a view together tell the year of days, or the week within days, and what comes up
// to some period does not: inner windows that begin there are then of forms that know nothing of it.
func Grown(ctx context.Context, v panel.View, first, workers int) (bool, error) {
	if v.Cadence().Unit != calendar.Day && !WithinDays(v) {
		return false, nil
	}
	if before, err := TellYear(ctx, v.Before(first), workers); err != nil || before {
		return false, err
	}
	return TellYear(ctx, v, workers)
}

// tellingRounds are numbers of rounds of the longest season from which on families tell it, or tell it by themselves.
var tellingRounds = []float64{1.5, 2}

// TellsMore says that families can tell more of the longest season from all of a history than from what comes up to the
// first inner origin, so that they are to choose again.
func TellsMore(v panel.View, first int) bool {
	seasons := v.Cadence().Seasons()
	if len(seasons) == 0 {
		return false
	}
	longest := seasons[len(seasons)-1]
	before, all := float64(first-v.From()+1)/longest, float64(v.Origin()-v.From()+1)/longest
	return slices.ContainsFunc(tellingRounds, func(n float64) bool { return before < n && all >= n })
}
