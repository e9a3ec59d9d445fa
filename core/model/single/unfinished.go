package single

import (
	"math"
	"slices"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

const (
	// fewestWhole is how many values above zero tell how far one falls as a rule.
	fewestWhole = 40
	// fallsApart is how many times as far as any other value, up or down, the last one must have fallen from the
	// ones before it, beyondFalls how many standard deviations, and leastFall how far at least, as a log.
	fallsApart  = 1.5
	beyondFalls = 6.0
	leastFall   = 0.4
	// mostLately is how many values before it are looked at first, or a season: most have not fallen at all.
	mostLately = 31
)

// unfinished says that the last value is that of a period that is not over: it lies below the middle of those
// before it by more than any value ever strayed from those, in logs and without the places in the season. What
// falls so for good is believed with the next value.
func unfinished(s panel.SeriesView) bool {
	y, season := s.Values, s.View().Cadence().Season()
	if !hasFallen(y, season) || OftenZero(y) {
		return false
	}
	places, logs, ok := logsOf(y)
	n := len(logs)
	if !ok || n < fewestWhole {
		return false
	}
	z := withoutPlaces(logs, places, season)
	fall, usual, most := lastFall(z)
	if !(fall > max(leastFall, fallsApart*most, beyondFalls*madScale*usual)) {
		return false
	}
	// Of what comes near zero any change is far in logs: it must stand apart in levels too.
	levels := make([]float64, n)
	for k, v := range z {
		levels[k] = math.Exp(v)
	}
	fall, _, most = lastFall(levels)
	return fall > most
}

// hasFallen says that the last value lies below one of a season before it by the least that counts.
func hasFallen(y []float64, season int) bool {
	last := len(y) - 1
	if last < fewestWhole || !(y[last] > 0) {
		return false
	}
	lately := num.Known(y[max(0, last-max(fewestLater, min(season, mostLately))):last])
	return len(lately) > 0 && y[last] < math.Exp(-leastFall)*slices.Max(lately)
}

// lastFall is how far the last value lies below the median of the five before it, and how far others lie from
// those before them: at the middle and at most.
func lastFall(z []float64) (fall, usual, most float64) {
	before := medians(z, fewestLater)
	last := len(z) - 1
	strays := make([]float64, 0, last)
	for k := fewestLater; k < last; k++ {
		strays = append(strays, math.Abs(z[k]-before[k-fewestLater]))
	}
	return before[last-fewestLater] - z[last], median(strays), slices.Max(strays)
}

// logsOf are the logs of the values above zero and their places; not ok where one is below.
func logsOf(y []float64) (places []int, logs []float64, ok bool) {
	for i, v := range y {
		if v < 0 {
			return nil, nil, false
		}
		if v > 0 {
			places, logs = append(places, i), append(logs, math.Log(v))
		}
	}
	return places, logs, true
}
