package num

import (
	"slices"

	"gonum.org/v1/gonum/mat"
)

// OnSimplex minimises w'Sw over weights that are not negative and add up to 1, by an active
// set: the weights of those in it solve Sw = constant; a negative one leaves, and
// one whose error falls with a little weight enters.
//
// Source: Lawson and Hanson, Solving Least Squares Problems (1974), ch. 23, with the sum
// held at 1.
func OnSimplex(s [][]float64) []float64 {
	k := len(s)
	trace := 0.0
	for i := range s {
		trace += s[i][i]
	}
	in := make([]bool, k)
	for i := range in {
		in[i] = true
	}
	w := make([]float64, k)
	for range 20 * k {
		if !solveWithin(s, in, 1e-10*trace, w) {
			return even(k)
		}
		lowest := -1
		for i := range w {
			if in[i] && w[i] < 0 && (lowest < 0 || w[i] < w[lowest]) {
				lowest = i
			}
		}
		if lowest >= 0 {
			in[lowest] = false
			continue
		}
		level, enters := 0.0, -1
		for i := range w {
			level += w[i] * dot(s[i], w)
		}
		for i := range w {
			if !in[i] && dot(s[i], w) < level-1e-9*trace && (enters < 0 || dot(s[i], w) < dot(s[enters], w)) {
				enters = i
			}
		}
		if enters < 0 {
			return w
		}
		in[enters] = true
	}
	for i := range w { // it went in circles: what is there is close
		w[i] = max(w[i], 0)
	}
	sum := dot(w, slices.Repeat([]float64{1}, k))
	for i := range w {
		w[i] /= sum
	}
	return w
}

func even(k int) []float64 { return slices.Repeat([]float64{1 / float64(k)}, k) }

// solveWithin sets the weights of the members in the set to those that minimise w'Sw with
// a sum of 1, whatever their sign, and the others to 0; false where it can't.
func solveWithin(s [][]float64, in []bool, ridge float64, w []float64) bool {
	var at []int
	for i, ok := range in {
		w[i] = 0
		if ok {
			at = append(at, i)
		}
	}
	a := mat.NewSymDense(len(at), nil)
	for x, i := range at {
		for y := x; y < len(at); y++ {
			a.SetSym(x, y, s[i][at[y]])
		}
		a.SetSym(x, x, s[i][i]+ridge)
	}
	var chol mat.Cholesky
	if len(at) == 0 || !chol.Factorize(a) {
		return false
	}
	var x mat.VecDense
	if err := chol.SolveVecTo(&x, mat.NewVecDense(len(at), slices.Repeat([]float64{1}, len(at)))); err != nil {
		return false
	}
	sum := mat.Sum(&x)
	for k, i := range at {
		w[i] = x.AtVec(k) / sum
	}
	return sum > 0
}
