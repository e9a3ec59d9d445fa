package bakeoff

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
	"paperkettle/core/watch"
)

// Glance is a forecast without a bake-off: one model, trained on all of a panel.
type Glance struct {
	Rows  []forecast.Rows // by series
	Errs  []error         // why a series has no forecast; nil where it has one
	Odd   []Odd           // past values outside their one-step intervals, period by period
	Tried int             // values that were held against one
}

// Odd is a past value outside the interval of one step ahead of it.
type Odd struct {
	Series int
	At     int // axis index
	Actual float64
	Median float64
	watch.Judgement
}

// GlanceSettings are those of a glance.
type GlanceSettings struct {
	Horizon int
	Back    int     // periods at the end whose values are held against one-step intervals
	Level   float64 // of these, in per cent
	Workers int
	Seed    uint64
}

// NewGlance trains a model on a panel and forecasts all of its series; where values of the past are
// asked for, it is trained a second time, on what came before them, and moved on period by period.
func NewGlance(ctx context.Context, p *panel.Panel, m model.Model, s GlanceSettings) (*Glance, error) {
	p = p.WithClosed(p.Length - 1)
	all := make([]int, len(p.Series))
	for i := range all {
		all[i] = i
	}
	env := model.Env{Horizon: s.Horizon, Workers: max(1, s.Workers), Random: func(series string) *rand.Rand { return num.Stream(s.Seed, series) }}
	g := &Glance{}
	var err error
	if g.Rows, g.Errs, err = Forecast(ctx, m, panel.NewView(p, all, 0, p.Length-1), env); err != nil {
		return nil, err
	}
	floor := floorOf(p)
	for i, e := range g.Errs {
		if e == nil {
			g.Rows[i].Clip(floor)
			g.Errs[i] = g.Rows[i].Check()
		}
	}
	if s.Back < 1 {
		return g, nil
	}
	if s.Back >= p.Length {
		return nil, errors.New("as many values of the past are to be looked at as there are: nothing is left to forecast them from")
	}
	return g, g.look(ctx, p, m, all, env, s)
}

// floorOf is what forecasts of a panel keep above: its floor, or 0 where no value lies below.
func floorOf(p *panel.Panel) float64 {
	if p.Floor != nil {
		return *p.Floor
	}
	for i := range p.Series {
		for _, y := range p.Series[i].Values {
			if y < 0 {
				return math.Inf(-1)
			}
		}
	}
	return 0
}

// look holds the last values against forecasts of one step.
func (g *Glance) look(ctx context.Context, p *panel.Panel, m model.Model, all []int, env model.Env, s GlanceSettings) error {
	env.Horizon = 1
	first := p.Length - 1 - s.Back
	v := panel.NewView(p, all, 0, first)
	trained, err := m.Train(ctx, v, env)
	if err != nil {
		return err
	}
	floor := floorOf(p)
	for origin := first; origin < p.Length-1; origin++ {
		if origin > first {
			v = panel.NewView(p, all, 0, origin)
			if err := trained.Advance(ctx, v); err != nil {
				return err
			}
		}
		res, err := trained.Forecast(ctx, v, 1)
		if err != nil {
			return err
		}
		for i := range all {
			y := p.Series[i].At(origin + 1)
			if res.Err[i] != nil || !panel.Known(y) || p.IsClosed(i, origin+1) {
				continue
			}
			g.Tried++
			res.Series[i].Clip(floor)
			q := res.Series[i].At(0)
			if j := watch.Judge(y, q, s.Level); j.Outside {
				g.Odd = append(g.Odd, Odd{Series: i, At: origin + 1, Actual: y, Median: q[forecast.Median], Judgement: j})
			}
		}
	}
	return nil
}
