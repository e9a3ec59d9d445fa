package linear

import (
	"math"
	"slices"

	"paperkettle/core/panel"
)

// around is how many values on each side a value is compared with.
const around = 3

// findOdd lists the values that lie beyond six robust deviations from the middle of their
// neighbours, where few are odd: then they are mistakes, and else they are how the series is.
func findOdd(y []float64) (odd []int) {
	rest := make([]float64, len(y))
	var sizes []float64
	for i, v := range y {
		rest[i] = math.Abs(v - middle(y, i))
		if panel.Known(rest[i]) {
			sizes = append(sizes, rest[i])
		}
	}
	if len(sizes) < 20 {
		return nil
	}
	slices.Sort(sizes)
	bound := 6 * 1.4826 * sizes[len(sizes)/2]
	if bound == 0 {
		return nil
	}
	for i, r := range rest {
		if r > bound {
			odd = append(odd, i)
		}
	}
	if 10*len(odd) > len(sizes) {
		return nil
	}
	return odd
}

// middle is the median of a value's neighbours, itself left out.
func middle(y []float64, at int) float64 {
	var near [2 * around]float64
	n := 0
	for i := max(0, at-around); i <= min(len(y)-1, at+around); i++ {
		if i != at && panel.Known(y[i]) {
			near[n] = y[i]
			n++
		}
	}
	if n == 0 {
		return panel.Unknown
	}
	slices.Sort(near[:n])
	return (near[(n-1)/2] + near[n/2]) / 2
}

// calm puts the middle of their neighbours in place of odd values, where lags would carry
// them on.
func calm(y []float64, odd []int) {
	replaced := make([]float64, len(odd))
	for k, i := range odd {
		replaced[k] = middle(y, i)
	}
	for k, i := range odd {
		y[i] = replaced[k]
	}
}

// carried is the mean of how many known values stands for those unknown after them.
const carried = 3

// carry puts values into past as columns of the past read them: with the mean of the last known ones in place of what
// is unknown, so that a hole does not read as the usual level of a series that has long left it. Both may be the same.
func carry(past, values []float64) {
	var last [carried]float64
	n := 0
	for i, v := range values {
		if panel.Known(v) {
			last[n%carried] = v
			n++
		} else if n > 0 {
			v = mean(last[:min(n, carried)])
		}
		past[i] = v
	}
}
