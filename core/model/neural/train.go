package neural

import (
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"time"

	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/num"
	"paperkettle/core/num/net"
	"paperkettle/core/num/tensor"
	"paperkettle/core/panel"
)

const (
	batchSize = 128
	mostSteps = 8 // of a window in a batch
	// fewestBefore is how many values a window's origin has before it.
	fewestBefore = 6
	// looks is how often held-out windows are looked at, fewest and most after how many batches,
	// and patience how often in vain.
	looks       = 10
	fewestTaken = 10
	mostTaken   = 100
	patience    = 4
	mostHeld    = 1500 // held-out windows
)

// window is a series and how many of its values an origin knows.
type window struct{ series, n int32 }

// task is one training: windows, and what they are of.
type task struct {
	lay     *Layout
	list    []*sequence
	windows []window
	cut     []int32 // of each series: values from this one on are no targets
	whole   []int32 // the same for windows that are held out
	net     *Network
	seed    uint64
	clock   model.Timer
	onward  bool   // the network goes on from an earlier training
	every   int    // batches from a look at held-out windows to the next
	level   bool   // the rate of learning stays until held-out windows gain no more
	of      string // of which network, in words
}

// windowsOf lists the origins of every series that have a target before its cut.
func windowsOf(lay *Layout, list []*sequence, cut []int32) (out []window) {
	for i, q := range list {
		if q == nil {
			continue
		}
		known := 0
		for n := 1; n < int(cut[i]); n++ {
			if panel.Known(q.z[n-1]) {
				known++
			}
			if known >= fewestBefore && panel.Known(q.z[n-1]) {
				out = append(out, window{int32(i), int32(n)})
			}
		}
	}
	return out
}

// draw picks a batch: windows, and for each the steps that are looked at.
func (k *task) draw(step int) (picked []window, steps []int) {
	rnd := rand.New(rand.NewPCG(k.seed, uint64(step)<<1|1))
	each := min(mostSteps, k.lay.Horizon)
	for range batchSize {
		w := k.windows[rnd.IntN(len(k.windows))]
		picked = append(picked, w)
		// Steps whose targets lie before the cut, if there are as many.
		reach := max(1, min(k.lay.Horizon, int(k.cut[w.series]-w.n)))
		for range each {
			steps = append(steps, 1+rnd.IntN(reach))
		}
	}
	return picked, steps
}

// assemble fills a batch's values, and its targets with their weights where it is learnt from.
func (k *task) assemble(t *tape, picked []window, steps []int, each int, targets, weights []float32) batch {
	l := k.lay
	rows := len(picked)
	past, step := t.Room(rows, l.pastWidth()), t.Room(rows*each, l.stepWidth())
	b := batch{each: each, codes: make([][]int, len(l.Names))}
	if k.net.Shape.Out != "" {
		b.scales = make([]net.Scale, 0, rows*each)
	}
	var around tensor.Matrix[float32]
	wide := len(l.Recipe.Columns)
	if k.net.cells != nil {
		b.length = l.Window
		around = t.Room(rows*l.Window, wide+2)
	}
	for r, w := range picked {
		q := k.list[w.series]
		p, _ := l.at(q, int(w.n))
		l.fillPast(p, past.Row(r))
		recent := l.recent(p)
		for c := range l.Names {
			b.codes[c] = append(b.codes[c], q.codes[c])
		}
		for s := range l.Window {
			if k.net.cells == nil {
				break
			}
			row := around.Row(s*rows + r)
			row[0], row[1] = past.Row(r)[s], past.Row(r)[l.Window+s]
			if at := p.n - l.Window + s; at >= 0 {
				copy(row[2:], q.known(at, wide))
			}
		}
		for j := range each {
			h := steps[r*each+j]
			if b.scales != nil {
				b.scales = append(b.scales, net.Scale{Level: p.level, Unit: p.unit})
			}
			l.fillStep(p, recent, h, step.Row(r*each+j))
			if targets == nil {
				continue
			}
			if at := p.n - 1 + h; at < int(k.cut[w.series]) && panel.Known(q.z[at]) && (q.closed == nil || !q.closed[at]) {
				targets[r*each+j] = float32(max(-1e4, min(1e4, (q.z[at]-p.level)/p.unit)))
				weights[r*each+j] = 1
			}
		}
	}
	b.past, b.steps = t.Given(past), t.Given(step)
	if k.net.cells != nil {
		b.around = []*value{t.Given(around)}
	}
	return b
}

// lossOf is the pinball loss of what a network makes of a batch, or minus its log-likelihood.
func (k *task) lossOf(t *tape, b batch, targets, weights []float32) *value {
	out := k.net.forward(t, b)
	if kind := k.net.Shape.Out; kind != "" {
		return t.Unlikely(distributions[kind], out, targets, weights, b.scales)
	}
	return t.Pinball(out, targets, weights, outlook.Probs, outlook.Shares)
}

