package neural

import (
	"context"

	"paperkettle/core/model/outlook"
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
		t.sums[i] = make([]float64, l.Ahead*len(outlook.Probs))
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
					t.sums[from+r][j*len(outlook.Probs)+g] += v
				}
			}
		}
	})
}

// proof is how the members' mean held.
func (t *teller) proof(l *Layout, list []*sequence) *outlook.Proof {
	out := outlook.NewProof(l.Ahead, l.Ahead)
	if t.members == 0 {
		return out
	}
	actual := make([]float64, l.Ahead)
	for w, at := range t.windows {
		for j := range t.sums[w] {
			t.sums[w][j] /= float64(t.members)
		}
		q := list[at.series]
		for h := range actual {
			actual[h] = panel.Unknown
			if i := int(at.n) + h; i < len(q.z) {
				actual[h] = q.z[i]
			}
		}
		out.Take(int(at.series), t.sums[w], actual)
	}
	return out
}
