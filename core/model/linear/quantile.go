package linear

import (
	"context"
	"math"
	"slices"

	"gonum.org/v1/gonum/stat/distuv"

	"paperkettle/core/forecast"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// ranked is the regression of one quantile of a step's errors, in standard deviations, on
// the columns.
type ranked struct {
	Prob   float64
	Own    float64
	Beta   []float64
	Center []float64
}

// probs are the quantiles that have regressions; the grid's others lie between them.
var probs = []float64{0.025, 0.1, 0.25, 0.5, 0.75, 0.9, 0.975}

// mostRanked bounds the rows of a quantile's regression.
const mostRanked = 4000

// rank regresses the quantiles of every step's errors on the columns, so that intervals
// widen where errors have been wide.
func (p *Pool) rank(ctx context.Context, list []series, states []*State, workers int) error {
	p.Ranks = make([][]ranked, len(p.Steps))
	return num.Each(ctx, workers, len(p.Steps), func(step int) {
		x, r := p.errorRows(step, list, states)
		p.Ranks[step] = regressRanks(x, r, len(p.Recipe.Columns))
	})
}

// errorRows are a step's rows and errors, every few of them where there are many.
func (p *Pool) errorRows(step int, list []series, states []*State) (x, r []float64) {
	total := 0
	for i := range list {
		total += len(states[i].Errors)
	}
	stride := 1 + total/mostRanked
	row := make([]float64, len(p.Recipe.Columns))
	seen, taken := 0, 0
	for i := range list {
		start := max(0, p.start(len(list[i].y)))
		// In their own size: that they are larger out of training is the width's to say.
		size := rootKnown(states[i].Errors, step)
		for o, errs := range states[i].Errors {
			e := float64(errs[step])
			if !panel.Known(e) || size == 0 {
				continue
			}
			if seen++; seen-1 != num.Thin(taken, stride) {
				continue
			}
			taken++
			if _, ok := p.row(&list[i], start+o, step+1, row); ok {
				x, r = append(x, row...), append(r, e/size)
			}
		}
	}
	return x, r
}

// regressRanks minimises the pinball loss with a penalty on squares, by majorisation.
//
// Source: Koenker and Bassett, Regression quantiles, Econometrica 46 (1978); Hunter and
// Lange, Journal of Computational and Graphical Statistics 9 (2000), for the algorithm.
func regressRanks(x, r []float64, p int) []ranked {
	n := len(r)
	if n < 20 {
		return nil
	}
	center, spread := make([]float64, p), make([]float64, p)
	z := standardised(x, n, p, center, spread)
	out := make([]ranked, len(probs))
	sorted := slices.Clone(r)
	slices.Sort(sorted)
	beta := make([]float64, p+1)
	held := holdRanks(z, r, p+1)
	for i, prob := range probs {
		clear(beta)
		beta[p] = sorted[int(prob*float64(n-1))]
		descendRanks(z, r, p+1, prob, held, beta)
		e := ranked{Prob: prob, Own: beta[p], Beta: make([]float64, p), Center: center}
		for k := range p {
			if spread[k] > 0 {
				e.Beta[k] = beta[k] / spread[k]
			}
		}
		out[i] = e
	}
	return out
}

// standardised centres and scales the columns, and adds one of ones.
func standardised(x []float64, n, p int, center, spread []float64) []float64 {
	z := make([]float64, n*(p+1))
	for k := range p {
		count, sum, ss := 0.0, 0.0, 0.0
		for i := range n {
			if v := x[i*p+k]; v == v {
				count, sum = count+1, sum+v
			}
		}
		center[k] = sum / max(count, 1)
		for i := range n {
			if d := x[i*p+k] - center[k]; d == d {
				z[i*(p+1)+k] = d
				ss += d * d
			}
		}
		if spread[k] = math.Sqrt(ss / float64(n)); spread[k] > 1e-9 {
			for i := range n {
				z[i*(p+1)+k] /= spread[k]
			}
		} else {
			spread[k] = 0
			for i := range n {
				z[i*(p+1)+k] = 0
			}
		}
	}
	for i := range n {
		z[i*(p+1)+p] = 1
	}
	return z
}

// rankPenalties are those to choose from, in rows' worth: errors tell little of their tails.
// The last leaves nothing but the constant.
var rankPenalties = []float64{1e6, 1000, 100, 20}

// holdRanks finds the penalty that does best on the last third of the rows, by the first two
// thirds, on the outer quantiles.
func holdRanks(z, r []float64, k int) (best float64) {
	n := len(r)
	cut := 2 * n / 3
	least := math.Inf(1)
	beta := make([]float64, k)
	for _, penalty := range rankPenalties {
		loss := 0.0
		for _, prob := range []float64{0.1, 0.9} {
			clear(beta)
			descendRanks(z[:cut*k], r[:cut], k, prob, penalty, beta)
			for i := cut; i < n; i++ {
				e := r[i]
				for j, b := range beta {
					e -= b * z[i*k+j]
				}
				loss += max(prob*e, (prob-1)*e)
			}
		}
		if loss < 0.99*least { // the firmer one where it is as good
			best, least = penalty, loss
		}
	}
	return best
}

func rootKnown(rows [][]float32, step int) float64 {
	n, sum := 0.0, 0.0
	for _, row := range rows {
		if e := float64(row[step]); e == e {
			n, sum = n+1, sum+e*e
		}
	}
	return math.Sqrt(sum / max(n, 1))
}

// descendRanks moves beta to where the penalised pinball loss is least: weighted least squares again and
// again, each time by how far off the last ones were.
func descendRanks(z, r []float64, k int, prob, penalty float64, beta []float64) {
	n := len(r)
	right, gram, before := make([]float64, k), make([]float64, k*k), make([]float64, k)
	weights := make([]float64, n)
	const tiny = 0.02
	for range 60 {
		clear(right)
		for i := range n {
			row := z[i*k : (i+1)*k]
			e := r[i]
			for j, b := range beta {
				e -= b * row[j]
			}
			weights[i] = 1 / (tiny + math.Abs(e))
			pull := weights[i]*r[i] + 2*prob - 1
			for j, v := range row {
				right[j] += v * pull
			}
		}
		weightedGram(z, weights, k, gram)
		for a := range k - 1 {
			gram[a*k+a] += penalty
		}
		copy(before, beta)
		ridge(gram, right, 1e-9, beta)
		moved := 0.0
		for j := range beta {
			moved = max(moved, math.Abs(beta[j]-before[j]))
		}
		if moved < 1e-4 {
			return
		}
	}
}

// weightedGram sums the products of the columns of rows of k, each row with its weight, into a k x k matrix.
// Four rows at a time are added to a place, so that it is read and written a quarter as often.
func weightedGram(z, weights []float64, k int, gram []float64) {
	clear(gram)
	n := len(weights)
	i := 0
	for ; i+4 <= n; i += 4 {
		r0, r1, r2, r3 := z[i*k:(i+1)*k], z[(i+1)*k:(i+2)*k], z[(i+2)*k:(i+3)*k], z[(i+3)*k:(i+4)*k]
		for a := range k {
			w0, w1, w2, w3 := weights[i]*r0[a], weights[i+1]*r1[a], weights[i+2]*r2[a], weights[i+3]*r3[a]
			out := gram[a*k+a : (a+1)*k]
			v0, v1, v2, v3 := r0[a:][:len(out)], r1[a:][:len(out)], r2[a:][:len(out)], r3[a:][:len(out)]
			for b := range out {
				out[b] += w0*v0[b] + w1*v1[b] + w2*v2[b] + w3*v3[b]
			}
		}
	}
	for ; i < n; i++ {
		row := z[i*k : (i+1)*k]
		for a, v := range row {
			for b := a; b < k; b++ {
				gram[a*k+b] += weights[i] * v * row[b]
			}
		}
	}
	for a := range k {
		for b := range a {
			gram[a*k+b] = gram[b*k+a]
		}
	}
}

// quantiles gives the grid, in standard deviations of the step's errors: straight between
// the regressions on a normal scale, and in rising order (Chernozhukov, Fernandez-Val and
// Galichon, Econometrica 78, 2010).
func (p *Pool) quantiles(step int, x, q []float64) {
	list := p.Ranks[step]
	if list == nil {
		for g, prob := range forecast.Grid {
			q[g] = distuv.UnitNormal.Quantile(prob)
		}
		return
	}
	values := make([]float64, len(list))
	for i, e := range list {
		values[i] = e.Own
		for k, b := range e.Beta {
			if d := x[k] - e.Center[k]; d == d {
				values[i] += b * d
			}
		}
	}
	slices.Sort(values)
	at := 0
	for g, prob := range forecast.Grid {
		for at+2 < len(list) && prob > list[at+1].Prob {
			at++
		}
		a, b := distuv.UnitNormal.Quantile(list[at].Prob), distuv.UnitNormal.Quantile(list[at+1].Prob)
		share := (distuv.UnitNormal.Quantile(prob) - a) / (b - a)
		q[g] = values[at] + share*(values[at+1]-values[at])
	}
	slices.Sort(q)
}