// loss is that of some windows of a batch, next to how many targets it has at most.
func (k *task) loss(t *tape, picked []window, steps []int, from, to int) *value {
	each := len(steps) / len(picked)
	targets, weights := make([]float32, (to-from)*each), make([]float32, (to-from)*each)
	b := k.assemble(t, picked[from:to], steps[from*each:to*each], each, targets, weights)
	for i := range weights {
		weights[i] /= float32(len(steps))
	}
	return k.lossOf(t, b, targets, weights)
}

// held is the mean loss over windows, at all steps that the network has.
func (k *task) held(ctx context.Context, workers int, windows []window) (float64, error) {
	const size = 16
	all := *k
	all.cut = k.whole
	blocks := (len(windows) + size - 1) / size
	sums, counts := make([]float64, blocks), make([]float64, blocks)
	h := k.lay.Horizon
	err := num.EachWith(ctx, workers, blocks, func() *tape { return net.NewTape(k.net.weights) }, func(t *tape, b int) {
		some := windows[b*size : min(len(windows), (b+1)*size)]
		steps := make([]int, 0, len(some)*h)
		for range some {
			for s := range h {
				steps = append(steps, s+1)
			}
		}
		t.Reset(nil)
		targets, weights := make([]float32, len(steps)), make([]float32, len(steps))
		made := all.assemble(t, some, steps, h, targets, weights)
		for _, w := range weights {
			counts[b] += float64(w)
		}
		sums[b] = float64(k.lossOf(t, made, targets, weights).Data[0])
	})
	total, n := 0.0, 0.0
	for b := range sums {
		total, n = total+sums[b], n+counts[b]
	}
	return total / max(n, 1), err
}

// course is how a training went so far, as a checkpoint keeps it.
type course struct {
	Of              string // what is trained, and on what
	Trainer         []byte
	Best            []float32
	Least           float64
	BestStep, Tries int
	Curve, Held     []float64
	Restarts        int
	Loss            float64       // summed up since the last look
	Spent           time.Duration // before the last stop
	Hurried         bool          // the time was up before a member was done
	Explaining      string        // what became of it: done, or no time; empty before
	Chosen          []likely      // the distributions that were tried, the likeliest first
	Done            [][]float32   // the best weights of the members that are done
	Steps           []int         // at which each did best
	Curves, Helds   [][]float64
}

// whole is what holds beyond the member that is being trained.
func (c *course) whole() course {
	return course{Of: c.Of, Spent: c.Spent, Hurried: c.Hurried, Explaining: c.Explaining, Chosen: c.Chosen, Done: c.Done, Steps: c.Steps,
		Curves: c.Curves, Helds: c.Helds}
}

// resume gives a training as a stop left it, or a new one, and what saves it.
func (m Model) resume(v panel.View, env model.Env, was *Group) (c *course, save func() error, err error) {
	c = &course{}
	if env.Checkpoint == nil {
		return c, func() error { return nil }, nil
	}
	c.Of = fmt.Sprintf("%+v|%s|%d", m, v.Fingerprint(), env.Horizon)
	if was != nil {
		c.Of += fmt.Sprintf("|%d|%v", was.To, was.Losses)
	}
	b, err := env.Checkpoint.Load()
	if err != nil {
		return nil, nil, err
	}
	var kept course
	if len(b) > 0 && gob.NewDecoder(bytes.NewReader(b)).Decode(&kept) == nil && kept.Of == c.Of {
		c = &kept
	}
	return c, func() error {
		var b bytes.Buffer
		if err := gob.NewEncoder(&b).Encode(c); err != nil {
			return err
		}
		return env.Checkpoint.Save(b.Bytes())
	}, nil
}

// slowAfter is after how many looks in vain a rate that else stays is lowered.
const slowAfter = 2

// settingsOf are those of a training over so many batches.
func settingsOf(batches, restarts int, seed uint64) net.Settings {
	return net.Settings{Rate: 1.5e-3 * math.Pow(0.3, float64(restarts)), Steps: batches, Warm: min(50, batches/5), Decay: 0.02, Clip: 1,
		Average: 0.98, Seed: seed}
}

// lookEvery is after how many batches held-out windows are looked at.
func lookEvery(batches int) int { return max(fewestTaken, min(mostTaken, batches/looks)) }

