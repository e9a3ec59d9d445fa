// Package watch holds actuals against a release's intervals.
package watch

import (
	"math"

	"paperkettle/core/forecast"
	"paperkettle/core/num"
)

// Judgement is what one actual says of its forecast.
type Judgement struct {
	Outside   bool
	Low, High float64 // the interval that flags
	// Severity is how far out the actual lies, signed, above or below: its distance
	// from the median over that of the interval's end, in units in which the end
	// is at the normal quantile of the level (1.96 at 95 %).
	Severity float64
}

// farOut bounds the severity where an interval has no width on the actual's side.
const farOut = 99

// Judge compares an actual with a quantile row at a level in per cent.
func Judge(actual float64, q []float64, level float64) Judgement {
	low, high := forecast.Interval(q, level)
	j := Judgement{Outside: actual < low || actual > high, Low: low, High: high}
	mid := q[forecast.Median]
	unit := num.NormalQuantile((1 + level/100) / 2)
	switch {
	case actual > mid:
		j.Severity = unit * reach(actual-mid, high-mid)
	case actual < mid:
		j.Severity = -unit * reach(mid-actual, mid-low)
	}
	j.Severity = max(-farOut, min(farOut, j.Severity))
	return j
}

func reach(distance, end float64) float64 {
	if end <= 0 {
		return math.Inf(1)
	}
	return distance / end
}
