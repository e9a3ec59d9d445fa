package influence

import (
	"math"

	"paperkettle/core/panel"
)

// logs are those of values; unknown where there are none.
func logs(values []float64) []float64 {
	out := make([]float64, len(values))
	for t, v := range values {
		if out[t] = panel.Unknown; v > 0 {
			out[t] = math.Log(v)
		}
	}
	return out
}

// inLogs are values in logs where all are above zero.
func inLogs(values []float64) []float64 {
	for _, v := range values {
		if v <= 0 {
			return values
		}
	}
	return logs(values)
}

// together are the places at which all columns are known; a column that never is does not count.
func together(columns [][]float64) (at []int) {
	var told [][]float64
	for k, c := range columns {
		if k == 0 || panel.CountKnown(c) > 0 {
			told = append(told, c)
		}
	}
	for t := range columns[0] {
		known := true
		for _, c := range told {
			known = known && panel.Known(c[t])
		}
		if known {
			at = append(at, t)
		}
	}
	return at
}

// besideWidth is how many periods on either side a mean is taken over, at least.
const besideWidth = 6

// around are the values of a column at some places, less the means over the places around: over a whole season on
// either side, if it is short, and else over six periods. Of a short season the means of its places are taken out too.
func around(column []float64, at []int, season int) []float64 {
	width, short := besideWidth, season > 1 && len(at) >= 4*season && season <= 24
	if short {
		width = max(width, season)
	}
	out := make([]float64, len(at))
	low, high, sum := 0, 0, 0.0
	for r, t := range at {
		for high < len(at) && at[high] <= t+width {
			sum += or0(column[at[high]])
			high++
		}
		for at[low] < t-width {
			sum -= or0(column[at[low]])
			low++
		}
		out[r] = or0(column[t]) - sum/float64(high-low)
	}
	if short {
		sums, counts := make([]float64, season), make([]float64, season)
		for r, t := range at {
			sums[t%season] += out[r]
			counts[t%season]++
		}
		for r, t := range at {
			out[r] -= sums[t%season] / counts[t%season]
		}
	}
	return out
}

func or0(v float64) float64 {
	if !panel.Known(v) {
		return 0
	}
	return v
}

func dot(a, b []float64) (sum float64) {
	for i := range a {
		sum += a[i] * b[i]
	}
	return sum
}

// orthogonal makes columns orthogonal, of length 1, and leaves out those in which nothing is left.
func orthogonal(columns [][]float64) (out [][]float64) {
	for _, c := range columns {
		rest := less(less(c, out), out)
		size := math.Sqrt(dot(rest, rest))
		if !(size > 1e-6*math.Sqrt(dot(c, c))) || size == 0 {
			continue
		}
		for i := range rest {
			rest[i] /= size
		}
		out = append(out, rest)
	}
	return out
}

// less is what is left of a column without its parts along some that are orthogonal.
func less(column []float64, known [][]float64) []float64 {
	out := append([]float64(nil), column...)
	for _, k := range known {
		along := dot(out, k)
		for i := range out {
			out[i] -= along * k[i]
		}
	}
	return out
}
