package boost

import (
	"context"

	"paperkettle/core/num"
)

// A cell of a histogram holds the sum of the gradients of a bin's rows, in whole units, in its
// upper bits, and their number in the lower 24: both are summed by one addition.
const (
	countBits = 24
	countMask = 1<<countBits - 1
	// gradientUnits is the largest gradient in units.
	gradientUnits = 1 << 15
	// mostRows is how many rows a cell can count.
	mostRows = countMask
)

// cells is a column's part of a histogram.
type cells [256]int64

// histogram is the cells of every column; curves are sums of second derivatives, in units, where
// these differ from row to row.
type histogram struct {
	sums   []cells
	curves []cells
}

func newHistogram(columns int, curved bool) *histogram {
	h := &histogram{sums: make([]cells, columns)}
	if curved {
		h.curves = make([]cells, columns)
	}
	return h
}

func (h *histogram) clear() {
	clear(h.sums)
	clear(h.curves)
}

// less takes another histogram's cells away: what remains is of the rows that it has not.
func (h *histogram) less(other *histogram) {
	for k := range h.sums {
		a, b := &h.sums[k], &other.sums[k]
		for i := range a {
			a[i] -= b[i]
		}
	}
	for k := range h.curves {
		a, b := &h.curves[k], &other.curves[k]
		for i := range a {
			a[i] -= b[i]
		}
	}
}

func (h *histogram) more(other *histogram) {
	for k := range h.sums {
		a, b := &h.sums[k], &other.sums[k]
		for i := range a {
			a[i] += b[i]
		}
	}
	for k := range h.curves {
		a, b := &h.curves[k], &other.curves[k]
		for i := range a {
			a[i] += b[i]
		}
	}
}

// gathered is how many rows are fetched before they are added: waiting for one row's bins to come
// from memory then hides behind the others'.
const gathered = 64

// add puts rows into the histogram.
func (h *histogram) add(b *binned, rows []int32, units, curves []int64) {
	p := b.columns
	sums := h.sums[:p]
	var near [gathered]int64
	for len(rows) > 0 {
		n := min(gathered, len(rows))
		part := rows[:n]
		rows = rows[n:]
		for j, i := range part {
			near[j] = units[i]
		}
		for j, i := range part {
			g := near[j]
			row := b.byRow[int(i)*p : int(i)*p+p : int(i)*p+p]
			for k, bin := range row {
				sums[k][bin] += g
			}
		}
		if h.curves == nil {
			continue
		}
		for j, i := range part {
			near[j] = curves[i]
		}
		more := h.curves[:p]
		for j, i := range part {
			c := near[j]
			row := b.byRow[int(i)*p : int(i)*p+p : int(i)*p+p]
			for k, bin := range row {
				more[k][bin] += c
			}
		}
	}
}

// stripeRows is from how many rows on a histogram is made by several workers.
const stripeRows = 16384

// fill makes the histogram of rows. Sums of whole numbers do not depend on how the work is cut.
func (g *grower) fill(ctx context.Context, h *histogram, rows []int32) error {
	h.clear()
	stripes := min(g.workers, len(rows)/stripeRows)
	if stripes < 2 {
		h.add(g.b, rows, g.units, g.curves)
		return nil
	}
	parts := make([]*histogram, stripes)
	err := num.Each(ctx, g.workers, stripes, func(s int) {
		part := h
		if s > 0 {
			part = g.borrow()
			part.clear()
		}
		part.add(g.b, rows[s*len(rows)/stripes:(s+1)*len(rows)/stripes], g.units, g.curves)
		parts[s] = part
	})
	for _, part := range parts[1:] {
		if part != nil {
			h.more(part)
			g.give(part)
		}
	}
	return err
}
