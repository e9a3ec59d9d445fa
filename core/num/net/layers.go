package net

import (
	"math"

	"paperkettle/core/num/tensor"
)

// Product is x W.
func (t *Tape[T]) Product(x, w *Value[T]) *Value[T] {
	out := t.zeros(x.Rows, w.Cols, x, w)
	tensor.Multiply(out.Matrix, x.Matrix, w.Matrix, false, false)
	out.back = func() {
		if x.needs {
			tensor.Multiply(x.Grad, out.Grad, w.Matrix, false, true)
		}
		if w.needs {
			tensor.Multiply(w.Grad, x.Matrix, out.Grad, true, false)
		}
	}
	return out
}

// Dense is x W + b.
func (t *Tape[T]) Dense(x, w, b *Value[T]) *Value[T] {
	out := t.value(x.Rows, w.Cols, x, w, b)
	for i := range out.Rows {
		copy(out.Row(i), b.Data)
	}
	tensor.Multiply(out.Matrix, x.Matrix, w.Matrix, false, false)
	out.back = func() {
		if x.needs {
			tensor.Multiply(x.Grad, out.Grad, w.Matrix, false, true)
		}
		if w.needs {
			tensor.Multiply(w.Grad, x.Matrix, out.Grad, true, false)
		}
		if b.needs {
			for i := range out.Rows {
				addTo(b.Grad.Data, out.Grad.Row(i))
			}
		}
	}
	return out
}

// Offset adds a row to every row.
func (t *Tape[T]) Offset(x, b *Value[T]) *Value[T] {
	out := t.value(x.Rows, x.Cols, x, b)
	for i := range x.Rows {
		to := out.Row(i)
		for j, v := range x.Row(i) {
			to[j] = v + b.Data[j]
		}
	}
	out.back = func() {
		for i := range out.Rows {
			g := out.Grad.Row(i)
			if b.needs {
				for j, v := range g {
					b.Grad.Data[j] += v
				}
			}
			if x.needs {
				addTo(x.Grad.Row(i), g)
			}
		}
	}
	return out
}

func addTo[T Float](to, x []T) {
	for j, v := range x {
		to[j] += v
	}
}

// Add is x + y, element by element.
func (t *Tape[T]) Add(x, y *Value[T]) *Value[T] {
	out := t.value(x.Rows, x.Cols, x, y)
	for i := range x.Rows {
		to, other := out.Row(i), y.Row(i)
		for j, v := range x.Row(i) {
			to[j] = v + other[j]
		}
	}
	out.back = func() {
		for i := range out.Rows {
			if x.needs {
				addTo(x.Grad.Row(i), out.Grad.Row(i))
			}
			if y.needs {
				addTo(y.Grad.Row(i), out.Grad.Row(i))
			}
		}
	}
	return out
}

// Times is x y, element by element.
func (t *Tape[T]) Times(x, y *Value[T]) *Value[T] {
	out := t.value(x.Rows, x.Cols, x, y)
	for i := range x.Rows {
		to, other := out.Row(i), y.Row(i)
		for j, v := range x.Row(i) {
			to[j] = v * other[j]
		}
	}
	out.back = func() {
		for i := range out.Rows {
			g, a, b := out.Grad.Row(i), x.Row(i), y.Row(i)
			if x.needs {
				to := x.Grad.Row(i)
				for j, v := range g {
					to[j] += v * b[j]
				}
			}
			if y.needs {
				to := y.Grad.Row(i)
				for j, v := range g {
					to[j] += v * a[j]
				}
			}
		}
	}
	return out
}

// each applies a function to every element; slope is its derivative, told by input and output.
func (t *Tape[T]) each(x *Value[T], all func(out, x []T), slope func(in, out T) T) *Value[T] {
	out := t.value(x.Rows, x.Cols, x)
	for i := range x.Rows {
		all(out.Row(i), x.Row(i))
	}
	out.back = func() {
		for i := range out.Rows {
			to, in, made := x.Grad.Row(i), x.Row(i), out.Row(i)
			for j, g := range out.Grad.Row(i) {
				to[j] += g * slope(in[j], made[j])
			}
		}
	}
	return out
}

// Rectify is x where it is above zero.
func (t *Tape[T]) Rectify(x *Value[T]) *Value[T] {
	return t.each(x, func(out, x []T) {
		for j, v := range x {
			out[j] = max(v, 0)
		}
	}, func(_, out T) T {
		if out > 0 {
			return 1
		}
		return 0
	})
}

// Tanh is the hyperbolic tangent.
func (t *Tape[T]) Tanh(x *Value[T]) *Value[T] {
	return t.each(x, tensor.Tanh[T], func(_, out T) T { return 1 - out*out })
}

