package single

import (
	"fmt"
	"math"
	"slices"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Unit is a change of all values from one period on: as if they were counted in another unit, or on
// another level. What came before is learnt from as if it had been so from the start. The zero value is
// none.
type Unit struct {
	At     int     // index of the first value that is as all later ones are
	Factor float64 // that earlier values are multiplied by; 0 for none
	Shift  float64 // that is added to them
}

const (
	// leastJump is how many times as large or small values must be at once.
	leastJump = 4
	// fewestEarlier and fewestLater are how many values above zero there must be on either side, and
	// nearJump how many of them, or a season, tell how abrupt the change was.
	fewestEarlier = 10
	fewestLater   = 5
	nearJump      = 5
	// mostDrift is how much of the jump values may have moved by on either side, as a share of its log:
	// what grows so fast anyway did not change all at once.
	mostDrift = 0.35
	// comparedJump bounds the later values that are compared with earlier ones, those of as many seasons
	// as comparedSeasons, and roundFactor is how near a factor must be to a power of ten to be one, as a
	// log to the base of ten.
	comparedJump    = 30
	comparedSeasons = 4
	roundFactor     = 0.045
	// fewCounts is below which size numbers are counts that nothing can be told of.
	fewCounts = 8
)

// changes says that there is one.
func (u Unit) changes() bool { return u.Factor != 0 }

// Cautions say what was done to a series; none where there was no change.
func (u Unit) Cautions(s panel.SeriesView) []string {
	if !u.changes() {
		return nil
	}
	when := s.View().Cadence().Format(s.View().Ordinal(s.First + u.At))
	if u.Factor == 1 {
		way := "higher"
		if u.Shift < 0 {
			way = "lower"
		}
		return []string{fmt.Sprintf("from %s on all values are %s by about %.4g: what came before is learnt from as if it had been", when, way,
			math.Abs(u.Shift))}
	}
	if math.Abs(math.Log(u.Factor)) < math.Log(leastJump) {
		return []string{fmt.Sprintf("from %s on values are about %.3g times as large as before: what came before is learnt from as if it had been so",
			when, u.Factor)}
	}
	return []string{fmt.Sprintf("from %s on all values are about %.4g times as large as before: what came before is learnt from in that unit",
		when, u.Factor)}
}

// apply changes the values before, in a copy.
func (u Unit) apply(y []float64) []float64 {
	out := slices.Clone(y)
	for i := range min(u.At, len(out)) {
		out[i] = out[i]*u.Factor + u.Shift
	}
	return out
}

// undo changes numbers that belong to the values back, in place.
func (u Unit) undo(x []float64) {
	if !u.changes() {
		return
	}
	for i := range min(u.At, len(x)) {
		x[i] = (x[i] - u.Shift) / u.Factor
	}
}

// UnitOf finds a change of unit or level: all values above zero from one period on are larger, or smaller,
// than any before, at once by four times or more; or a smaller move of the level that stands apart from all
// other changes of the series. A change that a driver went through in the same period
// has its reason, and is none; neither is one of small counts, or of what grows as fast all the time.
func UnitOf(s panel.SeriesView) Unit {
	y := s.Values
	places, logs, ok := logsOf(y)
	if !ok || len(logs) < fewestEarlier+fewestLater || OftenZero(y) {
		return Unit{}
	}
	season := max(1, s.View().Cadence().Season())
	k := breakOf(logs, season)
	by := 0.0
	if k < 0 {
		if k, by = moveOf(logs, places, season); k < 0 || movedWith(s, places[k]) {
			return Unit{}
		}
	}
	if smallCounts(y[:places[k]]) {
		return Unit{}
	}
	at := places[k]
	if reasonAt(s, at) {
		return Unit{}
	}
	if by != 0 {
		later := median(num.Known(y[at:min(len(y), at+comparedJump)]))
		return steadier(y, at, season, math.Exp(by), later*(1-math.Exp(-by)))
	}
	return like(y, at, season)
}

// smallCounts says that values are whole and so small that chance alone moves them by much.
func smallCounts(y []float64) bool { return num.KnownMean(y) < fewCounts && whole(y) }

// breakOf is the place at which logs part into two sides that do not overlap and lie far apart at once;
// negative for none.
func breakOf(logs []float64, season int) int {
	n := len(logs)
	low, high := make([]float64, n), make([]float64, n) // of the values from there on
	low[n-1], high[n-1] = logs[n-1], logs[n-1]
	for k := n - 2; k >= 0; k-- {
		low[k], high[k] = min(logs[k], low[k+1]), max(logs[k], high[k+1])
	}
	least, most := logs[0], logs[0]
	best, widest := -1, 0.0
	for k := 1; k < n; k++ {
		gap := max(low[k]-most, least-high[k])
		if k >= fewestEarlier && n-k >= fewestLater && gap > widest && abrupt(logs[:k], logs[k:], season) {
			best, widest = k, gap
		}
		least, most = min(least, logs[k]), max(most, logs[k])
	}
	return best
}

// abrupt says that values jumped, and that on neither side they moved by much of that.
func abrupt(before, after []float64, season int) bool {
	jump, ok := leap(before, after, nearOf(before, season), nearOf(after, season))
	return ok && jump >= math.Log(leastJump)
}

// leap is how far the last values before a place lie from the first after it, and whether, next to that, the
// values moved little before them and after.
func leap(before, after []float64, nearBefore, nearAfter int) (jump float64, ok bool) {
	last, earlier := around(before[len(before)-nearBefore:], before[max(0, len(before)-2*nearBefore):len(before)-nearBefore])
	first, later := around(after[:nearAfter], after[nearAfter:min(len(after), 2*nearAfter)])
	jump = math.Abs(first - last)
	return jump, math.Abs(last-earlier) <= mostDrift*jump && math.Abs(later-first) <= mostDrift*jump
}

// nearOf is how many values of a side tell of the jump: a season, where there are two.
func nearOf(x []float64, season int) int { return min(len(x), max(nearJump, min(season, len(x)/2))) }

// around are the medians of the values nearest to a jump and of those beyond, the same where there are none.
func around(near, beyond []float64) (a, b float64) {
	if a = median(near); len(beyond) > 0 {
		return a, median(beyond)
	}
	return a, a
}

func median(x []float64) float64 {
	sorted := slices.Sorted(slices.Values(x))
	return (sorted[(len(sorted)-1)/2] + sorted[len(sorted)/2]) / 2
}

func whole(y []float64) bool {
	return !slices.ContainsFunc(y, func(v float64) bool { return panel.Known(v) && v != math.Trunc(v) })
}

// reasonAt says that all values of a driver from a period on are larger, or smaller, than any before.
func reasonAt(s panel.SeriesView, at int) bool {
	for d := range s.View().Drivers() {
		values := s.Driver(d, len(s.Values))
		before, after := num.Known(values[:at]), num.Known(values[at:])
		if len(before) > 0 && len(after) > 0 && (slices.Min(after) > slices.Max(before) || slices.Max(after) < slices.Min(before)) {
			return true
		}
	}
	return false
}

// like says how earlier values become like later ones: by a factor, or by a shift where they strayed as far
// before as after.
func like(y []float64, at, season int) Unit {
	var ratios, steps []float64
	season = max(1, season)
	for i := at; i < len(y) && len(ratios) < comparedJump; i++ {
		if earlier := placeBefore(y[:at], i, season); earlier > 0 && y[i] > 0 {
			ratios, steps = append(ratios, math.Log10(y[i]/earlier)), append(steps, y[i]-earlier)
		}
	}
	if len(ratios) == 0 {
		return Unit{}
	}
	power := median(ratios)
	if near := math.Round(power); math.Abs(power-near) < roundFactor {
		power = near
	}
	return steadier(y, at, season, math.Pow(10, power), median(steps))
}

// steadier is the factor, or the shift where values strayed as far before a change as after it.
func steadier(y []float64, at, season int, factor, shift float64) Unit {
	lag := season
	if len(y)-at < season+fewestLater || at < season+fewestLater {
		lag = 1
	}
	before, after := strays(num.Tail(y[:at], 2*comparedJump), lag), strays(y[at:min(len(y), at+2*comparedJump)], lag)
	if len(y)-at >= fewestEarlier && before > 0 && after > 0 && slices.Min(num.Known(y[:at]))+shift > 0 &&
		math.Abs(math.Log(after/before)) < math.Abs(math.Log(after/(factor*before))) {
		return Unit{At: at, Factor: 1, Shift: shift}
	}
	return Unit{At: at, Factor: factor}
}

// placeBefore is the mean of the last values above zero of a period's place in the season, among some
// before it; the median of the last ones where there is no season; unknown where there are none.
func placeBefore(y []float64, i, season int) float64 {
	if season == 1 {
		if known := num.Known(num.Tail(y, comparedJump/2)); len(known) > 0 {
			return median(known)
		}
		return panel.Unknown
	}
	sum, n := 0.0, 0.0
	for t := i - season*((i-len(y))/season+1); t >= 0 && n < comparedSeasons; t -= season {
		if y[t] > 0 {
			sum, n = sum+y[t], n+1
		}
	}
	return sum / n
}

// strays is how far values lie from those some periods before, as a rule.
func strays(y []float64, lag int) float64 {
	var sizes []float64
	for i := lag; i < len(y); i++ {
		if d := math.Abs(y[i] - y[i-lag]); d == d {
			sizes = append(sizes, d)
		}
	}
	if len(sizes) == 0 {
		return 0
	}
	return median(sizes)
}
