// Package automatic mixes, for each series, the families that forecast best: by inner windows
// of the training part of all series, from which those of the series itself may depart.
package automatic

import (
	"context"
	"errors"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/additive"
	"paperkettle/core/model/arima"
	"paperkettle/core/model/baseline"
	"paperkettle/core/model/boosting"
	"paperkettle/core/model/decomposition"
	"paperkettle/core/model/intermittent"
	"paperkettle/core/model/linear"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/model/smoothing"
	"paperkettle/core/model/theta"
	"paperkettle/core/panel"
)

// Model mixes forms by weights, or takes the best alone.
type Model struct {
	Single bool
	Bounds single.Bounds
	// Members are the families that may take part.
	Members model.Catalogue
}

// form is a family that may take part.
type form struct {
	name  string
	doubt float64
	model model.Model
	// settled is the model as the rehearsal left it, which need not choose anew; or nil.
	settled model.Model
	// counts says that it is for demand that comes now and then, and for no other.
	counts bool
	// pools says that it learns from all series together.
	pools bool
	// plain says that it takes values as they are, also of a series that changed its unit.
	plain bool
	// blind says that it knows nothing of drivers and events.
	blind bool
	// dear says that it takes about as long as all others together.
	dear bool
}

// members are the families that may take part, next to others that need more than a series.
func members(others model.Catalogue) model.Catalogue {
	return slices.Concat(smoothing.Families(), theta.Families(), arima.Families(), decomposition.Families(), additive.Families(),
		linear.Families(), boosting.Families(), baseline.Families(), intermittent.Families(), others)
}

// taking lists the members, the one to trust where nothing tells first, with what each is
// doubted before anything is seen: the log of how much more than the first it loses, as a rule,
// on a series alone.
var taking = []struct {
	name  string
	doubt float64
}{{"smoothing", 0}, {"theta", .3}, {"arima", 0}, {"decomposition", 0}, {"additive", .4}, {"linear", .6}, {"boosting", .6}, {"pretrained", .2},
	{"calendar-median", .8}, {"seasonal-naive", .8}, {"mean", 1}, {"intermittent", 0}}

// seeing are those that know drivers and events, and intermittent demand, from which nothing is taken out.
var seeing = []string{"additive", "linear", "boosting", "intermittent"}

// forms are those that can serve a view.
func forms(all model.Catalogue, v panel.View) (out []form) {
	// Days and weeks of hours at once are beyond what these two model, and they are slow at it.
	within := len(v.Cadence().Seasons()) > 2
	for _, t := range taking {
		name := t.name
		if within && (name == "arima" || name == "theta") {
			continue
		}
		if !serves(all, name, v) {
			continue
		}
		if m, _, err := all.New(name, nil); err == nil {
			if name == explains {
				m = outlook.Explainer()
			}
			_, other := baseline.Families().Find(name)
			out = append(out, form{name: name, doubt: t.doubt, model: model.Bare(m), counts: name == "intermittent", pools: all.Across(name, nil),
				plain: other == nil || name == "intermittent", blind: !slices.Contains(seeing, name),
				dear: name == "arima"})
		}
	}
	return out
}

// fewestToBoost is from how many series on trees are tried, which learn from all together.
const fewestToBoost = 8

// serves says whether a family is there and worth trying on a view.
func serves(all model.Catalogue, name string, v panel.View) bool {
	if _, err := all.Find(name); err != nil || all.CheckCadence(name, nil, v.Cadence()) != nil {
		return false
	}
	return name != "boosting" || v.Len() >= fewestToBoost
}

// startFrom has trees start from one base, chosen already where settled is one, and no other be tried.
func (f *form) startFrom(base string, settled model.Model) {
	m, _, err := boosting.Families().New("boosting", model.Values{"from": base, "rate": 0.1})
	if trees, ok := m.(boosting.Model); err == nil && ok {
		trees.Settled = settled
		f.model = trees
	}
}

