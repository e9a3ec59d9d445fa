package pretrained

import (
	"context"
	"math"

	"paperkettle/core/model/outlook"
	"paperkettle/core/num"
)

// several are networks whose quantiles are averaged.
type several []*Network

// ahead gives the mean of the networks' quantiles, wider by as much as their medians disagree. Workers
// work on the networks side by side.
//
// Source: the variance within and between members: Lakshminarayanan, Pritzel and Blundell, NeurIPS
// 2017; averaged quantiles: Lichtendahl, Grushka-Cockayne and Winkler, Management Science 59 (2013).
func (e several) ahead(ctx context.Context, workers int, list []*sight, horizon int) ([][]float64, error) {
	t := e[0].tape()
	defer e[0].tapes.Put(t)
	first := show(t, list, min(horizon, Farthest))
	all := make([][][]float64, len(e))
	if err := num.Each(ctx, workers, len(e), func(k int) { all[k] = e[k].ahead(first, horizon) }); err != nil {
		return nil, err
	}
	if len(e) == 1 {
		return all[0], nil
	}
	out := make([][]float64, len(list))
	for r := range out {
		out[r] = make([]float64, horizon*wide)
		for h := range horizon {
			average(all, r, h*wide, out[r][h*wide:(h+1)*wide])
		}
	}
	return out, ctx.Err()
}

// average averages a series' quantiles of a step, which lie from a place on.
func average(all [][][]float64, series, from int, row []float64) {
	count, between := float64(len(all)), 0.0
	for _, one := range all {
		for j := range row {
			row[j] += one[series][from+j] / count
		}
	}
	middle := row[outlook.Middle]
	for _, one := range all {
		d := one[series][from+outlook.Middle] - middle
		between += d * d / count
	}
	within := (row[outlook.High] - row[outlook.Low]) / 2.563
	wider := min(3, math.Sqrt(1+between/max(within*within, 1e-300)))
	for j := range row {
		if j != outlook.Middle {
			row[j] = middle + (row[j]-middle)*wider
		}
	}
}

// clone is a copy that goes its own way.
func (e several) clone() (out several) {
	for _, n := range e {
		out = append(out, n.clone())
	}
	return out
}

// size is how many numbers the networks are.
func (e several) size() (n int) {
	for _, x := range e {
		n += x.Size()
	}
	return n
}
