package net

import (
	"bytes"
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
	sum      []float64 // of gradients, all weights one after another
}

// State is all that a training goes on from.
type State[T Float] struct {
	Step                            int
	Values, Mean, Squares, Averaged []T
}

// ErrDiverged is where a loss or a gradient is no number any more.
var ErrDiverged = errors.New("the training diverged")

// NewTrainer starts from the store's weights.
func NewTrainer[T Float](s *Store[T], settings Settings) *Trainer[T] {
	n := s.Size()
	t := &Trainer[T]{store: s, settings: settings, sum: make([]float64, n)}
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
	if math.IsNaN(total) || math.IsInf(total, 0) || !t.move() {
		return total, ErrDiverged
	}
	return total, nil
}

// rate is the rate of learning at a step.
func (s Settings) rate(step int) float64 {
	if step < s.Warm {
		return s.Rate * float64(step+1) / float64(s.Warm)
	}
	along := min(1, float64(step-s.Warm)/float64(max(1, s.Steps-s.Warm)))
	return s.Rate * (0.01 + 0.99*0.5*(1+math.Cos(math.Pi*along)))
}

// move takes a step along the sum of the gradients; false where it is no number.
func (t *Trainer[T]) move() bool {
	at, length := 0, 0.0
	for w := range t.store.list {
		for i := range t.store.list[w].Data {
			g := 0.0
			for _, tape := range t.tapes {
				g += float64(tape.grads[w][i])
			}
			t.sum[at] = g
			length += g * g
			at++
		}
	}
	if length = math.Sqrt(length); math.IsNaN(length) || math.IsInf(length, 0) {
		return false
	}
	cut := 1.0
	if t.settings.Clip > 0 && length > t.settings.Clip {
		cut = t.settings.Clip / length
	}
	const keepMean, keepSquares, tiny = 0.9, 0.99, 1e-8
	rate := t.settings.rate(t.state.Step)
	t.state.Step++
	n := float64(t.state.Step)
	unMean, unSquares := 1/(1-math.Pow(keepMean, n)), 1/(1-math.Pow(keepSquares, n))
	stays := min(t.settings.Average, n/(n+9))
	at = 0
	for _, w := range t.store.list {
		decay := rate * t.settings.Decay
		if w.free {
			decay = 0
		}
		for i := range w.Data {
			g := t.sum[at] * cut
			m := keepMean*float64(t.state.Mean[at]) + (1-keepMean)*g
			v := keepSquares*float64(t.state.Squares[at]) + (1-keepSquares)*g*g
			if v < 1e-30 { // what is nearly nothing is slow to compute with
				v = 0
			}
			t.state.Mean[at], t.state.Squares[at] = T(m), T(v)
			x := float64(w.Data[i])
			x -= decay*x + rate*m*unMean/(math.Sqrt(v*unSquares)+tiny)
			w.Data[i] = T(x)
			t.state.Averaged[at] = T(stays*float64(t.state.Averaged[at]) + (1-stays)*x)
			at++
		}
	}
	return true
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