// Sigmoid is the logistic function.
func (t *Tape[T]) Sigmoid(x *Value[T]) *Value[T] {
	return t.each(x, tensor.Sigmoid[T], func(_, out T) T { return out * (1 - out) })
}

// Smooth is x sigmoid(x).
//
// Source: Elfwing, Uchibe and Doya, Neural Networks 107 (2018).
func (t *Tape[T]) Smooth(x *Value[T]) *Value[T] {
	out := t.value(x.Rows, x.Cols, x)
	open := tensor.Of(x.Rows, x.Cols, t.raw(x.Rows*x.Cols))
	for i := range x.Rows {
		in, to, s := x.Row(i), out.Row(i), open.Row(i)
		tensor.Sigmoid(s, in)
		for j, v := range in {
			to[j] = v * s[j]
		}
	}
	out.back = func() {
		for i := range out.Rows {
			g, to := out.Grad.Row(i), x.Grad.Row(i)
			s, made := open.Row(i)[:len(g)], out.Row(i)[:len(g)]
			for j, v := range g {
				to[j] += v * (s[j] + made[j]*(1-s[j]))
			}
		}
	}
	return out
}

// Softmax makes every row positive with a sum of 1.
func (t *Tape[T]) Softmax(x *Value[T]) *Value[T] {
	out := t.value(x.Rows, x.Cols, x)
	for i := range x.Rows {
		softmax(out.Row(i), x.Row(i))
	}
	out.back = func() {
		for i := range out.Rows {
			softmaxBack(x.Grad.Row(i), out.Row(i), out.Grad.Row(i))
		}
	}
	return out
}

func softmax[T Float](out, x []T) {
	high := x[0]
	for _, v := range x {
		high = max(high, v)
	}
	for j, v := range x {
		out[j] = v - high
	}
	tensor.Exp(out, out)
	var sum T
	for _, v := range out {
		sum += v
	}
	for j := range out {
		out[j] /= sum
	}
}

func softmaxBack[T Float](to, out, g []T) {
	var dot T
	for j, v := range g {
		dot += v * out[j]
	}
	for j, v := range g {
		to[j] += out[j] * (v - dot)
	}
}

// Norm brings every row to a mean of 0 and a variance of 1, then to a gain and an offset.
//
// Source: Ba, Kiros and Hinton, Layer normalization, 2016.
func (t *Tape[T]) Norm(x, gain, offset *Value[T]) *Value[T] {
	out := t.value(x.Rows, x.Cols, x, gain, offset)
	unit, inverse := t.matrix(x.Rows, x.Cols), t.take(x.Rows)
	n := T(x.Cols)
	for i := range x.Rows {
		var sum, squares T
		row := x.Row(i)
		for _, v := range row {
			sum += v
		}
		mean := sum / n
		for _, v := range row {
			squares += (v - mean) * (v - mean)
		}
		inverse[i] = T(1 / math.Sqrt(float64(squares/n)+1e-5))
		u, to := unit.Row(i), out.Row(i)
		for j, v := range row {
			u[j] = (v - mean) * inverse[i]
			to[j] = u[j]*gain.Data[j] + offset.Data[j]
		}
	}
	out.back = func() {
		for i := range out.Rows {
			g, u := out.Grad.Row(i), unit.Row(i)
			var sum, dot T
			for j, v := range g {
				gain.Grad.Data[j] += v * u[j]
				offset.Grad.Data[j] += v
				d := v * gain.Data[j]
				sum += d
				dot += d * u[j]
			}
			if !x.needs {
				continue
			}
			to := x.Grad.Row(i)
			for j, v := range g {
				to[j] += inverse[i] * (v*gain.Data[j] - sum/n - u[j]*dot/n)
			}
		}
	}
	return out
}

// Drop leaves out a share of the elements while it is trained, and makes the others as much
// larger.
//
// Source: Srivastava and others, Journal of Machine Learning Research 15 (2014).
func (t *Tape[T]) Drop(x *Value[T], share float64) *Value[T] {
	if t.rnd == nil || share == 0 {
		return x
	}
	mask := tensor.Of(x.Rows, x.Cols, t.raw(x.Rows*x.Cols))
	kept, bound := T(1/(1-share)), uint64(share*(1<<16))
	var bits uint64
	for i := range mask.Data {
		if i%4 == 0 { // sixteen bits each
			bits = t.rnd.Uint64()
		}
		if mask.Data[i] = 0; bits&0xffff >= bound {
			mask.Data[i] = kept
		}
		bits >>= 16
	}
	return t.Times(x, t.Given(mask))
}

// Embed gives a row of a table for every place; -1 is a row of zeros.
func (t *Tape[T]) Embed(table *Value[T], places []int) *Value[T] {
	out := t.zeros(len(places), table.Cols, table)
	for i, p := range places {
		if p >= 0 {
			copy(out.Row(i), table.Row(p))
		}
	}
	out.back = func() {
		for i, p := range places {
			if p >= 0 {
				addTo(table.Grad.Row(p), out.Grad.Row(i))
			}
		}
	}
	return out
}

