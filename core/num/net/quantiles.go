package net

import "math"

// Rising makes every row rise: the middle column is as it is, and each other lies beyond its
// neighbour towards the middle by log(1 + e to the x). So quantiles never cross.
func (t *Tape[T]) Rising(x *Value[T]) *Value[T] {
	out := t.value(x.Rows, x.Cols, x)
	middle := x.Cols / 2
	for i := range x.Rows {
		in, to := x.Row(i), out.Row(i)
		to[middle] = in[middle]
		for j := middle + 1; j < len(to); j++ {
			to[j] = to[j-1] + softplus(in[j])
		}
		for j := middle - 1; j >= 0; j-- {
			to[j] = to[j+1] - softplus(in[j])
		}
	}
	out.back = func() {
		for i := range out.Rows {
			in, to, g := x.Row(i), x.Grad.Row(i), out.Grad.Row(i)
			var beyond, all T
			for j := len(g) - 1; j > middle; j-- {
				beyond += g[j]
				to[j] += beyond * logistic(in[j])
			}
			all, beyond = beyond, 0
			for j := range middle {
				beyond += g[j]
				to[j] -= beyond * logistic(in[j])
			}
			to[middle] += all + beyond + g[middle]
		}
	}
	return out
}

func softplus[T Float](x T) T {
	if x > 20 {
		return x
	}
	return T(math.Log1p(math.Exp(float64(x))))
}

func logistic[T Float](x T) T { return T(1 / (1 + math.Exp(-float64(x)))) }

// Pinball is the sum over rows of a weight times the mean pinball loss, twice, of quantiles at
// probs, each with a weight of its own; rows whose weight is 0 count for nothing, whatever their
// target.
//
// Source: Koenker and Bassett, Econometrica 46 (1978).
func (t *Tape[T]) Pinball(q *Value[T], target, weights []T, probs, shares []float64) *Value[T] {
	out := t.value(1, 1, q)
	total := 0.0
	for i, y := range target {
		if weights[i] == 0 {
			continue
		}
		sum := 0.0
		for j, v := range q.Row(i) {
			e := float64(y - v)
			sum += 2 * shares[j] * max(probs[j]*e, (probs[j]-1)*e)
		}
		total += float64(weights[i]) * sum
	}
	out.Data[0] = T(total)
	out.back = func() {
		for i, y := range target {
			if weights[i] == 0 {
				continue
			}
			to := q.Grad.Row(i)
			for j, v := range q.Row(i) {
				slope := 2 * shares[j] * (1 - probs[j])
				if y > v {
					slope = -2 * shares[j] * probs[j]
				}
				to[j] += out.Grad.Data[0] * weights[i] * T(slope)
			}
		}
	}
	return out
}

// Squares is the sum over rows of a weight times the squared distance to a target, of one column.
func (t *Tape[T]) Squares(x *Value[T], target, weights []T) *Value[T] {
	out := t.zeros(1, 1, x)
	for i, y := range target {
		if weights[i] != 0 {
			d := x.Row(i)[0] - y
			out.Data[0] += weights[i] * d * d
		}
	}
	out.back = func() {
		for i, y := range target {
			if weights[i] != 0 {
				x.Grad.Row(i)[0] += out.Grad.Data[0] * 2 * weights[i] * (x.Row(i)[0] - y)
			}
		}
	}
	return out
}
