package neural

import (
	"fmt"
	"math/rand/v2"

	"paperkettle/core/num"
	"paperkettle/core/num/net"
)

// probs are the quantiles that a network forecasts, and shares what each counts for in the loss.
var (
	probs  = []float64{0.025, 0.05, 0.1, 0.25, 0.5, 0.75, 0.9, 0.95, 0.975}
	shares = []float64{0.04, 0.06, 0.1, 0.17, 0.26, 0.17, 0.1, 0.06, 0.04}
	// zs are the probabilities on the normal scale.
	zs = func() (out []float64) {
		for _, p := range probs {
			out = append(out, num.NormalQuantile(p))
		}
		return out
	}()
)

const middle = 4 // place of the median

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
}

// dense is a product and an offset.
type dense struct{ w, b net.Weight }

func newDense(s *store, name string, in, out int, gain float64) dense {
	return dense{s.Matrix(name, in, out, gain), s.Vector(name+" offset", out, 0)}
}

func (d dense) on(t *tape, x *value) *value {
	return t.Dense(x, t.Weight(d.w), t.Weight(d.b))
}

// residual is a block that adds to what it is given.
//
// Source: He and others, Identity mappings in deep residual networks, ECCV 2016.
type residual struct {
	gain, offset net.Weight
	in, out      dense
}

func newResidual(s *store, name string, units int) residual {
	return residual{s.Vector(name+" gain", units, 1), s.Vector(name+" norm", units, 0), newDense(s, name+" in", units, units, 2), newDense(s, name+" out", units, units, 0.1)}
}

func (r residual) on(t *tape, x *value, drop float64) *value {
	y := t.Norm(x, t.Weight(r.gain), t.Weight(r.offset))
	return t.Add(x, r.out.on(t, t.Drop(t.Smooth(r.in.on(t, y)), drop)))
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
	enter   dense
	blocks  []residual
	cells   []cell
	tell    dense
	first   dense
	second  []residual
	mix     dense
	quant   dense
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
		n.enter = newDense(s, "enter", sh.Past+extra, sh.Units, 1)
	} else {
		wide := sh.Around + 2
		for k := range sh.Layers {
			n.cells = append(n.cells, newCell(s, fmt.Sprintf("cell %d", k), sh.Kind, wide, sh.Units))
			wide = sh.Units
		}
		n.enter = newDense(s, "enter", sh.Units+sh.Past-2*sh.Window+extra, sh.Units, 1)
	}
	for k := range max(1, sh.Layers) {
		n.blocks = append(n.blocks, newResidual(s, fmt.Sprintf("block %d", k), sh.Units))
	}
	n.tell = newDense(s, "tell", sh.Units, told, 1)
	n.first = newDense(s, "step", told+sh.Step, decoder, 1)
	for k := range 2 {
		n.second = append(n.second, newResidual(s, fmt.Sprintf("step block %d", k), decoder))
	}
	n.mix = newDense(s, "mix", decoder, anchors, 0.1)
	n.quant = newDense(s, "quantiles", decoder, len(probs), 0.02)
	return n
}

// batch is windows, and steps of each.
type batch struct {
	past   *value   // a row a window
	around []*value // of recurrent networks: a row a window and period, period by period
	codes  [][]int  // by attribute
	steps  *value   // rows of steps, window by window
	each   int      // steps a window
	length int      // periods of around
}

// forward gives the quantiles of every step, in units above the level.
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
	x := n.enter.on(t, t.Beside(parts...))
	for _, r := range n.blocks {
		x = r.on(t, x, n.Shape.Dropout)
	}
	x = t.Repeat(n.tell.on(t, t.Smooth(x)), b.each)
	y := n.first.on(t, t.Beside(x, b.steps))
	for _, r := range n.second {
		y = r.on(t, y, n.Shape.Dropout)
	}
	y = t.Smooth(y)
	plain := t.Columns(b.steps, n.Shape.Step-anchors-lags, n.Shape.Step-lags)
	base := t.Sum(t.Times(t.Softmax(n.mix.on(t, y)), plain))
	q := n.quant.on(t, y)
	return t.Rising(t.Beside(t.Columns(q, 0, middle), t.Add(base, t.Columns(q, middle, middle+1)), t.Columns(q, middle+1, len(probs))))
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
	c := cell{kind: kind, in: s.Matrix(name+" in", in, gates*units, 1), own: s.Matrix(name+" own", units, gates*units, 1), offset: s.Vector(name+" offset", gates*units, 0)}
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
