package single

import (
	"cmp"
	"math"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

const (
	// besideOdd is how many values on either side a value is compared with: so many that the days of a
	// strike are not compared with each other alone.
	besideOdd = 15
	// apartOdd is how many times as far from all it is compared with a value must be as any that is not odd,
	// and usualOdd as the one of middle distance. A short history says less of how far values may stray:
	// there it must be farther, by a sixth with 60 values.
	apartOdd = 4.0
	fewOdd   = 10.0
	usualOdd = 12.0
	// slipOdd is how many times as far as the one of middle distance a slip may be once it is put right.
	slipOdd = 6.0
	// strayOdd is how many times as far as the one of middle distance one in ten is, where nothing is odd.
	strayOdd = 4.0
	// fewestOdd is from how many values on any is odd. Of zeros and slips one in mostMistakes may be, or two and
	// three, of others one in mostOthers, or two: what comes more often is how the series is.
	fewestOdd    = 20
	mostMistakes = 20
	mostOthers   = 50
	// lastOdd is how many times as far a value must be that nothing follows yet: it may be a new level. Less so
	// one nearer zero, which may be of a day that is not over, and not at all zero, of one that was not counted.
	lastOdd  = 6.0
	partOdd  = 2.0
	emptyOdd = 1.0
)

// Odd lists the places of values that look like mistakes: each is far from the middle of the values before
// it, of those after it, and of its place in the seasons before and after, farther by a gap than any other
// value of the series. A new level is not odd, for what follows agrees; neither is a peak of every season;
// the last value, which nothing follows yet, must be far from the one before it too, and farther still the more
// likely it is a new level; and where many lie far out, that is how
// the series is. Pauses are odd as a whole. Values on days of events, or where a driver is out of its usual range, have a reason and
// are never odd; nor is any where every value is to be believed.
func Odd(s panel.SeriesView) []int {
	if s.View().Believed() {
		return nil
	}
	places, pauses := oddOf(s)
	if len(pauses) > 0 {
		places = append(places, pauses...)
		slices.Sort(places)
	}
	return places
}

// oddOf are the places of values that are odd alone, and those of pauses.
func oddOf(s panel.SeriesView) (places, pauses []int) {
	if pauses = unexplained(s, Pauses(s)); len(pauses) > 0 {
		s = without(s, pauses)
	}
	return alone(s), pauses
}

// without is a series with some values unknown.
func without(s panel.SeriesView, places []int) panel.SeriesView {
	s.Values = slices.Clone(s.Values)
	for _, k := range places {
		s.Values[k] = panel.Unknown
	}
	return s
}

// unexplained are the places of pauses, unless more than half of them have a reason.
func unexplained(s panel.SeriesView, pauses []int) []int {
	if len(pauses) == 0 {
		return nil
	}
	reasons, with := reasonsOf(s), 0
	for _, k := range pauses {
		if reasons[k] {
			with++
		}
	}
	if 2*with > len(pauses) {
		return nil
	}
	return pauses
}

// alone are the places of single values and short runs that are odd.
func alone(s panel.SeriesView) (places []int) {
	y := s.Values
	if panel.CountKnown(y) < fewestOdd || OftenZero(y) {
		return nil
	}
	var seasons []int
	for _, period := range s.View().Cadence().Seasons() {
		if p := int(math.Round(period)); p > 1 && p < len(y) {
			seasons = append(seasons, p)
		}
	}
	n := newNeighbours(y, seasons)
	far := make([]float64, len(y))
	for i, v := range y {
		far[i] = n.from(v, i)
	}
	bound := gap(y, far, n)
	low := fallen(y, n)
	slices.Sort(low)
	var reasons []bool
	for i, d := range far {
		if _, fell := slices.BinarySearch(low, i); !(d > bound) && !fell && !(i == len(far)-1 && unfinished(s)) {
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

// farther is how many times as far the last value must be, by the usual one before it, and whether it is a slip.
func farther(v, usual float64, slip bool) float64 {
	switch {
	case v == 0:
		return emptyOdd
	case slip || v*usual > 0 && math.Abs(v) < math.Abs(usual):
		return partOdd
	}
	return lastOdd
}

// gap is the distance beyond which values are odd: that of the last one before a gap, above which few lie,
// but for those that tell of themselves that they are mistakes: zeros, where nothing was counted, and slips, which some
// power of ten puts among their neighbours. Endless where there is no gap. The last value's distance becomes as far as
// it counts.
func gap(y, far []float64, near neighbours) float64 {
	var order []int
	for i, d := range far {
		if panel.Known(d) {
			order = append(order, i)
		}
	}
	n := len(order)
	if n < fewestOdd {
		return math.Inf(1)
	}
	last, farthest := order[n-1], func(a, b int) int { return cmp.Compare(far[b], far[a]) }
	slices.SortFunc(order, farthest)
	usual := far[order[n/2]]
	if usual == 0 { // most never stray, as where few are counted: by those that do
		usual = far[order[n/10]] / strayOdd
	}
	if usual == 0 { // nothing tells how far is far
		return math.Inf(1)
	}
	far[last] /= farther(y[last], near.before[last], near.slip(last, slipOdd*usual, near.from))
	slices.SortFunc(order, farthest)
	apart, bound := apartOdd*(1+fewOdd/float64(n)), math.Inf(1)
	zeros, others := 0, 0
	for k, i := range order[:max(3, n/mostMistakes)] {
		switch {
		case y[i] == 0:
			zeros++
		case near.slip(i, slipOdd*usual, near.from):
		default:
			others++
		}
		if zeros > max(2, n/mostMistakes) || others > max(2, n/mostOthers) {
			break
		}
		if below := far[order[k+1]]; far[i] > max(apart*below, usualOdd*usual) {
			bound = below
		}
	}
	return bound
}

// Mended is what was done to a series before it is learnt from.
type Mended struct {
	Odd  []model.Stretch // values that were left out
	Unit Unit            // that earlier values were counted in
}

// Mend is a series with what came before a change of unit as if it had always been so, and with its odd
// values unknown; where it has ended, all that came before. Where every value is to be believed it is as it is.
func Mend(s panel.SeriesView) (panel.SeriesView, Mended) {
	if s.View().Believed() {
		return s, Mended{}
	}
	m := panel.Remember(s, "mended", func() mendedSeries {
		out, d := mend(s)
		return mendedSeries{out, Mended{slices.Clip(slices.Concat(d.began, d.ended, d.places, d.odd, d.pauses)), d.unit}}
	})
	return m.series.Like(s), m.done
}

// mendedSeries is a series fit to learn from, and what was done to it.
type mendedSeries struct {
	series panel.SeriesView
	done   Mended
}

// done is what was done to a series, by kind.
type done struct {
	began, ended, places, odd, pauses []model.Stretch
	unit                              Unit
}

// mend is Mend, with what was done by kind.
func mend(s panel.SeriesView) (panel.SeriesView, done) {
	var d done
	if end := Ended(s); end > 0 {
		s, d.ended = since(s, end, "the series has ended: zeros alone since %s")
		return s, d
	}
	if begin := begun(s); begin > 0 {
		s, d.began = since(s, begin, "zeros alone before %s")
	}
	s, d.places = withoutOldPlaces(s)
	out, odd, pauses := withoutOdd(s)
	if unit := UnitOf(out); unit.changes() {
		d.unit = unit
		s.Values = unit.apply(s.Values)
		out, odd, pauses = withoutOdd(s)
	}
	d.odd, d.pauses = odd, pauses
	return out, d
}

// InOneUnit is a series with what came before a change of unit as if it had always been so, and whether there
// was one.
func InOneUnit(s panel.SeriesView) (panel.SeriesView, bool) {
	if s.View().Believed() {
		return s, false
	}
	out, _, _ := withoutOdd(s)
	unit := UnitOf(out)
	if unit.changes() {
		s.Values = unit.apply(s.Values)
	}
	return s, unit.changes()
}

// elsewhere is what odd values are far from.
const elsewhere = "what is before, after, and a season away"

// withoutOdd is a series with its odd values unknown, and which they are: single ones, and pauses.
func withoutOdd(s panel.SeriesView) (out panel.SeriesView, odd, paused []model.Stretch) {
	places, pauses := oddOf(s)
	if len(places)+len(pauses) == 0 {
		return s, nil, nil
	}
	odd = model.Odd(s.First, places, s.Values, elsewhere)
	return without(without(s, places), pauses), odd, pausesOf(s, pauses)
}

// nearer is the lesser of what is known.
func nearer(a, b float64) float64 {
	if a < b || !panel.Known(b) {
		return a
	}
	return b
}

// trailing is, at each place, the median of the last known values before it; unknown at the first.
func trailing(y []float64, most int) []float64 {
	out := make([]float64, len(y))
	queue, sorted := make([]float64, 0, len(y)), make(ordered, 0, most)
	for i, v := range y {
		if out[i] = panel.Unknown; len(sorted) > 0 {
			out[i] = sorted.median()
		}
		switch {
		case !panel.Known(v):
			continue
		case len(sorted) == most:
			sorted.replace(queue[len(queue)-most], v)
		default:
			sorted = sorted.insert(v)
		}
		queue = append(queue, v)
	}
	return out
}

// beside is the median of the nearest three known values in steps to one side; unknown where there are none.
func beside(y []float64, at, step int) float64 {
	var near [3]float64
	n := 0
	for i, looked := at+step, 0; i >= 0 && i < len(y) && n < len(near) && looked < 3*len(near); i, looked = i+step, looked+1 {
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
// its values span; not one of its neighbours, or what was before, which hardly make a mistake of a value.
func reasonsOf(s panel.SeriesView) []bool {
	out := onEvents(s)
	for d := range s.View().OwnDrivers() {
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

// onEvents says where a series has an event.
func onEvents(s panel.SeriesView) []bool {
	out := make([]bool, len(s.Values))
	for _, e := range s.Events() {
		for i := range out {
			for day := -e.Before; day <= e.After && !out[i]; day++ {
				out[i] = e.Share(s.View().Cadence(), s.View().Ordinal(s.First+i), day) > 0
			}
		}
	}
	return out
}
