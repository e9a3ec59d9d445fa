package net

import "paperkettle/core/num/tensor"

// LSTM runs over steps of as many rows each: x has the rows of the first step, then those of the
// second. in is x.Cols x 4 units, own units x 4 units, offset 1 x 4 units; the gates are input,
// forget, output and candidate, in this order. It gives the outputs of all steps, laid as x.
//
// Source: Hochreiter and Schmidhuber, Neural Computation 9 (1997); Gers, Schmidhuber and Cummins,
// Neural Computation 12 (2000), for the forget gate.
func (t *Tape[T]) LSTM(x, in, own, offset *Value[T], steps int) *Value[T] {
	rows, units := x.Rows/steps, own.Rows
	gates := t.Dense(x, in, offset) // of all steps at once
	out := t.value(x.Rows, units, gates, own)
	cells, bent := t.matrix(x.Rows, units), t.matrix(x.Rows, units)
	for s := range steps {
		g, h, c, b := gates.Part(s*rows, (s+1)*rows), out.Part(s*rows, (s+1)*rows), cells.Part(s*rows, (s+1)*rows), bent.Part(s*rows, (s+1)*rows)
		if s > 0 {
			tensor.Multiply(g, out.Part((s-1)*rows, s*rows), own.Matrix, false, false)
		}
		for i := range rows {
			row := g.Row(i)
			tensor.Sigmoid(row[:3*units], row[:3*units])
			tensor.Tanh(row[3*units:], row[3*units:])
			cell := c.Row(i)
			if s > 0 {
				before := cells.Row((s-1)*rows + i)
				for j := range cell {
					cell[j] = row[j]*row[3*units+j] + row[units+j]*before[j]
				}
			} else {
				for j := range cell {
					cell[j] = row[j] * row[3*units+j]
				}
			}
			tensor.Tanh(b.Row(i), cell)
			to := h.Row(i)
			for j, v := range b.Row(i) {
				to[j] = row[2*units+j] * v
			}
		}
	}
	out.back = func() { t.lstmBack(gates, own, out, cells, bent, rows, steps) }
	return out
}

// lstmBack goes back through the steps. gates holds what the gates let through.
func (t *Tape[T]) lstmBack(gates, own, out *Value[T], cells, bent tensor.Matrix[T], rows, steps int) {
	units := own.Rows
	pull := t.matrix(rows, units) // on the cells
	for s := steps - 1; s >= 0; s-- {
		for i := range rows {
			at := s*rows + i
			g, made, to := out.Grad.Row(at), gates.Row(at), gates.Grad.Row(at)
			b, d := bent.Row(at), pull.Row(i)
			var before []T
			if s > 0 {
				before = cells.Row(at - rows)
			}
			for j, h := range g {
				in, forget, open, candidate := made[j], made[units+j], made[2*units+j], made[3*units+j]
				c := d[j] + h*open*(1-b[j]*b[j])
				to[2*units+j] = h * b[j] * open * (1 - open)
				to[j] = c * candidate * in * (1 - in)
				to[3*units+j] = c * in * (1 - candidate*candidate)
				if s > 0 {
					to[units+j] = c * before[j] * forget * (1 - forget)
				}
				d[j] = c * forget
			}
		}
		step := gates.Grad.Part(s*rows, (s+1)*rows)
		if s > 0 {
			tensor.Multiply(out.Grad.Part((s-1)*rows, s*rows), step, own.Matrix, false, true)
		}
	}
	if own.needs && steps > 1 {
		tensor.Multiply(own.Grad, out.Part(0, (steps-1)*rows), gates.Grad.Part(rows, steps*rows), true, false)
	}
}

// GRU is as LSTM, with 3 units' gates: update, reset and candidate; the reset gate is on what the
// units' own product gives, which has an offset of its own.
//
// Source: Cho and others, EMNLP 2014; the reset gate as Appleyard, Kocisky and Blunsom, Optimizing
// performance of recurrent neural networks on GPUs, 2016.
func (t *Tape[T]) GRU(x, in, own, offset, ownOffset *Value[T], steps int) *Value[T] {
	rows, units := x.Rows/steps, own.Rows
	gates := t.Dense(x, in, offset)
	out := t.value(x.Rows, units, gates, own, ownOffset)
	inner := t.matrix(x.Rows, 3*units) // the own product
	for s := range steps {
		g, own3 := gates.Part(s*rows, (s+1)*rows), inner.Part(s*rows, (s+1)*rows)
		if s > 0 {
			tensor.Multiply(own3, out.Part((s-1)*rows, s*rows), own.Matrix, false, false)
		}
		for i := range rows {
			row, mine, to := g.Row(i), own3.Row(i), out.Row(s*rows+i)
			for j := range mine {
				mine[j] += ownOffset.Data[j]
			}
			for j := range 2 * units {
				row[j] += mine[j]
			}
			tensor.Sigmoid(row[:2*units], row[:2*units])
			for j := range units {
				row[2*units+j] += row[units+j] * mine[2*units+j]
			}
			tensor.Tanh(row[2*units:], row[2*units:])
			for j := range to {
				to[j] = (1 - row[j]) * row[2*units+j]
			}
			if s > 0 {
				for j, h := range out.Row((s-1)*rows + i) {
					to[j] += row[j] * h
				}
			}
		}
	}
	out.back = func() { t.gruBack(gates, own, ownOffset, out, inner, rows, steps) }
	return out
}

func (t *Tape[T]) gruBack(gates, own, ownOffset, out *Value[T], inner tensor.Matrix[T], rows, steps int) {
	units := own.Rows
	pull := t.matrix(inner.Rows, 3*units) // on the own products
	for s := steps - 1; s >= 0; s-- {
		for i := range rows {
			at := s*rows + i
			g, made, to, on, mine := out.Grad.Row(at), gates.Row(at), gates.Grad.Row(at), pull.Row(at), inner.Row(at)
			for j, h := range g {
				update, reset, candidate := made[j], made[units+j], made[2*units+j]
				before := T(0)
				if s > 0 {
					before = out.Row(at - rows)[j]
					out.Grad.Row(at - rows)[j] += h * update
				}
				c := h * (1 - update) * (1 - candidate*candidate)
				u := h * (before - candidate) * update * (1 - update)
				r := c * mine[2*units+j] * reset * (1 - reset)
				to[j], to[units+j], to[2*units+j] = u, r, c
				on[j], on[units+j], on[2*units+j] = u, r, c*reset
			}
			if ownOffset.needs {
				addTo(ownOffset.Grad.Data, on)
			}
		}
		if s > 0 {
			tensor.Multiply(out.Grad.Part((s-1)*rows, s*rows), pull.Part(s*rows, (s+1)*rows), own.Matrix, false, true)
		}
	}
	if own.needs && steps > 1 {
		tensor.Multiply(own.Grad, out.Part(0, (steps-1)*rows), pull.Part(rows, steps*rows), true, false)
	}
}
