package boost

import (
	"context"
	"math"
	"math/bits"
	"math/rand/v2"
	"slices"
	"sync"

	"paperkettle/core/num"
)

// grower grows the trees of one model.
type grower struct {
	s        Settings
	d        Data
	b        *binned
	workers  int
	outputs  int
	f        []float64 // predictions, a row's outputs one after another
	g, h     []float32 // derivatives, of rows; h nil where all second ones are 1
	units    []int16   // gradients of rows, rounded
	curves   []int64
	order    []int32 // rows, those of a leaf together
	room     []int32
	cuts     []uint8 // of the nodes of the tree that is grown
	steps    steps   // of that tree
	free     chan *histogram
	allowed  [][]bool // by column, the columns that may be split on with it; nil for all
	weighted bool     // or curved: second derivatives differ
}

func newGrower(s Settings, d Data, b *binned, workers int) *grower {
	n := b.rows
	g := &grower{s: s, d: d, b: b, workers: workers, outputs: s.Loss.outputs(), g: make([]float32, n), units: make([]int16, n),
		order: make([]int32, n), room: make([]int32, n), weighted: d.Weights != nil || s.Loss.curved(), free: make(chan *histogram, s.Leaves+workers+2)}
	g.f = make([]float64, n*g.outputs)
	if g.weighted {
		g.curves, g.h = make([]int64, n), make([]float32, n)
	}
	if len(s.Together) > 0 {
		g.allowed = make([][]bool, b.columns)
		for k := range g.allowed {
			g.allowed[k] = make([]bool, b.columns)
			g.allowed[k][k] = true
		}
		for _, set := range s.Together {
			for _, a := range set {
				for _, c := range set {
					g.allowed[a][c] = true
				}
			}
		}
	}
	return g
}

// borrow gives a histogram to write to, and give takes it back.
func (g *grower) borrow() *histogram {
	select {
	case h := <-g.free:
		return h
	default:
		return newHistogram(g.b.columns, g.weighted)
	}
}

func (g *grower) give(h *histogram) {
	select {
	case g.free <- h:
	default:
	}
}

// leafNode is a leaf that may be split.
type leafNode struct {
	node     int32
	from, to int // in order
	depth    int
	all      side
	h        *histogram
	best     split
	columns  []bool // that its path allows; nil for all
}

// stripe is how many rows a worker takes at a time.
const stripe = 8192

func (g *grower) eachStripe(ctx context.Context, n int, f func(from, to int)) error {
	return num.Each(ctx, g.workers, (n+stripe-1)/stripe, func(k int) { f(k*stripe, min((k+1)*stripe, n)) })
}

// derive finds the derivatives of all rows at an output, and rounds them to units.
func (g *grower) derive(ctx context.Context, output int) (sc *scorer, err error) {
	n := g.b.rows
	stripes := (n + stripe - 1) / stripe
	tops := make([][2]float64, stripes)
	loss := &g.s.Loss
	err = num.Each(ctx, g.workers, stripes, func(k int) {
		var top [2]float64 // of its own, since two workers' places would lie side by side
		for i := k * stripe; i < min((k+1)*stripe, n); i++ {
			a, c := loss.derivatives(float64(g.d.Target[i]), g.f[i*g.outputs+output], output)
			if g.h != nil {
				w := weight(g.d.Weights, i)
				a, c = a*w, c*w
				g.h[i] = float32(c)
				top[1] = max(top[1], c)
			}
			g.g[i] = float32(a)
			top[0] = max(top[0], math.Abs(a))
		}
		tops[k] = top
	})
	if err != nil {
		return nil, err
	}
	var most [2]float64
	for _, t := range tops {
		most[0], most[1] = max(most[0], t[0]), max(most[1], t[1])
	}
	sc = &scorer{gUnit: unitOf(most[0]), hUnit: 1, squares: g.s.Squares, sizes: g.s.Sizes, fewest: g.s.FewestRows}
	if g.weighted {
		sc.hUnit = unitOf(most[1])
	}
	return sc, g.eachStripe(ctx, n, func(from, to int) {
		for i := from; i < to; i++ {
			g.units[i] = int16(math.Round(float64(g.g[i]) / sc.gUnit))
		}
		if !g.weighted {
			return
		}
		for i := from; i < to; i++ {
			g.curves[i] = int64(math.Round(float64(g.h[i]) / sc.hUnit))
		}
	})
}

