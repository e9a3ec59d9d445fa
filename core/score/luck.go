package score

import (
	"errors"
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/stat/distuv"
)

// DieboldMariano is a test of equal accuracy of two forecasts of one series.
type DieboldMariano struct {
	N         int     // pairs of errors
	Mean      float64 // mean of the loss of the first less that of the second
	Statistic float64 // Student's t with N - 1 degrees of freedom under equal accuracy
	P         float64 // of a difference at least as large, either way
}

var errTooFew = errors.New("fewer than eight points are known of both: too few for a test")

// fewestPairs is how many pairs a test needs.
const fewestPairs = 8

// TestEqual compares the errors a and b of two forecasts h steps ahead at the same
// points in order of time (NaN where unknown), under the loss |e|^power. The variance
// of the mean loss difference counts its autocovariances up to lag h - 1; where that
// comes out below zero they are weighed down linearly (Bartlett). The statistic has the
// small-sample correction.
//
// Sources: Diebold and Mariano, Comparing predictive accuracy, Journal of Business and
// Economic Statistics 13 (1995); Harvey, Leybourne and Newbold, Testing the equality of
// prediction mean squared errors, International Journal of Forecasting 13 (1997).
func TestEqual(a, b []float64, h int, power float64) (DieboldMariano, error) {
	var d []float64
	for i := range min(len(a), len(b)) {
		if v := math.Pow(math.Abs(a[i]), power) - math.Pow(math.Abs(b[i]), power); v == v {
			d = append(d, v)
		}
	}
	return TestDifference(d, h)
}

// TestDifference is TestEqual on loss differences as they are; all must be known.
func TestDifference(d []float64, h int) (DieboldMariano, error) {
	n := len(d)
	out := DieboldMariano{N: n, Statistic: math.NaN(), P: math.NaN()}
	if n < fewestPairs {
		return out, errTooFew
	}
	for _, v := range d {
		out.Mean += v / float64(n)
	}
	h = min(max(h, 1), n/2)
	variance := longRunVariance(d, out.Mean, h, func(int) float64 { return 1 })
	if variance <= 0 {
		variance = longRunVariance(d, out.Mean, h, func(lag int) float64 { return 1 - float64(lag)/float64(h) })
	}
	if variance <= 0 {
		if out.Mean == 0 { // the same everywhere
			out.Statistic, out.P = 0, 1
		}
		return out, nil
	}
	fn, fh := float64(n), float64(h)
	correction := math.Sqrt((fn + 1 - 2*fh + fh*(fh-1)/fn) / fn)
	out.Statistic = correction * out.Mean / math.Sqrt(variance/fn)
	t := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: fn - 1}
	out.P = 2 * t.CDF(-math.Abs(out.Statistic))
	return out, nil
}

// longRunVariance sums the autocovariances up to lag h - 1, weighed.
func longRunVariance(d []float64, mean float64, h int, weight func(lag int) float64) float64 {
	total := 0.0
	for lag := range h {
		sum := 0.0
		for t := lag; t < len(d); t++ {
			sum += (d[t] - mean) * (d[t-lag] - mean)
		}
		sum *= weight(lag) / float64(len(d))
		if lag > 0 {
			sum *= 2
		}
		total += sum
	}
	return total
}

// Between is an interval.
type Between struct{ Low, High float64 }

// resamples is how many samples a bootstrap draws, fewer where there are very many
// series.
func resamples(series int) int { return min(1000, max(300, 12_000_000/max(series, 1))) }

// Bootstrap gives the 95 % intervals of each contender's metric less that of the one
// at index against, when series are drawn anew with their results (paired, by the
// percentile method). parts[c][s] holds the sums of contender c on series s; ratio
// makes the metric of summed parts, to be compared by order.
//
// Source: Efron and Tibshirani, An Introduction to the Bootstrap (1993), ch. 13.
func Bootstrap(parts [][][2]float64, ratio func(num, den float64) float64, order func(float64) float64, against int, rnd *rand.Rand) []Between {
	n := len(parts[against])
	draws := resamples(n)
	differences := make([][]float64, len(parts))
	times := make([]float64, n)
	values := make([]float64, len(parts))
	for range draws {
		clear(times)
		for range n {
			times[rnd.IntN(n)]++
		}
		for c := range parts {
			num, den := 0.0, 0.0
			for s, k := range times {
				num += k * parts[c][s][0]
				den += k * parts[c][s][1]
			}
			values[c] = order(ratio(num, den))
		}
		for c, v := range values {
			if d := v - values[against]; d == d && !math.IsInf(d, 0) {
				differences[c] = append(differences[c], d)
			}
		}
	}
	out := make([]Between, len(parts))
	for c, d := range differences {
		out[c] = Between{math.NaN(), math.NaN()}
		if len(d) >= draws/2 {
			slices.Sort(d)
			out[c] = Between{quantile(d, 0.025), quantile(d, 0.975)}
		}
	}
	return out
}

// quantile of sorted values, interpolated at p(n-1).
func quantile(x []float64, p float64) float64 {
	at := p * float64(len(x)-1)
	i := int(at)
	if i+1 >= len(x) {
		return x[len(x)-1]
	}
	return x[i] + (at-float64(i))*(x[i+1]-x[i])
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
