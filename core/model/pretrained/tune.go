package pretrained

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/num/net"
	"paperkettle/core/panel"
)

// Lengths of a tuning.
const (
	fewestToTune = 20  // series
	tuneBatches  = 300 // of tuneBatch windows, at most
	tuneBatch    = 64
	tuneEvery    = 25 // from a look at the held-out windows to the next
	tunePatience = 3
)

// tune has a copy of the network go on learning from windows before what is held out, as long as what
// is held out gains, and keeps it where it gained.
func (t *Trained) tune(ctx context.Context, m Model, v panel.View, r *rehearsal, env model.Env) error {
	pool := t.pool(v, r)
	if len(pool) < fewestToTune || len(r.windows) == 0 {
		t.Cautions = append(t.Cautions, fmt.Sprintf("%d series are too few to tune the network to, which takes %d: it forecasts as it was "+
			"trained", len(pool), fewestToTune))
		return nil
	}
	clock := model.NewTimer(env.Clock, m.Within, 0)
	rnd := env.Random("")
	learners := learnersOf(several(m.Weights.Networks).clone(), rnd.Uint64())
	first, err := r.judge(ctx, t.workers, t.networks, env.Judge, Lean{})
	if err != nil {
		return err
	}
	least, tries := first.loss, 0
	t.Curve = []float64{first.loss}
	for step := 1; step <= tuneBatches && tries < tunePatience && !clock.Over(); step++ {
		err := learn(ctx, learners, t.workers, func() func(i int) Lesson {
			seed := rnd.Uint64()
			return func(i int) Lesson { return draw(pool, rand.New(rand.NewPCG(seed, uint64(i))), t.Horizon) }
		})
		if errors.Is(err, net.ErrDiverged) {
			t.Cautions = append(t.Cautions, "tuning came to numbers that can't be: what it had reached before is kept")
			break
		}
		if err != nil {
			return err
		}
		if step%tuneEvery != 0 {
			continue
		}
		env.Tell(0.8+0.2*float64(step)/tuneBatches, fmt.Sprintf("tuning: batch %d of at most %d, held-out loss %.4f", step, tuneBatches, least))
		now, err := averagedOf(m.Weights.Networks, learners)
		if err != nil {
			return err
		}
		told, err := r.judge(ctx, t.workers, now, env.Judge, Lean{})
		if err != nil {
			return err
		}
		t.Curve = append(t.Curve, told.loss)
		if tries++; told.loss < least*(1-leastGain) && told.surely(first) {
			least, tries = told.loss, 0
			t.networks, t.Own = now, nil
			for _, n := range now {
				t.Own = append(t.Own, n.weights.Values())
			}
		}
	}
	if t.Own == nil {
		t.Cautions = append(t.Cautions, "tuning made held-out windows no better, beyond what may be luck: the network forecasts as it was trained")
	}
	t.TuneGain = 1 - least/first.loss
	return nil
}

// sureBy is how many standard errors over series a gain must have.
const sureBy = 2

// surely says that a verdict is better than another by more than luck, as the series tell, and that
// its mean forecasts, which are what is ranked, are no worse.
func (v *verdict) surely(than *verdict) bool {
	gain, doubt := ratios(v.series, than.series)
	miss, _ := ratios(v.misses, than.misses)
	return gain < -sureBy*doubt && miss < 0
}

// ratios is the mean over series of the log of a loss next to another, and its standard error.
func ratios(now, before map[int]float64) (mean, doubt float64) {
	var sum, squares, n float64
	for _, i := range slices.Sorted(maps.Keys(now)) {
		if before[i] <= 0 {
			continue
		}
		d := max(-1, min(1, math.Log(max(now[i], 1e-12)/before[i])))
		sum, squares, n = sum+d, squares+d*d, n+1
	}
	if n < 2 {
		return 0, math.Inf(1)
	}
	mean = sum / n
	return mean, math.Sqrt(max(0, squares/n-mean*mean) / (n - 1))
}

// leastGain is by what share the loss of held-out windows must fall for tuning to go on.
const leastGain = 0.001

// learnersOf go on training networks, each by itself.
func learnersOf(networks several, seed uint64) (out []*Learner) {
	for k, n := range networks {
		out = append(out, NewLearner(n, net.Settings{Rate: 3e-4, Steps: tuneBatches, Warm: 20, Decay: 0.02, Clip: 1, Average: 0.95,
			Seed: seed + uint64(k)}))
	}
	return out
}

// learn has every learner take a step, each over a batch of its own.
func learn(ctx context.Context, learners []*Learner, workers int, batch func() func(i int) Lesson) error {
	for _, l := range learners {
		if _, err := l.Learn(ctx, workers, tuneBatch, batch()); err != nil {
			return err
		}
	}
	return nil
}

// averagedOf are networks laid out alike, of the learners' averaged weights.
func averagedOf(like several, learners []*Learner) (several, error) {
	out := like.clone()
	for k, l := range learners {
		if err := out[k].Set(l.Averaged()); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// pool is the series to learn from, as they are before what is held out.
func (t *Trained) pool(v panel.View, r *rehearsal) (out []Lesson) {
	for i := range v.Len() {
		s, _ := single.Mend(v.Series(i))
		if r.keep[i] < 2*fewestBefore || panel.CountKnown(s.Values[:r.keep[i]]) < 2*fewestBefore {
			continue
		}
		outside, err := t.early.of(v, s, i, 0)
		if err != nil {
			continue
		}
		season, long := t.seasons(t.early, s, i)
		out = append(out, Lesson{Values: outlook.Without(s.Values[:r.keep[i]], outside), Season: season, Longer: long})
	}
	return out
}

// draw picks a series and an origin, nearly always one with a whole horizon after it.
func draw(pool []Lesson, rnd *rand.Rand, horizon int) Lesson {
	l := pool[rnd.IntN(len(pool))]
	last := max(fewestBefore+1, len(l.Values)-horizon)
	l.Known = min(len(l.Values)-1, fewestBefore+rnd.IntN(last-fewestBefore)+1)
	l.Values = l.Values[:min(len(l.Values), l.Known+horizon)]
	if l.Known < l.Longer*3/2 {
		l.Longer = 0
	}
	return l
}
