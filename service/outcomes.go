package service

import (
	"context"
	"fmt"
	"math"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/num"
	"paperkettle/core/panel"
	"paperkettle/core/scenario"
	"paperkettle/store"
)

// sums adds outcomes up over series, whose futures are drawn apart from each other.
type sums struct {
	series int
	lines  []*scenario.Outcome
}

func (t *sums) add(list []scenario.Outcome) {
	t.series++
	for k := range list {
		o := &list[k]
		if k == len(t.lines) {
			h := len(o.Mean)
			t.lines = append(t.lines, &scenario.Outcome{Mean: make([]float64, h), Change: make([]float64, h), StepVariance: make([]float64, h), ChangeVariance: make([]float64, h)})
		}
		sum := t.lines[k]
		for i := range o.Mean {
			sum.Mean[i] += o.Mean[i]
			sum.Change[i] += o.Change[i]
			sum.StepVariance[i] += o.StepVariance[i]
			sum.ChangeVariance[i] += o.ChangeVariance[i]
		}
		sum.Total.Value += o.Total.Value
		sum.Total.Variance += o.Total.Variance
		sum.TotalChange.Value += o.TotalChange.Value
		sum.TotalChange.Variance += o.TotalChange.Variance
	}
}

// widths turns the sums' variances into normal intervals.
func (t *sums) widths(levels []float64) {
	for _, o := range t.lines {
		for _, level := range levels {
			z := num.NormalQuantile(0.5 + level/200)
			low, high, changeLow, changeHigh := around(o.Mean, o.StepVariance, z), around(o.Mean, o.StepVariance, -z), around(o.Change, o.ChangeVariance, z), around(o.Change, o.ChangeVariance, -z)
			o.Low, o.High, o.ChangeLow, o.ChangeHi = append(o.Low, low), append(o.High, high), append(o.ChangeLow, changeLow), append(o.ChangeHi, changeHigh)
			for _, sum := range []*scenario.Sum{&o.Total, &o.TotalChange} {
				wide := z * math.Sqrt(sum.Variance)
				sum.Low, sum.High = append(sum.Low, sum.Value-wide), append(sum.High, sum.Value+wide)
			}
		}
	}
}

func around(center, variance []float64, z float64) []float64 {
	out := make([]float64, len(center))
	for i := range out {
		out[i] = center[i] - z*math.Sqrt(variance[i])
	}
	return out
}

func (s *Server) scenarioTotals(ctx context.Context, sc *store.Scenario, out *api.Scenario) error {
	var all sums
	err := s.results.EachScenario(ctx, sc.ID, func(x *bakeoff.ScenarioSeries) error {
		if x.LeftOut != "" {
			out.LeftOut = append(out.LeftOut, api.LeftOut{Series: x.Series, Reason: x.LeftOut})
			return nil
		}
		all.add(x.Outcomes)
		return nil
	})
	if err != nil {
		return err
	}
	all.widths(out.Levels)
	out.Series = all.series
	for k, o := range all.lines {
		out.Totals = append(out.Totals, totalOf(caseName(out.Cases, k), o, all.lines[0]))
	}
	if all.series > 1 {
		out.Cautions = append(out.Cautions, "Intervals of sums over series take their errors to be independent: where all series err together, they are too narrow.")
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
	t := api.ScenarioTotal{Case: name, Total: o.Total.Value, Low: o.Total.Low, High: o.Total.High, Change: o.TotalChange.Value, ChangeLow: o.TotalChange.Low, ChangeHigh: o.TotalChange.High}
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
	var all sums
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
		all.add(x.Outcomes)
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
		all.widths(about.Levels)
		list := make([]scenario.Outcome, len(all.lines))
		for k, o := range all.lines {
			list[k] = *o
		}
		scenarioLines(&out, list, about.Cases)
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
		out.Cases = append(out.Cases, api.ScenarioLine{Case: caseName(cases, k), Forecast: o.Mean, Low: o.Low, High: o.High, Change: o.Change, ChangeLow: o.ChangeLow, ChangeHigh: o.ChangeHi})
		out.Totals = append(out.Totals, totalOf(caseName(cases, k), o, &list[0]))
	}
}
