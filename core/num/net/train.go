package net

import (
	"bytes"
	"cmp"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"

	"paperkettle/core/num"
)

// parts is into how many a batch is split, whatever the number of workers: their gradients are
// summed in their order.
const parts = 4

// Settings are those of a training.
type Settings struct {
	Rate    float64 // of learning, at its highest
	Steps   int     // over which the rate falls to a hundredth, along half a cosine
	Level   bool    // the rate stays instead, but where Slow lowers it
	Warm    int     // steps over which it rises before
	Decay   float64 // share of the rate by which weights are drawn towards zero
	Clip    float64 // length to which gradients are cut; 0 for never
	Average float64 // how much of the averaged weights stays at each step
	Seed    uint64  // of what dropout leaves out
}

// Trainer moves a store's weights.
//
// Source: Kingma and Ba, Adam, ICLR 2015; decay apart from the gradient and the cosine: Loshchilov
// and Hutter, ICLR 2017 and 2019; averaged weights: Polyak and Juditsky, SIAM Journal on Control
// and Optimization 30 (1992).
type Trainer[T Float] struct {
	store    *Store[T]
	settings Settings
	tapes    [parts]*Tape[T]
	state    State[T]
	sum      []T // of gradients, all weights one after another
}

// State is all that a training goes on from.
type State[T Float] struct {
	Step, Slowed                    int
	Values, Mean, Squares, Averaged []T
}

// ErrDiverged is where a loss or a gradient is no number any more.
var ErrDiverged = errors.New("the training diverged")

// NewTrainer starts from the store's weights.
func NewTrainer[T Float](s *Store[T], settings Settings) *Trainer[T] {
	n := s.Size()
	t := &Trainer[T]{store: s, settings: settings, sum: make([]T, n)}
	t.state = State[T]{Mean: make([]T, n), Squares: make([]T, n), Averaged: s.Values()}
	for i := range t.tapes {
		t.tapes[i] = NewTape(s)
	}
	return t
}

// Step takes a batch of n in four parts: loss gives the loss of those from one up to another.
func (t *Trainer[T]) Step(ctx context.Context, workers, n int, loss func(tape *Tape[T], from, to int) *Value[T]) (float64, error) {
	var losses [parts]float64
	err := num.Each(ctx, workers, parts, func(k int) {
		tape := t.tapes[k]
		tape.Reset(rand.New(rand.NewPCG(t.settings.Seed, uint64(t.state.Step)*parts+uint64(k))))
		from, to := k*n/parts, (k+1)*n/parts
		if from == to {
			return
		}
		v := loss(tape, from, to)
		losses[k] = float64(v.Data[0])
		tape.Back(v)
	})
	if err != nil || ctx.Err() != nil {
		return 0, errors.Join(err, ctx.Err())
	}
	total := 0.0
	for _, l := range losses {
		total += l
	}
	if math.IsNaN(total) || math.IsInf(total, 0) {
		return total, ErrDiverged
	}
	if ok, err := t.move(ctx, workers); err != nil || !ok {
		return total, cmp.Or(err, ErrDiverged)
	}
	return total, nil
}

// slowing is by how much Slow lowers the rate.
const slowing = 0.3

// Slow lowers the rate from here on, to three tenths: for a plateau, where held-out losses fall no
// more. Without Level it does nothing.
func (t *Trainer[T]) Slow() { t.state.Slowed++ }

// rate is the rate of learning at a step, after it was slowed some times.
func (s Settings) rate(step, slowed int) float64 {
	if step < s.Warm {
		return s.Rate * float64(step+1) / float64(s.Warm)
	}
	if s.Level {
		return s.Rate * math.Pow(slowing, float64(slowed))
	}
	along := min(1, float64(step-s.Warm)/float64(max(1, s.Steps-s.Warm)))
	return s.Rate * (0.01 + 0.99*0.5*(1+math.Cos(math.Pi*along)))
}

// slice is how many weights are moved in one go.
const slice = 1 << 13

// slices cuts the weights into stretches, in their order.
func (t *Trainer[T]) slices() (out []stretch) {
	at := 0
	for w := range t.store.list {
		n := len(t.store.list[w].Data)
		for from := 0; from < n; from += slice {
			to := min(n, from+slice)
			out = append(out, stretch{w, from, to, at + from})
		}
		at += n
	}
	return out
}

