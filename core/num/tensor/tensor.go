// Package tensor has the products and functions that networks are made of, on float32 with
// vector units where the machine has them, and on float64 for checks.
//
// Every element of a product is one chain of fused multiply-adds over the inner dimension, in its
// order, and every function one fixed chain of operations, whatever the width of the unit: AVX2
// and AVX-512 give the same bits. Without either, plain Go gives the same to a few units of
// the last place a term (relative differences below 1e-5 in products of a few hundred terms,
// which a test holds); Kernels says which it is.
package tensor

import "fmt"

//go:generate sh -c "cd ../../../tools/kernels && go run . -out ../../core/num/tensor/kernels_amd64.s -stubs ../../core/num/tensor/kernels_amd64.go -pkg tensor"

// Float is what elements are.
type Float interface{ float32 | float64 }

// Matrix is rows x cols, row by row, a stride apart.
type Matrix[T Float] struct {
	Rows, Cols, Stride int
	Data               []T
}

// New makes a matrix of zeros.
func New[T Float](rows, cols int) Matrix[T] {
	return Matrix[T]{rows, cols, cols, make([]T, rows*cols)}
}

// Of is a matrix on data that is there, row by row.
func Of[T Float](rows, cols int, data []T) Matrix[T] {
	if len(data) != rows*cols {
		panic(fmt.Sprintf("tensor: %d values are no %d x %d", len(data), rows, cols))
	}
	return Matrix[T]{rows, cols, cols, data}
}

// Row is a row.
func (m Matrix[T]) Row(i int) []T { return m.Data[i*m.Stride : i*m.Stride+m.Cols] }

// Part is the rows from one up to another, on the same data.
func (m Matrix[T]) Part(from, to int) Matrix[T] {
	end := max(from*m.Stride, (to-1)*m.Stride+m.Cols)
	return Matrix[T]{to - from, m.Cols, m.Stride, m.Data[from*m.Stride : end]}
}

// Columns is the columns from one up to another, on the same data.
func (m Matrix[T]) Columns(from, to int) Matrix[T] {
	if m.Rows == 0 {
		return Matrix[T]{0, to - from, m.Stride, nil}
	}
	return Matrix[T]{m.Rows, to - from, m.Stride, m.Data[from : (m.Rows-1)*m.Stride+to]}
}

// Multiply adds A B to C, with A or B turned over first where it is said.
func Multiply[T Float](c, a, b Matrix[T], turnA, turnB bool) {
	n, inner, p := a.Rows, a.Cols, b.Cols
	rows := b.Rows
	if turnA {
		n, inner = inner, n
	}
	if turnB {
		rows, p = p, rows
	}
	if inner != rows || c.Rows != n || c.Cols != p {
		panic(fmt.Sprintf("tensor: a product of %d x %d and %d x %d is no %d x %d", n, inner, rows, p, c.Rows, c.Cols))
	}
	if n == 0 || p == 0 || inner == 0 {
		return
	}
	if c32, ok := any(c).(Matrix[float32]); ok && use.tile != nil {
		use.multiply(c32, any(a).(Matrix[float32]), any(b).(Matrix[float32]), turnA, turnB)
		return
	}
	plain(c, a, b, turnA, turnB)
}

// plain is the product in Go.
func plain[T Float](c, a, b Matrix[T], turnA, turnB bool) {
	inner, rows, cols := a.Cols, a.Stride, 1
	if turnA {
		inner, rows, cols = a.Rows, 1, a.Stride
	}
	for i := range c.Rows {
		out := c.Row(i)
		for k := range inner {
			x := a.Data[i*rows+k*cols]
			if turnB {
				for j := range out {
					out[j] += x * b.Data[j*b.Stride+k]
				}
				continue
			}
			for j, y := range b.Row(k) {
				out[j] += x * y
			}
		}
	}
}

// Kernels names what computes products and functions on float32: avx512, avx2 or plain.
func Kernels() string { return use.name }

// kernels are those of a vector unit.
type kernels struct {
	name       string
	rows, cols int // of a tile
	tile       func(k int, a *float32, rs, cs int, b *float32, brs int, c *float32, crs int)
	exp        func(n int, x, out *float32)
	sigmoid    func(n int, x, out *float32)
	tanh       func(n int, x, out *float32)
}

var use = best()

func best() kernels {
	for _, k := range available() {
		return k
	}
	return kernels{name: "plain"}
}
