package net

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/num/tensor"
)

// layer builds a loss of weights it makes, on input of 6 rows and 4 columns.
type layer[T Float] struct {
	name  string
	make  func(s *Store[T]) []Weight
	build func(t *Tape[T], x *Value[T], w []*Value[T]) *Value[T]
}

func layers[T Float]() []layer[T] {
	dense := func(rows, cols int) func(s *Store[T]) []Weight {
		return func(s *Store[T]) []Weight { return []Weight{s.Matrix("w", rows, cols, 1)} }
	}
	return []layer[T]{
		{"product, offset", func(s *Store[T]) []Weight { return []Weight{s.Matrix("w", 4, 5, 1), s.Vector("b", 5, 0.1)} },
			func(t *Tape[T], x *Value[T], w []*Value[T]) *Value[T] {
				return t.Offset(t.Product(x, w[0]), w[1])
			}},
		{"dense", func(s *Store[T]) []Weight { return []Weight{s.Matrix("w", 4, 4, 1), s.Vector("b", 4, 0.1)} },
			func(t *Tape[T], x *Value[T], w []*Value[T]) *Value[T] {
				return t.Dense(t.Dense(x, w[0], w[1]), w[0], w[1])
			}},
		{"rectify, smooth, tanh, sigmoid", dense(4, 5), func(t *Tape[T], x *Value[T], w []*Value[T]) *Value[T] {
			y := t.Product(x, w[0])
			return t.Add(t.Add(t.Smooth(y), t.Rectify(y)), t.Times(t.Tanh(y), t.Sigmoid(y)))
		}},
		{"softmax", dense(4, 5), func(t *Tape[T], x *Value[T], w []*Value[T]) *Value[T] { return t.Softmax(t.Product(x, w[0])) }},
		{"norm", func(s *Store[T]) []Weight {
			return []Weight{s.Matrix("w", 4, 5, 1), s.Vector("g", 5, 1.2), s.Vector("b", 5, 0.3)}
		}, func(t *Tape[T], x *Value[T], w []*Value[T]) *Value[T] {
			return t.Norm(t.Product(x, w[0]), w[1], w[2])
		}},
		{"embed, beside, columns, rows, repeat, sum", func(s *Store[T]) []Weight {
			return []Weight{s.Matrix("table", 3, 2, 1),
				s.Matrix("w", 4, 3, 1)}
		}, func(t *Tape[T], x *Value[T], w []*Value[T]) *Value[T] {
			y := t.Beside(t.Embed(w[0], []int{2, 0, -1, 1, 2, 0}), t.Product(x, w[1]))
			z := t.Repeat(t.Rows(t.Columns(y, 1, 5), 1, 4), 2)
			return t.Times(z, t.Repeat(t.Sum(z), 1).beside(t, 4))
		}},
		{"attend", func(s *Store[T]) []Weight {
			return []Weight{s.Matrix("q", 4, 4, 1), s.Matrix("k", 4, 4, 1), s.Matrix("v", 4, 6, 1)}
		}, func(t *Tape[T], x *Value[T], w []*Value[T]) *Value[T] {
			return t.Attend(t.Product(x, w[0]), t.Product(x, w[1]), t.Product(x, w[2]), 3, 2)
		}},
		{"LSTM", func(s *Store[T]) []Weight {
			return []Weight{s.Matrix("in", 4, 20, 1), s.Matrix("own", 5, 20, 1), s.Vector("b", 20, 0.2), s.Matrix("before", 4, 4, 1)}
		}, func(t *Tape[T], x *Value[T], w []*Value[T]) *Value[T] {
			return t.LSTM(t.Product(x, w[3]), w[0], w[1], w[2], 3)
		}},
		{"GRU", func(s *Store[T]) []Weight {
			return []Weight{s.Matrix("in", 4, 15, 1), s.Matrix("own", 5, 15, 1), s.Vector("b", 15, 0.2), s.Vector("c", 15, -0.1), s.Matrix("before", 4, 4, 1)}
		}, func(t *Tape[T], x *Value[T], w []*Value[T]) *Value[T] {
			return t.GRU(t.Product(x, w[4]), w[0], w[1], w[2], w[3], 3)
		}},
		{"rising", dense(4, 5), func(t *Tape[T], x *Value[T], w []*Value[T]) *Value[T] { return t.Rising(t.Product(x, w[0])) }},
		{"drop", dense(4, 5), func(t *Tape[T], x *Value[T], w []*Value[T]) *Value[T] { return t.Drop(t.Product(x, w[0]), 0.4) }},
		{"unlikely", dense(4, 3), func(t *Tape[T], x *Value[T], w []*Value[T]) *Value[T] {
			target, weights := []T{1, -2, 0.5, 3, 0, 2}, []T{1, 2, 0, 1, 0.5, 1}
			scales := []Scale{{3, 1}, {5, 2}, {1, 1}, {0.5, 0.5}, {2, 1}, {20, 3}}
			y := t.Product(x, w[0])
			return t.Add(t.Add(t.Unlikely(Normal, y, target, weights, scales), t.Unlikely(Student, y, target, weights, scales)),
				t.Unlikely(Counts, y, target, weights, scales))
		}},
		{"pinball, squares", dense(4, 3), func(t *Tape[T], x *Value[T], w []*Value[T]) *Value[T] {
			target, weights := []T{1, -2, 0.5, 3, 0, 9}, []T{1, 2, 0, 1, 0.5, 1}
			y := t.Product(x, w[0])
			return t.Add(t.Pinball(t.Rising(y), target, weights, []float64{0.1, 0.5, 0.9}, []float64{0.3, 0.4, 0.3}),
				t.Squares(t.Columns(y, 1, 2), target, weights))
		}},
	}
}

