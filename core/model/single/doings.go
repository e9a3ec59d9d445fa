package single

import (
	"context"
	"fmt"
	"strings"

	"paperkettle/core/model/young"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Doing is what all series of a panel tell together that is taken out of each.
type Doing struct {
	by   string // what told it, apart from all else
	take func(in Input) (*Seasoned, Input)
}

// Doings are taken out one after another.
type Doings []Doing

// doing tells a doing by its prior, which take keeps.
func doing(what string, prior any, take func(in Input) (*Seasoned, Input)) Doing {
	return Doing{fmt.Sprintf("%s as %p tells it", what, prior), take}
}

// takeOut takes all out of a series, and gives what puts each back, what was taken out first in front.
func (d Doings) takeOut(in Input) (taken []*Seasoned, rest Input) {
	for _, doing := range d {
		var s *Seasoned
		if s, in = doing.take(in); s != nil {
			taken = append(taken, s)
		}
	}
	return taken, in
}

// method fits a method to what is left.
func (d Doings) method(m Method) Method {
	for k := len(d) - 1; k >= 0; k-- {
		m = takenOut{m, d[k].take}
	}
	return m
}

// ByPlace are the seasons that are taken out of the series of a view, without what looks like mistakes, one after another,
// each by place; after is taken out before.
func (d Doings) ByPlace(ctx context.Context, v panel.View, after Doings, workers int) ([]map[int]young.Season, error) {
	list := make([][]*Seasoned, v.Len())
	err := num.Each(ctx, workers, v.Len(), func(i int) {
		_, in := after.takeOut(inputOf(v, i, true))
		list[i] = make([]*Seasoned, len(d))
		for k := range d {
			list[i][k], in = d[k].take(in)
		}
	})
	out := make([]map[int]young.Season, len(d))
	for k := range out {
		out[k] = map[int]young.Season{}
		for i := range list {
			if s := list[i][k]; s != nil {
				out[k][i] = s.Season
			}
		}
	}
	return out, err
}

// asked are series that tell something together, as they came and as they are left.
type asked struct {
	n      int
	values func(i int) []float64 // as they came, where input costs
	input  func(i int) Input
	after  Doings // taken out before
}

// learnOf is what the series that are asked tell together, remembered by them and by what was taken out of them before. Of
// many some are asked, of all kinds.
func learnOf[T any](a asked, what string, learn func(rests []Input) (T, error)) (T, error) {
	some := num.Some(a.n, mostLearnt)
	inputs, seen := make([]Input, len(some)), make([]panel.SeriesView, len(some))
	for k, i := range some {
		inputs[k] = a.input(i)
		seen[k] = inputs[k].SeriesView
	}
	for _, d := range a.after {
		what = strings.Join([]string{what, d.by}, ", after ")
	}
	// What is remembered holds what was taken out too, or another might come to stand where it stood.
	type told struct {
		value T
		after Doings
	}
	out, err := panel.RememberAll(seen, what, func() (told, error) {
		for k := range inputs {
			_, inputs[k] = a.after.takeOut(inputs[k])
		}
		value, err := learn(inputs)
		return told{value, a.after}, err
	})
	return out.value, err
}

// all are the series of a view, mended or as they came.
func all(v panel.View, mended bool, after Doings) asked {
	values := func(i int) []float64 {
		out, _ := v.Values(i)
		return out
	}
	return asked{n: v.Len(), values: values, input: func(i int) Input { return inputOf(v, i, mended) }, after: after}
}
