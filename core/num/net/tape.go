// Package net has the layers that networks are made of, each with its backward pass, and what
// trains them.
//
// A Tape records what is computed forwards, and gives the gradients backwards (reverse
// accumulation: Linnainmaa, BIT 16, 1976). Weights live in a Store; what a tape adds up for
// them is its own, so that parts of a batch can be worked on side by side and be summed in a
// fixed order.
package net

import (
	"math/rand/v2"

	"paperkettle/core/num/tensor"
)

// Float is what networks compute in: float32, or float64 for checks.
type Float = tensor.Float

// Value is a matrix on a tape, with room for its gradient.
type Value[T Float] struct {
	tensor.Matrix[T]
	Grad tensor.Matrix[T]
	// back adds to the gradients of what the value was made of; nil for what is given.
	back func()
	// needs says that something before it learns.
	needs bool
}

// Tape records a computation. It is used by one goroutine at a time.
type Tape[T Float] struct {
	store *Store[T]
	grads [][]T       // of the store's weights
	rnd   *rand.Rand  // for dropout; nil where nothing is trained
	list  []*Value[T] // in the order in which they were made
	room  [][]T
	at    int // block in use
	used  int // of it
}

// block is by how much the room of a tape grows at least.
const block = 1 << 18

// NewTape is a tape for a store's weights.
func NewTape[T Float](s *Store[T]) *Tape[T] {
	return &Tape[T]{store: s, grads: make([][]T, len(s.list))}
}

// Reset forgets what was recorded, and the gradients. rnd draws what dropout leaves out; nil
// leaves out nothing, and no gradients are wanted.
func (t *Tape[T]) Reset(rnd *rand.Rand) {
	t.list, t.at, t.used, t.rnd = t.list[:0], 0, 0, rnd
	if rnd != nil {
		for i, g := range t.grads {
			if g == nil { // only who learns needs room for them
				t.grads[i] = make([]T, len(t.store.list[i].Data))
			}
			clear(g)
		}
	}
}

// take gives zeros of the tape's own, until it is reset.
func (t *Tape[T]) take(n int) []T {
	out := t.raw(n)
	clear(out)
	return out
}

// raw is take with whatever is there, for what will be written over.
func (t *Tape[T]) raw(n int) []T {
	for {
		if t.at == len(t.room) {
			t.room = append(t.room, make([]T, max(n, block)))
		}
		if room := t.room[t.at]; t.used+n <= len(room) {
			out := room[t.used : t.used+n : t.used+n]
			t.used += n
			return out
		}
		t.at, t.used = t.at+1, 0
	}
}

func (t *Tape[T]) matrix(rows, cols int) tensor.Matrix[T] {
	return tensor.Of(rows, cols, t.take(rows*cols))
}

// zeros is value, of zeros.
func (t *Tape[T]) zeros(rows, cols int, of ...*Value[T]) *Value[T] {
	v := t.value(rows, cols, of...)
	clear(v.Data)
	return v
}

// value records a value of a shape, made of others, all of which is yet to be written.
func (t *Tape[T]) value(rows, cols int, of ...*Value[T]) *Value[T] {
	v := &Value[T]{Matrix: tensor.Of(rows, cols, t.raw(rows*cols))}
	for _, o := range of {
		v.needs = v.needs || o.needs
	}
	if v.needs = v.needs && t.rnd != nil; v.needs {
		v.Grad = t.matrix(rows, cols)
		t.list = append(t.list, v)
	}
	return v
}

// Given is a matrix that does not learn.
func (t *Tape[T]) Given(m tensor.Matrix[T]) *Value[T] { return &Value[T]{Matrix: m} }

// Room is a matrix of zeros to be filled and given.
func (t *Tape[T]) Room(rows, cols int) tensor.Matrix[T] { return t.matrix(rows, cols) }

// Weight is a weight of the store.
func (t *Tape[T]) Weight(w Weight) *Value[T] {
	m := t.store.list[w]
	v := &Value[T]{Matrix: m.Matrix, needs: t.rnd != nil}
	if v.needs {
		v.Grad = tensor.Of(m.Rows, m.Cols, t.grads[w])
	}
	return v
}

// Back gives the gradients of a sum of the value's elements.
func (t *Tape[T]) Back(v *Value[T]) {
	if !v.needs {
		return
	}
	for i := range v.Grad.Data {
		v.Grad.Data[i] = 1
	}
	for i := len(t.list) - 1; i >= 0; i-- {
		if t.list[i].back != nil {
			t.list[i].back()
		}
	}
}

// Gradient is what the tape has added up for a weight.
func (t *Tape[T]) Gradient(w Weight) []T { return t.grads[w] }
