package service

import (
	"context"
	"fmt"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/panel"
	"paperkettle/core/scenario"
	"paperkettle/store"
)

func (s *Server) scenarioTotals(ctx context.Context, sc *store.Scenario, out *api.Scenario) error {
	var all scenario.Sums
	err := s.results.EachScenario(ctx, sc.ID, func(x *bakeoff.ScenarioSeries) error {
		if x.LeftOut != "" {
			out.LeftOut = append(out.LeftOut, api.LeftOut{Series: x.Series, Reason: x.LeftOut})
			return nil
		}
		all.Add(x.Outcomes)
		return nil
	})
	if err != nil {
		return err
	}
	ties, err := s.tiesOf(ctx, sc.BakeoffID, sc.Contender, "")
	if err != nil {
		return err
	}
	all.Widen(out.Levels, coreTies(ties))
	out.Series = all.Series
	for k := range all.Cases {
		t := totalOf(caseName(out.Cases, k), &all.Cases[k], &all.Cases[0])
		if all.Beside[k] != 0 {
			t.Neighbours = number(all.Beside[k])
		}
		out.Totals = append(out.Totals, t)
	}
	if all.Series > 1 {
		out.Cautions = append(out.Cautions, fmt.Sprintf("Intervals of sums over series count how far errors went together in the bake-off (a "+
			"correlation of %.2f between series); those of changes take the doubts of different series for independent.", ties.Series))
	}
	if n := len(out.LeftOut); n > 0 {
		out.Cautions = append(out.Cautions, fmt.Sprintf("%d series got no forecast: %s, for one, %s.", n, out.LeftOut[0].Series, out.LeftOut[0].Reason))
	}
	return nil
}

func caseName(cases []api.ScenarioCase, k int) string {
	if k == 0 {
		return "base"
	}
	return cases[k-1].Name
}

func totalOf(name string, o, base *scenario.Outcome) api.ScenarioTotal {
	t := api.ScenarioTotal{Case: name, Total: o.Total.Value, Low: o.Total.Low, High: o.Total.High, Change: o.TotalChange.Value,
		ChangeLow: o.TotalChange.Low, ChangeHigh: o.TotalChange.High}
	if base.Total.Value != 0 {
		t.ChangeShare = number(o.TotalChange.Value / base.Total.Value)
	}
	return t
}

// scenarioCurve is one series under all cases, or their sum.
func (s *Server) scenarioCurve(ctx context.Context, in *struct {
	ScenarioPath
	Series string `query:"series" doc:"the sum over all where left out"`
}) (api.ScenarioCurve, error) {
	out := api.ScenarioCurve{Series: in.Series}
	sc, err := s.findScenario(ctx, in.Scenario)
	if err != nil {
		return out, err
	}
	about, err := s.scenarioOf(ctx, sc, false)
	if err != nil {
		return out, err
	}
	if sc.State != store.ScenarioReady {
		return out, conflict("%s is %s", about.ID, sc.State)
	}
	p, err := s.store.Panel(ctx, sc.RevisionID)
	if err != nil {
		return out, err
	}
	out.Levels, out.Start, out.Periods = about.Levels, p.Length, periods(p, 0, p.Length+sc.Horizon)
	out.Actual = make([]*float64, len(out.Periods))
	var all scenario.Sums
	found := false
	sum := make([]float64, p.Length)
	err = s.results.EachScenario(ctx, sc.ID, func(x *bakeoff.ScenarioSeries) error {
		out.Keys = append(out.Keys, x.Series)
		if in.Series != "" && x.Series != in.Series {
			return nil
		}
		found = true
		if out.LeftOut = x.LeftOut; x.LeftOut != "" {
			return nil
		}
		out.Contender = x.Contender
		i := p.Find(x.Series)
		if in.Series != "" {
			out.Actual = actuals(p, i, len(out.Periods))
			scenarioLines(&out, x.Outcomes, about.Cases)
			return nil
		}
		all.Add(x.Outcomes)
		for t := range sum {
			if v := p.Series[i].At(t); panel.Known(v) {
				sum[t] += v
			}
		}
		return nil
	})
	switch {
	case err != nil:
		return out, err
	case !found:
		return out, noSeries(in.Series)
	case in.Series == "":
		out.LeftOut, out.Contender = "", sc.Contender
		ties, err := s.tiesOf(ctx, sc.BakeoffID, sc.Contender, "")
		if err != nil {
			return out, err
		}
		all.Widen(about.Levels, coreTies(ties))
		scenarioLines(&out, all.Cases, about.Cases)
		for t, v := range sum {
			out.Actual[t] = number(v)
		}
	}
	return out, nil
}

// scenarioLines puts the base and the cases into a curve.
func scenarioLines(out *api.ScenarioCurve, list []scenario.Outcome, cases []api.ScenarioCase) {
	for k := range list {
		o := &list[k]
		out.Cases = append(out.Cases, api.ScenarioLine{Case: caseName(cases, k), Forecast: o.Mean, Low: o.Low, High: o.High, Change: o.Change,
			ChangeLow: o.ChangeLow, ChangeHigh: o.ChangeHi})
		out.Totals = append(out.Totals, totalOf(caseName(cases, k), o, &list[0]))
	}
}
