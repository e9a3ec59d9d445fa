package single

import (
	"math"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

const (
	// besideOdd is how many values, or values of the same place in the season, a value is compared with on
	// either side.
	besideOdd = 3
	// apartOdd is how many times as far from all it is compared with a value must be as any that is not odd,
	// and usualOdd as the one of middle distance. A short history says less of how far values may stray:
	// there it must be farther, by a sixth with 60 values.
	apartOdd = 4.0
	fewOdd   = 10.0
	usualOdd = 12.0
	// fewestOdd is from how many values on any is odd; one in shareOdd, or two, are at most.
	fewestOdd = 20
	shareOdd  = 50
	// lastOdd is how many times as far a value must be that nothing follows yet: it may be a new level.
	lastOdd = 6.0
)

// Odd lists the places of values that look like mistakes: each is far from the middle of the values before
// it, of those after it, and of its place in the seasons before and after, farther by a gap than any other
// value of the series. A new level is not odd, for what follows agrees; neither is a peak of every season;
// the last value, which nothing follows yet, must be farther still; and where many lie far out, that is how
// the series is. Values on days of events, or where a driver is out of its usual range, have a reason and are never odd.
func Odd(s panel.SeriesView) (places []int) {
	y := s.Values
	if panel.CountKnown(y) < fewestOdd || OftenZero(y) {
		return nil
	}
	steps := []int{1}
	for _, period := range s.View().Cadence().Seasons() {
		if p := int(math.Round(period)); p > 1 && p < len(y) {
			steps = append(steps, p)
		}
	}
	far := make([]float64, len(y))
	var sizes []float64
	for i, v := range y {
		if far[i] = distance(y, i, steps); panel.Known(v) && panel.Known(far[i]) {
			sizes = append(sizes, far[i])
		}
	}
	if len(sizes) < fewestOdd {
		return nil
	}
	slices.Sort(sizes)
	most := max(2, len(sizes)/shareOdd)
	apart := apartOdd * (1 + fewOdd/float64(len(sizes)))
	bound := max(apart*sizes[len(sizes)-1-most], usualOdd*sizes[len(sizes)/2])
	if bound == 0 {
		return nil
	}
	var reasons []bool
	for i, d := range far {
		if !(d > bound) {
			continue
		}
		if reasons == nil {
			reasons = reasonsOf(s)
		}
		if !reasons[i] {
			places = append(places, i)
		}
	}
	return places
}

// WithoutOdd is a series with its odd values unknown, and which they are.
func WithoutOdd(s panel.SeriesView) (panel.SeriesView, []model.Stretch) {
	places := Odd(s)
	if len(places) == 0 {
		return s, nil
	}
	out := model.Odd(s.First, places, s.Values, "what is before, after, and a season away")
	s.Values = slices.Clone(s.Values)
	for _, k := range places {
		s.Values[k] = panel.Unknown
	}
	return s, out
}

// distance is how far a value is from the nearest of what it is compared with: the middle of the values
// before it and after it, a step apart, for each step; less where nothing follows it.
func distance(y []float64, at int, steps []int) float64 {
	least, follows := math.Inf(1), false
	for _, step := range steps {
		for _, way := range []int{-step, step} {
			m := beside(y, at, way)
			if !panel.Known(m) {
				continue
			}
			follows = follows || way == 1
			least = min(least, math.Abs(y[at]-m))
		}
	}
	switch {
	case math.IsInf(least, 1):
		return panel.Unknown
	case !follows:
		return least / lastOdd
	}
	return least
}

// beside is the median of the nearest known values in steps to one side.
func beside(y []float64, at, step int) float64 {
	var near [besideOdd]float64
	n := 0
	for i, looked := at+step, 0; i >= 0 && i < len(y) && n < besideOdd && looked < 3*besideOdd; i, looked = i+step, looked+1 {
		if v := y[i]; v == v { // known
			near[n] = v
			n++
		}
	}
	a, b, c := near[0], near[1], near[2]
	switch n {
	case 0:
		return panel.Unknown
	case 1:
		return a
	case 2:
		return (a + b) / 2
	}
	return max(min(a, b), min(max(a, b), c))
}

// reasonsOf says where a series has an event, or a driver out of its usual range: what the middle 80 % of
// its values span.
func reasonsOf(s panel.SeriesView) []bool {
	out := make([]bool, len(s.Values))
	for _, e := range s.Events() {
		for i := range out {
			for day := -e.Before; day <= e.After && !out[i]; day++ {
				out[i] = e.Share(s.View().Cadence(), s.View().Ordinal(s.First+i), day) > 0
			}
		}
	}
	for d := range s.View().Drivers() {
		values := s.Driver(d, len(out))
		sorted := num.Known(values)
		if len(sorted) == 0 {
			continue
		}
		slices.Sort(sorted)
		low, high := sorted[len(sorted)/10], sorted[len(sorted)*9/10]
		for i, v := range values {
			out[i] = out[i] || v < low || v > high
		}
	}
	return out
}
