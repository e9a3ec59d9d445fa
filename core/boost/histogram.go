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
	gradientUnits = 1<<15 - 1
	// mostRows is how many rows a cell can count.
	mostRows = countMask
)

// cells is a column's part of a histogram.
type cells [256]int64

// abreast is how many columns are added up at a time.
const abreast = 8

// histogram is the cells of every column; curves are sums of second derivatives, in units, where
// these differ from row to row.
type histogram struct {
	sums   []cells
	curves []cells
}

func newHistogram(columns int, curved bool) *histogram {
	columns = (columns + abreast - 1) / abreast * abreast
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

// add puts rows into the histogram: some rows are fetched, and then added some columns at a time,
// whose cells stay in the nearest cache.
func (h *histogram) add(b *binned, rows []int32, units []int16, curves []int64) {
	words := b.words
	near := make([][gathered]uint64, words)
	var values, more [gathered]int64
	for len(rows) > 0 {
		part := rows[:min(gathered, len(rows))]
		rows = rows[len(part):]
		for w := range near { // the first goes to memory, the others find the rows near
			fetch(&near[w], b.byRow[w:], words, part)
		}
		fetchUnits(&values, units, part)
		if h.curves != nil {
			fetchValues(&more, curves, part)
		}
		for w := range near {
			addWord((*[abreast]cells)(h.sums[w*abreast:]), near[w][:len(part)], &values)
			if h.curves != nil {
				addWord((*[abreast]cells)(h.curves[w*abreast:]), near[w][:len(part)], &more)
			}
		}
	}
}

func fetch(into *[gathered]uint64, from []uint64, words int, rows []int32) {
	for j, i := range rows {
		into[j&(gathered-1)] = from[int(i)*words]
	}
}

// fetchUnits makes cells of rows: their gradient, and one for their number.
func fetchUnits(into *[gathered]int64, from []int16, rows []int32) {
	for j, i := range rows {
		into[j&(gathered-1)] = int64(from[i])<<countBits + 1
	}
}

func fetchValues(into *[gathered]int64, from []int64, rows []int32) {
	for j, i := range rows {
		into[j&(gathered-1)] = from[i]
	}
}

// addWord adds a value of each row to the bins of one word. Written out, since this is where the
// time goes.
func addWord(sums *[abreast]cells, bins []uint64, values *[gathered]int64) {
	for j, w := range bins {
		v := values[j&(gathered-1)]
		sums[0][uint8(w)] += v
		sums[1][uint8(w>>8)] += v
		sums[2][uint8(w>>16)] += v
		sums[3][uint8(w>>24)] += v
		sums[4][uint8(w>>32)] += v
		sums[5][uint8(w>>40)] += v
		sums[6][uint8(w>>48)] += v
		sums[7][uint8(w>>56)] += v
	}
}

// stripeRows is from how many rows on a histogram is made by several workers.
const stripeRows = 4096

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
