package days

import (
	"context"
	"math"

	"paperkettle/core/calendar"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// mostMoved is by how many of its standard deviations a driver may move on a feast in the mean.
const mostMoved = 0.5

// But are the feasts without those on which a driver moves as well, which then tells what it does: series are those of a
// driver.
func (f *Feasts) But(ctx context.Context, driver []Series, workers int) (*Feasts, error) {
	sums, counts := make([][]float64, len(driver)), make([][]float64, len(driver))
	err := num.Each(ctx, workers, len(driver), func(i int) {
		if rest := moves(driver[i], f.cadence); rest != nil {
			plain := Feasts{cadence: f.cadence, list: make([]Feast, len(f.list))}
			for k, x := range f.list {
				plain.list[k] = Feast{Kind: x.Kind, Place: x.Place}
			}
			sums[i], _, counts[i] = plain.spread(rest)
		}
	})
	if err != nil {
		return nil, err
	}
	out := &Feasts{cadence: f.cadence, own: f.own}
	for k, x := range f.list {
		sum, n := 0.0, 0.0
		for i := range driver {
			if sums[i] != nil {
				sum, n = sum+sums[i][k], n+counts[i][k]
			}
		}
		if n == 0 || math.Abs(sum/n) <= mostMoved {
			out.list = append(out.list, x)
		}
	}
	if len(out.list) == 0 {
		return nil, nil
	}
	return out, nil
}

// moves is by how many of its standard deviations a driver is away from its level; nil where it never moves.
func moves(s Series, c calendar.Cadence) *strayed {
	known := num.Known(s.Values)
	mean, spread := num.KnownMean(known), 0.0
	for _, v := range known {
		spread += square(v-mean) / float64(len(known))
	}
	if !(spread > 0) {
		return nil
	}
	beside := besideWeek
	if c.Unit == calendar.Day {
		beside = besideDay
	}
	rest := &strayed{first: s.First, values: middles(s.Values, beside)}
	for i, v := range s.Values {
		if rest.values[i] = (v - rest.values[i]) / math.Sqrt(spread); !panel.Known(v) {
			rest.values[i] = panel.Unknown
		}
	}
	return rest
}
