package neural

import (
	"context"
	"maps"
	"math"
	"slices"

	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// teller gathers what the members forecast of held-out windows.
type teller struct {
	windows []window
	sums    [][]float64 // of the members' quantiles, in the measure's unit before drivers are put back
	members int
}

func newTeller(l *Layout, held []window) *teller {
	t := &teller{windows: held, sums: make([][]float64, len(held))}
	for i := range t.sums {
		t.sums[i] = make([]float64, l.Ahead*len(probs))
	}
	return t
}

// take adds what a member forecasts of the held-out windows.
func (t *teller) take(ctx context.Context, workers int, k *task) error {
	if len(t.windows) > 0 {
		t.members++
	}
	h := k.lay.Ahead
	blocks := (len(t.windows) + forecastBlock - 1) / forecastBlock
	return num.EachWith(ctx, workers, blocks, func() []*tape { return make([]*tape, 1) }, func(own []*tape, b int) {
		from := b * forecastBlock
		some := t.windows[from:min(len(t.windows), from+forecastBlock)]
		q := k.roll(tapeOf(own, 0, k.net), some, h)
		for r := range some {
			for j := range h {
				for g, v := range q.Row(r*h + j) {
					t.sums[from+r][j*len(probs)+g] += v
				}
			}
		}
	})
}

// widening is what held-out windows ask for of the intervals, and how errors of neighbouring
// steps go together: the correlation of their normal scores.
func (t *teller) widening(l *Layout, list []*sequence) (single.Widening, float64) {
	if t.members == 0 {
		return single.None, 0.5
	}
	tallies := map[int32]*single.Tally{}
	trial := single.Trial{Horizon: l.Ahead, Stride: l.Ahead}
	var both, squares float64
	for w, at := range t.windows {
		var heart single.Heart
		actual := make([]float64, l.Ahead)
		q := list[at.series]
		before := math.NaN()
		for h := range l.Ahead {
			row := t.sums[w][h*len(probs) : (h+1)*len(probs)]
			for j := range row {
				row[j] /= float64(t.members)
			}
			heart.Low, heart.Middle, heart.High = append(heart.Low, row[2]), append(heart.Middle, row[middle]), append(heart.High, row[6])
			actual[h] = panel.Unknown
			if i := int(at.n) + h; i < len(q.z) {
				actual[h] = q.z[i]
			}
			if z := score(row, actual[h]); z == z {
				if before == before {
					both += z * before
				}
				squares += z * z
				before = z
			} else {
				before = math.NaN()
			}
		}
		if tallies[at.series] == nil {
			tallies[at.series] = &single.Tally{}
		}
		trial.Take(tallies[at.series], heart, actual)
	}
	ties := 0.5
	if squares > 0 {
		ties = max(0, min(0.98, both/squares*float64(l.Ahead)/max(1, float64(l.Ahead-1))))
	}
	var all []single.Tally
	for _, i := range slices.Sorted(maps.Keys(tallies)) {
		all = append(all, *tallies[i])
	}
	if len(all) == 0 {
		return single.None, ties
	}
	return single.Pooled(all), ties
}

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

// onGrid reads the quantiles at the house's probabilities: straight between a network's on the
// normal scale, and beyond its outermost as their slope there goes on.
func onGrid(row []float64, out []float64, grid []float64) (mean float64) {
	last := len(row) - 1
	j := 0
	for g, p := range grid {
		z := num.NormalQuantile(p)
		for j+2 <= last && z > zs[j+1] {
			j++
		}
		out[g] = row[j] + (z-zs[j])*(row[j+1]-row[j])/(zs[j+1]-zs[j])
		if g > 0 { // rounding must not turn neighbours round
			out[g] = max(out[g], out[g-1])
		}
	}
	// The mean, by the middle of each stretch of probability.
	for g := range grid {
		low, high := 0.0, 1.0
		if g > 0 {
			low = (grid[g-1] + grid[g]) / 2
		}
		if g < len(grid)-1 {
			high = (grid[g] + grid[g+1]) / 2
		}
		mean += (high - low) * out[g]
	}
	return mean
}
