package tensor

import "sync"

// Blocks of A and B are of a size that the caches hold.
//
// Source: Goto and van de Geijn, Anatomy of high-performance matrix multiplication, ACM
// Transactions on Mathematical Software 34 (2008).
const (
	deep = 192 // along the inner dimension
	tall = 384 // rows of A
	// fewTiles is up to how many tiles a row or column of them is not worth copying.
	fewTiles = 3
	// The largest tile that any unit has.
	mostRows = 12
	mostCols = 32
)

// room is what a product works in.
type room struct {
	a    [deep * tall]float32
	b    [deep * mostCols]float32
	tile [mostRows * mostCols]float32
}

var rooms = sync.Pool{New: func() any { return new(room) }}

// operand is a matrix as it is read: an element is at row rows + column cols.
type operand struct {
	data       []float32
	rows, cols int
}

func operandOf(m Matrix[float32], turned bool) operand {
	if turned {
		return operand{m.Data, 1, m.Stride}
	}
	return operand{m.Data, m.Stride, 1}
}

// multiply adds the product tile by tile. What does not fill a tile is copied into one with
// zeros around it, and so is what lies apart and is used often: an element's chain is the same
// wherever it lies.
func (u kernels) multiply(c, a, b Matrix[float32], turnA, turnB bool) {
	r := rooms.Get().(*room)
	defer rooms.Put(r)
	inner := a.Cols
	if turnA {
		inner = a.Rows
	}
	left, right := operandOf(a, turnA), operandOf(b, turnB)
	copyA, copyB := c.Cols > fewTiles*u.cols, turnB || c.Rows > fewTiles*u.rows
	for k0 := 0; k0 < inner; k0 += deep {
		depth := min(deep, inner-k0)
		for i0 := 0; i0 < c.Rows; i0 += tall {
			high := min(tall, c.Rows-i0)
			for i := 0; i < high; i += u.rows {
				if copyA || high-i < u.rows {
					u.copyRows(r.a[i*deep:], left, i0+i, min(u.rows, high-i), k0, depth)
				}
			}
			for j := 0; j < c.Cols; j += u.cols {
				wide := min(u.cols, c.Cols-j)
				panel, apart := right.data, right.rows
				if copyB || wide < u.cols {
					u.copyPanel(r.b[:], right, j, wide, k0, depth)
					panel, apart = r.b[:], u.cols
				} else {
					panel = panel[k0*right.rows+j:]
				}
				for i := 0; i < high; i += u.rows {
					from, rs, cs := &r.a[i*deep], 1, u.rows
					if !copyA && high-i >= u.rows {
						from, rs, cs = &left.data[(i0+i)*left.rows+k0*left.cols], left.rows, left.cols
					}
					to, stride := c.Data[(i0+i)*c.Stride+j:], c.Stride
					if high-i < u.rows || wide < u.cols {
						u.edge(r, c, i0+i, j, min(u.rows, high-i), wide, func(tile *float32) {
							u.tile(depth, from, 4*rs, 4*cs, &panel[0], 4*apart, tile, 4*u.cols)
						})
						continue
					}
					u.tile(depth, from, 4*rs, 4*cs, &panel[0], 4*apart, &to[0], 4*stride)
				}
			}
		}
	}
}

// edge has a tile made that reaches over C's edge.
func (u kernels) edge(r *room, c Matrix[float32], i, j, high, wide int, fill func(tile *float32)) {
	for y := range high {
		copy(r.tile[y*u.cols:y*u.cols+wide], c.Data[(i+y)*c.Stride+j:])
	}
	fill(&r.tile[0])
	for y := range high {
		copy(c.Data[(i+y)*c.Stride+j:(i+y)*c.Stride+j+wide], r.tile[y*u.cols:])
	}
}

// copyRows copies rows of A, column by column, with zeros for those that lack.
func (u kernels) copyRows(to []float32, a operand, from, n, k0, depth int) {
	if n < u.rows {
		clear(to[:depth*u.rows])
	}
	if a.rows == 1 {
		for k := range depth {
			copy(to[k*u.rows:k*u.rows+n], a.data[(k0+k)*a.cols+from:])
		}
		return
	}
	for y := range n {
		row := a.data[(from+y)*a.rows+k0:][:depth]
		at := y
		for _, v := range row {
			to[at] = v
			at += u.rows
		}
	}
}

// copyPanel copies columns of B, row by row, with zeros for those that lack.
func (u kernels) copyPanel(to []float32, b operand, from, wide, k0, depth int) {
	if wide < u.cols {
		clear(to[:depth*u.cols])
	}
	if b.cols == 1 {
		for k := range depth {
			copy(to[k*u.cols:k*u.cols+wide], b.data[(k0+k)*b.rows+from:])
		}
		return
	}
	for x := range wide {
		row := b.data[(from+x)*b.cols+k0:][:depth]
		at := x
		for _, v := range row {
			to[at] = v
			at += u.cols
		}
	}
}