// tree grows one tree on the derivatives at an output, and adds it to the predictions.
func (g *grower) tree(ctx context.Context, from *rand.PCG, output int) (*Branches, error) {
	var rows []int32
	var columns []bool
	var drawn sync.WaitGroup
	drawn.Go(func() { // one draw waits for the one before, and none for the derivatives
		rows = g.sample(from)
		columns = g.columns(rand.New(from))
	})
	sc, err := g.derive(ctx, output)
	drawn.Wait()
	if err != nil {
		return nil, err
	}
	t := &Branches{}
	root := &leafNode{node: t.add(g.outputs), from: 0, to: len(rows), columns: columns}
	g.cuts = append(g.cuts[:0], 0)
	root.h = g.borrow()
	if err := g.fill(ctx, root.h, rows); err != nil {
		return nil, err
	}
	root.all = root.h.all()
	if err := g.judge(ctx, sc, root); err != nil {
		return nil, err
	}
	leaves := []*leafNode{root}
	for len(leaves) < g.s.Leaves {
		at := g.pick(leaves)
		if at < 0 {
			break
		}
		l := leaves[at]
		left, right, err := g.part(ctx, sc, t, l, rows)
		if err != nil {
			return nil, err
		}
		leaves[at] = left
		leaves = append(leaves, right)
	}
	err = num.Each(ctx, g.workers, len(leaves), func(k int) { g.settle(t, leaves[k], rows) })
	for _, l := range leaves {
		if l.h != nil {
			g.give(l.h)
		}
	}
	if err != nil {
		return nil, err
	}
	g.inner(t, 0)
	g.direct(t)
	return t, g.add(ctx, t, leaves, rows)
}

// add adds a tree to the predictions of all rows. Of those that it was grown on the leaf is known; the others, which
// lie behind them in order, have to look for theirs.
func (g *grower) add(ctx context.Context, t *Branches, leaves []*leafNode, rows []int32) error {
	err := num.Each(ctx, g.workers, len(leaves), func(k int) {
		own := rows[leaves[k].from:leaves[k].to]
		if g.outputs == 1 {
			v := float64(t.Value[leaves[k].node])
			for _, i := range own {
				g.f[i] += v
			}
			return
		}
		for _, i := range own {
			g.move(t, i, leaves[k].node)
		}
	})
	if err != nil {
		return err
	}
	others, way := g.order[len(rows):], g.way(t)
	return g.eachStripe(ctx, len(others), func(from, to int) {
		for _, i := range others[from:to] {
			g.move(t, i, way.leafOf(g.b, int(i), way.places[0]))
		}
	})
}

// way is the splits of the tree that was grown last.
func (g *grower) way(t *Branches) *steps {
	g.steps.list, g.steps.sets = g.steps.list[:0], g.steps.sets[:0]
	g.steps.take(t, g.cuts)
	return &g.steps
}

func (g *grower) move(t *Branches, row, leaf int32) {
	v := t.Value[int(leaf)*g.outputs:]
	for k := range g.outputs {
		g.f[int(row)*g.outputs+k] += float64(v[k])
	}
}

// sample lists the rows that a tree is grown on; the others come behind them in order.
func (g *grower) sample(from *rand.PCG) []int32 {
	n := g.b.rows
	if g.s.RowShare >= 1 {
		for i := range g.order {
			g.order[i] = int32(i)
		}
		return g.order
	}
	want := max(1, int(g.s.RowShare*float64(n)))
	in, out := 0, 0
	for i := range n { // each set of rows is as likely as another (Knuth, 3.4.2, S)
		g.order[in], g.room[out] = int32(i), int32(i)
		taken := int(uint(below(from, n-i)-(want-in)) >> (bits.UintSize - 1)) // 1 where below; nobody can guess which
		in += taken
		out += 1 - taken
	}
	copy(g.order[in:], g.room[:out])
	return g.order[:in]
}