// run trains until the batches are through, or held-out windows do no better any more.
func (k *task) run(ctx context.Context, env model.Env, batches int, held []window, c *course, save func() error) error {
	settings := settingsOf(batches, c.Restarts, k.seed)
	settings.Level = k.level
	if k.onward {
		settings.Rate *= slower
	}
	trainer := net.NewTrainer(k.net.weights, settings)
	if c.Trainer != nil {
		if err := trainer.UnmarshalBinary(c.Trainer); err != nil {
			return err
		}
	} else {
		c.Least, c.BestStep, c.Tries, c.Loss, c.Best = math.Inf(1), 0, 0, 0, nil
		if k.onward { // what it went on from stays unless more does better
			if _, err := k.look(ctx, env.Workers, held, trainer, c); err != nil {
				return err
			}
			c.Held = nil
		}
	}
	every := k.every
	start := k.net.weights.Values()
	for trainer.Steps() < batches && !k.clock.Over() {
		picked, steps := k.draw(trainer.Steps())
		loss, err := trainer.Step(ctx, env.Workers, batchSize, func(t *tape, from, to int) *value { return k.loss(t, picked, steps, from, to) })
		switch {
		case errors.Is(err, net.ErrDiverged) && c.Restarts < 3:
			if err := k.net.weights.Set(start); err != nil {
				return err
			}
			restarts := c.Restarts + 1
			*c = c.whole()
			c.Restarts = restarts
			return k.run(ctx, env, batches, held, c, save)
		case err != nil:
			return err
		}
		c.Loss += loss
		done := trainer.Steps()
		if done%every != 0 && done != batches && !k.clock.Over() {
			continue
		}
		looked := float64((done-1)%every + 1)
		c.Curve, c.Loss = append(c.Curve, c.Loss/looked), 0
		env.Tell(float64(done)/float64(batches), fmt.Sprintf("batch %d of at most %d, loss %.4f", done, batches, c.Curve[len(c.Curve)-1]))
		stop, err := k.look(ctx, env.Workers, held, trainer, c)
		if err != nil {
			return err
		}
		if env.Show != nil {
			env.Show(curvesOf(k.of, every, slices.Clone(c.Curve), slices.Clone(c.Held)))
		}
		if len(held) > 0 {
			env.Tell(float64(done)/float64(batches), fmt.Sprintf("batch %d of at most %d, loss %.4f, held out %.4f", done, batches,
				c.Curve[len(c.Curve)-1], c.Held[len(c.Held)-1]))
		}
		if stop {
			break
		}
		c.Spent = k.clock.Spent()
		if c.Trainer, err = trainer.MarshalBinary(); err != nil {
			return err
		}
		if err := save(); err != nil {
			return err
		}
	}
	c.Hurried = c.Hurried || c.Tries < patience && trainer.Steps() < batches
	if c.Trainer = nil; c.Best == nil {
		c.Best, c.BestStep = slices.Clone(trainer.Averaged()), trainer.Steps()
	}
	return k.net.weights.Set(c.Best)
}

// look judges the averaged weights on held-out windows, and keeps the best.
func (k *task) look(ctx context.Context, workers int, held []window, trainer *net.Trainer[float32], c *course) (stop bool, err error) {
	if len(held) == 0 {
		return false, nil
	}
	moving := k.net.weights.Values()
	if err := k.net.weights.Set(trainer.Averaged()); err != nil {
		return false, err
	}
	loss, err := k.held(ctx, workers, held)
	if err != nil {
		return false, err
	}
	c.Held = append(c.Held, loss)
	if c.Tries++; loss < c.Least {
		c.Least, c.BestStep, c.Best, c.Tries = loss, trainer.Steps(), slices.Clone(trainer.Averaged()), 0
	}
	if c.Tries > 0 && c.Tries%slowAfter == 0 {
		trainer.Slow()
	}
	return c.Tries >= patience, k.net.weights.Set(moving)
}

// hold gives the values of each series from which on they are no targets, how many there are, and
// the held-out windows.
func (l *Layout) hold(list []*sequence) (cut, whole []int32, held []window) {
	cut, whole = make([]int32, len(list)), make([]int32, len(list))
	for i, q := range list {
		if q != nil {
			whole[i] = int32(len(q.z))
		}
	}
	copy(cut, whole)
	count := 0
	for i, q := range list {
		if q == nil {
			continue
		}
		own := len(q.z) - l.Held
		if panel.CountKnown(q.z[:max(0, own)]) < 2*fewestBefore {
			continue // too short to hold anything out
		}
		cut[i] = int32(own)
		count++
	}
	if count == 0 {
		return cut, whole, nil
	}
	origins := max(1, min(l.Held-l.Ahead+1, 8, mostHeld/count))
	for _, i := range num.Some(len(list), mostHeld) {
		q := list[i]
		if q == nil || cut[i] == whole[i] {
			continue
		}
		for o := range origins {
			n := int(cut[i]) + o*max(1, (l.Held-l.Ahead)/max(1, origins-1))
			if n < len(q.z) && panel.CountKnown(q.z[:n]) >= fewestBefore && panel.Known(num.LastKnown(num.Tail(q.z[:n], l.reach(q.season)))) {
				held = append(held, window{int32(i), int32(n)})
			}
		}
	}
	return cut, whole, held
}
