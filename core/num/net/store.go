package net

import (
	"fmt"
	"math"
	"math/rand/v2"

	"paperkettle/core/num/tensor"
)

// Weight names a weight of a store.
type Weight int

// stored is a weight with its name.
type stored[T Float] struct {
	tensor.Matrix[T]
	name string
	// free says that it is not held towards zero: offsets and gains.
	free bool
}

// Store holds a network's weights by name.
type Store[T Float] struct {
	list  []*stored[T]
	names map[string]Weight
	rnd   *rand.Rand
}

// NewStore is an empty store whose weights start from a random stream.
func NewStore[T Float](rnd *rand.Rand) *Store[T] {
	return &Store[T]{names: map[string]Weight{}, rnd: rnd}
}

func (s *Store[T]) add(name string, rows, cols int, free bool, fill func() float64) Weight {
	if _, ok := s.names[name]; ok {
		panic(fmt.Sprintf("net: two weights are called %q", name))
	}
	w := &stored[T]{Matrix: tensor.New[T](rows, cols), name: name, free: free}
	for i := range w.Data {
		w.Data[i] = T(fill())
	}
	s.names[name] = Weight(len(s.list))
	s.list = append(s.list, w)
	return s.names[name]
}

// Matrix adds a weight of normal numbers whose variance is gain / rows.
//
// Source: He and others, Delving deep into rectifiers, ICCV 2015, for a gain of 2; Glorot and
// Bengio, AISTATS 2010, for about 1.
func (s *Store[T]) Matrix(name string, rows, cols int, gain float64) Weight {
	wide := math.Sqrt(gain / float64(max(rows, 1)))
	return s.add(name, rows, cols, false, func() float64 {
		if s.rnd == nil {
			return 0
		}
		return wide * s.rnd.NormFloat64()
	})
}

// Vector adds a row of one value, which is not held towards zero.
func (s *Store[T]) Vector(name string, cols int, value float64) Weight {
	return s.add(name, 1, cols, true, func() float64 { return value })
}

// Len is the number of weights, Size that of their elements.
func (s *Store[T]) Len() int { return len(s.list) }

// Size is the number of elements of all weights.
func (s *Store[T]) Size() (n int) {
	for _, w := range s.list {
		n += len(w.Data)
	}
	return n
}

// Each gives the weights in the order in which they were made.
func (s *Store[T]) Each(use func(name string, m tensor.Matrix[T])) {
	for _, w := range s.list {
		use(w.name, w.Matrix)
	}
}

// Data is a weight's elements, row by row.
func (s *Store[T]) Data(w Weight) []T { return s.list[w].Data }

// Values is a copy of all elements, one weight after another.
func (s *Store[T]) Values() []T {
	out := make([]T, 0, s.Size())
	for _, w := range s.list {
		out = append(out, w.Data...)
	}
	return out
}

// Set puts elements in place that Values gave.
func (s *Store[T]) Set(values []T) error {
	if len(values) != s.Size() {
		return fmt.Errorf("%d numbers for a network of %d", len(values), s.Size())
	}
	for _, w := range s.list {
		values = values[copy(w.Data, values):]
	}
	return nil
}
