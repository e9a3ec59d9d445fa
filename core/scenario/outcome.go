package scenario

import (
	"math"
	"slices"

	"paperkettle/core/forecast"
)

// Outcome is what a series comes to under a case; Base is the forecast without changes.
// Intervals are by level, then by step.
type Outcome struct {
	Mean                []float64 // the points
	Expected            []float64 // of which sums are made; none in what was stored before
	Low, High           [][]float64
	Change              []float64 // against the base
	ChangeLow, ChangeHi [][]float64
	Total               Sum
	TotalChange         Sum
	StepVariance        []float64 // of the futures at each step
	ChangeVariance      []float64
	Beside              bool // the case leaves the series' own drivers and events as they are
}

// Sum is a total over the horizon with its intervals by level.
type Sum struct {
	Value     float64
	Low, High []float64
	Variance  float64
}

// Compare reads an outcome from forecasts and futures: count paths of h steps each, drawn
// alike for the base and the case, so that their difference is the case's alone.
func Compare(rows, base forecast.Rows, paths, basePaths []float64, levels []float64) Outcome {
	h := len(rows.Mean)
	count := len(paths) / h
	o := Outcome{Mean: rows.Mean, Expected: make([]float64, h), Change: make([]float64, h), StepVariance: make([]float64, h),
		ChangeVariance: make([]float64, h)}
	for range levels {
		o.Low, o.High = append(o.Low, make([]float64, h)), append(o.High, make([]float64, h))
		o.ChangeLow, o.ChangeHi = append(o.ChangeLow, make([]float64, h)), append(o.ChangeHi, make([]float64, h))
	}
	at, moved := make([]float64, count), make([]float64, count)
	for k := range h {
		for l, level := range levels {
			o.Low[l][k], o.High[l][k] = forecast.Interval(rows.At(k), level)
		}
		o.Change[k] = rows.Mean[k] - base.Mean[k]
		for i := range count {
			at[i] = paths[i*h+k]
			moved[i] = paths[i*h+k] - basePaths[i*h+k]
		}
		o.StepVariance[k], o.ChangeVariance[k] = variance(at), variance(moved)
		slices.Sort(moved)
		for l, level := range levels {
			o.ChangeLow[l][k], o.ChangeHi[l][k] = central(moved, level)
		}
	}
	more := make([]float64, h)
	for k := range h {
		o.Expected[k] = rows.Expected(k)
		more[k] = o.Expected[k] - base.Expected(k)
	}
	o.Total = total(o.Expected, paths, nil, levels)
	o.TotalChange = total(more, paths, basePaths, levels)
	return o
}

// total sums the steps of every path.
func total(means, paths, less, levels []float64) Sum {
	h := len(means)
	sums := make([]float64, len(paths)/h)
	for i := range sums {
		for k := range h {
			sums[i] += paths[i*h+k]
			if less != nil {
				sums[i] -= less[i*h+k]
			}
		}
	}
	s := Sum{Variance: variance(sums)}
	for _, m := range means {
		s.Value += m
	}
	slices.Sort(sums)
	for _, level := range levels {
		low, high := central(sums, level)
		s.Low, s.High = append(s.Low, low), append(s.High, high)
	}
	return s
}

// central is the central interval of sorted draws.
func central(sorted []float64, level float64) (low, high float64) {
	read := func(p float64) float64 {
		at := p * float64(len(sorted)-1)
		i := min(int(at), len(sorted)-2)
		return sorted[i] + (at-float64(i))*(sorted[i+1]-sorted[i])
	}
	p := (100 - level) / 200
	return read(p), read(1 - p)
}

func variance(x []float64) float64 {
	var sum, ss float64
	for _, v := range x {
		sum += v
	}
	mean := sum / float64(len(x))
	for _, v := range x {
		ss += (v - mean) * (v - mean)
	}
	return ss / math.Max(1, float64(len(x)-1))
}
