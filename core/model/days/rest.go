package days

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/stat"

	"paperkettle/core/calendar"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Series is one to learn from. Values on days of events are unknown.
type Series struct {
	Values []float64
	First  int64 // ordinal of the first
}

const (
	month  = 28 // days in which every weekday comes as often as another
	year   = 12
	mostly = 0.75
	// standard deviations beyond which what is left of a value counts as at them; of a week of the year
	clipped     = 4.0
	clippedWeek = 8.0
	madScale    = 1.4826
)

// restOf is what a series is next to its level and season: the log of its ratio to them, or the ratio less 1 where some
// values are zero. Unknown where the level is not known on both sides; nil for series that go below zero.
func restOf(s Series, d *dates) []float64 {
	if d.kind.weeks() {
		return apartOf(s, d.cadence)
	}
	logs := true
	for _, v := range s.Values {
		if v < 0 {
			return nil
		}
		logs = logs && v != 0
	}
	z := slices.Clone(s.Values)
	if logs {
		for i, v := range z {
			z[i] = math.Log(v)
		}
	}
	next := func(v, level float64) float64 {
		if logs {
			return v - level
		}
		if level <= 0 {
			return panel.Unknown
		}
		return v/level - 1
	}
	place, n, width := d.seasons(s.First), year, year
	if d.kind.apart() {
		n, width = week, month
	}
	rest := against(z, around(z, width), next)
	middle := median
	if !logs { // mostly zeros have them for a median
		middle = mean
	}
	usual := usuals(rest, place, n, middle)
	if d.kind.apart() { // once more, about a level that every day of the month has as much of as another
		for i, u := range usual {
			if logs {
				z[i] -= u
			} else if z[i] /= 1 + u; !(u > -1) {
				z[i] = panel.Unknown
			}
		}
		return against(z, around(z, places-1), next)
	}
	for i, u := range usual {
		rest[i] -= u
	}
	return rest
}

func against(z, level []float64, next func(v, level float64) float64) []float64 {
	out := make([]float64, len(z))
	for i, v := range z {
		out[i] = next(v, level[i])
	}
	return out
}

// around is the mean of an even number of values about each, the outermost two counted by half; unknown near the ends, and
// where many are.
func around(z []float64, width int) []float64 {
	half := width / 2
	out := make([]float64, len(z))
	sums, counts := make([]float64, len(z)+1), make([]float64, len(z)+1)
	for i, v := range z {
		sums[i+1], counts[i+1] = sums[i], counts[i]
		if panel.Known(v) {
			sums[i+1], counts[i+1] = sums[i]+v, counts[i]+1
		}
	}
	for i := range out {
		out[i] = panel.Unknown
		if i < half || i+half >= len(z) {
			continue
		}
		sum, count := sums[i+half]-sums[i-half+1], counts[i+half]-counts[i-half+1]
		for _, at := range []int{i - half, i + half} {
			if v := z[at]; panel.Known(v) {
				sum, count = sum+v/2, count+0.5
			}
		}
		if count >= mostly*float64(width) {
			out[i] = sum / count
		}
	}
	return out
}

// usuals are for each value the middle of those at its place.
func usuals(rest []float64, place []int, n int, middle func([]float64) float64) []float64 {
	at := make([][]float64, n)
	for i, v := range rest {
		if panel.Known(v) {
			at[place[i]] = append(at[place[i]], v)
		}
	}
	middles := make([]float64, n)
	for k, list := range at {
		middles[k] = middle(list)
	}
	out := make([]float64, len(rest))
	for i := range out {
		out[i] = middles[place[i]]
	}
	return out
}

// median is that of values, which it sorts; 0 of none.
func median(x []float64) float64 {
	if len(x) == 0 {
		return 0
	}
	slices.Sort(x)
	return stat.Quantile(0.5, stat.LinInterp, x, nil)
}

// mean is 0 of none.
func mean(x []float64) float64 { return floats.Sum(x) / max(1, float64(len(x))) }

// clip holds values within some standard deviations of what is usual at their day, and gives that deviation. Of what is
// mostly the same nothing is held, and the deviation is that of all. A week of the year is seen in few years, whose middle is
// one of them, and must not draw the others to itself: weeks are held within more, of nought.
func (k Kind) clip(rest []float64, day []int) (spread float64) {
	usual, most := make([]float64, len(rest)), clippedWeek
	if !k.weeks() {
		usual, most = usuals(rest, day, places, median), clipped
	}
	var sizes []float64
	for i, v := range rest {
		if panel.Known(v) {
			sizes = append(sizes, math.Abs(v-usual[i]))
		}
	}
	if spread = madScale * median(sizes); spread == 0 {
		if known := num.Known(rest); len(known) > 1 {
			spread = stat.StdDev(known, nil)
		}
		return spread
	}
	for i, v := range rest {
		rest[i] = usual[i] + max(-most*spread, min(most*spread, v-usual[i]))
	}
	return spread
}

// dates are the periods of a panel, each looked up once.
type dates struct {
	kind    Kind
	cadence calendar.Cadence
	first   int64
	// block is the month, or of monthly series the year, that a period is in: what is left out together. season is its place
	// in the week or the year, and place the column that it is in, where that is one.
	block, season, place []int
	columns              [][]float64 // of months
}

func (k Kind) dates(list []Series, c calendar.Cadence) *dates {
	first, end := int64(math.MaxInt64), int64(math.MinInt64)
	for _, s := range list {
		first, end = min(first, s.First), max(end, s.First+int64(len(s.Values)))
	}
	n := int(max(0, end-first))
	d := &dates{kind: k, cadence: c, first: first, block: make([]int, n), season: make([]int, n), place: make([]int, n)}
	for i := range n {
		at := dateOf(c, first+int64(i))
		if k.weeks() { // a round is from one July to the next
			d.block[i], d.place[i] = at.AddDate(0, -6, 0).Year(), k.place(at)
			continue
		}
		if k.apart() {
			d.block[i], d.season[i], d.place[i] = at.Year()*year+int(at.Month())-1, int(at.Weekday()), k.place(at)
			continue
		}
		d.block[i], d.season[i] = at.Year(), int(at.Month())-1
		d.columns = append(d.columns, make([]float64, k.size()))
		k.fill(at, d.columns[i])
	}
	return d
}

// seasons, blocks and days are those of a series from an ordinal on.
func (d *dates) seasons(first int64) []int { return d.season[first-d.first:] }
func (d *dates) blocks(first int64) []int  { return d.block[first-d.first:] }
func (d *dates) days(first int64) []int    { return d.place[first-d.first:] }
