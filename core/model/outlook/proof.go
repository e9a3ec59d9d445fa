package outlook

import (
	"maps"
	"math"
	"slices"

	"paperkettle/core/forecast"
	"paperkettle/core/model/single"
)

// Proof gathers how the quantiles of held-out windows held.
type Proof struct {
	trial         single.Trial
	tallies       map[int]*single.Tally
	both, squares float64
	grid          [forecast.GridSize]float64
}

// NewProof is for windows of so many steps, which lie a stride apart.
func NewProof(horizon, stride int) *Proof {
	return &Proof{trial: single.Trial{Horizon: horizon, Stride: stride}, tallies: map[int]*single.Tally{}}
}

// Take takes a window of a series: quantiles at Probs, step after step, and what came, unknown where
// nobody knows.
func (p *Proof) Take(series int, quantiles, actual []float64) {
	var heart single.Heart
	before := math.NaN()
	for h := range actual {
		row := quantiles[h*len(Probs) : (h+1)*len(Probs)]
		heart.Low, heart.Middle, heart.High = append(heart.Low, row[Low]), append(heart.Middle, row[Middle]), append(heart.High, row[High])
		heart.Mean = append(heart.Mean, OnGrid(row, p.grid[:], forecast.Grid[:]))
		z := score(row, actual[h])
		if z == z {
			if before == before {
				p.both += z * before
			}
			p.squares += z * z
		}
		before = z
	}
	if p.tallies[series] == nil {
		p.tallies[series] = &single.Tally{}
	}
	p.trial.Take(p.tallies[series], heart, actual)
}

// Widening is what the windows ask for of the intervals of all series.
func (p *Proof) Widening() single.Widening {
	var all []single.Tally
	for _, i := range slices.Sorted(maps.Keys(p.tallies)) {
		all = append(all, *p.tallies[i])
	}
	if len(all) == 0 {
		return single.None
	}
	return single.Pooled(all)
}

// Ties is how errors of neighbouring steps go together: the correlation of their normal scores.
func (p *Proof) Ties() float64 {
	if p.squares <= 0 {
		return 0.5
	}
	h := float64(p.trial.Horizon)
	return max(0, min(0.98, p.both/p.squares*h/max(1, h-1)))
}
