package boosting

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"paperkettle/core/boost"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Brief says which forms trees correct, and by how many.
func (t *Trained) Brief(i int) string {
	f, j := t.find(i)
	if f.New.has(j) {
		return "what series like it sell"
	}
	var names []string
	var weights []float64
	for _, p := range f.Stems {
		name := p.Base + " alone"
		if p.Trees != nil {
			name = p.Trees.count() + " on " + p.Base
		}
		names, weights = append(names, name), append(weights, p.Weight)
	}
	return model.Shares(names, weights)
}

// Describe explains the fit of the base that weighs most, and what trees add to it.
func (t *Trained) Describe(i int) model.Description {
	f, j := t.find(i)
	if f.Failed != "" {
		return model.Description{Form: "not fitted", Cautions: []string{f.Failed}}
	}
	if f.New.has(j) && t.view != nil {
		d := model.Description{}
		f.New.describe(&d, t.view.Pick(f.Places).Series(j))
		return d
	}
	main := f.main()
	d := main.base.Describe(j)
	var parts []string
	for _, p := range f.Stems {
		words := p.Base + " alone"
		if p.Trees != nil {
			words = fmt.Sprintf("%s, corrected by %s", p.Base, p.Trees.words(f.Layout.Way))
			d.Learning = append(d.Learning, model.Curve{Name: p.Base + ", training rows", Of: "trees", Every: 1, Values: p.Curve},
				model.Curve{Name: p.Base + ", held-out rows", Of: "trees", Every: 1, Values: p.HeldCurve})
		}
		if p.Spread != nil {
			words += fmt.Sprintf(", intervals by %d trees of quantiles", len(p.Spread.Trees))
		}
		if len(f.Stems) > 1 {
			words += fmt.Sprintf(" (%.0f %%)", 100*p.Weight)
		}
		parts = append(parts, words)
	}
	d.Form = strings.Join(parts, "; ") + ". Of " + main.Base + ": " + d.Form + f.Widening.Words()
	d.Criterion, d.Choices = "mean absolute error on held-out inner windows of all series, in units of the recent size", f.Tried
	slices.SortStableFunc(d.Choices, func(a, b model.Candidate) int { return cmp.Compare(a.Value, b.Value) })
	d.Worths, d.Curves = main.Worths, main.Curves
	if main.Trees != nil {
		d.Parameters = append([]model.Parameter{
			{Name: "rows", Value: float64(main.Rows), Meaning: "that the trees of " + main.Base + " learnt from: series, inner origins and steps"},
			{Name: "belief", Value: main.Belief, Meaning: "share of the correction that held-out rows believe"},
		}, d.Parameters...)
	}
	if f.Layout.Short != "" {
		d.Cautions = append(d.Cautions, f.Layout.Short+": no trees were grown")
	}
	if t.view != nil {
		d.Reasons, d.Line = t.reasons(f, j), nil
	}
	return d
}

// reasons takes the forecast of a series apart: what the bases say, and what each group of columns
// adds to it.
func (t *Trained) reasons(f *Forest, j int) []model.Reason {
	v := t.view.Pick(f.Places)
	s := v.Series(j)
	var names []string
	parts := map[string][]float64{}
	at := func(name string) []float64 {
		if parts[name] == nil {
			names, parts[name] = append(names, name), make([]float64, f.Layout.Horizon)
		}
		return parts[name]
	}
	groups := f.Layout.groups()
	for _, p := range f.Stems {
		at(p.Base)
	}
	for _, p := range f.Stems {
		one, ok := p.base.(interface {
			ForecastOne(v panel.View, i, horizon int) (forecast.Rows, error)
		})
		if !ok {
			return nil
		}
		rows, err := one.ForecastOne(v, j, f.Layout.Horizon)
		if err != nil {
			return nil
		}
		for h, m := range rows.Mean {
			at(p.Base)[h] += p.Weight * m
		}
		if p.Trees == nil {
			continue
		}
		err = p.each(f, s, rows.Mean, func(h int, x []float32, unit float64) {
			trees := p.Trees.of(h + 1)
			if trees == nil {
				return
			}
			base, shares := trees.Attribute(x)
			scale := p.Weight * p.Belief * unit
			at("trees as a rule")[h] += scale * base
			for k, share := range shares {
				at(groups[k])[h] += scale * share
			}
		})
		if err != nil {
			return nil
		}
	}
	out := make([]model.Reason, len(names))
	for k, name := range names {
		out[k] = model.Reason{Name: name, Steps: parts[name]}
	}
	first := len(f.Stems)
	slices.SortStableFunc(out[first:], func(a, b model.Reason) int { return cmp.Compare(size(b.Steps), size(a.Steps)) })
	if last := first + mostReasons; len(out) > last+1 {
		rest := model.Reason{Name: "everything else", Steps: make([]float64, f.Layout.Horizon)}
		for _, r := range out[last:] {
			for h, v := range r.Steps {
				rest.Steps[h] += v
			}
		}
		out = append(out[:last], rest)
	}
	return slices.DeleteFunc(out, func(r model.Reason) bool { return size(r.Steps) == 0 })
}

// mostReasons is how many parts are told besides the bases.
const mostReasons = 8

func size(x []float64) (sum float64) {
	for _, v := range x {
		sum += math.Abs(v)
	}
	return sum
}

// groups names what each column is a part of.
func (l *Layout) groups() (out []string) {
	for range 2 {
		for k := range l.Recipe.Columns {
			out = append(out, l.Recipe.Columns[k].Group)
		}
	}
	for _, c := range l.Kinds {
		out = append(out, c.Group)
	}
	return append(out, l.Names...)
}

const (
	// mostWorths is how many columns are shown, worthRounds how often each changes places, and
	// mostShuffled among how many rows.
	mostWorths   = 12
	worthRounds  = 3
	mostShuffled = 600
)

// worths are the columns that trees lean on most, as held-out rows have it.
func (a *attempt) worths(ctx context.Context, workers int, trees *boost.Model, held boost.Data) ([]model.Worth, error) {
	n := held.Table.Rows()
	var some []int32
	for _, i := range num.Some(n, mostShuffled) {
		some = append(some, int32(i))
	}
	held = held.Pick(some)
	gains := trees.Gains()
	order := make([]int, len(gains))
	for k := range order {
		order[k] = k
	}
	slices.SortStableFunc(order, func(x, y int) int { return cmp.Compare(gains[y], gains[x]) })
	before := trees.Mean(held)
	names, meanings := a.rows.lay.names(), a.rows.lay.meanings()
	order = order[:min(mostWorths, len(order))]
	if none := slices.IndexFunc(order, func(k int) bool { return gains[k] == 0 }); none >= 0 {
		order = order[:none]
	}
	out := make([]model.Worth, len(order))
	err := num.Each(ctx, workers, len(out), func(i int) {
		k := order[i]
		rise, sd := trees.Worth(held, k, worthRounds, 1)
		out[i] = model.Worth{Name: names[k], Meaning: meanings[k], Share: gains[k], Rise: rise / before, Sd: sd / before}
	})
	return out, err
}

func (l *Layout) meanings() (out []string) {
	for k := range l.Recipe.Columns {
		out = append(out, l.Recipe.Columns[k].Meaning)
	}
	for k := range l.Recipe.Columns {
		out = append(out, l.Recipe.Columns[k].Meaning+", less what it has been of late")
	}
	for _, c := range l.Kinds {
		out = append(out, c.Meaning)
	}
	for _, name := range l.Names {
		out = append(out, "which "+name)
	}
	return out
}
