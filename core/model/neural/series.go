package neural

import (
	"math"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// sequence is a series as a network sees it.
type sequence struct {
	seen    panel.SeriesView // without what looks like mistakes
	z       []float64        // values, drivers and events taken out where that is done
	outside *model.Outside   // nil where nothing is taken out
	first   int              // axis index of the first value
	season  int
	around  []float32 // columns known ahead of every period, and horizon periods past the last
	codes   []int     // of the attributes, -1 where the value is new
	closed  []bool    // periods known not to happen
	smooth  [outlook.Smoothers]outlook.Smoothed
	record  record
}

// sequenceOf prepares a series; outside may be nil.
func (l *Layout) sequenceOf(s panel.SeriesView, horizon int, outside *model.Outside) (*sequence, error) {
	q := &sequence{seen: s, z: outlook.Without(s.Values, outside), outside: outside, first: s.First, season: l.seasonOf(s)}
	for t := range s.Values {
		if s.Closed(s.First + t) {
			if q.closed == nil {
				q.closed = make([]bool, len(s.Values))
			}
			q.closed[t] = true
		}
	}
	for k := range q.smooth {
		q.smooth[k] = outlook.Smooth(q.z, q.season, outlook.Rates[k])
	}
	laid, err := l.Recipe.Lay(s, s.Values, horizon, nil)
	if err != nil {
		return nil, err
	}
	n, wide := len(s.Values)+horizon, len(l.Recipe.Columns)
	q.around = make([]float32, n*wide)
	row := make([]float64, wide)
	for t := range n {
		laid.FillAhead(t, row)
		for k, v := range row {
			if x := (v - l.Means[k]) / l.Spreads[k]; x == x { // what is unknown is as usual
				q.around[t*wide+k] = float32(max(-8, min(8, x)))
			}
		}
	}
	for k := range l.Names {
		code := -1
		for j, a := range s.View().Attributes() {
			if a == l.Names[k] {
				if c, ok := l.Codes[k][s.Labels[j]]; ok {
					code = c
				}
			}
		}
		q.codes = append(q.codes, code)
	}
	from := 0
	if horizon > 0 { // the last origin alone is asked
		from = len(q.z) - int(forgotten*l.memory(q.season))
	}
	q.record = l.recordOf(q, from)
	return q, nil
}

// seasonOf is the season of a series: the calendar's, or what it shows.
func (l *Layout) seasonOf(s panel.SeriesView) int {
	return max(1, single.InputOf(s, l.Horizon, nil).Season())
}

// known are the columns of a period. Periods past what was laid out are those of windows of a block
// that go on beyond what is asked of them.
func (q *sequence) known(t, wide int) []float32 {
	if wide == 0 {
		return nil
	}
	return q.around[min(t, len(q.around)/wide-1)*wide:][:wide]
}

// point is where a window's origin is, with what a network works in there.
type point struct {
	q     *sequence
	n     int     // values up to the origin
	level float64 // recent mean
	unit  float64 // usual change
	facts [facts]float32
}

// facts are numbers of a window as a whole.
const facts = 6

// at looks at a series from an origin; ok is false where nothing is known of late.
func (l *Layout) at(q *sequence, n int) (p point, ok bool) {
	p = point{q: q, n: n}
	recent := num.Tail(q.z[:n], l.reach(q.season))
	p.level = num.KnownMean(recent)
	if !panel.Known(p.level) {
		recent = num.Tail(q.z[:n], 8*l.reach(q.season))
		if p.level = num.KnownMean(recent); !panel.Known(p.level) {
			return p, false
		}
	}
	size := max(num.MeanSize(num.Tail(q.z[:n], max(32, 4*q.season))), 1e-12)
	p.unit = max(outlook.UsualChange(num.Tail(q.z[:n], max(32, 4*q.season)), q.season), 2e-3*size)
	before := num.KnownMean(num.Tail(q.z[:max(0, n-q.season)], l.reach(q.season)))
	slope := (p.level - before) / p.unit
	if !panel.Known(slope) {
		slope = 0
	}
	last := num.LastKnown(recent)
	p.facts = [facts]float32{outlook.Bent(slope), float32(math.Log10(size / p.unit)), float32(num.ZeroShare(recent)),
		outlook.Bent((last - p.level) / p.unit),
		float32(math.Log10(float64(n)) - 2), outlook.Bent(num.KnownSpread(recent)/p.unit - 1)}
	return p, true
}

// reach is how many of the last periods tell the level.
func (l *Layout) reach(season int) int { return max(8, min(2*season, 60)) }

// anchors is how many plain forecasts a network mixes: the last value, the recent mean, the mean of
// the last eight, the season's last, its median of four and mean of eight, the mean season on the
// recent level, the season's last moved as the last value is, a longer season's last, the same on
// the recent level, the last value with the recent slope, and smoothing; and lags how many values of the step's
// place in the season it sees.
const (
	anchors = 11 + outlook.Smoothers
	lags    = 4
)

// place fills the plain forecasts of a step, counted from 1, and the season's last values, all in
// units above the level.
func (l *Layout) place(p point, step int, out []float32) {
	z, n, season := p.q.z, p.n, p.q.season
	in := func(v float64) float64 { return (v - p.level) / p.unit }
	var a [anchors]float64
	last := in(num.LastKnown(z[:n]))
	if last != last {
		last = 0
	}
	a[0], a[1], a[2] = last, 0, in(num.KnownMean(num.Tail(z[:n], 8)))
	var near [8]float64
	count := 0
	back := n - 1 + step - season*((step+season-1)/season)
	at := back
	for i := back; i >= 0 && count < len(near) && back-i <= 12*season; i -= season {
		if panel.Known(z[i]) {
			if near[count] = in(z[i]); count == 0 {
				at = i
			}
			count++
		}
	}
	for k := range lags {
		x := math.NaN()
		if k < count {
			x = near[k]
		}
		out[anchors+k] = outlook.Bent(x)
	}
	if count > 0 && season > 1 {
		a[3] = near[0]
		a[5] = num.KnownMean(near[:count])
		// The season's last, moved by how far the last value is from its own season's last.
		if w := n - 1 - (back - at) - season*((step+season-1)/season); w >= 0 && w < n && panel.Known(z[w]) {
			a[7] = near[0] + 0.5*(last-in(z[w]))
		} else {
			a[7] = near[0]
		}
		a[6] = a[5] - in(num.KnownMean(num.Tail(z[:n], min(count, 8)*season)))
		four := near
		m := min(count, 4)
		slices.Sort(four[:m])
		a[4] = (four[(m-1)/2] + four[m/2]) / 2
	} else {
		for _, k := range []int{3, 4, 5, 6, 7} {
			a[k] = a[min(k, 4)-3]
		}
	}
	a[8], a[9] = a[3], a[3]
	if long := l.Longer; long > 0 {
		if i := n - 1 + step - long*((step+long-1)/long); i >= 0 && panel.Known(z[i]) {
			a[8] = in(z[i])
			then := num.KnownMean(z[max(0, n-long*((step+long-1)/long)-l.reach(season)):max(0, n-long*((step+long-1)/long))])
			if a[9] = a[8] - in(then); a[9] != a[9] {
				a[9] = a[8]
			}
		}
	}
	a[10] = last + float64(step)*l.slope(p)
	for k := range p.q.smooth {
		a[11+k] = in(p.q.smooth[k].Ahead(n, step))
	}
	for k, x := range a {
		if x != x {
			x = 0
		}
		out[k] = float32(max(-1e4, min(1e4, x)))
	}
}

// slope is the recent change a period: from the season before to the last one.
func (l *Layout) slope(p point) float64 {
	w := max(4, p.q.season)
	now, before := num.KnownMean(num.Tail(p.q.z[:p.n], w)), num.KnownMean(num.Tail(p.q.z[:max(0, p.n-w)], w))
	if s := (now - before) / float64(w) / p.unit; s == s {
		return s
	}
	return 0
}