// beside repeats a column.
func (v *Value[T]) beside(t *Tape[T], n int) *Value[T] {
	list := make([]*Value[T], n)
	for i := range list {
		list[i] = v
	}
	return t.Beside(list...)
}

// Every layer's gradient is that of numeric differences, to 1e-6 in float64.
func TestGradients(t *testing.T) {
	const step, tolerance = 1e-5, 1e-6
	for _, l := range layers[float64]() {
		rnd := rand.New(rand.NewPCG(3, 4))
		store := NewStore[float64](rnd)
		weights := l.make(store)
		x := tensor.New[float64](6, 4)
		for i := range x.Data {
			x.Data[i] = rnd.NormFloat64()
		}
		// The loss weighs the elements differently, so that none hides another.
		loss := func() (*Tape[float64], float64, *Value[float64]) {
			tape := NewTape(store)
			tape.Reset(rand.New(rand.NewPCG(7, 8)))
			var w []*Value[float64]
			for _, k := range weights {
				w = append(w, tape.Weight(k))
			}
			y := l.build(tape, tape.Given(x), w)
			mix := tape.Room(y.Rows, y.Cols)
			for i := range mix.Data {
				mix.Data[i] = math.Sin(float64(i)*1.3 + 0.5)
			}
			out := tape.Times(y, tape.Given(mix))
			total := 0.0
			for _, v := range out.Data {
				total += v
			}
			return tape, total, out
		}
		tape, _, out := loss()
		tape.Back(out)
		for _, k := range weights {
			values := store.list[k].Data
			largest := 0.0
			for i := range values {
				largest = max(largest, math.Abs(tape.Gradient(k)[i]))
			}
			for i := range values {
				kept := values[i]
				values[i] = kept + step
				_, up, _ := loss()
				values[i] = kept - step
				_, down, _ := loss()
				values[i] = kept
				numeric := (up - down) / (2 * step)
				assert.InDelta(t, numeric, tape.Gradient(k)[i], tolerance*max(largest, 1), "%s, %s[%d]", l.name, store.list[k].name, i)
			}
		}
	}
}

// Gradients in float32 are those in float64 to a thousandth.
func TestGradientsInSinglePrecision(t *testing.T) {
	for i, l := range layers[float64]() {
		single := layers[float32]()[i]
		rnd := rand.New(rand.NewPCG(3, 4))
		wide, narrow := NewStore[float64](rnd), NewStore[float32](rand.New(rand.NewPCG(1, 1)))
		w64, w32 := l.make(wide), single.make(narrow)
		x64, x32 := tensor.New[float64](6, 4), tensor.New[float32](6, 4)
		for j := range x64.Data {
			x32.Data[j] = float32(rnd.NormFloat64())
			x64.Data[j] = float64(x32.Data[j])
		}
		for k := range w64 {
			for j := range wide.list[k].Data {
				narrow.list[k].Data[j] = float32(wide.list[k].Data[j])
				wide.list[k].Data[j] = float64(narrow.list[k].Data[j])
			}
		}
		a, b := NewTape(wide), NewTape(narrow)
		a.Reset(rand.New(rand.NewPCG(7, 8)))
		b.Reset(rand.New(rand.NewPCG(7, 8)))
		var v64 []*Value[float64]
		var v32 []*Value[float32]
		for k := range w64 {
			v64, v32 = append(v64, a.Weight(w64[k])), append(v32, b.Weight(w32[k]))
		}
		a.Back(l.build(a, a.Given(x64), v64))
		b.Back(single.build(b, b.Given(x32), v32))
		for k := range w64 {
			largest := 1e-3
			for _, g := range a.Gradient(w64[k]) {
				largest = max(largest, math.Abs(g))
			}
			for j, g := range a.Gradient(w64[k]) {
				assert.InDelta(t, g, b.Gradient(w32[k])[j], 1e-3*largest, "%s, weight %d", l.name, k)
			}
		}
	}
}

