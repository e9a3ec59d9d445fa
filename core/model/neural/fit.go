package neural

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/num/net"
	"paperkettle/core/num/tensor"
	"paperkettle/core/panel"
)

// fit trains one group's networks.
func (m Model) fit(ctx context.Context, v panel.View, env model.Env, g, was *Group) error {
	lay, err := m.layout(v, env.Horizon)
	if err != nil {
		return err
	}
	if was != nil {
		if err := lay.onward(was, m.Members); err != nil {
			g.Since, was = "it was trained anew, and not from the networks before: "+err.Error(), nil
		} else {
			g.Since = since(v, was)
		}
	}
	g.Layout, g.Widening, g.To = *lay, single.None, v.Ordinal(v.Origin())
	rnd := env.Random("")
	seed := rnd.Uint64()
	c, save, err := m.resume(v, env, was)
	if err != nil {
		return err
	}
	bound := model.NewTimer(env.Clock, m.Within, c.Spent)
	var early, whole model.Trained
	if m.Explain && outlook.Explainable(v) {
		if whole, early, err = explained(ctx, v, env, lay.Held, bound, c, save); err != nil {
			return err
		}
		g.outside, g.Unexplained = whole, whole == nil
	}
	list, _, err := lay.sequences(ctx, v, 0, env.Workers, early)
	if err != nil {
		return err
	}
	cut, all, held := lay.hold(list)
	windows := windowsOf(lay, list, cut)
	if g.Untaught = len(windows) < fewestWindows; g.Untaught {
		// All of them tell how plain forecasts do, and none is held out.
		cut, held, was = all, nil, nil
		windows = windowsOf(lay, list, cut)
	}
	if len(windows) == 0 {
		return fmt.Errorf("the histories have no window to learn from, of %d known values and one ahead: take a simpler family", fewestBefore)
	}
	g.Windows = len(windows)
	sh, batches := m.shape(lay, len(windows)), m.batches(len(windows))
	every := lookEvery(batches)
	switch {
	case g.Untaught:
		batches = 0
	case was != nil:
		sh, batches = was.Shape, max(2*fewestTaken, batches/onwardShare)
	}
	final := list
	if whole != nil {
		if final, _, err = lay.sequences(ctx, v, 0, env.Workers, whole); err != nil {
			return err
		}
	}
	if m.Output != outQuantiles && was == nil {
		k := &task{lay: lay, list: list, windows: windows, cut: cut, whole: all, seed: seed, clock: bound.Part(0.2), every: every}
		if sh.Out, err = k.distribution(ctx, m.Output, env, sh, batches, held, c, save); err != nil {
			return err
		}
	}
	k := &task{lay: lay, whole: all, onward: was != nil, level: m.Level, every: every}
	start := lay.lean(list, cut, windows)
	tell := newTeller(lay, held)
	for member := range m.Members {
		from := 0.15 + 0.85*float64(member)/float64(m.Members)
		part := env.Within(from, from+0.7/float64(m.Members), "")
		k.seed, k.of = seed+uint64(member)*0x9e3779b97f4a7c15, ofMember(member, m.Members)
		k.clock = bound.Part((float64(member) + 0.8) / float64(m.Members))
		k.net = newNetwork(sh, rand.New(rand.NewPCG(k.seed, 1)))
		if k.net.lean(start); was != nil {
			if err := k.net.weights.Set(was.Early[member]); err != nil {
				return err
			}
		}
		if member >= len(c.Done) {
			k.list, k.cut, k.windows = list, cut, windows
			if err := k.run(ctx, part, batches, held, c, save); err != nil {
				return err
			}
			next := c.whole()
			next.Done, next.Steps = append(c.Done, c.Best), append(c.Steps, c.BestStep+stepsOf(was, member))
			next.Curves, next.Helds = append(c.Curves, c.Curve), append(c.Helds, c.Held)
			*c = next
			if err := save(); err != nil {
				return err
			}
		}
		if err := k.net.weights.Set(c.Done[member]); err != nil {
			return err
		}
		k.list = list
		loss, err := k.held(ctx, env.Workers, held)
		if err == nil {
			err = tell.take(ctx, env.Workers, k)
		}
		if err == nil && member == 0 {
			g.Worths, err = k.worths(ctx, env.Workers, held)
		}
		if err != nil {
			return err
		}
		g.Losses = append(g.Losses, loss)
		// What was held out is the nearest to what is to be forecast: it is learnt last, gently.
		k.list, k.cut, k.windows = final, all, windowsOf(lay, final, all)
		k.seed ^= 1
		k.clock = bound.Part(float64(member+1) / float64(m.Members))
		if err := k.finish(ctx, env.Within(from+0.7/float64(m.Members), from+0.85/float64(m.Members), "learning the last periods"),
			lastBatches(c.Steps[member], batches, k.onward)); err != nil {
			return err
		}
		g.networks, g.Early = append(g.networks, k.net), append(g.Early, c.Done[member])
		g.Weights = append(g.Weights, k.net.weights.Values())
	}
	g.Hurried, g.Kernels = c.Hurried, tensor.Kernels()
	g.Every = every
	g.Likely = c.Chosen
	g.Shape, g.Steps, g.Curves, g.Helds = sh, c.Steps, c.Curves, c.Helds
	proof := tell.proof(lay, list)
	apart := float64(len(windows)) / float64(lay.Ahead)
	g.Widening, g.Ties = proof.Widening().Learnt(apart, freedom(g.Untaught)).RankedBy(env.Judge), proof.Ties()
	return nil
}

