// Package boosting corrects a simpler model by boosted trees: what that left on inner windows, of
// all series, is learnt from the calendar, drivers, events, attributes and the recent past. So
// what the simpler model knows of trends goes on beyond what was ever seen, where trees alone
// would stay.
//
// Source: boosting from an offset, as Friedman, Greedy function approximation, Annals of Statistics
// 29 (2001); learning from out-of-sample forecasts, as Wolpert, Stacked generalization, Neural
// Networks 5 (1992); one model for many series: Montero-Manso and Hyndman, Principles and
// algorithms for forecasting groups of time series, International Journal of Forecasting 37 (2021).
package boosting

import (
	"context"
	"errors"
	"math"
	"slices"

	"paperkettle/core/boost"
	"paperkettle/core/model"
	"paperkettle/core/model/additive"
	"paperkettle/core/model/baseline"
	"paperkettle/core/model/linear"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/model/smoothing"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Model learns what a base leaves.
type Model struct {
	Base   string   // empty for the one that does best on inner windows
	Lines  []string // of features; nil for what suits
	By     string   // an attribute whose values have trees of their own, or all
	Loss   string   // squared, absolute or huber
	Trees  int      // at most; 0 for as inner windows say
	Leaves int
	Rate   float64
	Signs  []string // effects of drivers that may go one way only
	Way    string   // to several steps
	Widths string   // of intervals: by errors or by quantiles
	Bounds single.Bounds
	// Settled is the base as it was chosen before, which need not choose anew; nil where it was not. Ready gives
	// the base as trained on a view already, or nil; it is shared, and moves on with its owner.
	Settled model.Model
	Ready   func(v panel.View) model.Trained
}

// explained is smoothing where there are drivers or events, of which it knows nothing: of what they leave.
const explained = "explained-smoothing"

// bases are the families that trees may start from.
func bases() model.Catalogue {
	return slices.Concat(additive.Families(), linear.Families(), smoothing.Families(), baseline.Families(),
		model.Catalogue{outlook.OnRest(smoothing.Families()[0], explained)})
}

// manySeries is from how many series on the bases are those that are quick on many.
const manySeries = 300

// candidates are the bases to try, the one to keep to where inner windows don't tell first.
func (m Model) candidates(v panel.View) []string {
	third := "smoothing"
	if len(m.Signs) == 0 && outlook.Explainable(v) { // what explains keeps no signs
		third = explained
	}
	switch {
	case m.Base != "":
		return []string{m.Base}
	case v.Len() == 1:
		return []string{"additive", third}
	case v.Len() > manySeries || known(v) > longHistories:
		return []string{"additive", "linear"}
	}
	return []string{"additive", "linear", third}
}

// known is how many values a view has.
func known(v panel.View) (n int) {
	for i := range v.Len() {
		values, _ := v.Values(i)
		n += len(values)
	}
	return n
}

func (m Model) newBase(name string) (model.Model, error) {
	if m.Settled != nil {
		return m.Settled, nil
	}
	given := model.Values{}
	switch {
	case name == "additive" && len(m.Signs) > 0:
		given["signs"] = m.Signs
	case name == "additive":
		return outlook.Explainer(), nil
	}
	made, _, err := bases().New(name, given)
	if err != nil {
		return nil, err
	}
	return model.Bare(made), nil
}

// Train fits the groups: one after another, on all workers, or side by side where each series is
// one. A group that fails fails alone.
func (m Model) Train(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	if !v.Remembers() { // each base mends the series at each origin, and has them tell what they have in common
		v = v.Remembering()
		defer v.Forget()
	}
	groups, err := single.Places(v, m.By)
	if err != nil {
		return nil, err
	}
	out := &Trained{Series: v.Len(), Bounds: m.Bounds, Forests: make([]*Forest, len(groups)), workers: env.Workers, view: &v}
	one := func(k int, part model.Env) {
		f := &Forest{Places: groups[k]}
		err := model.Guard(func() error { return m.fit(ctx, v.Pick(groups[k]), part, f) })
		if err != nil {
			f.Failed = err.Error()
		}
		out.Forests[k] = f
	}
	if m.By == "" {
		env.Report = nil
		own := env
		own.Workers = 1
		return out, num.Each(ctx, env.Workers, len(groups), func(k int) { one(k, own) })
	}
	done := 0
	for k, places := range groups {
		one(k, env.Within(float64(done)/float64(v.Len()), float64(done+len(places))/float64(v.Len()), ""))
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		done += len(places)
	}
	return out, nil
}

// attempt is a base with the trees that correct it, as inner windows have it.
type attempt struct {
	name    string
	model   model.Model
	trees   Grove
	spread  *boost.Model // of quantiles; nil where the base's own are taken
	moved   []float64    // what the trees add to held-out rows, in units, as far as it is believed
	loss    float64      // of held-out rows, in units
	without float64      // the same without trees
	belief  float64      // share of the correction that is taken
	rows    *rows
	weight  float64
}

// fit fits one group: it tries the bases, and trains those that do well, with their trees, on
// everything.
func (m Model) fit(ctx context.Context, v panel.View, env model.Env, f *Forest) error {
	lay, err := m.layout(v, env.Horizon)
	if err != nil {
		return err
	}
	if _, plain := baseline.Families().Find(m.Base); plain != nil { // one that never knows a year is told by all origins
		if err := lay.ripen(ctx, v, env.Workers); err != nil {
			return err
		}
	}
	var list []*attempt
	names := m.candidates(v)
	for k, name := range names {
		a, err := m.attempt(ctx, v, env.Within(0.7*float64(k)/float64(len(names)), 0.7*float64(k+1)/float64(len(names)), "trying "+name), lay, name)
		switch {
		case ctx.Err() != nil:
			return ctx.Err()
		case err == nil:
			list = append(list, a)
		case len(names) == 1:
			return err
		}
	}
	if len(list) == 0 {
		return errors.New("none of the forms to start from could be trained")
	}
	f.Layout, f.Widening = *lay, single.None
	if f.New, err = welcome(ctx, v, env, lay); err != nil {
		return err
	}
	weigh(list)
	f.Widening = widening(list, lay).Learnt(list[0].rows.told(), freedom).RankedBy(env.Judge)
	for k, a := range list {
		f.Tried = append(f.Tried, model.Candidate{Form: "trees on " + a.name, Value: a.loss}, model.Candidate{Form: a.name + " alone", Value: a.without})
		if a.weight == 0 {
			continue
		}
		stem, err := m.finish(ctx, v, a, env.Within(0.7+0.3*float64(k)/float64(len(list)), 0.7+0.3*float64(k+1)/float64(len(list)), ""))
		if err != nil {
			return err
		}
		f.Stems = append(f.Stems, stem)
	}
	return nil
}

// freedom is how many parameters' worth trees with their base are learnt freely, as their intervals show
// where there is little to learn from. Where there are no rows, and so no trees, intervals are the base's own.
const freedom = 2

// sharpness is how much better held-out rows must be to weigh more, and leastWeight what is not
// worth training for.
const (
	sharpness   = 12
	leastWeight = 0.15
)

// weigh gives the attempts weights by their losses on held-out rows: where nothing tells, all the same.
func weigh(list []*attempt) {
	switch {
	case list[0].trees == nil:
		for _, a := range list {
			a.weight = 1 / float64(len(list))
		}
		return
	case list[0].loss == 0: // exact
		list[0].weight = 1
		return
	}
	least, total := math.Inf(1), 0.0
	for _, a := range list {
		least = min(least, a.loss)
	}
	for k, a := range list {
		if a.weight = math.Pow(least/a.loss, sharpness); k == 0 {
			a.weight *= 1 + doubt/max(a.rows.told(), 1)
		}
		total += a.weight
	}
	kept := 0.0
	for _, a := range list {
		if a.weight /= total; a.weight < leastWeight {
			a.weight = 0
		}
		kept += a.weight
	}
	for _, a := range list {
		a.weight /= kept
	}
}

// finish trains a base on everything, and grows the trees on all rows, as many as did best.
func (m Model) finish(ctx context.Context, v panel.View, a *attempt, env model.Env) (*Stem, error) {
	out := &Stem{Base: a.name, Weight: a.weight, Rows: a.rows.count()}
	final := a.model
	// Additive chooses its memory and level by all there is, and others where that tells more of a season.
	if a.rows.settled != nil && a.name != "additive" && !single.TellsMore(v, a.rows.lay.Origins[0]) {
		final = a.rows.settled
	}
	if m.Ready != nil {
		out.base = m.Ready(v)
	}
	var err error
	if out.base == nil {
		if out.base, err = final.Train(ctx, v, env.Within(0, 0.6, "training "+a.name)); err != nil {
			return nil, err
		}
	}
	if out.Spread, err = m.spreadAgain(ctx, a, env.Within(0.9, 1, "")); err != nil || a.belief == 0 {
		return out, err
	}
	if out.Trees, err = m.again(ctx, a.rows, a.trees, env.Within(0.6, 0.9, "")); err != nil {
		return nil, err
	}
	first, held := a.leading()
	out.Belief, out.Curve, out.HeldCurve = a.belief, first.Curve, first.Held
	if out.Worths, err = a.worths(ctx, env.Workers, first, held); err != nil {
		return nil, err
	}
	out.Curves, err = a.effects(ctx, env.Workers, first, held)
	return out, err
}

// settings are those of the trees, by how many rows there are.
func (m Model) settings(r *rows) boost.Settings {
	// An actual is in as many rows as there are origins from which it was forecast: they tell
	// little more than one.
	n, overlap := r.count(), r.overlap()
	s := boost.Settings{Loss: r.loss(m.Loss), Trees: mostTrees, Leaves: 16, FewestRows: max(10, min(20*int(overlap), n/50)), Rate: 0.1,
		RowShare: 0.7, ColumnShare: 0.6, Squares: 10 * overlap, Patience: patience, Seed: 1}
	if float64(n)/overlap < fewRows { // few rows: small trees, held firmly
		s.Leaves, s.Rate, s.Squares = 6, 0.06, 20*overlap
	}
	if m.Trees > 0 {
		s.Trees = m.Trees
	}
	if m.Leaves > 0 {
		s.Leaves = m.Leaves
	}
	if m.Rate > 0 {
		s.Rate = m.Rate
	}
	return s
}

const (
	mostTrees = 400
	patience  = 40
	// fewRows is below how many rows trees are held more firmly.
	fewRows = 2000
)

// attempt trains a base before the inner windows, and trees on what it leaves there.
func (m Model) attempt(ctx context.Context, v panel.View, env model.Env, lay *Layout, name string) (*attempt, error) {
	made, err := m.newBase(name)
	if err != nil {
		return nil, err
	}
	a := &attempt{name: name, model: made}
	if len(lay.Origins) == 0 {
		a.rows = &rows{}
		return a, nil
	}
	if a.rows, err = m.collect(ctx, v, env.Within(0, 0.6, ""), lay, made); err != nil {
		return nil, err
	}
	early, late := a.rows.split()
	if len(early) < fewestLearnt || len(late) < fewestHeld {
		return a, nil
	}
	if a.trees, err = m.grow(ctx, a.rows, env.Within(0.6, 0.9, "")); err != nil {
		return nil, err
	}
	if err = a.judge(ctx, env.Workers, late); err != nil {
		return nil, err
	}
	if m.Widths == byQuantiles {
		err = m.spread(ctx, a, env.Within(0.9, 1, ""))
	}
	return a, err
}

// judge finds how much of the correction held-out rows believe.
func (a *attempt) judge(ctx context.Context, workers int, held []int32) error {
	losses := make([]float64, len(beliefs))
	if a.trees.trees() == 0 {
		losses = losses[:1]
	}
	said, err := a.says(ctx, workers, held)
	if err != nil {
		return err
	}
	for k, share := range beliefs[:len(losses)] {
		moved := said(share)
		for _, i := range held {
			losses[k] += abs(float64(a.rows.target[i])-moved[i]) / float64(len(held))
		}
	}
	a.without, a.loss = losses[0], losses[0]
	for k, l := range losses {
		if l < a.loss*(1-prefer) || k > 0 && a.belief > 0 && l < a.loss {
			a.belief, a.loss = beliefs[k], l
		}
	}
	told := a.rows.told()
	if a.belief *= told / (told + doubt); a.belief > 0 {
		a.moved = said(a.belief)
	}
	return nil
}

// leading are the trees of the first step that has some, and the held-out rows that are theirs.
func (a *attempt) leading() (*boost.Model, boost.Data) {
	_, late := a.rows.split()
	for k, some := range a.rows.parts(late) {
		if a.trees[k].Model != nil {
			return a.trees[k].Model, a.rows.data(some)
		}
	}
	return nil, boost.Data{}
}

// doubt is how many independent windows a correction must be told by to be believed by half: the
// held-out ones are of one time, and what held then need not hold now.
const doubt = 50

// beliefs are the shares of a correction to choose from; prefer is by how much trees must be
// better than none.
var beliefs = []float64{0, 0.25, 0.5, 0.75, 1}

const prefer = 0.005
