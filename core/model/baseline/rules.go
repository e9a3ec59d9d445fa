package baseline

import (
	"fmt"

	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// lastValue: y(n+h) = y(n).
type lastValue struct {
	last float64
	any  bool
}

func (r *lastValue) push(y float64) {
	if panel.Known(y) {
		r.last, r.any = y, true
	}
}

func (r *lastValue) point(out []float64) readiness {
	if !r.any {
		return nothing
	}
	fill(out, r.last)
	return fully
}

func (r *lastValue) describe(d *model.Description) {
	d.Form = "repeats the last known value"
	d.Parameters = []model.Parameter{{Name: "last", Value: r.last, Meaning: "last known value"}}
}

func (r *lastValue) shortfall() string { return "" }

// lastSeason: y(n+h) = y(n+h-km), k the least whole number that reaches a known
// value of the same place in the season.
type lastSeason struct {
	lastValue
	season []float64
	next   int
	seen   int // places with a known value
}

func newLastSeason(length int) *lastSeason {
	r := &lastSeason{season: make([]float64, length)}
	fill(r.season, panel.Unknown)
	return r
}

func (r *lastSeason) push(y float64) {
	r.lastValue.push(y)
	if panel.Known(y) {
		if !panel.Known(r.season[r.next]) {
			r.seen++
		}
		r.season[r.next] = y
	}
	r.next = (r.next + 1) % len(r.season)
}

func (r *lastSeason) point(out []float64) readiness {
	if !r.any {
		return nothing
	}
	at := r.next
	for h := range out {
		v := r.season[at]
		if !panel.Known(v) {
			v = r.last
		}
		out[h] = v
		if at++; at == len(r.season) {
			at = 0
		}
	}
	if r.seen < len(r.season) {
		return partly
	}
	return fully
}

func (r *lastSeason) describe(d *model.Description) {
	d.Form = fmt.Sprintf("repeats the last known value of the same place in a season of %d", len(r.season))
	d.Parameters = []model.Parameter{{Name: "season", Value: float64(len(r.season)), Meaning: "periods in a season"}}
}

func (r *lastSeason) shortfall() string {
	return fmt.Sprintf("the history is shorter than a season of %d: places never seen repeat the last known value", len(r.season))
}

// straight: y(n+h) = y(n) + h (y(n) - y(1)) / (n - 1), over the known values.
type straight struct {
	lastValue
	first           float64
	firstAt, lastAt int
	t               int
}

// steadyAfter is the span in periods from which a drift's past errors count: the
// slope of a few points would make them look far worse than they are.
const steadyAfter = 10

func (r *straight) push(y float64) {
	if panel.Known(y) {
		if !r.any {
			r.first, r.firstAt = y, r.t
		}
		r.lastAt = r.t
	}
	r.lastValue.push(y)
	r.t++
}

func (r *straight) slope() float64 {
	if r.lastAt == r.firstAt {
		return 0
	}
	return (r.last - r.first) / float64(r.lastAt-r.firstAt)
}

func (r *straight) point(out []float64) readiness {
	if !r.any {
		return nothing
	}
	b := r.slope()
	gap := r.t - 1 - r.lastAt // unknown periods since the last known value
	for h := range out {
		out[h] = r.last + float64(gap+h+1)*b
	}
	if r.lastAt-r.firstAt < max(steadyAfter, len(out)) {
		return partly
	}
	return fully
}

func (r *straight) describe(d *model.Description) {
	d.Form = "continues the straight line from the first to the last known value"
	d.Parameters = []model.Parameter{
		{Name: "last", Value: r.last, Meaning: "last known value"},
		{Name: "slope", Value: r.slope(), Meaning: "change from a period to the next"},
	}
}

func (r *straight) shortfall() string {
	return "the line rests on a stretch shorter than the horizon or than ten periods"
}

// average: the mean of all known values.
type average struct {
	sum    float64
	n      int
	steady int // known values from which past errors count
}

func (r *average) push(y float64) {
	if panel.Known(y) {
		r.sum += y
		r.n++
	}
}

func (r *average) point(out []float64) readiness {
	if r.n == 0 {
		return nothing
	}
	fill(out, r.sum/float64(r.n))
	if r.n < r.steady {
		return partly
	}
	return fully
}

func (r *average) describe(d *model.Description) {
	d.Form = "repeats the mean of all known values"
	d.Parameters = []model.Parameter{{Name: "mean", Value: r.sum / float64(max(r.n, 1)), Meaning: "mean of the known values"}}
}

func (r *average) shortfall() string {
	return fmt.Sprintf("the mean rests on %d values, fewer than a season of %d", r.n, r.steady)
}

// recent: the mean of the known values among the last k periods. It is summed anew
// each time, so that no rounding error builds up.
type recent struct {
	ring []float64
	t    int
	last lastValue
}

func newRecent(k int) *recent {
	r := &recent{ring: make([]float64, k)}
	fill(r.ring, panel.Unknown)
	return r
}

func (r *recent) push(y float64) {
	r.ring[r.t%len(r.ring)] = y
	r.t++
	r.last.push(y)
}

func (r *recent) mean() (float64, bool) {
	sum, n := 0.0, 0
	for _, y := range r.ring[:min(r.t, len(r.ring))] {
		if panel.Known(y) {
			sum += y
			n++
		}
	}
	return sum / float64(n), n > 0
}

func (r *recent) point(out []float64) readiness {
	m, ok := r.mean()
	if !ok {
		return r.last.fallBack(out)
	}
	fill(out, m)
	if r.t < len(r.ring) {
		return partly
	}
	return fully
}

// fallBack repeats the last known value where the rule itself finds none.
func (r *lastValue) fallBack(out []float64) readiness { return min(r.point(out), partly) }

func (r *recent) describe(d *model.Description) {
	d.Form = fmt.Sprintf("repeats the mean of the last %d periods", len(r.ring))
	m, _ := r.mean()
	d.Parameters = []model.Parameter{
		{Name: "length", Value: float64(len(r.ring)), Meaning: "periods averaged"},
		{Name: "mean", Value: m, Meaning: "their mean"},
	}
}

func (r *recent) shortfall() string {
	return fmt.Sprintf("fewer than %d periods are there to average, or none of the last %d is known", len(r.ring), len(r.ring))
}

func fill(out []float64, v float64) {
	for i := range out {
		out[i] = v
	}
}
