package linear

import (
	"context"
	"math"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// everySeries makes one group of all.
const everySeries = "all"

// together fits the equations to the series of each group at once; intercepts are their
// own.
type together struct {
	method Method
	by     string
	bounds single.Bounds

	settled map[string]Method // of each group, where it is chosen already
}

// Bare leaves the intervals as the models have them.
func (t together) Bare() model.Model {
	t.bounds.Bare = true
	return t
}

// Train fits the groups, and then each series within its group.
func (t together) Train(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	if err := single.CheckGroup(v, t.by, everySeries); err != nil {
		return nil, err
	}
	names, places := single.Groups(v, t.by, everySeries, func(s panel.SeriesView) bool { return single.Tells(s.Values) })
	for _, group := range names {
		places[group] = t.alike(v, places[group])
	}
	settled := map[string]Method{}
	known := fitted{t.method, map[string]*State{}, map[string]single.Widening{}}
	for _, group := range names {
		if len(places[group]) == 0 {
			continue
		}
		inputs := make([]single.Input, len(places[group]))
		for k, i := range places[group] {
			s := v.Series(i)
			inputs[k] = single.Input{SeriesView: s, Horizon: env.Horizon}
			if r := env.Random(s.Key); r != nil {
				inputs[k].Seed = r.Uint64()
			}
		}
		method, ok := t.settled[group]
		if !ok {
			var err error
			if method, err = t.method.choose(ctx, v, inputs, env.Workers); err != nil {
				return nil, err
			}
		}
		settled[group] = method.lasting(inputs)
		states, err := method.fit(ctx, v, inputs, env.Workers)
		if err != nil {
			return nil, err
		}
		for k := range states {
			key := inputs[k].Key
			known.states[key], known.widenings[key] = states[k], method.widening
			if own, ok := method.widenings[key]; ok {
				known.widenings[key] = own
			}
		}
	}
	trained, err := single.Model(known, t.bounds).Train(ctx, v, env)
	if err != nil {
		return nil, err
	}
	t.settled = settled
	return model.Settle(trained, t), nil
}

// lasting is the method for histories that have grown: one that learns from all of the history
// goes on to.
func (m Method) lasting(inputs []single.Input) Method {
	for _, in := range inputs {
		if m.Memory < len(in.Values) {
			return m
		}
	}
	m.Memory = math.MaxInt32
	return m
}

// alike leaves out the series with values below zero where the others work in logs: they are
// fitted alone, and neither keep the others from logs nor fail them.
func (t together) alike(v panel.View, places []int) []int {
	inputs := make([]single.Input, len(places))
	for k, i := range places {
		inputs[k] = single.Input{SeriesView: v.Series(i)}
	}
	if t.method.Scale != "log" && (t.method.Scale != "" || !preferLogs(inputs)) {
		return places
	}
	return slices.DeleteFunc(places, func(i int) bool { return lowest(v.Series(i).Values) < 0 })
}

// fitted hands out what is fitted already.
type fitted struct {
	method    Method
	states    map[string]*State
	widenings map[string]single.Widening
}

// Widen is what the inner windows asked for.
func (m fitted) Widen(_ context.Context, in single.Input, _ single.State) single.Widening {
	return m.widenings[in.Key]
}

// Fit finds the series' state.
func (m fitted) Fit(ctx context.Context, in single.Input) (single.State, error) {
	if s := m.states[in.Key]; s != nil {
		return s, nil
	}
	return m.method.Fit(ctx, in)
}
