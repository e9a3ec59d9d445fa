package score

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/stat/distuv"
)

// Paired is a test of equal accuracy of two forecasts, window by window.
type Paired struct {
	N         int     // windows
	Mean      float64 // mean of the loss of the first less that of the second
	Statistic float64 // Student's t with N - 1 degrees of freedom under equal accuracy
	P         float64 // of a difference at least as large, either way
}

// FewestWindows is how many windows a test needs: fewer show a lead that is luck too often.
const FewestWindows = 6

var errTooFew = fmt.Errorf("fewer than %d windows that do not overlap are known of both: too few for a test", FewestWindows)

// TestWindows compares two forecasts by their mean losses in windows that do not overlap, a
// and b, unknown where NaN: the steps of one window lean on each other, and count once.
//
// Source: Student, The probable error of a mean, Biometrika 6 (1908), on loss differences as
// in Diebold and Mariano, Journal of Business and Economic Statistics 13 (1995).
func TestWindows(a, b []float64) (Paired, error) {
	var d []float64
	for i := range min(len(a), len(b)) {
		if v := a[i] - b[i]; v == v {
			d = append(d, v)
		}
	}
	n := float64(len(d))
	out := Paired{N: len(d), Statistic: math.NaN(), P: math.NaN()}
	if len(d) < FewestWindows {
		return out, errTooFew
	}
	out.Mean = floats.Sum(d) / n
	ss := 0.0
	for _, v := range d {
		ss += (v - out.Mean) * (v - out.Mean)
	}
	switch {
	case ss > 0:
		out.Statistic = out.Mean / math.Sqrt(ss/(n-1)/n)
		t := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: n - 1}
		out.P = 2 * t.CDF(-math.Abs(out.Statistic))
	case out.Mean == 0: // the same everywhere
		out.Statistic, out.P = 0, 1
	}
	return out, nil
}

// Between is an interval.
type Between struct{ Low, High float64 }

// Cells are the sums that a metric is made of, numerator and denominator, of each series in
// each window; NaN where a series takes no part.
type Cells [][][2]float64

// Difference gives the 95 % interval of one contender's metric less another's over all series
// and windows, compared by order. Errors that series have in common, and those that windows
// do, both count: the variance is that of sums over series, plus that of sums over windows,
// less that of single cells, each of what a cell moves the metric. With one window nothing can
// tell what is common to the series, and the interval is of the series alone.
//
// Source: Cameron, Gelbach and Miller, Robust inference with multiway clustering, Journal of
// Business and Economic Statistics 29 (2011); degrees of freedom as Satterthwaite, Biometrics
// Bulletin 2 (1946).
func Difference(a, b Cells, ratio func(num, den float64) float64, order func(float64) float64) Between {
	none := Between{math.NaN(), math.NaN()}
	moveA, valueA := influence(a, ratio, order)
	moveB, valueB := influence(b, ratio, order)
	diff := valueA - valueB
	if math.IsNaN(diff) || math.IsInf(diff, 0) {
		return none
	}
	bySeries, byWindow, cells := []float64{}, map[int]float64{}, 0.0
	for s := range moveA {
		sum, known := 0.0, false
		for w := range moveA[s] {
			if v := moveA[s][w] - moveB[s][w]; v == v {
				sum, known = sum+v, true
				byWindow[w] += v
				cells += v * v
			}
		}
		if known {
			bySeries = append(bySeries, sum)
		}
	}
	ns, nw := float64(len(bySeries)), float64(len(byWindow))
	if ns < 2 {
		return none
	}
	vs := floats.Dot(bySeries, bySeries) * ns / (ns - 1)
	variance, free := vs, ns-1
	if nw > 1 {
		vw := 0.0
		for _, w := range slices.Sorted(maps.Keys(byWindow)) {
			vw += byWindow[w] * byWindow[w]
		}
		vw *= nw / (nw - 1)
		common := max(0, vw-cells)
		if variance = vs + common; common > 0 {
			free = variance * variance / (vs*vs/(ns-1) + common*vw/(nw-1))
		}
	}
	if variance == 0 {
		return Between{diff, diff}
	}
	t := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: max(1, free)}
	wide := t.Quantile(0.975) * math.Sqrt(variance)
	return Between{diff - wide, diff + wide}
}

