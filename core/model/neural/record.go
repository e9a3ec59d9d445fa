package neural

import (
	"math"

	"paperkettle/core/panel"
)

// record is how the plain forecasts of a series did lately, as every origin knows it: of the next step
// and of the last one, the log of the mean error of each next to the least.
type record struct {
	every int // origins lie so far apart
	logs  []uint8
}

const (
	halves = 2 // the next step and the last one
	// mostRecorded bounds the origins that are kept of a series.
	mostRecorded = 256
	// worstRecorded is the log at most, and finest how fine it is kept.
	worstRecorded = 3
	finest        = 255 / worstRecorded
	// startWeight is what the log of a plain forecast's recent error counts for at first.
	startWeight = -2
)

// forgotten is how many times as long as the memory ago an error counts for nothing that shows.
const forgotten = 6

// memory is over about how many periods errors are remembered.
func (l *Layout) memory(season int) float64 { return float64(max(12, 3*l.Horizon, 3*season)) }

// recordOf tries the plain forecasts from every origin of a series that the errors after a period are
// remembered from. What an origin is told rests on errors of periods before it alone.
func (l *Layout) recordOf(q *sequence, from int) record {
	n := len(q.z)
	r := record{every: 1 + n/mostRecorded}
	keep := 1 - 1/l.memory(q.season)
	var sums [halves][anchors]float64
	var counts [halves]float64
	var told [halves][anchors]uint8
	row := make([]float32, anchors+lags)
	for t := range n {
		for half, step := range [halves]int{1, l.Horizon} {
			counts[half] *= keep
			for k := range sums[half] {
				sums[half][k] *= keep
			}
			if t < from || !panel.Known(q.z[t]) {
				continue
			}
			p, ok := l.tryFrom(q, t+1-step)
			if !ok {
				continue
			}
			l.place(p, step, row)
			y := (q.z[t] - p.level) / p.unit
			for k := range anchors {
				sums[half][k] += math.Sqrt(min(math.Abs(y-float64(row[k])), 1e4)) // which forgives far misses
			}
			counts[half]++
		}
		if (t+1)%r.every != 0 {
			continue
		}
		for half := range sums {
			if counts[half] > 0 {
				told[half] = next(sums[half], counts[half])
			}
			r.logs = append(r.logs, told[half][:]...)
		}
	}
	return r
}

// tryFrom is an origin that has enough before it.
func (l *Layout) tryFrom(q *sequence, n int) (point, bool) {
	if n < fewestBefore || !panel.Known(q.z[n-1]) {
		return point{}, false
	}
	return l.at(q, n)
}

// next is each sum's log next to the least, of squares of what was summed up.
func next(sums [anchors]float64, count float64) (out [anchors]uint8) {
	least, floor := math.Inf(1), 0.05*count
	for _, s := range sums {
		least = min(least, s)
	}
	for k, s := range sums {
		out[k] = uint8(finest * min(worstRecorded, 2*math.Log((s+floor)/(least+floor))))
	}
	return out
}

// fill writes what an origin after n values is told for a step, counted from 1.
func (r record) fill(n, step, horizon int, out []float32) {
	at := min(n/r.every, len(r.logs)/(halves*anchors)) - 1
	if at < 0 {
		return
	}
	own := r.logs[at*halves*anchors:][:halves*anchors]
	late := min(1, float32(step-1)/float32(max(1, horizon-1)))
	for k := range anchors {
		out[k] = ((1-late)*float32(own[k]) + late*float32(own[anchors+k])) / finest
	}
}
