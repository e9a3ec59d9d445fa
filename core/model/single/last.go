package single

import (
	"math"
	"slices"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

const (
	lastWithin = 15  // values before the last one that are looked at
	lastBeyond = 0.7 // times their usual distance from their median is the least that strays
)

// LastOdd says whether the last value is among those of Odd. Of most series a glance at the values before it
// tells that it is not.
func LastOdd(s panel.SeriesView) bool {
	if !lastStrays(s.Values) && !hasFallen(s.Values, s.View().Cadence().Season()) {
		return false
	}
	return slices.Contains(Odd(s), len(s.Values)-1)
}

// lastStrays says that the last value may be odd by its distance: what is nearer to those before it than they often
// are to each other need not be held against the whole series.
func lastStrays(y []float64) bool {
	n := len(y) - 1
	if n < 0 || !panel.Known(y[n]) {
		return false
	}
	before := num.Known(num.Tail(y[:n], lastWithin))
	if len(before) < 2 {
		return false
	}
	last := before[len(before)-1]
	slices.Sort(before)
	middle := before[len(before)/2]
	for k, v := range before {
		before[k] = math.Abs(v - middle)
	}
	slices.Sort(before)
	return min(math.Abs(y[n]-middle), math.Abs(y[n]-last)) > lastBeyond*before[len(before)/2]
}
