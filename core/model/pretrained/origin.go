package pretrained

import (
	"math"
	"slices"

	"paperkettle/core/model/outlook"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// lately are of how many of the last values medians are taken.
var lately = [2]int{8, 26}

// origin is where plain forecasts are made from: now, or earlier, to see how they would have done.
type origin struct {
	*sight
	n             int     // values before it
	level         float64 // mean of the last whole seasons
	last          float64 // known value
	slope         float64 // change a period, from the last season but one to the last
	drift, growth float64 // the same over half of the history, and of logs; unknown where there is none
	typical       [2]float64
}

// from is an origin after n values.
func (s *sight) from(n int) origin {
	o := origin{sight: s, n: n, level: s.levelAt(n), last: num.LastKnown(s.z[:n])}
	w := max(4, s.season)
	if o.slope = (o.mean(n-w, n) - o.mean(n-2*w, n-w)) / float64(w); o.slope != o.slope {
		o.slope = 0
	}
	back := min(n-1, max(n/2, 4*s.season, 8))
	w = min(s.season, max(1, back))
	now, then := o.mean(n-w, n), o.mean(n-back-w, n-back)
	if then != then {
		now, then = o.mean(n-1, n), o.mean(n-1-back, n-back)
	}
	o.drift = (now - then) / float64(max(1, back))
	if o.growth = panel.Unknown; now > 0 && then > 0 {
		o.growth = math.Log(now/then) / float64(max(1, back))
	}
	for k, count := range lately {
		o.typical[k] = o.lastMedian(count)
	}
	return o
}

// lastMedian is the median of the last known values, of as many periods.
func (o origin) lastMedian(count int) float64 {
	var room [mostPlaces]float64
	m := 0
	for _, y := range o.z[max(0, o.n-count):o.n] {
		if panel.Known(y) {
			room[m] = y
			m++
		}
	}
	if m == 0 {
		return panel.Unknown
	}
	return median(room[:m])
}

// mean is that of known values before the origin.
func (o origin) mean(from, to int) float64 { return o.sight.mean(from, min(to, o.n)) }

// mostPlaces is how many values of a place in the season plain forecasts look back on.
const mostPlaces = 28

// places are the known values of a step's place in a season, the latest first.
type places struct {
	count  int
	values [mostPlaces]float64
	at     [mostPlaces]int // periods
}

// known are the values.
func (p *places) known() []float64 { return p.values[:p.count] }

// back looks a step's place in a season of some length up.
func (o origin) back(step, season int, p *places) {
	p.count = 0
	if season == 0 {
		return
	}
	i := o.n - 1 + step - season*((step+season-1)/season)
	for ; i >= 0 && p.count < mostPlaces; i -= season {
		if panel.Known(o.z[i]) {
			p.values[p.count], p.at[p.count] = o.z[i], i
			p.count++
		}
	}
}

// plain gives simple forecasts of a step, counted from 1, from what its place in the season and in
// the longer one showed. What can't be had is the season's last value, or the level.
func (o origin) plain(step int, own, long *places) (a [anchors]float64) {
	for k := range a {
		a[k] = panel.Unknown
	}
	a[0], a[1], a[2] = o.last, o.level, o.mean(o.n-8, o.n)
	a[3] = o.last + float64(step)*o.slope
	if own.count > 0 && o.season > 1 {
		o.seasonal(step, own, &a)
	}
	if long.count > 0 {
		a[14] = long.values[0]
		a[15] = median(long.known()[:min(4, long.count)])
		back := o.n - 1 + step - long.at[0]
		then := o.mean(o.n-back-o.whole, o.n-back)
		a[16] = long.values[0] + o.level - then
		if then > 0 && o.level > 0 {
			a[17] = long.values[0] * min(5, o.level/then)
		}
	}
	a[18] = o.last + float64(step)*o.drift
	a[19] = o.last * grown(float64(step)*o.growth)
	a[22], a[23], a[24] = o.typical[0], o.typical[1], o.mean(o.n-2*lately[1], o.n)
	for k := range o.smooth {
		a[25+k] = o.smooth[k].Ahead(o.n, step)
		for j := range o.calm {
			a[25+(1+j)*outlook.Smoothers+k] = o.calm[j].ahead(o.n, len(o.z), step, k)
		}
	}
	instead := o.level
	if own.count > 0 {
		instead = own.values[0]
	}
	for k := range a {
		if a[k] != a[k] {
			a[k] = instead
		}
	}
	return a
}

// grown is the factor of a change of logs, bounded.
func grown(x float64) float64 { return math.Exp(max(-3, min(3, x))) }

// seasonal fills the plain forecasts that need the season.
func (o origin) seasonal(step int, own *places, a *[anchors]float64) {
	values := own.known()
	a[4] = values[0]
	a[5] = median(values[:min(4, len(values))])
	a[6] = median(values)
	a[7] = num.KnownMean(values[:min(8, len(values))])
	// Deviations from the seasons around, on the recent level.
	var off, ratio [8]float64
	m, ratios := 0, 0
	half := o.season / 2
	for k := range min(len(off), len(values)) {
		from := own.at[k] - half
		if around := o.mean(from, from+o.season); panel.Known(around) && from >= -half/2 {
			off[m] = values[k] - around
			m++
			if around > 0 {
				ratio[ratios] = values[k] / around
				ratios++
			}
		}
	}
	if m > 0 {
		a[8] = o.level + num.KnownMean(off[:m])
		a[9] = o.mean(o.n-2*o.whole, o.n) + median(off[:m])
		a[10] = o.mean(o.n-o.season, o.n) + median(off[:m])
	}
	if ratios > 0 {
		a[11] = o.level * num.KnownMean(ratio[:ratios])
	}
	// The season's last, moved by how far the last value is from its own season's last.
	rounds := (step + o.season - 1) / o.season
	if at := o.n - 1 - o.season*rounds; at >= 0 && panel.Known(o.z[at]) {
		a[12] = values[0] + o.last - o.z[at]
	}
	// The season's last, moved on by what a season brings.
	a[13] = values[0] + float64(rounds)*(o.mean(o.n-o.season, o.n)-o.mean(o.n-2*o.season, o.n-o.season))
	a[20] = values[0] + float64(rounds*o.season)*o.drift
	a[21] = values[0] * grown(float64(rounds*o.season)*o.growth)
}

// median is that of some values, which stay as they are.
func median(x []float64) float64 {
	var room [mostPlaces]float64
	own := room[:copy(room[:], x)]
	slices.Sort(own)
	m := len(own)
	return (own[(m-1)/2] + own[m/2]) / 2
}

// fillStep writes what is known of a step, counted from 1.
func (s *sight) fillStep(step int, out []float32) {
	known := s.step(step)
	late := min(1, float32(step-1)/float32(max(1, s.reach()-1)))
	for k, y := range known.plain {
		x := max(-1e4, min(1e4, s.in(y)))
		out[k], out[2*anchors+k] = float32(x), outlook.Bent(x)
		out[anchors+k] = (1-late)*s.evidence[0][k] + late*s.evidence[1][k]
	}
	rest := out[3*anchors:]
	own, long := known.counts[0], known.counts[1]
	for k := range min(near, own) {
		rest[k] = outlook.Bent(s.in(known.own[k]))
	}
	for k := range min(far, long) {
		rest[near+k] = outlook.Bent(s.in(known.long[k]))
	}
	copy(rest[near+far:], []float32{
		float32(math.Log(float64(step))) / 3, float32(step) / 96, float32(min(3, float64(step)/float64(s.season))),
		float32(step%s.season) / float32(s.season), float32(min(own, 8)) / 8, float32(min(long, 4)) / 4,
	})
}
