package boosting

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"paperkettle/core/boost"
	"paperkettle/core/model"
	"paperkettle/core/num"
)

const (
	// mostEffects is of how many columns the effect is drawn, over how many rows, and at how many places.
	mostEffects    = 6
	effectRows     = 200
	effectPlaces   = 16
	fewestForPlace = 3 // rows that have a category
)

// effects are how the correction moves with the columns that trees lean on most, over held-out rows, in
// shares of the recent size of a series.
func (a *attempt) effects(ctx context.Context, workers int, trees *boost.Model, held boost.Data) ([]model.EffectCurve, error) {
	var some []int32
	n := held.Table.Rows()
	for _, i := range num.Some(n, effectRows) {
		some = append(some, int32(i))
	}
	few := held.Pick(some)
	names, meanings := a.rows.lay.names(), a.rows.lay.meanings()
	var columns []int
	var at [][]float32
	var out []model.EffectCurve
	for _, k := range a.told(trees) {
		if len(out) == mostEffects {
			break
		}
		if places, labels := a.rows.lay.places(k, &held.Table.Columns[k]); len(places) >= 2 {
			columns, at = append(columns, k), append(at, places)
			out = append(out, model.EffectCurve{Name: names[k], Meaning: meanings[k], Labels: labels})
		}
	}
	err := num.Each(ctx, workers, len(out), func(i int) {
		c, e := &out[i], trees.Effect(few.Table, columns[i], at[i])
		for p, v := range at[i] {
			c.At = append(c.At, float64(v))
			c.Mean = append(c.Mean, a.belief*e.Mean[p])
			c.Low, c.High = append(c.Low, a.belief*e.Low[p]), append(c.High, a.belief*e.High[p])
		}
	})
	return out, err
}

// told are the columns that splits use, the one that they gain most by first: those that have a meaning of
// their own (drivers, events, the calendar, attributes) before those of the recent past.
func (a *attempt) told(trees *boost.Model) (out []int) {
	lay, gains := a.rows.lay, trees.Gains()
	own := func(k int) bool { return k < len(lay.Recipe.Columns) || k >= lay.width()-len(lay.Names) }
	for k, g := range gains {
		if g > 0 {
			out = append(out, k)
		}
	}
	slices.SortStableFunc(out, func(x, y int) int {
		if own(x) != own(y) {
			if own(x) {
				return -1
			}
			return 1
		}
		return cmp.Compare(gains[y], gains[x])
	})
	return out
}

// places are the values of a column at which its effect is looked at: all where they are few, else its
// quantiles; of a category those that rows have most, with their names.
func (l *Layout) places(k int, c *boost.Column) (at []float32, labels []string) {
	counts := map[float32]int{}
	var known []float32
	for _, v := range c.Values {
		if !math.IsNaN(float64(v)) {
			known = append(known, v)
			counts[v]++
		}
	}
	for v := range counts {
		at = append(at, v)
	}
	slices.Sort(at)
	if c.Categories > 0 {
		at = slices.DeleteFunc(at, func(v float32) bool { return counts[v] < fewestForPlace })
		slices.SortStableFunc(at, func(x, y float32) int { return cmp.Compare(counts[y], counts[x]) })
		at = at[:min(effectPlaces, len(at))]
		slices.Sort(at)
		for _, v := range at {
			labels = append(labels, l.label(k, int(v)))
		}
		return at, labels
	}
	if len(at) > effectPlaces {
		slices.Sort(known)
		at = at[:0]
		for p := range effectPlaces {
			at = append(at, known[p*(len(known)-1)/(effectPlaces-1)])
		}
		at = slices.Compact(at)
	}
	return at, nil
}

// label is the name of a code of a category: an attribute's value.
func (l *Layout) label(k, code int) string {
	if a := k - (l.width() - len(l.Names)); a >= 0 {
		for value, c := range l.Codes[a] {
			if c == code {
				return value
			}
		}
	}
	return fmt.Sprint(code)
}
