package num

import (
	"math"
	"slices"
)

// Here NaN is what is unknown: it counts for nothing. Of nothing known, what is asked is NaN.

// Tail is the last n values, or all.
func Tail(x []float64, n int) []float64 { return x[max(0, len(x)-n):] }

// Known lists what is known.
func Known(x []float64) (out []float64) {
	for _, v := range x {
		if v == v {
			out = append(out, v)
		}
	}
	return out
}

// KnownMean is the mean of what is known.
func KnownMean(x []float64) float64 {
	sum, n := 0.0, 0.0
	for _, v := range x {
		if v == v {
			sum, n = sum+v, n+1
		}
	}
	return sum / n
}

// KnownSpread is the standard deviation of what is known.
func KnownSpread(x []float64) float64 {
	m, sum, n := KnownMean(x), 0.0, 0.0
	for _, v := range x {
		if v == v {
			sum, n = sum+(v-m)*(v-m), n+1
		}
	}
	return math.Sqrt(sum / n)
}

// LastKnown is the last known value.
func LastKnown(x []float64) float64 {
	for _, v := range slices.Backward(x) {
		if v == v {
			return v
		}
	}
	return math.NaN()
}

// ZeroShare is the share of zeros among what is known.
func ZeroShare(x []float64) float64 {
	zeros, n := 0.0, 0.0
	for _, v := range x {
		if v == v {
			n++
			if v == 0 {
				zeros++
			}
		}
	}
	return zeros / n
}
