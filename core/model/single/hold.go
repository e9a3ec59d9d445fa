package single

import (
	"math"

	"paperkettle/core/forecast"
	"paperkettle/core/panel"
)

// A mean may go beyond what was seen by farMean times as much as the series ever ranged over,
// and a quantile by farQuantile times, more over horizons that are long next to the history.
const (
	farMean     = 4.0
	farQuantile = 12.0
)

// Hold keeps a forecast within what the history justifies, and says whether it had to: a form
// that explodes is wrong, whatever its likelihood. Growth as seen goes on within these bounds.
func Hold(values []float64, out forecast.Rows) (held bool) {
	low, high, n := math.Inf(1), math.Inf(-1), 0.0
	for _, v := range values {
		if panel.Known(v) {
			low, high, n = math.Min(low, v), math.Max(high, v), n+1
		}
	}
	if n < Fewest || low == high {
		return false
	}
	reach := (high - low) * math.Max(1, 3*float64(len(out.Mean))/n)
	clamp := func(v, far float64) float64 {
		bounded := math.Max(low-far*reach, math.Min(high+far*reach, v))
		held = held || bounded != v
		return bounded
	}
	for h, m := range out.Mean {
		if !(math.Abs(m) <= math.MaxFloat64) {
			continue // not a number: it is refused
		}
		out.Mean[h] = clamp(m, farMean)
		q := out.At(h)
		for g, v := range q {
			if math.Abs(v) <= math.MaxFloat64 {
				q[g] = math.Max(low-farQuantile*reach, math.Min(high+farQuantile*reach, v))
			}
		}
	}
	return held
}
