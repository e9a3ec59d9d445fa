package boosting

import (
	"context"
	"slices"

	"paperkettle/core/boost"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
)

// The ways to intervals.
const (
	byErrors    = "errors"    // the base's own, calibrated on held-out windows
	byQuantiles = "quantiles" // of trees that learn quantiles of what a base leaves, calibrated alike
)

const (
	spreadTrees    = 40 // of a quantile, at most
	spreadPatience = 5
)

// spread grows trees of the quantiles of what a base leaves: how wide a forecast is depends on all that
// trees see, and not on the series alone.
//
// Source: pinball losses: Koenker and Bassett, Regression quantiles, Econometrica 46 (1978).
func (m Model) spread(ctx context.Context, a *attempt, env model.Env) error {
	early, late := a.rows.split()
	s, by := m.spreadSettings(a.rows), a.rows.undirected(late)
	var err error
	a.spread, err = boost.Fit(ctx, a.rows.undirected(early), s, boost.Options{Workers: env.Workers, Held: &by, Report: growing(env, 0, 1)})
	return err
}

// spreadAgain grows them on all rows.
func (m Model) spreadAgain(ctx context.Context, a *attempt, env model.Env) (*boost.Model, error) {
	if a.spread == nil {
		return nil, nil
	}
	s := m.spreadSettings(a.rows)
	s.Trees, s.Patience = max(1, len(a.spread.Trees)), 0
	return boost.Fit(ctx, a.rows.undirected(a.rows.places()), s, boost.Options{Workers: env.Workers, Report: growing(env, 0, 1)})
}

// spreadSettings are those of the quantiles, which take turns.
func (m Model) spreadSettings(r *rows) boost.Settings {
	s, outputs := m.settings(r), len(outlook.Probs)
	s.Loss = boost.Loss{Kind: boost.Quantiles, Probs: outlook.Probs}
	s.Trees, s.Patience, s.Rate = spreadTrees*outputs, spreadPatience*outputs, 0.1
	return s
}

// undirected are rows whose columns may move a prediction either way: signs are of means.
func (r *rows) undirected(some []int32) boost.Data {
	d := r.data(some)
	for k := range d.Table.Columns {
		d.Table.Columns[k].Direction = 0
	}
	return d
}

// around gives quantiles at outlook.Probs of a row next to their median, in units.
func around(trees *boost.Model, x []float32) []float64 {
	out := make([]float64, len(outlook.Probs))
	trees.Predict(x, out)
	slices.Sort(out)
	middle := out[outlook.Middle]
	for k := range out {
		out[k] -= middle
	}
	return out
}

// widths puts quantiles of trees around the medians of a forecast.
func (p *Stem) widths(f *Forest, seen look, base []float64, rows forecast.Rows) {
	if p.Spread == nil || !single.Tells(seen.series.Values) {
		return
	}
	f.direct(seen, base, func(h int, x []float32, unit float64) {
		q := rows.At(h)
		own := around(p.Spread, x)
		for k := range own {
			own[k] = q[forecast.Median] + unit*own[k]
		}
		outlook.OnGrid(own, q, forecast.Grid[:])
	})
}

// spreadAt are the ends of the middle 80 % of a row next to its median, in the measure's unit.
func (a *attempt) spreadAt(i int32, x []float32) (low, high float64) {
	a.rows.row(i, x)
	own := around(a.spread, x)
	return own[outlook.Low] * float64(a.rows.unit[i]), own[outlook.High] * float64(a.rows.unit[i])
}
