package panel

import (
	"math"

	"paperkettle/core/num"
)

// scratch is working space that the checks of all series share.
type scratch struct {
	residuals, sizes, blocks []float64
	smooth, counts           []float64
	order                    num.OrderScratch
}

// farOut is how many robust deviations from its neighbours an outlier lies.
const farOut = 8

// outliers counts values far from the median of the same place in the two seasons
// before and after, taken in pairs. The deviation is 1.4826 times the median absolute one. Where more
// than one in fifty stands out it is the nature of the series, and none counts.
func (w *scratch) outliers(values []float64, season int) int {
	w.residuals, w.sizes = w.residuals[:0], w.sizes[:0]
	for t := season; t+season < len(values); t++ {
		// In pairs, so that a trend weighs nothing; an unknown value makes r unknown.
		a, b := values[t-season], values[t+season]
		r := math.Abs(values[t] - (a+b)/2)
		if t >= 2*season && t+2*season < len(values) {
			if c, d := values[t-2*season], values[t+2*season]; Known(c) && Known(d) {
				// The median of four: all but the largest and the smallest.
				r = math.Abs(values[t] - (a+b+c+d-max(a, b, c, d)-min(a, b, c, d))/2)
			}
		}
		if Known(r) {
			w.residuals, w.sizes = append(w.residuals, r), append(w.sizes, r)
		}
	}
	if len(w.residuals) < 20 {
		return 0
	}
	var middle [1]float64
	num.OrderStatistics(w.sizes, []int{len(w.sizes) / 2}, middle[:], &w.order)
	limit := farOut * 1.4826 * middle[0]
	if limit == 0 {
		return 0
	}
	n := 0
	for _, r := range w.residuals {
		if r > limit {
			n++
		}
	}
	if n*50 > len(w.residuals) {
		return 0
	}
	return n
}

// shifted says whether the means of whole seasons fall into two levels, a step that
// explains them far better than a straight line does.
func (w *scratch) shifted(values []float64, season int) bool {
	w.blocks = w.blocks[:0]
	for t := len(values) % season; t+season <= len(values); t += season {
		if f := factsOf(values[t : t+season]); f.known*2 > season || season == 1 && f.known == 1 {
			w.blocks = append(w.blocks, f.mean)
		}
	}
	const side = 4 // blocks that each level needs
	n := len(w.blocks)
	if n < 2*side {
		return false
	}
	line := lineError(w.blocks)
	cut := bestCut(w.blocks, side)
	a, ea := meanError(w.blocks[:cut])
	b, eb := meanError(w.blocks[cut:])
	best, gap, level := ea+eb, math.Abs(a-b), (math.Abs(a)+math.Abs(b))/2
	spread := math.Sqrt(best / float64(n-2))
	return best < 0.4*line && gap > 6*spread*math.Sqrt(2.0/side)/2 && gap > 0.3*level
}

// bestCut is where two means fit best, with at least side values on either: the cut
// that sets them farthest apart, each weighed by its count.
func bestCut(x []float64, side int) int {
	mean, _ := meanError(x)
	n, left, best, at := len(x), 0.0, -1.0, side
	for i := range n - side {
		left += x[i] - mean
		if k := i + 1; k >= side {
			if apart := left * left / (float64(k) * float64(n-k)); apart > best {
				best, at = apart, k
			}
		}
	}
	return at
}

// meanError is the mean and the sum of squared deviations from it.
func meanError(x []float64) (mean, ss float64) {
	for i, v := range x {
		d := v - mean
		mean += d / float64(i+1)
		ss += d * (v - mean)
	}
	return mean, ss
}

// lineError is the sum of squared deviations from the least-squares line.
func lineError(x []float64) float64 {
	mean, ss := meanError(x)
	mid := float64(len(x)-1) / 2
	sxy, sxx := 0.0, 0.0
	for i, v := range x {
		sxy += (float64(i) - mid) * (v - mean)
		sxx += (float64(i) - mid) * (float64(i) - mid)
	}
	return ss - sxy*sxy/sxx
}
