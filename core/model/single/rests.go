package single

import (
	"context"

	"paperkettle/core/model/young"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// AllOrNone is a Group that fits one equation to all of its series: to what a season leaves of them where most show one, or to none.
type AllOrNone interface{ AllOrNone() bool }

func allOrNone(g Group) bool {
	a, ok := g.(AllOrNone)
	return ok && a.AllOrNone()
}

// restsOf takes the seasons of few rounds out of the series of a group, in place, and gives what puts each back: nil
// where nothing was taken out.
func restsOf(ctx context.Context, g Group, v panel.View, inputs []Input, workers int) ([]*Seasoned, error) {
	out := make([]*Seasoned, len(inputs))
	method := g.Alone()
	if _, ok := method.(OnRest); !ok || len(inputs) == 0 {
		return out, nil
	}
	if allOrNone(g) {
		m, _ := seasonOf(v)
		for _, in := range inputs {
			if !young.Short(in.Values, m) || !takesRest(method, in) {
				return out, nil
			}
		}
	}
	values, input := func(i int) []float64 { return inputs[i].Values }, func(i int) Input { return inputs[i] }
	prior, err := priorOf(ctx, v, asked{n: len(inputs), values: values, input: input}, takesDrivers(method, v), workers)
	if err != nil || prior == nil {
		return out, err
	}
	seasons := make([]*young.Season, len(inputs))
	err = num.Each(ctx, workers, len(inputs), func(i int) {
		seasons[i] = seasoned{method, prior}.seasonOf(inputs[i])
	})
	if err != nil || allOrNone(g) && 2*countNil(seasons) > len(seasons) {
		return out, err
	}
	for i, s := range seasons {
		switch {
		case s != nil:
			out[i], inputs[i] = takeOut(s, inputs[i])
			out[i].flatter(inputs[i])
		case allOrNone(g): // one equation is for all, and most have none left
			inputs[i].Seasonless = true
		}
	}
	return out, nil
}

func countNil(seasons []*young.Season) (n int) {
	for _, s := range seasons {
		if s == nil {
			n++
		}
	}
	return n
}
