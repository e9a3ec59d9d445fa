package bakeoff

import (
	"context"
	"errors"
	"fmt"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
	"paperkettle/core/scenario"
)

// A scenario draws mostPaths futures of each series, fewer where so many series are drawn at
// once that mostDrawn numbers would not hold them, but never below fewestPaths.
const (
	mostPaths   = 1000
	fewestPaths = 200
	mostDrawn   = 40_000_000
)

// ScenarioSeries is what the cases come to for one series: the base first.
type ScenarioSeries struct {
	Series    string
	Contender string
	LeftOut   string // the reason, where there is no forecast
	Outcomes  []scenario.Outcome
}

// Scenario does a piece of a scenario: it trains as the release did, and forecasts under
// the base's drivers and each case's, on the same futures.
func (r *Refit) Scenario(ctx context.Context, part int, cases []*panel.Panel, levels []float64, report Report) ([]ScenarioSeries, error) {
	series := r.Part(part)
	out := make([]ScenarioSeries, len(series))
	groups := make([][]int, len(r.Plan.Contenders))
	for i, s := range series {
		out[i] = ScenarioSeries{Series: r.Panel.Series[s].Key, LeftOut: r.leaveOut(s)}
		if out[i].LeftOut == "" {
			c := r.chosen(s)
			out[i].Contender = r.Plan.Contenders[c].Name
			groups[c] = append(groups[c], i)
		}
	}
	for c, places := range groups {
		if len(places) == 0 {
			continue
		}
		if err := r.compare(ctx, c, series, places, cases, levels, out, report); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// compare runs one contender's series through the base and the cases.
func (r *Refit) compare(ctx context.Context, c int, series, places []int, cases []*panel.Panel, levels []float64, out []ScenarioSeries,
	report Report) error {
	members := make([]int, len(places))
	for i, p := range places {
		members[i] = series[p]
	}
	if r.Lineup.combines(c) != nil {
		for _, p := range places {
			out[p].LeftOut = fmt.Sprintf("%s combines others: ask of one of its members", r.Plan.Contenders[c].Name)
		}
		return nil
	}
	base := r.view(members)
	trained, err := r.Lineup.train(ctx, c, r.occasion(c, base, Desk{Report: report}))
	if err != nil {
		return err
	}
	views, panels := []panel.View{base}, []*panel.Panel{r.Panel}
	for _, p := range cases {
		panels = append(panels, p)
		views = append(views, r.viewOf(p, members))
	}
	baseRows := make([]forecast.Rows, len(places))
	basePaths := make([][]float64, len(places))
	for k, v := range views {
		rows, drawn, errs, err := futures(ctx, trained, v, r.Horizon)
		if err != nil {
			return err
		}
		for i, p := range places {
			if errs[i] != nil {
				out[p].LeftOut, out[p].Outcomes = errs[i].Error(), nil
				baseRows[i] = forecast.Rows{}
				continue
			}
			if r.Panel.Floor != nil {
				rows[i].Clip(*r.Panel.Floor)
				clip(drawn[i], *r.Panel.Floor)
			}
			r.shut(panels[k], members[i], &rows[i], drawn[i])
			if k == 0 {
				baseRows[i], basePaths[i] = rows[i], drawn[i]
			}
			if baseRows[i].Mean != nil {
				o := scenario.Compare(rows[i], baseRows[i], drawn[i], basePaths[i], levels)
				o.Beside = k > 0 && !scenario.Touches(r.Panel, panels[k], members[i])
				out[p].Outcomes = append(out[p].Outcomes, o)
			}
		}
	}
	return nil
}

// shut puts zeros where nothing happens, in a forecast and in the futures drawn of it.
func (r *Refit) shut(p *panel.Panel, series int, rows *forecast.Rows, drawn []float64) {
	r.close(p, series, rows)
	if rows.Closed == nil {
		return
	}
	for i := range drawn {
		if rows.IsClosed(i % r.Horizon) {
			drawn[i] = 0
		}
	}
}

func clip(x []float64, floor float64) {
	for i, v := range x {
		x[i] = max(v, floor)
	}
}

// futures forecasts a view and draws its futures.
func futures(ctx context.Context, trained model.Trained, v panel.View, horizon int) (rows []forecast.Rows, drawn [][]float64, errs []error,
	err error) {
	res, err := trained.Forecast(ctx, v, horizon)
	if err != nil {
		return nil, nil, nil, err
	}
	drawn = make([][]float64, v.Len())
	p, ok := trained.(model.Pather)
	if !ok {
		for i := range res.Err {
			res.Err[i] = errors.Join(res.Err[i], model.ErrNoPaths)
		}
		return res.Series, drawn, res.Err, nil
	}
	failed := make([]error, v.Len())
	err = p.Paths(ctx, v, horizon, max(fewestPaths, min(mostPaths, mostDrawn/(v.Len()*horizon))),
		func(i int, x []float64, e error) { drawn[i], failed[i] = x, e })
	for i, e := range failed {
		if res.Err[i] == nil {
			res.Err[i] = e
		}
	}
	return res.Series, drawn, res.Err, err
}
