package bakeoff

import (
	"math"

	"paperkettle/core/score"
)

// apart is every how many windows assess periods of their own.
func (e *Engine) apart() int {
	s := e.Plan.Split
	return max(1, (s.Horizon+s.Stride-1)/max(1, s.Stride))
}

// bunch numbers the windows that overlap as one, from the last back.
func (e *Engine) bunch(window int) int { return (len(e.Windows) - 1 - window) / e.apart() }

// alone says that a window is one of those that don't overlap, counted from the last back.
func (e *Engine) alone(window int) bool { return (len(e.Windows)-1-window)%e.apart() == 0 }

// newCells makes room for a contender's sums by series and bunch of windows.
func (e *Engine) newCells() score.Cells {
	out := make(score.Cells, len(e.Chosen))
	bunches := e.bunch(0) + 1
	for s := range out {
		out[s] = make([][2]float64, bunches)
		for w := range out[s] {
			out[s][w] = [2]float64{math.NaN(), math.NaN()}
		}
	}
	return out
}

// addCell adds what a metric is made of on a series in a window; false where the metric is no
// ratio of sums.
func (e *Engine) addCell(c score.Cells, m score.Metric, place, window int, acc *score.Acc) bool {
	num, den, ok := m.Parts(acc)
	if !ok {
		return false
	}
	if num != num || den != den {
		return true
	}
	at := &c[place][e.bunch(window)]
	if at[0] != at[0] {
		*at = [2]float64{}
	}
	at[0], at[1] = at[0]+num, at[1]+den
	return true
}

// newMeans makes room for the mean absolute errors of a few series, window by window.
func (e *Engine) newMeans() [][]float64 {
	out := make([][]float64, len(e.Chosen))
	for s := range out {
		out[s] = make([]float64, len(e.Windows))
		for w := range out[s] {
			out[s][w] = math.NaN()
		}
	}
	return out
}

// lone are the values of windows that don't overlap.
func (e *Engine) lone(means []float64) (out []float64) {
	for w, v := range means {
		if e.alone(w) {
			out = append(out, v)
		}
	}
	return out
}
