package service

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/model"
	"paperkettle/core/panel"
	"paperkettle/core/split"
	"paperkettle/store"
)

// planOf turns the contract's plan into the core's.
func planOf(in api.Plan) (bakeoff.Plan, error) {
	history, err := split.ParseHistory(in.History)
	if err != nil {
		return bakeoff.Plan{}, invalid("body.history", "%v", err)
	}
	refit, err := split.ParseRefit(in.Refit)
	if err != nil {
		return bakeoff.Plan{}, invalid("body.refit", "%v", err)
	}
	ends, err := split.ParseEnds(in.Ends)
	if err != nil {
		return bakeoff.Plan{}, invalid("body.ends", "%v", err)
	}
	out := bakeoff.Plan{
		Split:   split.Spec{Horizon: in.Horizon, Windows: in.Windows, Stride: in.Stride, History: history, Gap: in.Gap, Refit: refit, Ends: ends},
		Weights: in.Weights, Fallback: in.Fallback,
		Baseline: in.Baseline, Metric: in.Metric, Levels: in.Levels, ScaleLag: in.ScaleLag, Seed: in.Seed, Where: in.Where, Gaps: in.Gaps, Past: in.Past,
		Neighbours: in.Neighbours, CarryOver: in.CarryOver,
	}
	for name, rule := range in.Ahead {
		if out.Ahead == nil {
			out.Ahead = map[string]panel.Ahead{}
		}
		out.Ahead[name] = panel.Ahead(rule)
	}
	for _, c := range in.Contenders {
		out.Contenders = append(out.Contenders, contenderOf(c))
	}
	return out, nil
}

func contenderOf(c api.Contender) bakeoff.Contender {
	out := bakeoff.Contender{Name: c.Name, Family: c.Family, Settings: model.Values(c.Settings)}
	if t := c.Tune; t != nil {
		out.Tune = &bakeoff.Tune{Settings: t.Settings, Search: t.Search, Tries: t.Tries, Windows: t.Windows, Per: t.Per, Within: t.Within}
	}
	return out
}

// planBack gives a complete plan in the contract's words.
func (s *Server) planBack(name, dataset string, revision int, p bakeoff.Plan) api.Plan {
	out := api.Plan{Name: name, Dataset: dataset, Revision: revision, Where: p.Where, Horizon: p.Split.Horizon, Windows: p.Split.Windows,
		Stride:  p.Split.Stride,
		History: p.Split.History.String(), Baseline: p.Baseline, Metric: p.Metric, Levels: p.Levels, ScaleLag: p.ScaleLag, Seed: p.Seed,
		Contenders: []api.Contender{},
		Gap:        p.Split.Gap, Weights: p.Weights, Fallback: p.Fallback, Gaps: p.Gaps, Past: p.Past, Neighbours: p.Neighbours, CarryOver: p.CarryOver}
	if p.Split.Refit != 0 {
		out.Refit = p.Split.Refit.String()
	}
	out.Ends = string(p.Split.Ends)
	for name, rule := range p.Ahead {
		if out.Ahead == nil {
			out.Ahead = map[string]string{}
		}
		out.Ahead[name] = string(rule)
	}
	for _, c := range p.Contenders {
		entered := api.Contender{Name: c.Name, Family: c.Family, Settings: s.settingsBack(c)}
		if t := c.Tune; t != nil {
			entered.Tune = &api.Tune{Settings: t.Settings, Search: t.Search, Tries: t.Tries, Windows: t.Windows, Per: t.Per, Within: t.Within}
		}
		out.Contenders = append(out.Contenders, entered)
	}
	return out
}

// settingsBack are a contender's settings as given, with the defaults that have changed since:
// the plan reruns to the same.
func (s *Server) settingsBack(c bakeoff.Contender) map[string]any {
	f, err := s.catalogue.Find(c.Family)
	if err != nil {
		return c.Settings
	}
	now := model.Defaults(f.Settings)
	out := maps.Clone(c.Settings)
	for name, v := range c.Defaults {
		if fmt.Sprint(v) != fmt.Sprint(now[name]) {
			if out == nil {
				out = model.Values{}
			}
			out[name] = v
		}
	}
	return out
}

// prepare lays a plan on its dataset.
func (s *Server) prepare(ctx context.Context, in api.Plan) (*bakeoff.Engine, *store.Dataset, *store.Revision, error) {
	plan, err := planOf(in)
	if err != nil {
		return nil, nil, nil, err
	}
	ds, rev, err := s.revisionOf(ctx, in.Dataset, in.Revision)
	if err != nil {
		return nil, nil, nil, err
	}
	p, err := s.store.Panel(ctx, rev.ID)
	if err != nil {
		return nil, nil, nil, err
	}
	e, err := bakeoff.Prepare(p, plan, s.catalogue)
	return e, ds, rev, err
}

// setAsideShown is how many series set aside an answer lists.
const setAsideShown = 100

func splitOf(e *bakeoff.Engine) api.Split {
	p := e.Panel
	out := api.Split{Periods: p.Length, First: p.Period(0), Last: p.Period(p.Length - 1), SetAside: []api.SetAside{}, Aside: len(e.SetAside),
		Tasks: len(e.Tasks()), Cautions: e.Cautions()}
	seen := map[int]bool{}
	for i, w := range e.Windows {
		out.Windows = append(out.Windows, api.Window{Window: w.Index, TrainFirst: p.Period(w.TrainFirst), Origin: p.Period(w.Origin),
			AssessFirst: p.Period(w.AssessFirst()), AssessLast: p.Period(w.AssessLast), TrainIndex: w.TrainFirst, OriginIndex: w.Origin,
			LastIndex: w.AssessLast,
			Series:    len(e.Qualified[i])})
		out.Fits += len(e.Qualified[i]) * len(e.Plan.Contenders)
		for _, q := range e.Qualified[i] {
			seen[q] = true
		}
	}
	out.Series = len(seen)
	for _, a := range e.SetAside[:min(setAsideShown, len(e.SetAside))] {
		out.SetAside = append(out.SetAside, api.SetAside{Series: a.Key, Window: a.Window, Reason: a.Reason})
	}
	for _, a := range e.SetAside {
		if !seen[a.Series] {
			seen[a.Series] = true
			out.Series++
		}
	}
	return out
}

// defaultName says what a plan without a name is.
func defaultName(p api.Plan) string {
	return fmt.Sprintf("%s, %d ahead", p.Dataset, p.Horizon)
}

func planJSON(p bakeoff.Plan) (string, error) {
	b, err := json.Marshal(p)
	return string(b), err
}
