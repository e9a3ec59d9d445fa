package linear

import (
	"context"
	"fmt"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// variant is a way to settle one thing that the settings leave open.
type variant struct {
	name   string
	method Method
	safe   bool // taken wherever it is better at all: a mean seldom goes wrong
}

// stages settle one thing after another, for all series of a group: the scale, whether changes
// are learnt or levels, how steps follow each other, how much of the history is learnt from,
// whether the other scale has a say, and how much of the change that the equations tell is believed. The first variant is
// the one to keep to where inner windows don't tell; where there is no room for any, it is that at untold.
var stages = []struct {
	what     string
	variants func(m Method, inputs []single.Input) []variant
	untold   int
}{{"the scale", scales, 0}, {"how drivers act", zeroDrivers, 0}, {"levels or changes", changes, 0}, {"the steps", ways, 0},
	{"the memory", memories, 0}, {"one scale or both", twins, 0}, {"how much to believe", beliefs, 1}}

func scales(m Method, inputs []single.Input) []variant {
	if m.Scale != "" || m.logs != nil || slices.ContainsFunc(inputs, func(in single.Input) bool { return lowest(in.Values) < 0 }) {
		return nil
	}
	yes, no := m, m
	yes.logs, no.logs = new(bool), new(bool)
	*yes.logs = true
	list := []variant{{name: "in logs", method: yes}, {name: "in levels", method: no}}
	if !preferLogs(inputs) {
		slices.Reverse(list)
	}
	return list
}

// twins are the scale that was taken alone, and the mean with equations on the other.
func twins(m Method, _ []single.Input) []variant {
	if m.Scale != "" || m.logs == nil || m.twin {
		return nil
	}
	both := m
	both.twin = true
	return []variant{{name: "one scale", method: m}, {name: "the mean of logs and levels", method: both, safe: true}}
}

// zeroDrivers are drivers with zeros as they are, or in logs.
func zeroDrivers(m Method, inputs []single.Input) []variant {
	if m.Lines != nil || !m.Outside || !m.takesLogs(inputs) {
		return nil
	}
	for d, driver := range inputs[0].View().Drivers() {
		if shift, positive := shiftOf(d, inputs); driver.KnownAhead && !positive && shift > 0 {
			logs := m
			logs.zeroLogs = true
			return []variant{{name: "drivers with zeros as they are", method: m}, {name: "drivers with zeros in logs", method: logs}}
		}
	}
	return nil
}

func changes(m Method, _ []single.Input) []variant {
	if m.Scale != "" || m.diff != nil || m.both {
		return nil
	}
	both, always, never := m, m, m
	both.both = true
	always.diff, never.diff = new(bool), new(bool)
	*always.diff = true
	return []variant{
		{name: "levels or changes as one step tells", method: m}, {name: "the mean of levels and changes", method: both},
		{name: "changes since the origin", method: always}, {name: "levels", method: never},
	}
}

func ways(m Method, _ []single.Input) (out []variant) {
	if m.Steps != "" {
		return nil
	}
	for _, way := range []string{"direct", "averaged", "recursive"} {
		m.Steps = way
		out = append(out, variant{name: way + " steps", method: m})
	}
	return out
}

func memories(m Method, inputs []single.Input) []variant {
	if m.Memory != 0 {
		return nil
	}
	n := 0
	for _, in := range inputs {
		n = max(n, len(in.Values))
	}
	m.Memory = n
	out := []variant{{name: "all of the history", method: m}}
	for _, length := range inputs[0].Memories(n) {
		m.Memory = length
		out = append(out, variant{name: fmt.Sprintf("the last %d periods", length), method: m})
	}
	return out
}

func beliefs(m Method, _ []single.Input) (out []variant) {
	for _, share := range []float64{1, 0.5, 0} {
		m.Belief = share
		out = append(out, variant{name: fmt.Sprintf("%.0f %% of the change believed", 100*share), method: m})
	}
	return out
}

// prefer is by how much a later variant must beat the first to be taken, and rowsTold on how many rows of a step
// they are fitted.
const (
	prefer   = 0.015
	rowsTold = 10000
)

// sampled is how many series the variants are tried on.
var sampled = num.Budget{Values: 40_000, Least: 60, Most: 120}

// choose settles what is open for a group, by how the variants forecast inner windows: the
// mean over the series of the log of their errors next to the first's.
func (m Method) choose(ctx context.Context, v panel.View, inputs []single.Input, env model.Env) (Method, error) {
	workers := env.Workers
	some := sample(inputs)
	t, early := rehearsal(some)
	if m.Belief == 0 {
		m.Belief = 1
	}
	if m.season == 0 {
		m.season = ownSeason(some)
	}
	// Regressions of quantiles change no mean, by which variants are chosen: the chosen one alone has them.
	ranked := m.Quantiles
	m.Quantiles = false
	var known *told // of the method as it is, which the first variant of a stage is
	for k, stage := range stages {
		env.Tell(float64(k)/float64(len(stages)), "choosing "+stage.what)
		list := stage.variants(m, some)
		if len(list) == 0 {
			continue
		}
		if list[0].method.logs != m.logs {
			known = nil // what was tried before chose its scale by the early part alone
		}
		best := 0
		if len(early) == 0 {
			best = stage.untold
		}
		if len(early) > 0 && len(list) > 1 {
			var err error
			if best, known, err = m.best(ctx, v, list, some, early, t, workers, known); err != nil {
				return m, err
			}
		}
		trials := append(slices.Clip(m.trials), list[best].name)
		m = list[best].method
		m.trials = trials
	}
	m.Quantiles = ranked
	if (known == nil || ranked) && len(early) > 0 {
		var err error
		if _, known, err = m.best(ctx, v, []variant{{method: m}}, some, early, t, workers, nil); err != nil {
			return m, err
		}
	}
	if known != nil && m.Scale == "" && m.diff == nil {
		m.diff = known.diff // what is not told by a longer horizon is what the windows were told by
	}
	m.widen(known, env.Judge, single.Apart(inputs, env.Horizon))
	return m, nil
}

// told is what inner windows told of a variant: its losses, and of its widths, by series.
type told struct {
	losses  []float64
	tallies []single.Tally
	keys    []string
	diff    *bool // whether changes were learnt
}

// widen notes by how much the intervals of each series are to be widened.
func (m *Method) widen(t *told, by model.Judge, windows float64) {
	m.widenings = map[string]single.Widening{}
	if t == nil {
		m.widening = single.None.Learnt(windows, freedom)
		return
	}
	pooled := single.Pooled(t.tallies).RankedBy(by)
	m.widening = pooled.Learnt(windows, freedom)
	for j, own := range t.tallies {
		m.widenings[t.keys[j]] = own.Toward(pooled).Learnt(windows, freedom)
	}
}

// sample takes some of the series where they are many.
func sample(inputs []single.Input) []single.Input {
	values := 0
	for _, in := range inputs {
		values += len(in.Values)
	}
	var out []single.Input
	for _, i := range sampled.Of(len(inputs), values) {
		out = append(out, inputs[i])
	}
	return out
}

// rehearsal lays the same inner windows for all series, by the one of middle length, and gives
// the series as the first window sees them; those that are too short for it are left out.
func rehearsal(inputs []single.Input) (single.Trial, map[int]single.Input) {
	sorted := slices.Clone(inputs)
	slices.SortStableFunc(sorted, func(a, b single.Input) int { return len(a.Values) - len(b.Values) })
	middle := sorted[len(sorted)/2]
	t, ok := single.TrialOf(middle)
	if !ok {
		return t, nil
	}
	tail := len(middle.Values) - t.Keep
	early := map[int]single.Input{}
	for i, in := range inputs {
		if own := t.From(len(in.Values) - tail); own.Keep >= fewestRows && single.Tells(in.Values[:own.Keep]) {
			early[i] = own.Early(in)
		}
	}
	return t.From(-tail), early
}

// thinned is every how many rows of long panels are taken in a trial: a prime beyond 7, so
// that every hour and every day have their turn.
func thinned(inputs []single.Input) int {
	total := 0
	for _, in := range inputs {
		total += len(in.Values)
	}
	for _, p := range []int{1, 11, 23, 47, 97} {
		if total <= p*rowsTold {
			return p
		}
	}
	return 199
}

// best is the variant to take, with its losses; those of the first may be known.
func (m Method) best(ctx context.Context, v panel.View, list []variant, inputs []single.Input, early map[int]single.Input, t single.Trial,
	workers int, known *told) (int, *told, error) {
	var places []int
	var seen []single.Input
	for i := range inputs {
		if in, ok := early[i]; ok {
			places, seen = append(places, i), append(seen, in)
		}
	}
	thin := thinned(seen)
	all := make([]*told, len(list))
	for k, x := range list {
		if k == 0 && known != nil {
			all[k] = known
			continue
		}
		own := &told{slices.Repeat([]float64{panel.Unknown}, len(places)), make([]single.Tally, len(places)), nil, nil}
		for _, in := range seen {
			own.keys = append(own.keys, in.Key)
		}
		all[k] = own
		x.method.thin = thin
		states, err := x.method.fit(ctx, v.Before(seen[0].View().Origin()), seen, workers)
		if ctx.Err() != nil {
			return 0, nil, ctx.Err()
		}
		if err != nil {
			continue
		}
		own.diff = &states[0].Pool.Diff
		err = num.Each(ctx, workers, len(places), func(j int) {
			in := inputs[places[j]]
			own.losses[j], own.tallies[j] = t.From(len(in.Values)+t.Keep).Run(states[j], in)
		})
		if err != nil {
			return 0, nil, err
		}
	}
	best, least := 0, 0.0
	for k := 1; k < len(list); k++ {
		sum, n := 0.0, 0.0
		for j := range places {
			if r := single.Ratio(all[k].losses[j], all[0].losses[j]); panel.Known(r) {
				sum, n = sum+r, n+1
			}
		}
		if score := sum / n; n > 0 && (score < least-prefer || list[k].safe && score < least) {
			best, least = k, score
		}
	}
	return best, all[best], nil
}

// believe holds the change since the origin back by the share of it that is believed.
func (p *Pool) believe(share float64) {
	if p.Belief = share; !p.Diff || share == 1 {
		p.Belief = 1
		return
	}
	for k := range p.Steps {
		e := &p.Steps[k]
		e.Own *= share
		e.Used *= share
		e.Beta = slices.Clone(e.Beta)
		for j := range e.Beta {
			e.Beta[j] *= share
		}
	}
}

// freedom is how many parameters' worth a regression is learnt freely where there is little to learn from,
// and what chooses its form with it.
const freedom = 4
