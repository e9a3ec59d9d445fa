package automatic

import (
	"slices"

	"gonum.org/v1/gonum/floats"

	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// leastShare is the share of a kind's mean weights, and of a mix, below which a form is left out: what few
// series saw in it does not stand against what all show.
const leastShare = 0.02

// fewestJointly is the fewest series of a kind that show anything jointly: of fewer, the same few windows
// would weigh the forms once more, and tell how wide their mix is to be.
const fewestJointly = 8

// heldShare is about how many parameters' worth a weight is that is held to the mean weights.
const heldShare = 0.5

// jointly moves the weights by what the forms' errors show together, of all series of a kind: two that err
// alike need not both be heard, and one that errs where others do not is worth more than it is alone. The
// mean weights are what is held to, and each series' weights move as they do.
func (e *evidence) jointly(weights [][]float64, by model.Judge) {
	for _, k := range []kind{{sparse: false}, {sparse: true}} {
		mean, n := make([]float64, len(e.forms)), 0.0
		for i, w := range weights {
			if sum := floats.Sum(w); e.kinds[i] == k && sum > 0 {
				floats.AddScaled(mean, 1/sum, w)
				n++
			}
		}
		var members []int
		var towards []float64
		for f, w := range mean {
			if w > leastShare*n {
				members, towards = append(members, f), append(towards, w)
			}
		}
		if len(members) < 2 {
			continue
		}
		floats.Scale(1/floats.Sum(towards), towards)
		pasts := e.pasts(k, by)
		if len(pasts) < fewestJointly {
			continue
		}
		shares := model.StackOf(pasts).Weights(members, towards)
		if shares == nil {
			continue
		}
		e.freedom = max(e.freedom, heldShare*float64(len(members)-1))
		times := make([]float64, len(e.forms))
		for j, f := range members {
			times[f] = shares[j] / towards[j]
		}
		for i, w := range weights {
			moved := slices.Clone(w)
			floats.Mul(moved, times)
			sum := floats.Sum(moved)
			if e.kinds[i] != k || sum == 0 {
				continue
			}
			for f, x := range moved {
				if x < leastShare*sum { // not worth its training
					moved[f] = 0
				}
			}
			weights[i] = moved
		}
	}
}

// pasts are the errors of all forms on the inner windows, of each series of a kind that was asked.
func (e *evidence) pasts(k kind, by model.Judge) (out []model.Past) {
	for j, i := range e.places {
		if e.kinds[i] != k {
			continue
		}
		p := model.Past{Errors: make([][]float64, len(e.forms)), Windows: e.rounds}
		for w := range e.trial.Windows {
			actual := e.actual(i, w)
			p.Actual = append(p.Actual, actual...)
			for f := range e.forms {
				p.Errors[f] = append(p.Errors[f], e.errors(f, j, w, actual, by)...)
			}
		}
		out = append(out, p)
	}
	return out
}

// errors are those of a form on a window; unknown where it failed.
func (e *evidence) errors(form, j, window int, actual []float64, by model.Judge) []float64 {
	out := slices.Repeat([]float64{panel.Unknown}, len(actual))
	if hearts := e.hearts[form][j]; window < len(hearts) {
		points := hearts[window].Middle
		if by == model.SquaredErrors {
			points = hearts[window].Mean
		}
		floats.SubTo(out, points[:len(out)], actual)
	}
	return out
}

// actual are a series' values in a window, as many as there are.
func (e *evidence) actual(i, window int) []float64 {
	values, first := e.actuals.Values(i)
	at := e.actuals.Origin() + e.trial.Keep + window*e.trial.Stride + 1 - first
	if at < 0 || at >= len(values) {
		return nil
	}
	return values[at:min(len(values), at+e.trial.Horizon)]
}
