package net

import (
	"math/rand/v2"
	"testing"
)

// A training step of an LSTM: 128 windows of 48 steps of 8 numbers, 64 units, on two cores.
func BenchmarkLSTMStep(b *testing.B) {
	const windows, steps, inputs, units = 128, 48, 8, 64
	rnd := rand.New(rand.NewPCG(1, 2))
	s := NewStore[float32](rnd)
	in, own, offset := s.Matrix("in", inputs, 4*units, 1), s.Matrix("own", units, 4*units, 1), s.Vector("offset", 4*units, 0)
	head, bias := s.Matrix("head", units, 1, 1), s.Vector("bias", 1, 0)
	x := make([][]float32, windows) // period by period
	for i := range x {
		for range steps * inputs {
			x[i] = append(x[i], float32(rnd.NormFloat64()))
		}
	}
	t := NewTrainer(s, Settings{Rate: 1e-3, Steps: 1 << 30, Decay: 0.01, Clip: 1, Average: 0.99})
	for b.Loop() {
		_, err := t.Step(b.Context(), 2, windows, func(tape *Tape[float32], from, to int) *Value[float32] {
			rows := to - from
			m := tape.Room(rows*steps, inputs)
			for i := range rows {
				for k := range steps {
					copy(m.Row(k*rows+i), x[from+i][k*inputs:])
				}
			}
			h := tape.LSTM(tape.Given(m), tape.Weight(in), tape.Weight(own), tape.Weight(offset), steps)
			target, weights := make([]float32, rows*steps), make([]float32, rows*steps)
			for i := range weights {
				weights[i] = 1. / (windows * steps)
			}
			return tape.Squares(tape.Dense(h, tape.Weight(head), tape.Weight(bias)), target, weights)
		})
		if err != nil {
			b.Fatal(err)
		}
	}
}
