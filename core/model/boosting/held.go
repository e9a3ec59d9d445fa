package boosting

import (
	"maps"
	"slices"

	"paperkettle/core/model/single"
)

// widening is what the held-out windows ask for of the mix of what was tried, with its
// corrections.
func widening(list []*attempt, lay *Layout) single.Widening {
	tallies := map[int]*single.Tally{}
	t := single.Trial{Horizon: lay.Horizon, Stride: lay.Horizon}
	type key struct{ series, origin int }
	hearts, weights, actual := map[key][]single.Heart{}, map[key][]float64{}, map[key][]float64{}
	var order []key
	for _, a := range list {
		if a.weight == 0 || a.rows.count() == 0 {
			continue
		}
		from := a.rows.heldFrom()
		for _, w := range a.rows.hearts {
			if int32(w.origin)+1 < from {
				continue
			}
			k := key{w.series, w.origin}
			if hearts[k] == nil {
				order = append(order, k)
			}
			h, y := a.corrected(w)
			hearts[k], weights[k], actual[k] = append(hearts[k], h), append(weights[k], a.weight), y
		}
	}
	for _, k := range order {
		if tallies[k.series] == nil {
			tallies[k.series] = &single.Tally{}
		}
		total := 0.0
		for _, w := range weights[k] {
			total += w
		}
		for i := range weights[k] {
			weights[k][i] /= total
		}
		t.Take(tallies[k.series], single.Mixed(hearts[k], weights[k]), actual[k])
	}
	var all []single.Tally
	for _, i := range slices.Sorted(maps.Keys(tallies)) {
		all = append(all, *tallies[i])
	}
	if len(all) == 0 {
		return single.None
	}
	return single.Pooled(all)
}

// corrected is the heart of a held-out window as trees have it, and what came.
func (a *attempt) corrected(w window) (h single.Heart, actual []float64) {
	x := make([]float32, len(a.rows.columns))
	for j, i := range w.steps {
		move := 0.0
		if a.belief > 0 {
			move = a.moved[i] * float64(a.rows.unit[i])
		}
		middle := w.heart.Middle[j] + move
		low, high := w.heart.Low[j]+move, w.heart.High[j]+move
		if a.spread != nil {
			low, high = a.spreadAt(i, x)
			low, high = middle+low, middle+high
		}
		h.Low, h.Middle, h.High = append(h.Low, low), append(h.Middle, middle), append(h.High, high)
		h.Mean = append(h.Mean, w.heart.Mean[j]+move)
		actual = append(actual, a.rows.actual[i])
	}
	return h, actual
}
