package linear

import (
	"context"
	"math"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// together fits the equations to the series of a group at once; intercepts are their own.
type together struct {
	method Method
	chosen bool // nothing is left open
}

// Alone is the method for a series by itself.
func (t together) Alone() single.Method { return t.method }

// Gather chooses what is open for the group, and fits its series.
func (t together) Gather(ctx context.Context, v panel.View, inputs []single.Input, env model.Env) (*single.Gathered, error) {
	out := single.NewGathered(len(inputs))
	var places []int
	var alike []single.Input
	for k, in := range t.alike(inputs) {
		if in {
			places, alike = append(places, k), append(alike, inputs[k])
		}
	}
	if len(alike) == 0 {
		return out, nil
	}
	method := t.method
	if !t.chosen {
		var err error
		if method, err = method.choose(ctx, v, alike, env.Within(0, 0.8, "linear")); err != nil {
			return nil, err
		}
	}
	out.Again = together{method.lasting(alike), true}
	states, err := method.fit(ctx, v, alike, env.Workers)
	if err != nil {
		return nil, err
	}
	for j, k := range places {
		out.States[k], out.Widenings[k] = states[j], method.widening
		if own, ok := method.widenings[alike[j].Key]; ok {
			out.Widenings[k] = own
		}
	}
	return out, nil
}

// AllOrNone is so: one equation is for all.
func (t together) AllOrNone() bool { return true }

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

// alike says which series take part: not those with values below zero where the others work in
// logs. They are fitted alone, and neither keep the others from logs nor fail them.
func (t together) alike(inputs []single.Input) []bool {
	out := slices.Repeat([]bool{true}, len(inputs))
	if t.method.Scale == "log" || t.method.twin || t.method.Scale == "" && preferLogs(inputs) {
		for k, in := range inputs {
			out[k] = lowest(in.Values) >= 0
		}
	}
	return out
}

// Apart is the state without what its group shares.
func (s *State) Apart() (single.State, any) {
	own := *s
	own.Pool = nil
	if s.Twin != nil {
		twin := *s.Twin
		twin.Pool = nil
		own.Twin = &twin
	}
	return &own, s.Pool
}

// Join gives it that again.
func (s *State) Join(shared any) {
	s.Pool, _ = shared.(*Pool)
	if s.Twin != nil && s.Pool != nil {
		s.Twin.Pool = s.Pool.Twin
	}
}

// LeavesOutOdd says what the method says.
func (t together) LeavesOutOdd() bool { return t.method.LeavesOutOdd() }
