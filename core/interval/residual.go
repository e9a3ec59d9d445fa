// Package interval turns what a model got wrong in the past into prediction
// intervals.
package interval

import (
	"errors"
	"math"
	"sync"

	"paperkettle/core/forecast"
	"paperkettle/core/num"
)

// EmpiricalFrom is the number of errors from which a step's quantiles are read
// from the errors themselves; below it they are Student's t around zero.
const EmpiricalFrom = 40

// ErrNoErrors says that not a single past error is known.
var ErrNoErrors = errors.New("no past error is known, so no interval can be given: at least two known values are needed")

// FromErrors gives, for each step and grid probability, the distance from the
// point forecast: offsets[h*forecast.GridSize+g]. errs[h] holds the known errors
// (actual - forecast) that the same rule made h+1 steps ahead at past origins; it
// is reordered.
//
// With n >= EmpiricalFrom errors the offset of p is the order statistic at
// p(n+1), interpolated (Hyndman and Fan 1996, definition 6), whose expected
// coverage is p for exchangeable errors; outside 1/(n+1) .. n/(n+1) the extreme
// error is scaled by normal scores. With fewer, it is Student's t with n degrees
// of freedom times the root mean square error (a normal error of mean zero and
// unknown variance). A step without errors borrows the nearest earlier step,
// widened by the root of the ratio of steps, as of a random walk. Offsets never
// cross zero on the wrong side, so each interval holds its point forecast.
func FromErrors(errs [][]float64, offsets []float64) error {
	w := workPool.Get().(*work)
	defer workPool.Put(w)
	last := -1
	for h, e := range errs {
		row := offsets[h*forecast.GridSize : (h+1)*forecast.GridSize]
		switch n := len(e); {
		case n >= EmpiricalFrom:
			w.empirical(e, row)
			last = h
		case n > 0:
			student(e, row)
			last = h
		case last >= 0:
			widen := math.Sqrt(float64(h+1) / float64(last+1))
			for g := range row {
				row[g] = offsets[last*forecast.GridSize+g] * widen
			}
		}
		if h == 0 && last < 0 {
			return ErrNoErrors
		}
	}
	return nil
}

type work struct {
	order num.OrderScratch
	ranks []int
	stats []float64
}

var workPool = sync.Pool{New: func() any { return &work{} }}

func (w *work) empirical(e, row []float64) {
	n := len(e)
	w.ranks = append(w.ranks[:0], 0)
	for _, p := range forecast.Grid {
		k := int(p * float64(n+1)) // 1-based rank below p(n+1)
		for _, r := range [2]int{k - 1, k} {
			if r > w.ranks[len(w.ranks)-1] && r < n {
				w.ranks = append(w.ranks, r)
			}
		}
	}
	if w.ranks[len(w.ranks)-1] != n-1 {
		w.ranks = append(w.ranks, n-1)
	}
	if cap(w.stats) < len(w.ranks) {
		w.stats = make([]float64, len(w.ranks))
	}
	stats := w.stats[:len(w.ranks)]
	num.OrderStatistics(e, w.ranks, stats, &w.order)
	edge := num.NormalQuantile(1 / float64(n+1))
	at := 0
	for g, p := range forecast.Grid {
		pos := p * float64(n+1)
		switch {
		case pos < 1:
			row[g] = beyond(stats[0], num.NormalQuantile(p)/edge)
		case pos >= float64(n):
			row[g] = beyond(stats[len(stats)-1], -num.NormalQuantile(p)/edge)
		default:
			k := int(pos)
			for w.ranks[at] < k-1 {
				at++
			}
			row[g] = stats[at] + (pos-float64(k))*(stats[at+1]-stats[at])
		}
	}
	keepSides(row)
}

// beyond scales an extreme error outwards; one on the wrong side of zero stays.
func beyond(extreme, factor float64) float64 { return extreme * max(factor, 1) }

func student(e, row []float64) {
	ss := 0.0
	for _, v := range e {
		ss += v * v
	}
	rms := math.Sqrt(ss / float64(len(e)))
	for g, p := range forecast.Grid {
		row[g] = 0
		if g != forecast.Median {
			row[g] = rms * fewQuantile(p, len(e))
		}
	}
}

// fewestFree is with how many degrees of freedom quantiles beyond the outermost level of use go
// on: with one or two, which one or two errors give, they reach hundreds of deviations.
const fewestFree = 4

// fewQuantile is Student's quantile within the central 95 %, and beyond that no more than
// fewestFree degrees of freedom make of it.
func fewQuantile(p float64, free int) float64 {
	edge := 0.975
	if p < 0.5 {
		edge = 0.025
	}
	if free >= fewestFree || (p-edge)*(p-0.5) <= 0 {
		return num.StudentQuantile(p, free)
	}
	return num.StudentQuantile(edge, free) * num.StudentQuantile(p, fewestFree) / num.StudentQuantile(edge, fewestFree)
}

func keepSides(row []float64) {
	for g := range forecast.Median {
		row[g] = min(row[g], 0)
	}
	for g := forecast.Median + 1; g < forecast.GridSize; g++ {
		row[g] = max(row[g], 0)
	}
	row[forecast.Median] = max(row[forecast.Median-1], min(row[forecast.Median], row[forecast.Median+1]))
}
