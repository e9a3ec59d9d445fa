// Package harmonic has the sines and cosines that describe long seasons in few numbers.
package harmonic

import (
	"math"

	"gonum.org/v1/gonum/mat"

	"paperkettle/core/panel"
)

// Terms is a season of Period periods as pairs of sine and cosine, the slowest first:
// the sum over k of Coef[2k] sin(2 pi (k+1) t / Period) + Coef[2k+1] cos(...), t the
// period's ordinal.
type Terms struct {
	Period float64
	Coef   []float64
}

// Pairs is how many pairs there are.
func (t *Terms) Pairs() int { return len(t.Coef) / 2 }

// At is the season's value at an ordinal.
func (t *Terms) At(ord int64) float64 {
	v, pair := 0.0, First(ord, t.Period)
	slowest := pair
	for k := 0; k+1 < len(t.Coef); k += 2 {
		v += t.Coef[k]*pair.Sin + t.Coef[k+1]*pair.Cos
		pair = pair.Plus(slowest)
	}
	return v
}

// Pair is an angle's sine and cosine.
type Pair struct{ Sin, Cos float64 }

// First is the slowest pair of a season at an ordinal.
func First(ord int64, period float64) (p Pair) {
	turns := float64(ord) / period
	p.Sin, p.Cos = math.Sincos(2 * math.Pi * (turns - math.Floor(turns)))
	return p
}

// Plus is the pair of the sum of two angles: the slowest pair added to one gives the next, for less than a sine costs.
func (p Pair) Plus(q Pair) Pair { return Pair{p.Sin*q.Cos + p.Cos*q.Sin, p.Cos*q.Cos - p.Sin*q.Sin} }

// Columns gives the sine and cosine columns of some pairs over n periods from an ordinal on.
func Columns(period float64, pairs int, from int64, n int) [][]float64 {
	out := make([][]float64, 0, 2*pairs)
	room := make([]float64, 2*pairs*n)
	for k := range 2 * pairs {
		out = append(out, room[k*n:(k+1)*n:(k+1)*n])
	}
	for i := range n {
		slowest := First(from+int64(i), period)
		pair := slowest
		for k := 0; k < 2*pairs; k += 2 {
			out[k][i], out[k+1][i] = pair.Sin, pair.Cos
			pair = pair.Plus(slowest)
		}
	}
	return out
}

// Regress finds how many of the columns, taken two by two in their order, are worth their
// place by the Bayesian criterion (Schwarz, Annals of Statistics 6, 1978), at most most,
// and their least-squares coefficients. Rows with an unknown y are left out.
func Regress(y []float64, columns [][]float64, fewest int) []float64 {
	k := len(columns)
	gram, right := mat.NewSymDense(max(k, 1), nil), make([]float64, k)
	n, yy := 0, 0.0
	for i, v := range y {
		if !panel.Known(v) {
			continue
		}
		n++
		yy += v * v
		for a := range k {
			x := columns[a][i]
			right[a] += x * v
			for b := 0; b <= a; b++ {
				gram.SetSym(b, a, gram.At(b, a)+x*columns[b][i])
			}
		}
	}
	best, bestCoef := math.Inf(1), []float64(nil)
	size := float64(n)
	for take := fewest; take <= k; take += 2 {
		coef, rss := solve(gram, right, take, yy)
		if coef == nil && take > 0 || !(rss > 0) {
			continue
		}
		if bic := size*math.Log(rss/size) + float64(take)*math.Log(size); bic < best {
			best, bestCoef = bic, coef
		}
	}
	return bestCoef
}

func solve(gram *mat.SymDense, right []float64, take int, yy float64) (coef []float64, rss float64) {
	if take == 0 {
		return nil, yy
	}
	sub := mat.NewSymDense(take, nil)
	for a := range take {
		for b := a; b < take; b++ {
			sub.SetSym(a, b, gram.At(a, b))
		}
		sub.SetSym(a, a, sub.At(a, a)*(1+1e-9))
	}
	var chol mat.Cholesky
	if !chol.Factorize(sub) {
		return nil, 0
	}
	v := mat.NewVecDense(take, nil)
	if err := chol.SolveVecTo(v, mat.NewVecDense(take, right[:take])); err != nil {
		return nil, 0
	}
	rss = yy
	for a, c := range v.RawVector().Data {
		rss -= c * right[a]
	}
	return v.RawVector().Data, rss
}
