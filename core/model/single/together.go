package single

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Everything is the name of the group of all series.
const Everything = "all"

// Group is a method that fits the series of a group together.
type Group interface {
	// Gather fits the series of a group. All of them carry a model.
	Gather(ctx context.Context, v panel.View, inputs []Input, env model.Env) (*Gathered, error)
	// Alone is the method for series that the group leaves out.
	Alone() Method
}

// Gathered is a group that was fitted: for each input its state, or why it has none. Where it
// has neither it is left out of the group, and fitted alone.
type Gathered struct {
	States    []State
	Errs      []error
	Widenings []Widening // of those with a state
	Again     Group      // fits the same choice to more of the same series; nil where that can't be had
}

// NewGathered has room for a number of series.
func NewGathered(n int) *Gathered {
	return &Gathered{States: make([]State, n), Errs: make([]error, n), Widenings: make([]Widening, n)}
}

// Together makes a model that fits the series of each group at once: those with the same value
// of an attribute, or all.
func Together(g Group, by string, b Bounds) model.Model {
	return together{group: g, by: by, bounds: b}
}

type together struct {
	group   Group
	by      string
	bounds  Bounds
	settled map[string]Group // where they were trained before
}

// Bare leaves the intervals as the methods have them.
func (t together) Bare() model.Model {
	t.bounds.Bare = true
	return t
}

// Train fits the groups one after another, and then the series that none of them took.
func (t together) Train(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	if !v.Remembers() { // what is told of days is asked again for seasons and for intervals
		v = v.Remembering()
		defer v.Forget()
	}
	if err := CheckGroup(v, t.by, Everything); err != nil {
		return nil, err
	}
	names, places := Groups(v, t.by, Everything, func(s panel.SeriesView) bool { return Tells(s.Values) })
	own := make([]gatheredSeries, v.Len())
	again := map[string]Group{}
	before := 0
	for _, name := range names {
		inputs := make([]Input, len(places[name]))
		err := num.Each(ctx, env.Workers, len(inputs), func(k int) {
			i := places[name][k]
			s := v.Series(i)
			inputs[k] = InputOf(s, env.Horizon, env.Random(s.Key))
			if leavesOut(t.group) {
				own[i].mended = inputs[k].mend()
			}
		})
		if err != nil {
			return nil, err
		}
		g, ok := t.settled[name]
		if !ok {
			g = t.group
		}
		taken, err := t.toldTaken(ctx, v, places[name], inputs, env.Workers)
		if err != nil {
			return nil, err
		}
		seasons, err := restsOf(ctx, t.group, v, inputs, env.Workers)
		if err != nil {
			return nil, err
		}
		after := before + len(inputs)
		got, err := g.Gather(ctx, v, inputs, env.Within(share(before, v), share(after, v), groupName(t.by, name)))
		if err != nil {
			return nil, err
		}
		before = after
		if got.Again != nil {
			again[name] = got.Again
		}
		for k, i := range places[name] {
			own[i].state, own[i].err, own[i].widening = got.States[k], got.Errs[k], got.Widenings[k]
			back := append(slices.Clip(taken[k]), seasons[k])
			for _, s := range slices.Backward(back) { // what was taken out last is put back first
				if s != nil && own[i].state != nil {
					s.State, own[i].state = own[i].state, s
				}
			}
		}
	}
	trained, err := model.FitEach(ctx, v, env.Within(share(before, v), 1, ""),
		func(ctx context.Context, i int, s panel.SeriesView) (model.SeriesFit, error) {
			return t.fit(ctx, own[i], InputOf(s, env.Horizon, env.Random(s.Key)))
		})
	if err != nil || len(again) == 0 {
		return trained, err
	}
	t.settled = again
	return model.Settle(trained, t), nil
}

// share is how much of the training is done after a number of series: those that are left alone
// take none to speak of.
func share(n int, v panel.View) float64 { return float64(n) / float64(max(1, v.Len())) }

func groupName(by, name string) string {
	if by == Everything {
		return ""
	}
	return name
}

// gatheredSeries is what its group made of a series.
type gatheredSeries struct {
	state    State
	err      error
	widening Widening
	mended   Mended
}

func (t together) fit(ctx context.Context, g gatheredSeries, in Input) (model.SeriesFit, error) {
	s := in.SeriesView
	if g.err != nil {
		return nil, g.err
	}
	if g.state == nil {
		state, cautions, err := Start(ctx, t.group.Alone(), in)
		if err != nil {
			return nil, err
		}
		return newFit(in, state, cautions, t.bounds), nil
	}
	if len(g.mended.Odd) > 0 || g.mended.Unit.changes() {
		in.mend()
	}
	fit := newFit(in, g.state, GapCautions(in, panel.CountKnown(in.Values)), t.bounds)
	fit.Odd, fit.Unit, fit.Mends, fit.view = g.mended.Odd, g.mended.Unit, leavesOut(t.group), s
	if !t.bounds.Bare {
		fit.Widening = g.widening
	}
	return fit, nil
}

// Groups lists the places of a view's series by the value of an attribute, or all as one group,
// in the order in which the values come; take says which series take part.
func Groups(v panel.View, by, everything string, take func(panel.SeriesView) bool) (names []string, places map[string][]int) {
	places = map[string][]int{}
	at := slices.Index(v.Attributes(), by)
	for i := range v.Len() {
		s := v.Series(i)
		if !take(s) {
			continue
		}
		name := everything
		if at >= 0 && by != everything {
			name = s.Labels[at]
		}
		if places[name] == nil {
			names = append(names, name)
		}
		places[name] = append(places[name], i)
	}
	return names, places
}

// CheckGroup refuses an attribute that a dataset lacks to group its series by.
func CheckGroup(v panel.View, by, everything string) error {
	if by == "" || by == everything || slices.Contains(v.Attributes(), by) {
		return nil
	}
	if len(v.Attributes()) == 0 {
		return fmt.Errorf("together: no attribute is called %q, and the dataset has none: say %s or none", by, everything)
	}
	return fmt.Errorf("together: no attribute is called %q: group by %s, %s or none", by, strings.Join(v.Attributes(), ", "), everything)
}

// GroupedBy is the attribute that the setting together names, whose series are fitted together, or
// Everything, its default; empty for none.
func GroupedBy(v model.Values) string {
	switch by := strings.Join(v.Names("together"), ","); by {
	case "none":
		return ""
	case "":
		return Everything
	default:
		return by
	}
}

// Places lists the places of the series of each group; each series is a group where by is empty.
func Places(v panel.View, by string) (out [][]int, err error) {
	if by == "" {
		for i := range v.Len() {
			out = append(out, []int{i})
		}
		return out, nil
	}
	if err := CheckGroup(v, by, Everything); err != nil {
		return nil, err
	}
	names, places := Groups(v, by, Everything, func(panel.SeriesView) bool { return true })
	for _, name := range names {
		out = append(out, places[name])
	}
	return out, nil
}
