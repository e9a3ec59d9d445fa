// Package pretrained forecasts by a network that has learnt from made-up series, and sees a series
// for the first time when it forecasts it: nothing is fitted.
//
// The network sees the last values, means of whole seasons before them, and a few facts; a decoder
// that all steps share weighs plain forecasts of a step (last values, medians of its place in the
// season, levels with the season's deviation, smoothing), corrects their mix, and gives quantiles.
//
// Source: one network for series that it was not trained on: Oreshkin and others, AAAI 2021; robust
// seasonal levels: Hyndman and Athanasopoulos, Forecasting: Principles and Practice, 2021; mixed
// forecasts: Bates and Granger, Operational Research Quarterly 20 (1969).
package pretrained

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"sync"

	"paperkettle/core/model/outlook"
	"paperkettle/core/num/net"
	"paperkettle/core/num/tensor"
)

type (
	tape  = net.Tape[float32]
	value = net.Value[float32]
	store = net.Store[float32]
)

// Shape is all that the network's weights are laid out by.
type Shape struct {
	Units   int // of the blocks that read the past
	Blocks  int
	Told    int // numbers that a series tells its steps
	Decoder int // units of the blocks that forecast a step
}

// Usual is the shape that ships.
var Usual = Shape{Units: 288, Blocks: 3, Told: 64, Decoder: 96}

// Network is the layers, by their weights' places in a store.
type Network struct {
	Shape   Shape
	enter   net.Linear
	blocks  []net.Residual
	tell    net.Linear
	first   net.Linear
	second  []net.Residual
	mix     net.Linear
	quant   net.Linear
	weights *store
	tapes   sync.Pool
}

// New lays a network out, with weights drawn from a stream, or zeros.
func New(sh Shape, rnd *rand.Rand) *Network {
	s := net.NewStore[float32](rnd)
	n := &Network{Shape: sh, weights: s, enter: s.Linear("enter", pastWidth, sh.Units, 1)}
	for k := range sh.Blocks {
		n.blocks = append(n.blocks, s.Residual(fmt.Sprintf("block %d", k), sh.Units))
	}
	n.tell = s.Linear("tell", sh.Units, sh.Told, 1)
	n.first = s.Linear("step", sh.Told+stepWidth-anchors, sh.Decoder, 1)
	for k := range 2 {
		n.second = append(n.second, s.Residual(fmt.Sprintf("step block %d", k), sh.Decoder))
	}
	n.mix = s.Linear("mix", sh.Decoder+anchors, anchors, 0.1)
	for k := range anchors { // a plain forecast counts the less the worse it did
		s.Data(n.mix.W)[(sh.Decoder+k)*anchors+k] = -3
	}
	n.quant = s.Linear("quantiles", sh.Decoder, len(outlook.Probs), 0.02)
	return n
}

// Size is how many numbers the network is.
func (n *Network) Size() int { return n.weights.Size() }

// forward gives the quantiles of every step, in units above the level: a row a series of the past,
// and as many steps of each, series by series.
func (n *Network) forward(t *tape, past, steps *value, each int) *value {
	mix, q := n.parts(t, past, steps, each)
	base := t.Sum(t.Times(mix, t.Columns(steps, 0, anchors)))
	m := outlook.Middle
	return t.Rising(t.Beside(t.Columns(q, 0, m), t.Add(base, t.Columns(q, m, m+1)), t.Columns(q, m+1, len(outlook.Probs))))
}

// parts gives what each plain forecast of a step weighs, and what is added to their mix.
func (n *Network) parts(t *tape, past, steps *value, each int) (mix, q *value) {
	x := t.Linear(past, n.enter)
	for _, r := range n.blocks {
		x = t.Residual(x, r, 0)
	}
	x = t.Repeat(t.Linear(t.Smooth(x), n.tell), each)
	y := t.Linear(t.Beside(x, t.Columns(steps, anchors, stepWidth)), n.first)
	for _, r := range n.second {
		y = t.Residual(y, r, 0)
	}
	y = t.Smooth(y)
	return t.Softmax(t.Linear(t.Beside(y, t.Columns(steps, anchors, 2*anchors)), n.mix)), t.Linear(y, n.quant)
}

