package smoothing

import (
	"context"
	"fmt"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// together chooses one form for each group of like series: the one whose criterion,
// summed over the group, is lowest. Where each series alone is too short to tell forms
// apart, the group is not.
type together struct {
	method Method
	by     string // an attribute, or everySeries
	bounds single.Bounds
}

// everySeries makes one group of all.
const everySeries = "all"

// missing is what a form that a series can't be fitted to counts behind the series' best.
const missing = 20.0

// Bare leaves the intervals as the models have them.
func (t together) Bare() model.Model {
	t.bounds.Bare = true
	return t
}

// Train chooses the groups' forms and fits each series with its group's.
func (t together) Train(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	forms, err := t.choose(ctx, v, env)
	if err != nil {
		return nil, err
	}
	shared := sharedForm{t.method, t.by, forms}
	return single.Model(shared, t.bounds).Train(ctx, v, env)
}

// choose sums the criteria of every form over the series of each group. Sums are taken in
// the series' order, whatever the number of workers.
func (t together) choose(ctx context.Context, v panel.View, env model.Env) (map[string]Form, error) {
	if at := slices.Index(v.Attributes(), t.by); at < 0 && t.by != everySeries {
		return nil, fmt.Errorf("no attribute is called %q: group by one of %v, or all", t.by, v.Attributes())
	}
	behind := make([]map[Form]float64, v.Len())
	err := num.Each(ctx, env.Workers, v.Len(), func(i int) {
		behind[i] = t.behind(single.Input{SeriesView: v.Series(i), Horizon: env.Horizon})
	})
	if err != nil {
		return nil, err
	}
	sums := map[string]map[Form]float64{}
	for i, own := range behind {
		if own == nil {
			continue
		}
		group := groupOf(v.Series(i), t.by)
		if sums[group] == nil {
			sums[group] = map[Form]float64{}
		}
		for _, f := range Forms() {
			if d, ok := own[f]; ok {
				sums[group][f] += d
			} else {
				sums[group][f] += missing
			}
		}
	}
	out := map[string]Form{}
	for group, list := range sums {
		best := Forms()[0]
		for _, f := range Forms() {
			if list[f] < list[best] {
				best = f
			}
		}
		out[group] = best
	}
	return out, nil
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

func groupOf(s panel.SeriesView, by string) string {
	if at := slices.Index(s.View().Attributes(), by); at >= 0 && by != everySeries {
		return s.Labels[at]
	}
	return everySeries
}

// sharedForm fits each series with its group's form.
type sharedForm struct {
	method Method
	by     string
	forms  map[string]Form
}

// Widen is what inner windows ask for.
func (m sharedForm) Widen(ctx context.Context, in single.Input, fitted single.State) single.Widening {
	return m.method.Widen(ctx, in, fitted)
}

// Fit falls back to the series' own choice where the group's form can't be fitted to it.
func (m sharedForm) Fit(ctx context.Context, in single.Input) (single.State, error) {
	group := groupOf(in.SeriesView, m.by)
	form, ok := m.forms[group]
	if ok {
		state, err := m.method.Only(form).Fit(ctx, in)
		if s, own := state.(*State); err == nil && own {
			s.Why = fmt.Sprintf("lowest AICc summed over the series of the group %q", group)
			return s, nil
		}
	}
	state, err := m.method.Fit(ctx, in)
	if s, own := state.(*State); err == nil && own && ok {
		s.Cautions = append(s.Cautions, fmt.Sprintf("the form %s of the group %q can't be fitted to this series: it has its own", form, group))
	}
	return state, err
}

// trainable makes the model of a method, alone or together.
func trainable(m Method, by string, b single.Bounds) model.Model {
	if by == "" {
		return single.Model(m, b)
	}
	return together{m, by, b}
}