// below draws a number from 0 up to, and not with, n, each as likely as another: as rand.Rand.IntN does, without asking
// what the source is at every row (Lemire, ACM Transactions on Modeling and Computer Simulation 29, 2019).
func below(from *rand.PCG, n int) int {
	m := uint64(n)
	if m&(m-1) == 0 {
		return int(from.Uint64() & (m - 1))
	}
	high, low := bits.Mul64(from.Uint64(), m)
	if low < m {
		for least := -m % m; low < least; {
			high, low = bits.Mul64(from.Uint64(), m)
		}
	}
	return int(high)
}

// columns lists those that a tree may split on; nil for all.
func (g *grower) columns(rnd *rand.Rand) []bool {
	if g.s.ColumnShare >= 1 {
		return nil
	}
	out := make([]bool, g.b.columns)
	for _, k := range rnd.Perm(g.b.columns)[:max(1, int(math.Ceil(g.s.ColumnShare*float64(g.b.columns))))] {
		out[k] = true
	}
	return out
}

// judge finds a leaf's best split.
func (g *grower) judge(ctx context.Context, sc *scorer, l *leafNode) error {
	l.best = split{}
	if l.to-l.from < 2*g.s.FewestRows || g.s.Depth > 0 && l.depth >= g.s.Depth {
		return nil
	}
	found := make([]split, g.b.columns)
	one := func(k int) {
		if l.columns == nil || l.columns[k] {
			found[k] = sc.best(l.h, k, &g.b.scales[k], g.d.Table.Columns[k].Direction, l.all)
		}
	}
	for k := range found {
		one(k)
	}
	for _, s := range found {
		if s.gain > l.best.gain && s.gain > g.s.LeastGain {
			l.best = s
		}
	}
	return ctx.Err()
}

// pick is the place of the leaf to split next, or -1.
func (g *grower) pick(leaves []*leafNode) int {
	at := -1
	for i, l := range leaves {
		switch {
		case l.best.gain <= 0:
		case at < 0:
			at = i
		case g.s.ByDepth && l.depth < leaves[at].depth:
			at = i
		case (!g.s.ByDepth || l.depth == leaves[at].depth) && l.best.gain > leaves[at].best.gain:
			at = i
		}
	}
	return at
}

// part splits a leaf. The smaller part's histogram is made of its rows, the other's of what
// remains.
func (g *grower) part(ctx context.Context, sc *scorer, t *Branches, l *leafNode, rows []int32) (left, right *leafNode, err error) {
	s := l.best
	n := l.node
	t.Column[n], t.Gain[n], t.Unknown[n] = int32(s.column), float32(s.gain*0.5), s.unknown
	g.cuts[n] = s.cut
	scale := &g.b.scales[s.column]
	if s.isSet {
		t.Sets = append(t.Sets, s.set)
		t.Set[n] = int32(len(t.Sets))
	} else if int(s.cut) < len(scale.Edges) {
		t.Cut[n] = scale.Edges[s.cut]
	} else {
		t.Cut[n] = math.MaxFloat32 // all that is known; JSON has no infinity
	}
	t.Left[n], t.Right[n] = t.add(g.outputs), t.add(g.outputs)
	g.cuts = append(g.cuts, 0, 0)
	mid := l.from + g.divide(rows[l.from:l.to], s)
	allowed := l.columns
	if g.allowed != nil {
		allowed = slices.Clone(g.allowed[s.column])
		if l.columns != nil {
			for k := range allowed {
				allowed[k] = allowed[k] && l.columns[k]
			}
		}
	}
	left = &leafNode{node: t.Left[n], from: l.from, to: mid, depth: l.depth + 1, columns: allowed}
	right = &leafNode{node: t.Right[n], from: mid, to: l.to, depth: l.depth + 1, columns: allowed}
	small, large := left, right
	if right.to-right.from < left.to-left.from {
		small, large = right, left
	}
	large.h, l.h = l.h, nil
	if max(left.to-left.from, right.to-right.from) >= 2*g.s.FewestRows {
		small.h = g.borrow()
		if err := g.fill(ctx, small.h, rows[small.from:small.to]); err != nil {
			return nil, nil, err
		}
		large.h.less(small.h)
		small.all, large.all = small.h.all(), large.h.all()
		if err := g.judge(ctx, sc, small); err != nil {
			return nil, nil, err
		}
		err = g.judge(ctx, sc, large)
	}
	return left, right, err
}