// tape gives one for the network, with the room that an earlier computation had; it is put back.
func (n *Network) tape() *tape {
	t, ok := n.tapes.Get().(*tape)
	if !ok {
		t = net.NewTape(n.weights)
	}
	t.Reset(nil)
	return t
}

// shown is what networks see of some series, and of steps ahead of each.
type shown struct {
	list        []*sight
	horizon     int
	past, steps tensor.Matrix[float32]
}

func show(t *tape, list []*sight, horizon int) shown {
	out := shown{list, horizon, t.Room(len(list), pastWidth), t.Room(len(list)*horizon, stepWidth)}
	for r, s := range list {
		s.fillPast(out.past.Row(r))
		for h := range horizon {
			s.fillStep(h+1, out.steps.Row(r*horizon+h))
		}
	}
	return out
}

// run gives the quantiles of all steps of some series, a row a series, step after step, in the
// measure's unit.
func (n *Network) run(x shown) [][]float64 {
	t := n.tape()
	defer n.tapes.Put(t)
	list, horizon := x.list, x.horizon
	q := n.forward(t, t.Given(x.past), t.Given(x.steps), horizon)
	out := make([][]float64, len(list))
	for r, s := range list {
		out[r] = make([]float64, horizon*wide)
		for h := range horizon {
			for j, v := range q.Row(r*horizon + h) {
				out[r][h*wide+j] = s.level + s.unit*float64(v)
			}
		}
	}
	return out
}

// Farthest is how many steps the network forecasts in one go.
const Farthest = 96

// wide is the number of quantiles of a step.
const wide = 9

// ahead gives the quantiles as run does; beyond the farthest step it goes on from its own medians, and
// what is doubted widens on as it did over the steps before.
func (n *Network) ahead(first shown, horizon int) [][]float64 {
	out := n.run(first)
	if horizon <= Farthest {
		return out
	}
	onward := make([]*sight, len(first.list))
	for r, s := range first.list {
		z := slices.Clone(s.z)
		for h := range Farthest {
			z = append(z, out[r][h*wide+outlook.Middle])
		}
		onward[r], _ = look(z, s.season, s.longer)
	}
	t := n.tape()
	defer n.tapes.Put(t)
	rest := n.ahead(show(t, onward, min(horizon-Farthest, Farthest)), horizon-Farthest)
	for r := range out {
		widen(out[r], rest[r])
		out[r] = append(out[r], rest[r]...)
	}
	return out
}

// widen makes the quantiles that come after some steps no narrower than those are at their end, and
// wider as these came to be over their second half.
func widen(before, rest []float64) {
	steps := len(before) / wide
	spread := func(h int) float64 {
		return (before[h*wide+outlook.High] - before[h*wide+outlook.Low])
	}
	half, end := 0.0, 0.0
	for k := range steps / 8 {
		half, end = half+spread(steps/2-1-k), end+spread(steps-1-k)
	}
	power := max(0, min(1, math.Log(max(end, 1e-300)/max(half, 1e-300))/math.Ln2))
	end /= float64(steps / 8)
	for h := range len(rest) / wide {
		row := rest[h*wide : (h+1)*wide]
		own := row[outlook.High] - row[outlook.Low]
		least := end * math.Pow(float64(steps+h+1)/float64(steps), power)
		if own >= least || own <= 0 {
			continue
		}
		for j := range row {
			if j != outlook.Middle {
				row[j] = row[outlook.Middle] + (row[j]-row[outlook.Middle])*least/own
			}
		}
	}
}

// clone is a copy that goes its own way.
func (n *Network) clone() *Network {
	out := New(n.Shape, nil)
	if err := out.weights.Set(n.weights.Values()); err != nil {
		panic(err) // it is laid out alike
	}
	return out
}

// Set puts weights in place, all one after another.
func (n *Network) Set(values []float32) error { return n.weights.Set(values) }