// Train rehearses the forms on inner windows, weighs them, and trains those that get weight
// on everything.
func (m Model) Train(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	v = v.Remembering() // each form mends the series that it learns from
	defer v.Forget()
	list := forms(m.Members, v)
	told, err := rehearse(ctx, v, env.Within(0, 0.7, ""), list)
	if err != nil {
		return nil, err
	}
	weights := told.weigh(m.Single)
	if !m.Single {
		told.jointly(weights, env.Judge)
	}
	welcome(v, list, weights)
	out := &Mix{Bounds: m.Bounds, Why: told.why, Series: v.Len(), Widenings: told.widen(weights, env.Judge), workers: env.Workers}
	ownWidths(v, out.Widenings)
	explain := told.explain(weights)
	for done, k := range explainerFirst(list) {
		part := env.Within(0.7+0.3*float64(done)/float64(len(list)), 0.7+0.3*float64(done+1)/float64(len(list)), "training "+list[k].name)
		if err := out.train(ctx, v, part, list[k], k, weights, explain); err != nil {
			return nil, err
		}
	}
	if len(out.Parts) == 0 {
		return nil, errors.New("no form could be trained")
	}
	for k, f := range list {
		out.Forms = append(out.Forms, f.name)
		for i := range v.Len() {
			if k == 0 {
				out.Scores = append(out.Scores, make([]float64, len(list)))
			}
			out.Scores[i][k] = told.score(i, k)
		}
	}
	return out, nil
}

// explainerFirst lists the places of the forms, the one first that explains drivers and events to others.
func explainerFirst(list []form) (out []int) {
	for k, f := range list {
		if out = append(out, k); f.name == explains {
			out = slices.Insert(out[:k], 0, k)
		}
	}
	return out
}

// welcome leaves series that have too few values of their own to boosting, which knows their likes; the
// first form stands behind it.
func welcome(v panel.View, list []form, weights [][]float64) {
	k := slices.IndexFunc(list, func(f form) bool { return f.name == "boosting" })
	for i := range weights {
		if values, _ := v.Values(i); k >= 0 && panel.CountKnown(values) < single.Fewest {
			clear(weights[i])
			weights[i][0], weights[i][k] = 1e-9, 1
		}
	}
}

// ownWidths leaves newcomers' intervals as boosting has them: what the errors of series with a past ask for is no matter
// of theirs.
func ownWidths(v panel.View, widenings []single.Widening) {
	for i := range widenings {
		if values, _ := v.Values(i); panel.CountKnown(values) < single.Fewest {
			w := &widenings[i] // where points go stays
			w.Near, w.Far, w.Tail, w.Little, w.Skew = 1, 1, 1, 0, 0
		}
	}
}

// Welcome is boosting's.
func (m Model) Welcome(ctx context.Context, v panel.View, env model.Env) (model.Result, error) {
	for _, f := range forms(m.Members, v) {
		if host, ok := f.model.(model.Welcoming); ok && f.name == "boosting" {
			return host.Welcome(ctx, v, env)
		}
	}
	return model.Result{}, errors.New("there are too few series to tell what one without a past is like")
}

// version is of how the choice is made; others are those of the members that are not always there.
func version(others model.Catalogue) int {
	out := 28
	for _, f := range others {
		out ^= f.Version << 2
	}
	return out
}

// Families is the automatic choice among members, next to those given.
func Families(others model.Catalogue) model.Catalogue {
	all := members(others)
	return model.Catalogue{{
		Name:    "automatic",
		Version: version(others),
		Summary: "Mixes, per series, smoothing, theta, ARIMA, decomposition, additive, linear, boosting, pretrained, intermittent and " +
			"calendar forms, by how they forecast inner windows of all series.",
		Reference: "inner windows: Tashman, International Journal of Forecasting 16, 2000; pooled evidence: Efron and Morris, Journal of the " +
			"American Statistical Association 70, 1975; mixing: Bates and Granger, Operational Research Quarterly 20, 1969",
		Settings: append([]model.Setting{
			{Name: "choose", Kind: model.Choice, Choices: []string{"mixed", "single"}, Default: "mixed",
				Meaning: "mix the forms by how sure the inner windows are, or take the best alone"},
		}, single.BoundSettings()...),
		AcrossSeries: true,
		Welcomes:     true,
		New: func(v model.Values) (model.Model, error) {
			return Model{Single: v.Text("choose", "") == "single", Bounds: single.BoundsOf(v), Members: all}, nil
		},
		Read: func(p model.Parts) (model.Trained, error) { return read(all, p) },
	}}
}