// learn learns x1 x2 from two columns.
func learn(t *testing.T, workers, stopAt int) ([]float32, float64) {
	rnd := rand.New(rand.NewPCG(5, 6))
	const n = 256
	x, y, weights := tensor.New[float32](n, 2), make([]float32, n), make([]float32, n)
	for i := range n {
		a, b := rnd.NormFloat64(), rnd.NormFloat64()
		x.Data[2*i], x.Data[2*i+1], y[i], weights[i] = float32(a), float32(b), float32(a*b), 1./n
	}
	build := func() (*Store[float32], *Trainer[float32], func(tape *Tape[float32], from, to int) *Value[float32]) {
		store := NewStore[float32](rand.New(rand.NewPCG(1, 2)))
		w1, b1, w2, b2 := store.Matrix("w1", 2, 32, 2), store.Vector("b1", 32, 0), store.Matrix("w2", 32, 1, 1), store.Vector("b2", 1, 0)
		trainer := NewTrainer(store, Settings{Rate: 0.01, Steps: 300, Warm: 10, Decay: 0.01, Clip: 1, Average: 0.95, Seed: 9})
		return store, trainer, func(tape *Tape[float32], from, to int) *Value[float32] {
			h := tape.Smooth(tape.Offset(tape.Product(tape.Given(x.Part(from, to)), tape.Weight(w1)), tape.Weight(b1)))
			h = tape.Drop(h, 0.02)
			return tape.Squares(tape.Offset(tape.Product(h, tape.Weight(w2)), tape.Weight(b2)), y[from:to], weights[from:to])
		}
	}
	store, trainer, loss := build()
	last := 0.0
	for step := range 300 {
		if step == stopAt {
			b, err := trainer.MarshalBinary()
			require.NoError(t, err)
			store, trainer, loss = build()
			require.NoError(t, trainer.UnmarshalBinary(b))
		}
		var err error
		last, err = trainer.Step(context.Background(), workers, n, loss)
		require.NoError(t, err)
	}
	return append(store.Values(), trainer.Averaged()...), last
}

// What is learnt does not depend on how many work, nor on a stop half way.
func TestTrainingIsTheSame(t *testing.T) {
	one, loss := learn(t, 1, -1)
	assert.Less(t, loss, 0.1, "a product of two columns is learnt")
	for _, workers := range []int{2, 3} {
		other, _ := learn(t, workers, -1)
		assert.Equal(t, one, other)
	}
	stopped, _ := learn(t, 2, 137)
	assert.Equal(t, one, stopped)
}

// The rate rises, falls along half a cosine to a hundredth, or stays until it is slowed; how often it
// was is part of what a stop keeps.
func TestRatesOfLearning(t *testing.T) {
	cosine := Settings{Rate: 2, Steps: 110, Warm: 10}
	assert.InDelta(t, 0.2, cosine.rate(0, 0), 1e-12)
	assert.InDelta(t, 2, cosine.rate(10, 0), 1e-12)
	assert.InDelta(t, 2*(0.01+0.99/2), cosine.rate(60, 3), 1e-12, "which a plateau does not lower")
	assert.InDelta(t, 0.02, cosine.rate(110, 0), 1e-12)
	assert.InDelta(t, 0.02, cosine.rate(500, 0), 1e-12)

	level := cosine
	level.Level = true
	assert.InDelta(t, 0.2, level.rate(0, 2), 1e-12)
	for slowed, want := range []float64{2, 0.6, 0.18} {
		for _, step := range []int{10, 60, 500} {
			assert.InDelta(t, want, level.rate(step, slowed), 1e-12)
		}
	}

	moved := func(slow, stop bool) float64 {
		store := NewStore[float64](nil)
		w := store.Matrix("w", 1, 1, 1)
		trainer := NewTrainer(store, Settings{Rate: 0.1, Steps: 10, Level: true})
		step := func() {
			_, err := trainer.Step(context.Background(), 1, 4, func(tape *Tape[float64], from, to int) *Value[float64] {
				return tape.Squares(tape.Product(tape.Given(tensor.Of(1, 1, []float64{1})), tape.Weight(w)), []float64{5}, []float64{1})
			})
			require.NoError(t, err)
		}
		step()
		if slow {
			trainer.Slow()
		}
		if stop {
			b, err := trainer.MarshalBinary()
			require.NoError(t, err)
			trainer = NewTrainer(store, Settings{Rate: 0.1, Steps: 10, Level: true})
			require.NoError(t, trainer.UnmarshalBinary(b))
		}
		before := store.Values()[0]
		step()
		return store.Values()[0] - before
	}
	assert.InEpsilon(t, 0.3*moved(false, false), moved(true, false), 1e-9)
	assert.InEpsilon(t, moved(true, false), moved(true, true), 1e-12)
}

func TestTrainingThatDiverges(t *testing.T) {
	store := NewStore[float32](nil)
	w := store.Matrix("w", 1, 1, 1)
	trainer := NewTrainer(store, Settings{Rate: 1, Steps: 10})
	_, err := trainer.Step(context.Background(), 1, 4, func(tape *Tape[float32], from, to int) *Value[float32] {
		return tape.Squares(tape.Product(tape.Given(tensor.Of(1, 1, []float32{1e30})), tape.Weight(w)), []float32{float32(math.Inf(1))}, []float32{1})
	})
	assert.ErrorIs(t, err, ErrDiverged)
	assert.Error(t, trainer.UnmarshalBinary([]byte("none")))
}