// Beside puts matrices of as many rows beside each other.
func (t *Tape[T]) Beside(parts ...*Value[T]) *Value[T] {
	cols := 0
	for _, p := range parts {
		cols += p.Cols
	}
	out := t.value(parts[0].Rows, cols, parts...)
	at := 0
	for _, p := range parts {
		for i := range p.Rows {
			copy(out.Row(i)[at:], p.Row(i))
		}
		at += p.Cols
	}
	out.back = func() {
		at := 0
		for _, p := range parts {
			for i := range p.Rows {
				if p.needs {
					addTo(p.Grad.Row(i), out.Grad.Row(i)[at:at+p.Cols])
				}
			}
			at += p.Cols
		}
	}
	return out
}

// Columns is the columns from one up to another.
func (t *Tape[T]) Columns(x *Value[T], from, to int) *Value[T] {
	out := &Value[T]{Matrix: x.Matrix.Columns(from, to), needs: x.needs}
	if x.needs {
		out.Grad = x.Grad.Columns(from, to)
	}
	return out
}

// Rows is the rows from one up to another.
func (t *Tape[T]) Rows(x *Value[T], from, to int) *Value[T] {
	out := &Value[T]{Matrix: x.Part(from, to), needs: x.needs}
	if x.needs {
		out.Grad = x.Grad.Part(from, to)
	}
	return out
}

// Repeat gives every row a number of times, one after another.
func (t *Tape[T]) Repeat(x *Value[T], times int) *Value[T] {
	out := t.value(x.Rows*times, x.Cols, x)
	for i := range out.Rows {
		copy(out.Row(i), x.Row(i/times))
	}
	out.back = func() {
		for i := range out.Rows {
			addTo(x.Grad.Row(i/times), out.Grad.Row(i))
		}
	}
	return out
}

// Sum adds up every row.
func (t *Tape[T]) Sum(x *Value[T]) *Value[T] {
	out := t.zeros(x.Rows, 1, x)
	for i := range x.Rows {
		for _, v := range x.Row(i) {
			out.Data[i] += v
		}
	}
	out.back = func() {
		for i := range out.Rows {
			to, g := x.Grad.Row(i), out.Grad.Data[i]
			for j := range to {
				to[j] += g
			}
		}
	}
	return out
}

// Attend has every row of a block look at the block's rows by how well their keys match its
// query; blocks are of so many rows, and heads share the columns.
//
// Source: Vaswani and others, Attention is all you need, 2017.
func (t *Tape[T]) Attend(query, key, value *Value[T], rows, heads int) *Value[T] {
	out := t.zeros(query.Rows, value.Cols, query, key, value)
	wide, deep := query.Cols/heads, value.Cols/heads
	scale := T(1 / math.Sqrt(float64(wide)))
	shares := t.matrix(query.Rows*heads, rows)
	part := func(m tensor.Matrix[T], b, h, wide int) tensor.Matrix[T] {
		return m.Part(b*rows, (b+1)*rows).Columns(h*wide, (h+1)*wide)
	}
	blocks := query.Rows / rows
	for b := range blocks {
		for h := range heads {
			s := shares.Part((b*heads+h)*rows, (b*heads+h+1)*rows)
			tensor.Multiply(s, part(query.Matrix, b, h, wide), part(key.Matrix, b, h, wide), false, true)
			for i := range rows {
				row := s.Row(i)
				for j := range row {
					row[j] *= scale
				}
				softmax(row, row)
			}
			tensor.Multiply(part(out.Matrix, b, h, deep), s, part(value.Matrix, b, h, deep), false, false)
		}
	}
	out.back = func() {
		for b := range blocks {
			for h := range heads {
				s := shares.Part((b*heads+h)*rows, (b*heads+h+1)*rows)
				g := part(out.Grad, b, h, deep)
				if value.needs {
					tensor.Multiply(part(value.Grad, b, h, deep), s, g, true, false)
				}
				ds, pull := t.matrix(rows, rows), t.matrix(rows, rows)
				tensor.Multiply(ds, g, part(value.Matrix, b, h, deep), false, true)
				for i := range rows {
					softmaxBack(pull.Row(i), s.Row(i), ds.Row(i))
					for j := range pull.Row(i) {
						pull.Row(i)[j] *= scale
					}
				}
				if query.needs {
					tensor.Multiply(part(query.Grad, b, h, wide), pull, part(key.Matrix, b, h, wide), false, false)
				}
				if key.needs {
					tensor.Multiply(part(key.Grad, b, h, wide), pull, part(query.Matrix, b, h, wide), true, false)
				}
			}
		}
	}
	return out
}
