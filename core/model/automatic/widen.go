package automatic

import (
	"math"

	"paperkettle/core/model"
	"paperkettle/core/model/single"
)

// widen is by how much each series' mix is to be widened: its forms' forecasts of the inner
// windows are mixed as the final ones will be, and their errors tell, of all series together
// and of each.
func (e *evidence) widen(weights [][]float64, by model.Judge) []single.Widening {
	tallies := make([]single.Tally, len(e.places))
	for j, i := range e.places {
		tallies[j] = e.tally(i, j, weights[i])
	}
	all := single.Pooled(tallies).RankedBy(by)
	out := make([]single.Widening, e.series)
	for i := range out {
		out[i] = all
	}
	for j, i := range e.places {
		out[i] = tallies[j].Toward(all)
	}
	flattered := e.flattered()
	for i := range out {
		out[i].Near, out[i].Far = out[i].Near*flattered, out[i].Far*flattered
	}
	if e.grown { // what forms that did not know the season of the year were too wide by says nothing of those that do
		for i := range out {
			w := &out[i]
			w.Near, w.Far, w.Tail = max(1, w.Near), max(1, w.Far), max(1, w.Tail)
		}
	}
	return out
}

// mostFlattered bounds by how much errors can be too small for having chosen the weights.
const mostFlattered = 1.1

// flattered is by what factor the mix's errors on the inner windows are too small, since the weights were found on them: of p
// weights from n windows that do not overlap, their mean square is less than that of new ones by the factor (1 - p/n) / (1 + p/n).
//
// Source: the final prediction error of Akaike, Fitting autoregressive models for prediction, Annals of the Institute of
// Statistical Mathematics 21 (1969).
func (e *evidence) flattered() float64 {
	share := e.freedom / max(1, e.rounds*float64(len(e.places)))
	if share >= 1 {
		return mostFlattered
	}
	return min(mostFlattered, math.Sqrt((1+share)/(1-share)))
}

func (e *evidence) tally(i, j int, weights []float64) (out single.Tally) {
	for w := range e.trial.Windows {
		var list []single.Heart
		var shares []float64
		total := 0.0
		for k := range weights {
			if x := e.hearts[k][j]; weights[k] > 0 && w < len(x) {
				list, shares = append(list, x[w]), append(shares, weights[k])
				total += weights[k]
			}
		}
		actual := e.actual(i, w)
		if total == 0 || actual == nil {
			continue
		}
		for k := range shares {
			shares[k] /= total
		}
		e.trial.Take(&out, single.Mixed(list, shares), actual)
	}
	return out
}
