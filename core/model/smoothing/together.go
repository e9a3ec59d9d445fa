package smoothing

import (
	"context"
	"fmt"

	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// together chooses one form for each group of like series: the one whose criterion,
// summed over the group, is lowest. Where each series alone is too short to tell forms
// apart, the group is not.
type together struct{ method Method }

// missing is what a form that a series can't be fitted to counts behind the series' best.
const missing = 20.0

// Alone is the method for a series by itself.
func (t together) Alone() single.Method { return t.method }

// Gather chooses the group's form and fits each series with it; where that can't be, with the
// series' own choice.
func (t together) Gather(ctx context.Context, _ panel.View, inputs []single.Input, env model.Env) (*single.Gathered, error) {
	form, ok, err := t.choose(ctx, inputs, env)
	if err != nil {
		return nil, err
	}
	fit := t.fit
	if !ok {
		fit = func(ctx context.Context, in single.Input, _ Form) (single.State, error) { return t.method.Fit(ctx, in) }
	}
	out := single.NewGathered(len(inputs))
	err = num.Each(ctx, env.Workers, len(inputs), func(i int) {
		out.Errs[i] = model.Guard(func() (err error) {
			if out.States[i], err = fit(ctx, inputs[i], form); err == nil {
				out.Widenings[i] = t.method.Widen(ctx, inputs[i], out.States[i])
			}
			return err
		})
	})
	single.Agree(out.Widenings, env.Judge)
	return out, err
}

// choose sums the criteria of every form over the series, in their order, whatever the number
// of workers; ok is false where no series tells.
func (t together) choose(ctx context.Context, inputs []single.Input, env model.Env) (best Form, ok bool, err error) {
	behind := make([]map[Form]float64, len(inputs))
	err = num.Each(ctx, env.Workers, len(inputs), func(i int) {
		_ = model.Guard(func() error { behind[i] = t.behind(inputs[i]); return nil })
	})
	sums := map[Form]float64{}
	best = Forms()[0]
	for _, f := range Forms() {
		for _, own := range behind {
			if own == nil {
				continue
			}
			ok = true
			if d, has := own[f]; has {
				sums[f] += d
			} else {
				sums[f] += missing
			}
		}
		if sums[f] < sums[best] {
			best = f
		}
	}
	return best, ok, err
}

// behind is how far each form's criterion lies above the series' lowest; nil where the
// series is too short for any.
func (t together) behind(in single.Input) map[Form]float64 {
	if panel.CountKnown(in.Values) < single.Fewest {
		return nil
	}
	f := fitters.Get().(*fitter)
	f.top = 0
	defer fitters.Put(f)
	s := &State{Values: in.Values}
	list, _, _ := t.method.list(f, s, in)
	if len(list) == 0 {
		return nil
	}
	out := map[Form]float64{}
	for _, e := range list {
		out[e.form] = min(e.aicc-list[0].aicc, missing)
	}
	return out
}

func (t together) fit(ctx context.Context, in single.Input, form Form) (single.State, error) {
	state, err := t.method.Only(form).Fit(ctx, in)
	if s, own := state.(*State); err == nil && own {
		s.Why = "lowest AICc summed over the series of the group"
		return s, nil
	}
	state, err = t.method.Fit(ctx, in)
	if s, own := state.(*State); err == nil && own {
		s.Cautions = append(s.Cautions, fmt.Sprintf("the form %s of its group can't be fitted to this series: it has its own", form))
	}
	return state, err
}

// trainable makes the model of a method, alone or together.
func trainable(m Method, by string, b single.Bounds) model.Model {
	if by == "" {
		return single.Model(m, b)
	}
	return single.Together(together{m}, by, b)
}

// LeavesOutOdd says what the method says.
func (t together) LeavesOutOdd() bool { return t.method.LeavesOutOdd() }