// divide moves the rows that go left before the others, each part in its order.
func (g *grower) divide(rows []int32, s split) int {
	bins := g.b.byColumn[s.column]
	var goes [256]int // 1 for left
	for b := range goes {
		left := b <= int(s.cut)
		if b == unknownBin {
			left = s.unknown
		} else if s.isSet {
			left = s.set[b>>6]>>(b&63)&1 == 1
		}
		if left {
			goes[b] = 1
		}
	}
	room := g.room[:len(rows)]
	left, right := 0, 0
	for _, i := range rows { // to both sides, and counted on one: nobody can guess which it will be
		rows[left], room[right] = i, i
		to := goes[bins[i]]
		left += to
		right += 1 - to
	}
	copy(rows[left:], room[:right])
	return left
}

// settle gives a leaf its values.
func (g *grower) settle(t *Branches, l *leafNode, all []int32) {
	rows := all[l.from:l.to]
	cover, gs, hs := float64(len(rows)), 0.0, float64(len(rows))
	for _, i := range rows {
		gs += float64(g.g[i])
	}
	if g.h != nil {
		cover, hs = 0, 0
		for _, i := range rows {
			cover += weight(g.d.Weights, int(i))
			hs += float64(g.h[i])
		}
	}
	t.Cover[l.node] = float32(cover)
	for k := range g.outputs {
		v, ok := g.s.Loss.leaf(rows, g.d, g.f, g.outputs, k)
		if ok {
			v *= cover / (cover + g.s.Squares)
		} else {
			if g.s.Sizes > 0 {
				gs = math.Copysign(max(0, math.Abs(gs)-g.s.Sizes), gs)
			}
			if c := hs + g.s.Squares; c > 0 {
				v = -gs / c
			}
			if g.s.Loss.counts() {
				v = max(-4, min(4, v)) // a step in logarithms stays one that the curve can tell
			}
		}
		t.Value[int(l.node)*g.outputs+k] = float32(g.s.Rate * v)
	}
}

// inner gives the nodes above the leaves the mean of what is below them.
func (g *grower) inner(t *Branches, n int32) {
	if t.Left[n] == 0 {
		return
	}
	l, r := t.Left[n], t.Right[n]
	g.inner(t, l)
	g.inner(t, r)
	t.Cover[n] = t.Cover[l] + t.Cover[r]
	for k := range g.outputs {
		a, b := t.Value[int(l)*g.outputs+k], t.Value[int(r)*g.outputs+k]
		if c := t.Cover[n]; c > 0 {
			t.Value[int(n)*g.outputs+k] = (a*t.Cover[l] + b*t.Cover[r]) / c
		}
	}
}

// direct keeps the promise of columns that have a direction: at each of their splits, no value on
// the lower side lies above one on the upper side, or both are held to the middle between them.
func (g *grower) direct(t *Branches) {
	any := false
	for k := range g.d.Table.Columns {
		any = any || g.d.Table.Columns[k].Direction != 0
	}
	if !any {
		return
	}
	for n := range t.Column { // those above come before those below
		d := g.d.Table.Columns[t.Column[n]].Direction
		if t.Left[n] == 0 || d == 0 {
			continue
		}
		low, high := t.Left[n], t.Right[n]
		if d < 0 {
			low, high = high, low
		}
		for k := range g.outputs {
			top, bottom := g.extreme(t, low, k, 1), g.extreme(t, high, k, -1)
			if top > bottom {
				mid := bottom + (top-bottom)/2
				g.hold(t, low, k, func(v float32) float32 { return min(v, mid) })
				g.hold(t, high, k, func(v float32) float32 { return max(v, mid) })
			}
		}
	}
	g.inner(t, 0)
}

func (g *grower) extreme(t *Branches, n int32, output int, sign float32) float32 {
	if t.Left[n] == 0 {
		return t.Value[int(n)*g.outputs+output]
	}
	return sign * max(sign*g.extreme(t, t.Left[n], output, sign), sign*g.extreme(t, t.Right[n], output, sign))
}

func (g *grower) hold(t *Branches, n int32, output int, f func(float32) float32) {
	if t.Left[n] == 0 {
		at := int(n)*g.outputs + output
		t.Value[at] = f(t.Value[at])
		return
	}
	g.hold(t, t.Left[n], output, f)
	g.hold(t, t.Right[n], output, f)
}