// lastBatches is of how many batches what was held out is learnt, by the step at which a network did
// best: of half as many as it was trained on now where it goes on, which knows the rest; of none where it
// was trained on none.
func lastBatches(best, batches int, onward bool) int {
	if batches == 0 {
		return 0
	}
	if onward {
		return max(20, min(best/4, batches/2))
	}
	return max(20, best/4)
}

// finish goes on with all windows, at a lower rate.
func (k *task) finish(ctx context.Context, env model.Env, batches int) error {
	s := settingsOf(batches, 0, k.seed)
	s.Rate *= 0.3
	trainer := net.NewTrainer(k.net.weights, s)
	start := k.net.weights.Values()
	for trainer.Steps() < batches && !k.clock.Over() {
		picked, steps := k.draw(trainer.Steps())
		_, err := trainer.Step(ctx, env.Workers, batchSize, func(t *tape, from, to int) *value { return k.loss(t, picked, steps, from, to) })
		if errors.Is(err, net.ErrDiverged) {
			return k.net.weights.Set(start)
		}
		if err != nil {
			return err
		}
		if trainer.Steps()%mostTaken == 0 {
			env.Tell(float64(trainer.Steps())/float64(batches), "")
		}
	}
	if trainer.Steps() == 0 {
		return nil
	}
	return k.net.weights.Set(slices.Clone(trainer.Averaged()))
}

// freedom is how many parameters' worth a network is learnt freely, as its intervals show where it has
// little to learn from: the rest is held by shrinkage and stopping early. Of one that learns nothing the mix
// and its width are.
func freedom(untaught bool) float64 {
	if untaught {
		return 2
	}
	return 10
}

// fewestWindows is how many windows a network is trained on at least: with fewer it stays as it starts, a mix
// of plain forecasts by how they did.
const fewestWindows = 12

// shape lays a network out, by how many windows there are where nothing is said.
func (m Model) shape(l *Layout, windows int) Shape {
	sh := Shape{Kind: m.Kind, Units: m.Units, Layers: m.Layers, Past: l.pastWidth(), Window: l.Window, Around: len(l.Recipe.Columns),
		Step: l.stepWidth(), Dropout: m.Dropout}
	if sh.Units == 0 {
		switch {
		case windows < 1000:
			sh.Units = 32
		case windows < 20000 || m.Kind != kindPerceptron:
			sh.Units = 64
		default:
			sh.Units = 128
		}
	}
	for _, codes := range l.Codes {
		sh.Tables = append(sh.Tables, len(codes))
	}
	return sh
}

// batches is how many batches are trained on at most.
func (m Model) batches(windows int) int {
	if m.Passes > 0 {
		return max(1, int(m.Passes*float64(windows)/batchSize+0.5))
	}
	return max(200, min(1000, 12*windows/batchSize))
}
