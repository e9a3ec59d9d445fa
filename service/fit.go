package service

import (
	"context"
	"math"
	"slices"
	"strconv"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// getFit explains how a contender was fitted to a series in a window.
func (s *Server) getFit(ctx context.Context, in *struct {
	BakeoffPath
	Contender string `query:"contender" doc:"the leader where left out"`
	Series    string `query:"series" doc:"the first where left out"`
	Window    int    `query:"window" doc:"the last where left out" minimum:"0"`
}) (api.Fit, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return api.Fit{}, err
	}
	e, err := s.engine(ctx, b)
	if err != nil {
		return api.Fit{}, err
	}
	if in.Contender == "" {
		lead, err := s.leader(ctx, b)
		if err != nil {
			return api.Fit{}, err
		}
		in.Contender = lead.Contender
	}
	contender := e.Plan.Contender(in.Contender)
	if contender < 0 {
		return api.Fit{}, invalid("query.contender", "no contender of the bake-off is called %q", in.Contender)
	}
	window := len(e.Windows) - 1
	if at := e.Panel.Find(in.Series); at >= 0 && e.LastWindow(at) >= 0 {
		window = e.LastWindow(at)
	}
	if in.Window > 0 {
		window = in.Window - 1
	}
	if window >= len(e.Windows) {
		return api.Fit{}, invalid("query.window", "the bake-off has %d windows", len(e.Windows))
	}
	series, err := seriesOf(e, in.Series, window)
	if err != nil {
		return api.Fit{}, err
	}
	d, err := e.Describe(ctx, window, contender, series)
	if err != nil {
		return api.Fit{}, err
	}
	out := fitOf(e.Panel, d)
	out.Contender, out.Series, out.Window = in.Contender, e.Panel.Series[series].Key, window+1
	return *out, nil
}

// seriesOf finds a series by its key, or the first that takes part.
func seriesOf(e *bakeoff.Engine, key string, window int) (int, error) {
	if key == "" {
		if len(e.Qualified[window]) == 0 {
			return 0, invalid("query.window", "no series takes part in window %d", window+1)
		}
		return e.Qualified[window][0], nil
	}
	if at := e.Panel.Find(key); at >= 0 {
		return at, nil
	}
	return 0, noSeries(key)
}

// fitOf puts a description into the contract's words.
func fitOf(p *panel.Panel, d model.Description) *api.Fit {
	out := &api.Fit{Form: d.Form, From: p.Period(d.From), To: p.Period(d.To), Known: d.Known, Why: d.Why, Criterion: d.Criterion,
		Parameters: parametersOf(d.Parameters), States: parametersOf(d.States), Training: parametersOf(d.Training), Shares: parametersOf(d.Shares),
		Cautions: append([]string{}, d.Cautions...)}
	out.LeftOut = []api.Stretch{}
	for _, x := range d.LeftOut {
		out.LeftOut = append(out.LeftOut, api.Stretch{From: p.Period(x.From), To: p.Period(x.To), Why: x.Why})
	}
	if d.Sigma != nil {
		out.Sigma = number(*d.Sigma)
	}
	if d.Line != nil {
		out.Line = &api.StraightLine{Start: d.Line.Start, Slope: d.Line.Slope, R2: d.Line.R2}
	}
	for _, c := range d.Choices {
		out.Choices = append(out.Choices, api.FitChoice{Form: c.Form, Value: number(c.Value)})
	}
	for _, t := range d.Tests {
		out.Tests = append(out.Tests, api.FitTest{Name: t.Name, Statistic: number(t.Statistic), P: number(t.P), Meaning: t.Meaning})
	}
	for _, x := range d.Effects {
		out.Effects = append(out.Effects, api.Effect{Name: x.Name, Kind: x.Kind, Per: x.Per, Units: number(x.Units), Low: number(x.Low),
			High: number(x.High), Percent: number(x.Percent), PercentLow: number(x.PercentLow), PercentHigh: number(x.PercentHigh)})
	}
	for _, x := range d.Worths {
		out.Worths = append(out.Worths, api.Worth{Name: x.Name, Meaning: x.Meaning, Share: x.Share, Rise: number(x.Rise),
			Low: number(x.Rise - 1.96*x.Sd), High: number(x.Rise + 1.96*x.Sd)})
	}
	for _, x := range d.Curves {
		out.Curves = append(out.Curves, effectCurve(x))
	}
	for _, x := range d.Reasons {
		out.Reasons = append(out.Reasons, api.Reason{Name: x.Name, Steps: numbers(x.Steps)})
	}
	for _, x := range d.Learning {
		out.Learning = append(out.Learning, lossCurveOf(x))
	}
	for _, x := range d.Bends {
		out.Bends = append(out.Bends, api.Bend{Period: p.Period(x.At), Change: number(x.Change), Percent: number(x.Percent)})
	}
	ahead := 0
	for _, c := range d.Components {
		part := api.Component{Name: c.Name, Factor: c.Factor, Past: numbers(c.Past), Ahead: numbers(c.Ahead)}
		if len(c.Low) == len(c.Past) && len(c.AheadLow) == len(c.Ahead) && len(c.Low) > 0 {
			part.Low, part.High = numbers(slices.Concat(c.Low, c.AheadLow)), numbers(slices.Concat(c.High, c.AheadHigh))
		}
		out.Components = append(out.Components, part)
		ahead = max(ahead, len(c.Ahead))
	}
	if len(d.Components) > 0 {
		out.Periods = periods(p, d.From, d.To-d.From+1+ahead)
	}
	return out
}

func effectCurve(x model.EffectCurve) api.EffectCurve {
	out := api.EffectCurve{Name: x.Name, Meaning: x.Meaning, Places: x.Labels, Ordered: x.Labels == nil, Mean: numbers(x.Mean),
		Low: numbers(x.Low), High: numbers(x.High)}
	if out.Ordered {
		for _, v := range x.At {
			out.Places = append(out.Places, strconv.FormatFloat(v, 'g', 4, 64))
		}
	}
	return out
}

func parametersOf(list []model.Parameter) []api.Parameter {
	out := []api.Parameter{}
	for _, p := range list {
		if !math.IsNaN(p.Value) && !math.IsInf(p.Value, 0) {
			out = append(out, api.Parameter(p))
		}
	}
	return out
}

func lossCurveOf(c model.Curve) api.LossCurve {
	return api.LossCurve{Name: c.Name, Of: c.Of, Every: max(1, c.Every), Values: numbers(c.Values)}
}
