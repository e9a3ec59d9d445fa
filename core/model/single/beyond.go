package single

import (
	"math"

	"paperkettle/core/panel"
)

// Excess is a driver's value beyond those that its effect on levels was learnt from.
type Excess struct {
	Slope float64 // what one more of it adds to the level
	Edge  float64 // the outermost value that was seen
	At    float64
	// Column is the place among the model's columns.
	Column int
}

// mostElastic bounds the elasticity at the edge, in size: one of a level near zero tells nothing.
const mostElastic = 4

// Beyond is by what a level is multiplied where drivers go beyond what was seen; level is the forecast with
// every driver at its edge. A rise goes on along the line. A fall goes on as an exponential that has the line's
// slope at the edge: the line would end below zero, where no sales are. Of a driver above zero the elasticity at
// the edge is kept instead, y = level (at/edge)^(slope edge/level), where that is more: half the price brings
// more than a line through prices says, and twice the price leaves more. A level that is not above zero has
// no elasticity, and the line goes on.
func Beyond(level float64, list []Excess) float64 {
	if level == 0 {
		return 1
	}
	by := 1.0
	for _, e := range list {
		share := e.Slope * (e.At - e.Edge) / level
		if !(level > 0) {
			by += share
			continue
		}
		times := 1 + share
		if share < 0 {
			times = math.Exp(share)
		}
		if e.Edge > 0 && e.At > 0 {
			elastic := max(-mostElastic, min(mostElastic, e.Slope*e.Edge/level))
			times = max(times, math.Pow(e.At/e.Edge, elastic))
		}
		by *= times
	}
	return by
}

// NeverBelow says that no value is below zero, so that a forecast below it is no answer.
func NeverBelow(values []float64) bool {
	for _, v := range values {
		if panel.Known(v) && v < 0 {
			return false
		}
	}
	return true
}
