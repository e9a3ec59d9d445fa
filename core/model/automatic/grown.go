package automatic

import (
	"context"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// tellingRounds are numbers of rounds of the longest season from which on families tell it, or tell it by themselves.
var tellingRounds = []float64{1.5, 2}

// tellsMore says that families can tell more of the longest season from all of a history than from what comes up to the
// first inner origin, so that they are to choose again.
func tellsMore(v panel.View, first int) bool {
	seasons := v.Cadence().Seasons()
	if len(seasons) == 0 {
		return false
	}
	longest := seasons[len(seasons)-1]
	before, all := float64(first-v.From()+1)/longest, float64(v.Origin()-v.From()+1)/longest
	return slices.ContainsFunc(tellingRounds, func(n float64) bool { return before < n && all >= n })
}

// grown says that all of the histories together tell the year of days, or the week within days, and what comes up to the
// first inner origin does not: the inner windows are then of forms that know nothing of it.
func grown(ctx context.Context, v panel.View, first, workers int) (bool, error) {
	if v.Cadence().Unit != calendar.Day && len(v.Cadence().Seasons()) < 3 {
		return false, nil
	}
	tell := single.YearOf
	if single.Driven(v) > 0 {
		tell = single.YearBesideDrivers
	}
	before, err := tell(ctx, v.Before(first), nil, workers)
	if err != nil || before != nil {
		return false, err
	}
	all, err := tell(ctx, v, nil, workers)
	return all != nil, err
}