// influence is how much each cell moves the ordered metric of the whole, to first order, and
// that metric.
func influence(c Cells, ratio func(num, den float64) float64, order func(float64) float64) (moves [][]float64, value float64) {
	num, den := 0.0, 0.0
	for _, row := range c {
		for _, x := range row {
			if x[0] == x[0] && x[1] == x[1] {
				num, den = num+x[0], den+x[1]
			}
		}
	}
	at := func(n, d float64) float64 { return order(ratio(n, d)) }
	value = at(num, den)
	const small = 1e-5
	stepN, stepD := small*max(math.Abs(num), 1e-12), small*max(math.Abs(den), 1e-12)
	byN := (at(num+stepN, den) - at(num-stepN, den)) / (2 * stepN)
	byD := (at(num, den+stepD) - at(num, den-stepD)) / (2 * stepD)
	moves = make([][]float64, len(c))
	for s, row := range c {
		moves[s] = make([]float64, len(row))
		for w, x := range row {
			moves[s][w] = byN*x[0] + byD*x[1]
		}
	}
	return moves, value
}

// CriticalDistance is the distance of mean ranks over n series beyond which two of k
// contenders differ at 5 %: the Studentised range's quantile over the root of 2, times
// the root of k (k + 1) / (6 n).
//
// Source: Nemenyi (1963); Demsar, Statistical comparisons of classifiers over multiple
// data sets, Journal of Machine Learning Research 7 (2006).
func CriticalDistance(k, n int) float64 {
	if k < 2 || n < 1 {
		return math.NaN()
	}
	return rangeQuantile(k, 0.95) / math.Sqrt2 * math.Sqrt(float64(k)*float64(k+1)/(6*float64(n)))
}

// rangeQuantile is the quantile of the range of k standard normal values.
func rangeQuantile(k int, p float64) float64 {
	low, high := 0.0, 20.0
	for range 60 {
		mid := (low + high) / 2
		if rangeBelow(k, mid) < p {
			low = mid
		} else {
			high = mid
		}
	}
	return (low + high) / 2
}

// rangeBelow is the probability that the range of k standard normal values is below q:
// k times the integral of phi(z) (Phi(z) - Phi(z - q))^(k-1), by Simpson's rule.
func rangeBelow(k int, q float64) float64 {
	const steps, edge = 400, 8.0
	f := func(z float64) float64 {
		return distuv.UnitNormal.Prob(z) * math.Pow(distuv.UnitNormal.CDF(z)-distuv.UnitNormal.CDF(z-q), float64(k-1))
	}
	width := (2*edge + q) / steps
	sum := 0.0
	for i := range steps + 1 {
		w := 2.0
		switch {
		case i == 0 || i == steps:
			w = 1
		case i%2 == 1:
			w = 4
		}
		sum += w * f(-edge+float64(i)*width)
	}
	return float64(k) * sum * width / 3
}

// Ranks gives the rank of each value, the smallest first; equals share their mean rank
// and NaN comes last.
func Ranks(values []float64) []float64 {
	n := len(values)
	index := make([]int, n)
	for i := range index {
		index[i] = i
	}
	key := func(i int) float64 {
		if v := values[i]; v == v {
			return v
		}
		return math.Inf(1)
	}
	slices.SortStableFunc(index, func(a, b int) int {
		switch x, y := key(a), key(b); {
		case x < y:
			return -1
		case x > y:
			return 1
		}
		return 0
	})
	out := make([]float64, n)
	for i := 0; i < n; {
		j := i
		for j < n && key(index[j]) == key(index[i]) {
			j++
		}
		for _, at := range index[i:j] {
			out[at] = float64(i+j+1) / 2
		}
		i = j
	}
	return out
}
