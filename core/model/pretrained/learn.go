package pretrained

import (
	"context"
	"math"
	"math/rand/v2"

	"paperkettle/core/model/outlook"
	"paperkettle/core/num"
	"paperkettle/core/num/net"
	"paperkettle/core/panel"
)

// Lesson is a series to learn from: what is known at an origin, and what came then.
type Lesson struct {
	Values         []float64
	Known          int // values before the origin
	Season, Longer int
}

// picked is how many steps of a lesson are looked at.
const picked = 14

// ahead draws the steps of a lesson that are looked at: of a horizon that is itself drawn, so that
// near ones are learnt from more often.
func ahead(rnd *rand.Rand, most int) (out [picked]int) {
	reach := min(most, int(math.Exp(math.Log(4)+rnd.Float64()*math.Log(float64(max(5, most))/4))))
	for k := range out {
		out[k] = 1 + rnd.IntN(max(1, reach))
	}
	return out
}

// loss is the pinball loss over some lessons. An error counts by the geometric mean of what it is next
// to the spread of the values, and next to their usual change.
func (n *Network) loss(t *tape, lessons []Lesson, steps [][picked]int, share float32) *value {
	past, step := t.Room(len(lessons), pastWidth), t.Room(len(lessons)*picked, stepWidth)
	targets, weights := make([]float32, len(lessons)*picked), make([]float32, len(lessons)*picked)
	for r, l := range lessons {
		s, ok := look(l.Values[:l.Known], l.Season, l.Longer)
		if !ok {
			continue
		}
		s.fillPast(past.Row(r))
		weight := share / picked * float32(s.weight(l))
		for k, h := range steps[r] {
			row := r*picked + k
			s.fillStep(h, step.Row(row))
			if at := l.Known - 1 + h; at < len(l.Values) && panel.Known(l.Values[at]) {
				targets[row] = float32(max(-1e4, min(1e4, s.in(l.Values[at]))))
				weights[row] = weight
			}
		}
	}
	return t.Pinball(n.forward(t, t.Given(past), t.Given(step), picked), targets, weights, outlook.Probs, outlook.Shares)
}

// farthest is how many units off a future may be that counts in full.
const farthest = 30

// weight is what a unit's error counts for: less where values lie far around their level, and where
// the future is nothing that the past lets expect.
func (s *sight) weight(l Lesson) float64 {
	most := 0.0
	for _, y := range l.Values[l.Known:] {
		if panel.Known(y) {
			most = max(most, math.Abs(s.in(y)))
		}
	}
	return math.Sqrt(s.unit/s.spread) / max(1, most/farthest)
}

// Learner trains a network.
type Learner struct {
	*net.Trainer[float32]
	net  *Network
	seed uint64
}

// NewLearner starts from the network's weights.
func NewLearner(n *Network, s net.Settings) *Learner {
	return &Learner{net.NewTrainer(n.weights, s), n, s.Seed}
}

// Learn takes a step over a batch of lessons, which make gives by their place.
func (l *Learner) Learn(ctx context.Context, workers, batch int, make func(i int) Lesson) (float64, error) {
	step := l.Steps()
	return l.Step(ctx, workers, batch, func(t *tape, from, to int) *value {
		rnd := rand.New(rand.NewPCG(l.seed^0x5eed, uint64(step)<<16|uint64(from)))
		var lessons []Lesson
		var steps [][picked]int
		for i := from; i < to; i++ {
			one := make(i)
			lessons = append(lessons, one)
			steps = append(steps, ahead(rnd, len(one.Values)-one.Known))
		}
		return l.net.loss(t, lessons, steps, 1/float32(batch))
	})
}

// Settle puts the averaged weights in place.
func (l *Learner) Settle() error { return l.net.weights.Set(l.Averaged()) }

// Check is the mean loss over lessons, at steps that are the same every time.
func (n *Network) Check(ctx context.Context, workers int, lessons []Lesson) (float64, error) {
	const size = 64
	parts := (len(lessons) + size - 1) / size
	sums := make([]float64, parts)
	err := num.EachWith(ctx, workers, parts, func() *tape { return net.NewTape(n.weights) }, func(t *tape, b int) {
		some := lessons[b*size : min(len(lessons), (b+1)*size)]
		rnd := rand.New(rand.NewPCG(7, uint64(b)))
		steps := make([][picked]int, len(some))
		for i, l := range some {
			steps[i] = ahead(rnd, len(l.Values)-l.Known)
		}
		t.Reset(nil)
		sums[b] = float64(n.loss(t, some, steps, 1/float32(len(lessons))).Data[0])
	})
	total := 0.0
	for _, s := range sums {
		total += s
	}
	return total, err
}
