package boost

import (
	"math"
	"slices"
)

// split is a way to part a leaf's rows.
type split struct {
	gain    float64
	column  int
	cut     uint8 // bins up to it go left
	set     [4]uint64
	isSet   bool
	unknown bool // goes left
	count   int  // of rows that go left
}

// side is the sums of some rows: gradients and curvature in units, and their number.
type side struct {
	g, h int64
	n    int
}

func (s side) less(o side) side { return side{s.g - o.g, s.h - o.h, s.n - o.n} }
func (s side) plus(o side) side { return side{s.g + o.g, s.h + o.h, s.n + o.n} }

// scorer turns sums into gains and values.
type scorer struct {
	gUnit, hUnit   float64 // what a unit is
	squares, sizes float64
	fewest         int
}

func (s *scorer) curve(x side) float64 { return float64(x.h)*s.hUnit + s.squares }

// pull is the gradient that is left when sizes are held.
func (s *scorer) pull(x side) float64 {
	g := float64(x.g) * s.gUnit
	switch {
	case s.sizes == 0:
		return g
	case g > s.sizes:
		return g - s.sizes
	case g < -s.sizes:
		return g + s.sizes
	}
	return 0
}

func (s *scorer) value(x side) float64 {
	c := s.curve(x)
	if c <= 0 {
		return 0
	}
	return -s.pull(x) / c
}

// score is how much the loss falls where the rows have a value of their own.
func (s *scorer) score(x side) float64 {
	c := s.curve(x)
	if c <= 0 {
		return 0
	}
	p := s.pull(x)
	return p * p / c
}

// read gives a bin's sums.
func (h *histogram) read(column, bin int) side {
	cell := h.sums[column][bin]
	n := int(cell & countMask)
	x := side{g: cell >> countBits, n: n, h: int64(n)}
	if h.curves != nil {
		x.h = h.curves[column][bin]
	}
	return x
}

// all is the sums of all rows of a histogram.
func (h *histogram) all() (x side) {
	for b := range len(h.sums[0]) {
		x = x.plus(h.read(0, b))
	}
	return x
}

// best is the best split of a column; its gain is 0 where there is none.
func (s *scorer) best(h *histogram, column int, scale *Scale, direction int, all side) split {
	out := split{column: column}
	unknown := h.read(column, unknownBin)
	whole := s.score(all)
	try := func(left side, cut int, set *[4]uint64, unknownLeft bool) {
		right := all.less(left)
		if left.n < s.fewest || right.n < s.fewest {
			return
		}
		if direction != 0 && float64(direction)*(s.value(right)-s.value(left)) < 0 {
			return
		}
		if gain := s.score(left) + s.score(right) - whole; gain > out.gain {
			out.gain, out.cut, out.unknown, out.count = gain, uint8(cut), unknownLeft, left.n
			if out.isSet = set != nil; out.isSet {
				out.set = *set
			}
		}
	}
	if scale.Categories > 0 {
		s.sets(h, column, scale, unknown, try)
		return out
	}
	var left side
	for b := range scale.bins() - 1 {
		x := h.read(column, b)
		if left = left.plus(x); x.n == 0 && b > 0 {
			continue // as the cut before
		}
		try(left, b, nil, false)
		if unknown.n > 0 {
			try(left.plus(unknown), b, nil, true)
		}
	}
	if unknown.n > 0 { // what is known against what is not
		try(all.less(unknown), scale.bins()-1, nil, false)
	}
	return out
}

// setHold is the rows' worth by which a category's mean is held to that of all when categories
// are put in order.
const setHold = 10

// sets tries the splits of a category that are best for squared losses: prefixes of the
// categories in the order of their means (Fisher, On grouping for maximum homogeneity, Journal of
// the American Statistical Association 53, 1958).
func (s *scorer) sets(h *histogram, column int, scale *Scale, unknown side, try func(side, int, *[4]uint64, bool)) {
	type category struct {
		code int
		at   side
		mean float64
	}
	var list []category
	for c := range scale.bins() {
		if x := h.read(column, c); x.n > 0 {
			list = append(list, category{c, x, float64(x.g) * s.gUnit / (float64(x.h)*s.hUnit + setHold*s.hUnit*float64(x.h)/float64(x.n))})
		}
	}
	slices.SortStableFunc(list, func(a, b category) int {
		switch {
		case a.mean < b.mean:
			return -1
		case a.mean > b.mean:
			return 1
		}
		return 0
	})
	var left side
	var set [4]uint64
	for k, c := range list {
		if k == len(list)-1 {
			break
		}
		left = left.plus(c.at)
		set[c.code>>6] |= 1 << (c.code & 63)
		try(left, 0, &set, false)
		if unknown.n > 0 {
			try(left.plus(unknown), 0, &set, true)
		}
	}
	if unknown.n > 0 && len(list) > 0 {
		var all side
		var every [4]uint64
		for _, c := range list {
			all = all.plus(c.at)
			every[c.code>>6] |= 1 << (c.code & 63)
		}
		try(all, 0, &every, false)
	}
}

// unitOf is what a unit of numbers up to a size is, and the size in units.
func unitOf(largest float64) float64 {
	if !(largest > 0) || math.IsInf(largest, 0) {
		return 1
	}
	return largest / gradientUnits
}