// stretch is some elements of a weight, and the place of the first among all.
type stretch struct{ weight, from, to, at int }

// move takes a step along the sum of the gradients; false where it is no number.
func (t *Trainer[T]) move(ctx context.Context, workers int) (bool, error) {
	list := t.slices()
	lengths := make([]float64, len(list))
	if err := num.Each(ctx, workers, len(list), func(k int) { lengths[k] = t.gather(list[k]) }); err != nil {
		return false, err
	}
	length := 0.0
	for _, l := range lengths {
		length += l
	}
	if length = math.Sqrt(length); math.IsNaN(length) || math.IsInf(length, 0) {
		return false, nil
	}
	cut := 1.0
	if t.settings.Clip > 0 && length > t.settings.Clip {
		cut = t.settings.Clip / length
	}
	rate := t.settings.rate(t.state.Step, t.state.Slowed)
	t.state.Step++
	return true, num.Each(ctx, workers, len(list), func(k int) { t.shift(list[k], T(cut), rate) })
}

// gather sums the tapes' gradients, and gives their squares' sum.
func (t *Trainer[T]) gather(s stretch) (squares float64) {
	sum := t.sum[s.at : s.at+s.to-s.from]
	copy(sum, t.tapes[0].grads[s.weight][s.from:s.to])
	for _, tape := range t.tapes[1:] {
		addTo(sum, tape.grads[s.weight][s.from:s.to])
	}
	for _, g := range sum {
		squares += float64(g) * float64(g)
	}
	return squares
}

// shift moves a stretch of weights.
func (t *Trainer[T]) shift(s stretch, cut T, rate float64) {
	const keepMean, keepSquares, tiny = 0.9, 0.99, 1e-8
	n := float64(t.state.Step)
	unMean, unSquares := T(rate/(1-math.Pow(keepMean, n))), T(1/(1-math.Pow(keepSquares, n)))
	stays := T(min(t.settings.Average, n/(n+9)))
	w := t.store.list[s.weight]
	decay := T(rate * t.settings.Decay)
	if w.free {
		decay = 0
	}
	values, sum := w.Data[s.from:s.to], t.sum[s.at:]
	means, squares, averaged := t.state.Mean[s.at:], t.state.Squares[s.at:], t.state.Averaged[s.at:]
	for i := range values {
		g := sum[i] * cut
		m := keepMean*means[i] + (1-keepMean)*g
		v := keepSquares*squares[i] + (1-keepSquares)*g*g
		if v < 1e-30 { // what is nearly nothing is slow to compute with
			v = 0
		}
		means[i], squares[i] = m, v
		x := values[i]
		x -= decay*x + unMean*m/(T(math.Sqrt(float64(v*unSquares)))+tiny)
		values[i] = x
		averaged[i] = stays*averaged[i] + (1-stays)*x
	}
}

// Averaged are the averaged weights, as Store.Set takes them.
func (t *Trainer[T]) Averaged() []T { return t.state.Averaged }

// Steps is how many steps were taken.
func (t *Trainer[T]) Steps() int { return t.state.Step }

// MarshalBinary writes what the training goes on from.
func (t *Trainer[T]) MarshalBinary() ([]byte, error) {
	t.state.Values = t.store.Values()
	var b bytes.Buffer
	err := gob.NewEncoder(&b).Encode(t.state)
	t.state.Values = nil
	return b.Bytes(), err
}

// UnmarshalBinary goes on from what was written.
func (t *Trainer[T]) UnmarshalBinary(b []byte) error {
	var s State[T]
	if err := gob.NewDecoder(bytes.NewReader(b)).Decode(&s); err != nil {
		return fmt.Errorf("reading a training: %w", err)
	}
	n := t.store.Size()
	if len(s.Mean) != n || len(s.Squares) != n || len(s.Averaged) != n {
		return errors.New("reading a training: it is another network's")
	}
	if err := t.store.Set(s.Values); err != nil {
		return fmt.Errorf("reading a training: %w", err)
	}
	s.Values = nil
	t.state = s
	return nil
}
