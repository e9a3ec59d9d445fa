package neural

import (
	"slices"

	"paperkettle/core/model/outlook"
	"paperkettle/core/num/net"
	"paperkettle/core/num/tensor"
)

// roll gives a network's quantiles of some windows, a row a window and step, in the measure's
// unit with drivers and events taken out: all steps at once, or one after another, each from the
// medians of those before.
func (k *task) roll(t *tape, some []window, horizon int) tensor.Matrix[float64] {
	out := tensor.New[float64](len(some)*horizon, len(outlook.Probs))
	if !k.lay.Onward {
		steps := make([]int, 0, len(some)*horizon)
		for range some {
			for h := range horizon {
				steps = append(steps, h+1)
			}
		}
		t.Reset(nil)
		q := k.net.forward(t, k.assemble(t, some, steps, horizon, nil, nil))
		for r, w := range some {
			for h := range horizon {
				k.units(w, q.Row(r*horizon+h), out.Row(r*horizon+h))
			}
		}
		return out
	}
	// A sequence for each window, for two of one series go on apart.
	own := *k
	own.list = make([]*sequence, len(some))
	at := make([]window, len(some))
	for r, w := range some {
		own.list[r], at[r] = k.list[w.series].until(int(w.n)), window{int32(r), w.n}
	}
	first := slices.Repeat([]int{1}, len(at))
	for h := range horizon {
		t.Reset(nil)
		q := k.net.forward(t, own.assemble(t, at, first, 1, nil, nil))
		for r, w := range at {
			row := out.Row(r*horizon + h)
			own.units(w, q.Row(r), row)
			own.list[r].take(row[outlook.Middle])
			at[r].n++
		}
	}
	return out
}

// units turns quantiles in units above a window's level into the measure's unit.
func (k *task) units(w window, q []float32, out []float64) {
	p, _ := k.lay.at(k.list[w.series], int(w.n))
	if kind := k.net.Shape.Out; kind != "" {
		row := [net.Shape]float64{float64(q[0]), float64(q[1]), float64(q[2])}
		distributions[kind].Quantiles(row, net.Scale{Level: p.level, Unit: p.unit}, outlook.Probs, out)
		for j, v := range out {
			out[j] = p.level + p.unit*v
		}
		return
	}
	for j, v := range q {
		out[j] = p.level + p.unit*float64(v)
	}
}

// until is the sequence as an origin knows it, to go on from.
func (q *sequence) until(n int) *sequence {
	out := *q
	out.z = slices.Clone(q.z[:n])
	for k := range q.smooth {
		if n == len(q.z) {
			out.smooth[k] = q.smooth[k].Clone()
		} else {
			out.smooth[k] = outlook.Smooth(out.z, q.season, outlook.Rates[k])
		}
	}
	return &out
}

// take goes on by a value.
func (q *sequence) take(y float64) {
	q.z = append(q.z, y)
	for k := range q.smooth {
		q.smooth[k].Take(y)
	}
}

// tapeOf is a worker's tape for a network.
func tapeOf(tapes []*tape, k int, n *Network) *tape {
	if tapes[k] == nil {
		tapes[k] = net.NewTape(n.weights)
	}
	return tapes[k]
}
