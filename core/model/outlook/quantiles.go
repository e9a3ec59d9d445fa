// Package outlook is what networks share of looking back and ahead: the scale of a window, plain
// smoothing, the quantiles that they forecast, and how well those held.
package outlook

import (
	"paperkettle/core/forecast"
	"paperkettle/core/num"
)

// Probs are the quantiles that a network forecasts, and Shares what each counts for in the loss.
var (
	Probs  = []float64{0.025, 0.05, 0.1, 0.25, 0.5, 0.75, 0.9, 0.95, 0.975}
	Shares = []float64{0.04, 0.06, 0.1, 0.17, 0.26, 0.17, 0.1, 0.06, 0.04}
	// zs are the probabilities on the normal scale.
	zs = scores(Probs)
	// usual are those of the grid that all forecasts are kept on.
	usual = scores(forecast.Grid[:])
)

// scores are probabilities on the normal scale.
func scores(probs []float64) (out []float64) {
	for _, p := range probs {
		out = append(out, num.NormalQuantile(p))
	}
	return out
}

// Places of the 10 %, 50 % and 90 % quantiles among Probs.
const (
	Low    = 2
	Middle = 4
	High   = 6
)

// score is where a value lies among the quantiles, on the normal scale.
func score(row []float64, y float64) float64 {
	if y != y {
		return y
	}
	last := len(row) - 1
	if y <= row[0] {
		return zs[0] - 0.3
	}
	if y >= row[last] {
		return zs[last] + 0.3
	}
	j := 0
	for j+2 <= last && y > row[j+1] {
		j++
	}
	return zs[j] + (zs[j+1]-zs[j])*(y-row[j])/max(row[j+1]-row[j], 1e-300)
}

// OnGrid reads quantiles at Probs at other probabilities, and gives their mean: straight between a
// network's on the normal scale, and beyond its outermost as their slope there goes on.
func OnGrid(row []float64, out []float64, grid []float64) (mean float64) {
	last := len(row) - 1
	at := usual
	if len(grid) != len(at) || &grid[0] != &forecast.Grid[0] {
		at = scores(grid)
	}
	j := 0
	for g, z := range at {
		for j+2 <= last && z > zs[j+1] {
			j++
		}
		out[g] = row[j] + (z-zs[j])*(row[j+1]-row[j])/(zs[j+1]-zs[j])
		if g > 0 { // rounding must not turn neighbours round
			out[g] = max(out[g], out[g-1])
		}
	}
	// The mean, by the middle of each stretch of probability; what lies beyond the outermost was never
	// learnt, and counts as they do.
	for g := range grid {
		low, high := 0.0, 1.0
		if g > 0 {
			low = (grid[g-1] + grid[g]) / 2
		}
		if g < len(grid)-1 {
			high = (grid[g] + grid[g+1]) / 2
		}
		mean += (high - low) * max(row[0], min(row[last], out[g]))
	}
	return mean
}
