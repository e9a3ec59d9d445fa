package pretrained

import (
	"math"

	"paperkettle/core/panel"
)

const (
	looksBack = 10 // earlier origins at which plain forecasts are tried
	tried     = 6  // steps from each
	// worstKnown is how many times e a plain forecast's error is that of the best, at most.
	worstKnown = 3
)

// reach is how far ahead plain forecasts are tried.
func (s *sight) reach() int { return max(1, min(max(s.whole, 12), 48, len(s.z)/3)) }

// prove tries the plain forecasts at earlier origins: for near and for far steps the log of the mean
// error of each next to the least.
func (s *sight) prove() {
	n, reach := len(s.z), s.reach()
	var sums [2][anchors]float64
	var counts [2]float64
	var own, long places
	for k := 1; k <= looksBack; k++ {
		from := n - k*max(1, 2*reach/3)
		if from < 3 || from < n/4 || s.counts[from] == 0 {
			break
		}
		o := s.from(from)
		for j := range tried {
			step := 1 + j*reach/tried
			at := from - 1 + step
			if j > 0 && step == 1+(j-1)*reach/tried || at >= n || !panel.Known(s.z[at]) {
				continue
			}
			o.back(step, s.season, &own)
			o.back(step, s.longer, &long)
			half := 0
			if 2*step > reach {
				half = 1
			}
			for i, y := range o.plain(step, &own, &long) {
				sums[half][i] += min(math.Abs(s.z[at]-y)/s.unit, 1e4)
			}
			counts[half]++
		}
	}
	for half := range sums {
		of := half
		if counts[of] == 0 {
			of = 1 - half
		}
		if counts[of] == 0 {
			continue
		}
		least := math.Inf(1)
		for _, x := range sums[of] {
			least = min(least, x)
		}
		floor := 0.02 * counts[of]
		for i, x := range sums[of] {
			s.evidence[half][i] = float32(min(worstKnown, math.Log((x+floor)/(least+floor))))
		}
	}
}
