package boost

import (
	"context"
	"math"
	"slices"
	"sort"

	"paperkettle/core/num"
)

// unknownBin is the bin of what is not known; numbers and categories are below it.
const unknownBin = 255

// binned is a table as bins, row by row for histograms and column by column for splitting.
type binned struct {
	rows, columns int
	byRow         []uint64 // eight columns a word
	words         int      // of a row
	byColumn      [][]uint8
	scales        []Scale
}

// Scale tells the bins of a column.
type Scale struct {
	// Edges are the upper ends of the bins of numbers, but for the last; rising.
	Edges      []float32 `json:"edges,omitempty"`
	Categories int       `json:"categories,omitempty"`
}

// bin is the bin of a value. Categories beyond those seen, or beyond the bins, are unknown.
func (s *Scale) bin(v float32) uint8 {
	if v != v {
		return unknownBin
	}
	if s.Categories > 0 {
		if c := int(v); c >= 0 && c < s.Categories && c < unknownBin {
			return uint8(c)
		}
		return unknownBin
	}
	lo, hi := 0, len(s.Edges)
	for lo < hi {
		mid := int(uint(lo+hi) >> 1)
		if v <= s.Edges[mid] {
			hi = mid
		} else {
			lo = mid + 1
		}
	}
	return uint8(lo)
}

// bins is the number of bins of what is known.
func (s *Scale) bins() int {
	if s.Categories > 0 {
		return min(s.Categories, unknownBin)
	}
	return len(s.Edges) + 1
}

// mostSampled bounds the values by which a column's bins are found.
const mostSampled = 200_000

// scaleOf finds the bins of a column: between all values where they are few, and with as many
// values in each where they are many.
func scaleOf(c *Column, bins int) Scale {
	if c.Categories > 0 {
		return Scale{Categories: c.Categories}
	}
	known := make([]float32, 0, min(len(c.Values), mostSampled))
	for _, i := range num.Some(len(c.Values), mostSampled) {
		if v := c.Values[i]; v == v {
			known = append(known, v)
		}
	}
	slices.Sort(known)
	distinct := slices.Compact(slices.Clone(known))
	if len(distinct) <= 1 {
		return Scale{}
	}
	if len(distinct) <= bins {
		edges := make([]float32, len(distinct)-1)
		for i := range edges {
			edges[i] = between(distinct[i], distinct[i+1])
		}
		return Scale{Edges: edges}
	}
	var edges []float32
	for b := 1; b < bins; b++ {
		at := b * len(known) / bins
		below, above := known[at-1], known[at]
		if below == above { // between this value and the next greater one
			next := sort.Search(len(known), func(i int) bool { return known[i] > below })
			if next == len(known) {
				break
			}
			above = known[next]
		}
		if e := between(below, above); len(edges) == 0 || e > edges[len(edges)-1] {
			edges = append(edges, e)
		}
	}
	return Scale{Edges: edges}
}

// between is a value from a up to, and not with, b.
func between(a, b float32) float32 {
	m := a + (b-a)/2
	if !(m >= a && m < b) || math.IsInf(float64(m), 0) {
		return a
	}
	return m
}

// lay bins a table, by scales that are given or found.
func lay(ctx context.Context, t *Table, bins int, scales []Scale, workers int) (*binned, error) {
	b := &binned{rows: t.Rows(), columns: len(t.Columns), byColumn: make([][]uint8, len(t.Columns)), scales: slices.Clone(scales)}
	if scales == nil {
		b.scales = make([]Scale, len(t.Columns))
	}
	b.words = (b.columns + abreast - 1) / abreast
	b.byRow = make([]uint64, b.rows*b.words)
	err := num.Each(ctx, workers, b.columns, func(k int) {
		c := &t.Columns[k]
		if scales == nil {
			b.scales[k] = scaleOf(c, bins)
		}
		list := make([]uint8, b.rows)
		for i, v := range c.Values {
			list[i] = b.scales[k].bin(v)
		}
		b.byColumn[k] = list
	})
	if err != nil {
		return nil, err
	}
	const stripe = 4096
	err = num.Each(ctx, workers, (b.rows+stripe-1)/stripe, func(s int) {
		from, to := s*stripe, min((s+1)*stripe, b.rows)
		for k, list := range b.byColumn {
			at, shift := from*b.words+k/abreast, 8*(k%abreast)
			for _, v := range list[from:to] {
				b.byRow[at] |= uint64(v) << shift
				at += b.words
			}
		}
	})
	return b, err
}
