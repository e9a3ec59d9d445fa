package bakeoff

import (
	"cmp"
	"math"
	"slices"

	"paperkettle/core/score"
	"paperkettle/core/split"
)

// bunches numbers the windows that overlap as one, from the last back, and says which window of
// each bunch stands alone: it is the bunch's last, and assesses nothing that another such one does.
func bunches(windows []split.Window) (bunch []int, alone []bool) {
	bunch, alone = make([]int, len(windows)), make([]bool, len(windows))
	order := make([]int, len(windows))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(windows[b].AssessLast, windows[a].AssessLast) })
	at, first := -1, 0
	for _, w := range order {
		if at < 0 || windows[w].AssessLast < first {
			at++
			first, alone[w] = windows[w].AssessFirst(), true
		}
		bunch[w] = at
	}
	return bunch, alone
}

// newCells makes room for a contender's sums by series and bunch of windows.
func (e *Engine) newCells() score.Cells {
	out := make(score.Cells, len(e.Chosen))
	for s := range out {
		out[s] = make([][2]float64, slices.Max(e.bunch)+1)
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
	at := &c[place][e.bunch[window]]
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

// loneOf are a series' values of windows that don't overlap: of its own, where each has its own.
func (e *Engine) loneOf(series int, means []float64) (out []float64) {
	if e.ends == nil {
		return e.lone(means)
	}
	var own []split.Window
	var values []float64
	for w, v := range means {
		if e.isFor(series, e.Windows[w]) {
			own, values = append(own, e.Windows[w]), append(values, v)
		}
	}
	_, alone := bunches(own)
	for w, v := range values {
		if alone[w] {
			out = append(out, v)
		}
	}
	return out
}

// lone are the values of windows that don't overlap.
func (e *Engine) lone(means []float64) (out []float64) {
	for w, v := range means {
		if e.alone[w] {
			out = append(out, v)
		}
	}
	return out
}
