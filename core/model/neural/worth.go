package neural

import (
	"cmp"
	"context"
	"math"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/num/net"
	"paperkettle/core/num/tensor"
)

// inputs is a group of what a network sees.
type inputs struct {
	name, meaning string
	past          [2]int // columns of a window, from and to
	steps         []int  // columns of a step
}

// groups lists them.
func (l *Layout) groups() []inputs {
	wide := len(l.Recipe.Columns)
	list := []inputs{{name: "own past", meaning: "the last values, one by one, and means of earlier seasons", past: [2]int{0, l.pastWidth()}}}
	plain := inputs{name: "plain forecasts", meaning: "simple forecasts of the step, how they did lately, and the last values of its place " +
		"in the season"}
	for k := range anchors + lags + anchors {
		plain.steps = append(plain.steps, wide+len(l.Drivers)+3+k)
	}
	list = append(list, plain)
	for k := range l.Recipe.Columns {
		c := &l.Recipe.Columns[k]
		at := slices.IndexFunc(list, func(g inputs) bool { return g.name == c.Group })
		if at < 0 {
			at = len(list)
			list = append(list, inputs{name: c.Group, meaning: "what is known of it ahead"})
		}
		list[at].steps = append(list[at].steps, k)
		if j := slices.Index(l.Drivers, k); j >= 0 {
			list[at].steps = append(list[at].steps, wide+j)
		}
	}
	return list
}

const (
	mostJudged = 480 // held-out windows by which inputs are judged
	judgedOnce = 24  // of them in one go, among which values change places
)

// worths are by how much the loss of held-out windows rises where what a network sees changes
// places among them.
//
// Source: Fisher, Rudin and Dominici, Journal of Machine Learning Research 20 (2019).
func (k *task) worths(ctx context.Context, workers int, held []window) ([]model.Worth, error) {
	// Windows of different series and times are together in a block.
	blocks := min(mostJudged, len(held)) / judgedOnce
	if blocks == 0 {
		return nil, nil
	}
	list := k.lay.groups()
	before := make([]float64, blocks)
	rises := make([][]float64, len(list))
	for g := range rises {
		rises[g] = make([]float64, blocks)
	}
	h := k.lay.Horizon
	all := *k
	all.cut = k.whole
	err := num.EachWith(ctx, workers, blocks, func() *tape { return net.NewTape(k.net.weights) }, func(t *tape, b int) {
		some, steps := make([]window, judgedOnce), []int{}
		for r := range some {
			some[r] = held[(b+r*blocks)*len(held)/(blocks*judgedOnce)]
			for s := range h {
				steps = append(steps, s+1)
			}
		}
		loss := func(g int) float64 {
			t.Reset(nil)
			targets, weights := make([]float32, len(steps)), make([]float32, len(steps))
			made := all.assemble(t, some, steps, h, targets, weights)
			if g >= 0 {
				list[g].exchange(made)
			}
			n := 0.0
			for _, w := range weights {
				n += float64(w)
			}
			return float64(k.lossOf(t, made, targets, weights).Data[0]) / max(n, 1)
		}
		before[b] = loss(-1)
		for g := range list {
			rises[g][b] = loss(g) - before[b]
		}
	})
	if err != nil {
		return nil, err
	}
	usual, total := max(mean(before), 1e-12), 0.0
	out := make([]model.Worth, len(list))
	for g, x := range list {
		m, squares := mean(rises[g]), 0.0
		for _, v := range rises[g] {
			squares += (v - m) * (v - m)
		}
		sd := math.Sqrt(squares / max(1, float64(blocks-1)) / float64(blocks))
		out[g] = model.Worth{Name: x.name, Meaning: x.meaning, Rise: m / usual, Sd: sd / usual}
		total += max(0, m)
	}
	for g := range out {
		out[g].Share = max(0, out[g].Rise) * usual / max(total, 1e-12)
	}
	slices.SortStableFunc(out, func(a, b model.Worth) int { return cmp.Compare(b.Rise, a.Rise) })
	return out, nil
}

// exchange moves the group's values on by some windows.
func (g inputs) exchange(b batch) {
	const by = 7
	turn := func(m tensor.Matrix[float32], columns []int, each int) {
		kept := slices.Clone(m.Data)
		rows := m.Rows / each
		for r := range rows {
			from := (r + by) % rows
			for s := range each {
				for _, c := range columns {
					m.Row(r*each + s)[c] = kept[(from*each+s)*m.Stride+c]
				}
			}
		}
	}
	if g.steps != nil {
		turn(b.steps.Matrix, g.steps, b.each)
		return
	}
	var columns []int
	for c := g.past[0]; c < g.past[1]; c++ {
		columns = append(columns, c)
	}
	turn(b.past.Matrix, columns, 1)
	if b.around == nil {
		return
	}
	m := b.around[0].Matrix // period by period
	rows := m.Rows / b.length
	for s := range b.length {
		turn(m.Part(s*rows, (s+1)*rows), []int{0, 1}, 1)
	}
}

func mean(x []float64) float64 {
	sum := 0.0
	for _, v := range x {
		sum += v
	}
	return sum / float64(max(1, len(x)))
}
