package linear

import (
	"math"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/single"
)

// span is the range of a driver that was seen; none where low is above high.
type span struct{ low, high float64 }

// watch notes the ranges of drivers over the first n periods, where lines through levels would go on below zero.
func (f *future) watch(n int) {
	p := f.s.Pool
	if p.Logs || f.s.Scale.Kind != single.Level || !single.NeverBelow(f.s.Values) {
		return
	}
	f.seen = slices.Repeat([]span{{math.Inf(1), math.Inf(-1)}}, len(p.Ahead.Columns))
	for k := range f.seen {
		if c := &p.Ahead.Columns[k]; !c.IsDriver() || len(c.Steps) > 0 {
			continue
		}
		for _, x := range f.ahead.Ahead(k, n) {
			if s := f.seen[k]; x == x {
				f.seen[k] = span{min(s.low, x), max(s.high, x)}
			}
		}
	}
}

// hold takes out of a row what drivers go beyond those seen, and says what that was.
func (f *future) hold(x []float64) (over []single.Excess) {
	for k, s := range f.seen {
		if edge := max(s.low, min(s.high, x[k])); s.low <= s.high && edge != x[k] && edge == edge {
			over = append(over, single.Excess{Slope: f.s.Outside.Beta[k], Edge: edge, At: x[k], Column: k})
			x[k] = edge
		}
	}
	return over
}

// carry adds what lies beyond to the parts of the drivers that go there, once all others are there.
func (f *future) carry(over []single.Excess, groups []string, parts []model.Component, at func(*model.Component) *float64) {
	total := 0.0
	for i := range parts {
		total += *at(&parts[i])
	}
	level, so := total/f.s.Scale.Size, total
	for _, e := range over {
		next := so * single.Beyond(level, []single.Excess{e})
		*at(&parts[slices.Index(groups, f.s.Pool.Ahead.Columns[e.Column].Group)]) += next - so
		so = next
	}
}
