package neural

import (
	"fmt"
	"math/rand/v2"

	"paperkettle/core/model/outlook"
	"paperkettle/core/num/net"
)

type (
	tape  = net.Tape[float32]
	value = net.Value[float32]
	store = net.Store[float32]
)

// Shape is all that a network's weights are laid out by.
type Shape struct {
	Kind    string // perceptron, lstm or gru
	Units   int
	Layers  int
	Past    int   // width of a window
	Window  int   // of the values one by one
	Around  int   // width of what is known ahead, of a period
	Step    int   // width of a step
	Tables  []int // values of the attributes
	Dropout float64
	Out     string // the distribution that steps have; empty for quantiles
}

// Sizes of the decoder, which all kinds of networks share.
const (
	told    = 48 // numbers that a window tells its steps
	decoder = 64
	embed   = 4
	trends  = 3 // bases of the trend, and
	rounds  = 4 // of the season's
)

// Network is the layers of a shape, by their weights' places in a store.
type Network struct {
	Shape   Shape
	tables  []net.Weight
	enter   net.Linear
	blocks  []net.Residual
	cells   []cell
	tell    net.Linear
	first   net.Linear
	second  []net.Residual
	mix     net.Linear
	quant   net.Linear
	weights *store
}

// newNetwork lays a network out, with weights drawn from a stream, or zeros.
func newNetwork(sh Shape, rnd *rand.Rand) *Network {
	s := net.NewStore[float32](rnd)
	n := &Network{Shape: sh, weights: s}
	for k, size := range sh.Tables {
		n.tables = append(n.tables, s.Matrix(fmt.Sprintf("attribute %d", k), size, embed, 0.1))
	}
	extra := embed * len(sh.Tables)
	if sh.Kind == kindPerceptron {
		n.enter = s.Linear("enter", sh.Past+extra, sh.Units, 1)
	} else {
		wide := sh.Around + 2
		for k := range sh.Layers {
			n.cells = append(n.cells, newCell(s, fmt.Sprintf("cell %d", k), sh.Kind, wide, sh.Units))
			wide = sh.Units
		}
		n.enter = s.Linear("enter", sh.Units+sh.Past-2*sh.Window+extra, sh.Units, 1)
	}
	for k := range max(1, sh.Layers) {
		n.blocks = append(n.blocks, s.Residual(fmt.Sprintf("block %d", k), sh.Units))
	}
	n.tell = s.Linear("tell", sh.Units, told, 1)
	n.first = s.Linear("step", told+sh.Step-anchors, decoder, 1)
	for k := range 2 {
		n.second = append(n.second, s.Residual(fmt.Sprintf("step block %d", k), decoder))
	}
	n.mix = s.Linear("mix", decoder+anchors, anchors, 0.1)
	for k := range anchors { // a plain forecast counts the less the worse it did
		s.Data(n.mix.W)[(decoder+k)*anchors+k] = startWeight
	}
	wide := len(outlook.Probs)
	if sh.Out != "" {
		wide = net.Shape
	}
	n.quant = s.Linear("quantiles", decoder, wide, 0.02)
	return n
}

// batch is windows, and steps of each.
type batch struct {
	past   *value      // a row a window
	around []*value    // of recurrent networks: a row a window and period, period by period
	codes  [][]int     // by attribute
	steps  *value      // rows of steps, window by window
	scales []net.Scale // of each step, where it has a distribution
	each   int         // steps a window
	length int         // periods of around
}

// forward gives the quantiles of every step, in units above the level, or what its distribution is
// laid out by.
func (n *Network) forward(t *tape, b batch) *value {
	parts := []*value{b.past}
	if n.cells != nil {
		x := b.around[0]
		for _, c := range n.cells {
			x = t.Drop(c.on(t, x, b.length), n.Shape.Dropout)
		}
		rows := b.past.Rows
		parts = []*value{t.Rows(x, (b.length-1)*rows, b.length*rows), t.Columns(b.past, 2*n.Shape.Window, n.Shape.Past)}
	}
	for k, w := range n.tables {
		parts = append(parts, t.Embed(t.Weight(w), b.codes[k]))
	}
	x := t.Linear(t.Beside(parts...), n.enter)
	for _, r := range n.blocks {
		x = t.Residual(x, r, n.Shape.Dropout)
	}
	x = t.Repeat(t.Linear(t.Smooth(x), n.tell), b.each)
	step := n.Shape.Step
	y := t.Linear(t.Beside(x, t.Columns(b.steps, 0, step-anchors)), n.first)
	for _, r := range n.second {
		y = t.Residual(y, r, n.Shape.Dropout)
	}
	y = t.Smooth(y)
	plain, did := t.Columns(b.steps, step-2*anchors-lags, step-anchors-lags), t.Columns(b.steps, step-anchors, step)
	base := t.Sum(t.Times(t.Softmax(t.Linear(t.Beside(y, did), n.mix)), plain))
	q := t.Linear(y, n.quant)
	if step := n.Shape.Out; step != "" {
		return t.Beside(t.Add(base, t.Columns(q, 0, 1)), t.Columns(q, 1, net.Shape))
	}
	return t.Rising(t.Beside(t.Columns(q, 0, outlook.Middle), t.Add(base, t.Columns(q, outlook.Middle, outlook.Middle+1)),
		t.Columns(q, outlook.Middle+1, len(outlook.Probs))))
}

// The kinds of networks.
const (
	kindPerceptron = "perceptron"
	kindLSTM       = "lstm"
	kindGRU        = "gru"
)

// cell is a recurrent layer.
type cell struct {
	kind              string
	in, own           net.Weight
	offset, ownOffset net.Weight
}

func newCell(s *store, name, kind string, in, units int) cell {
	gates := 4
	if kind == kindGRU {
		gates = 3
	}
	c := cell{kind: kind, in: s.Matrix(name+" in", in, gates*units, 1), own: s.Matrix(name+" own", units, gates*units, 1),
		offset: s.Vector(name+" offset", gates*units, 0)}
	if kind == kindGRU {
		c.ownOffset = s.Vector(name+" own offset", gates*units, 0)
	}
	return c
}

func (c cell) on(t *tape, x *value, steps int) *value {
	if c.kind == kindGRU {
		return t.GRU(x, t.Weight(c.in), t.Weight(c.own), t.Weight(c.offset), t.Weight(c.ownOffset), steps)
	}
	return t.LSTM(x, t.Weight(c.in), t.Weight(c.own), t.Weight(c.offset), steps)
}
