package boost

import (
	"fmt"
	"math"
	"slices"
)

// step is a split as rows are led by it: to next[0] or next[1], by a bin alone and without a guess which it will be. A leaf
// is what all bits turned of a step's next gives.
type step struct {
	column uint32
	// A number's bin goes left where it lies no more than span above low, counted round: from the bin of the unknown on,
	// where that goes left too.
	low, span uint8
	set       uint32 // from 1, of those of a forest; 0 where the column is of numbers
	next      [2]int32
}

// steps are a tree's splits one after another; sets are those of categories, with the unknown's side as its bin.
type steps struct {
	list   []step
	places []int32 // of the nodes in list; those of leaves turned
	sets   [][4]uint64
}

// take puts a tree's splits behind those that are there, and gives where its first is.
func (s *steps) take(t *Branches, cuts []uint8) int32 {
	s.places = s.places[:0]
	n := int32(len(s.list))
	for k, left := range t.Left {
		if left == 0 {
			s.places = append(s.places, ^int32(k))
			continue
		}
		s.places = append(s.places, n)
		n++
	}
	for k, left := range t.Left {
		if left == 0 {
			continue
		}
		at := step{column: uint32(t.Column[k]), span: cuts[k], next: [2]int32{s.places[left], s.places[t.Right[k]]}}
		if t.Unknown[k] {
			at.low, at.span = unknownBin, cuts[k]+1
		}
		if set := t.Set[k]; set > 0 {
			of := t.Sets[set-1]
			if of[3] &^= 1 << 63; t.Unknown[k] {
				of[3] |= 1 << 63
			}
			s.sets = append(s.sets, of)
			at.set = uint32(len(s.sets))
		}
		s.list = append(s.list, at)
	}
	return s.places[0]
}

// side is 0 for left and 1 for right.
func (s *steps) side(at *step, bin uint8) (side int) {
	if at.set != 0 {
		return int(^s.sets[at.set-1][bin>>6] >> (bin & 63) & 1)
	}
	if bin-at.low > at.span {
		side = 1
	}
	return side
}

// leafOf is the leaf of a row of a binned table, from a tree's first split on.
func (s *steps) leafOf(b *binned, row int, from int32) int32 {
	words := b.byRow[row*b.words : (row+1)*b.words]
	for from >= 0 {
		at := &s.list[from]
		bin := uint8(words[at.column/abreast] >> (at.column % abreast * 8 & 63))
		from = at.next[s.side(at, bin)&1]
	}
	return ^from
}

// forest is a model's trees as rows are led through them.
type forest struct {
	steps
	first []int32 // of each tree
	used  []int32 // columns that some tree splits on
}

// newForest refuses a tree that cuts a column where it has no edge.
func newForest(m *Model) (*forest, error) {
	f := &forest{}
	var cuts []uint8
	used := make([]bool, len(m.Columns))
	for k := range m.Trees {
		t := &m.Trees[k]
		cuts = slices.Grow(cuts[:0], len(t.Column))[:len(t.Column)]
		for n, c := range t.Column {
			if cuts[n] = 0; t.Left[n] == 0 {
				continue
			}
			used[c] = true
			edges := m.Scales[c].Edges
			at, found := slices.BinarySearch(edges, t.Cut[n])
			if t.Set[n] == 0 && !found && t.Cut[n] < math.MaxFloat32 {
				return nil, fmt.Errorf("node %d of tree %d cuts the column %s where it has no edge", n, k, m.Columns[c])
			}
			cuts[n] = uint8(at)
		}
		f.first = append(f.first, f.take(t, cuts))
	}
	for c, is := range used {
		if is {
			f.used = append(f.used, int32(c))
		}
	}
	f.places = nil
	return f, nil
}

// bin gives the bins of a row, of the columns that are asked for.
func (m *Model) bin(f *forest, x []float32, bins []uint8) {
	for _, c := range f.used {
		bins[c] = m.Scales[c].bin(x[c])
	}
}

// add adds what each tree says of a row of bins.
func (m *Model) add(f *forest, bins []uint8, out []float64) {
	for k, at := range f.first {
		for at >= 0 {
			s := &f.list[at]
			at = s.next[f.side(s, bins[s.column])&1]
		}
		v := m.Trees[k].Value[int(^at)*len(out):]
		for j := range out {
			out[j] += float64(v[j])
		}
	}
}

// quickly is the model's forest.
func (m *Model) quickly() *forest {
	if m.quick != nil {
		return m.quick
	}
	f, err := newForest(m)
	if err != nil {
		panic("boost: " + err.Error()) // Fit and Check see to it
	}
	return f
}

// raw adds up the outputs of a row.
func (m *Model) raw(x []float32, out []float64) {
	copy(out, m.Start)
	if len(m.Trees) == 0 {
		return
	}
	var room [64]uint8
	bins := room[:]
	if len(m.Columns) > len(room) {
		bins = make([]uint8, len(m.Columns))
	}
	f := m.quickly()
	m.bin(f, x, bins)
	m.add(f, bins, out)
}
