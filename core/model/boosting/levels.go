package boosting

import (
	"context"
	"math"
	"slices"

	"paperkettle/core/boost"
	"paperkettle/core/model"
)

const (
	// likeTrees say what series sell, and correctTrees more, in each of some rounds, what they have wrong within series.
	likeTrees     = 110
	correctTrees  = 20
	correctRounds = 2
	correctRate   = 0.2
)

// grow grows trees on some rows, whose leaves hold those of two series at least, so that none learns one by heart. Which series
// there are of an age, or at a time, is no effect of age or time: what trees leave of each series' level is taken out
// of it, and some more learn what is left.
//
// Source: trees and levels of each by turns, the levels as random effects, Sela and Simonoff, RE-EM trees: a data mining
// approach for longitudinal and clustered data, Machine Learning 86 (2012).
func (n *Newcomers) grow(ctx context.Context, r *likes, rows []int32, env model.Env) (*boost.Model, error) {
	d, series := n.data(r).Pick(rows), make([]int32, len(rows))
	for i, row := range rows {
		series[i] = r.series[row]
	}
	s := boost.Settings{Loss: boost.Loss{Kind: boost.Squared}, Trees: likeTrees, Leaves: 12, FewestRows: max(5, 2*len(rows)/n.Likes), Rate: 0.08,
		RowShare: 0.7, ColumnShare: 0.8, Squares: 10, Seed: 1}
	trees, err := boost.Fit(ctx, d, s, boost.Options{Workers: env.Workers})
	target := slices.Clone(d.Target)
	for round := 0; round < correctRounds && err == nil; round++ {
		levels := n.levels(trees, d, target, series)
		for i, own := range series {
			d.Target[i] = target[i] - float32(levels[own])
		}
		s.Trees, s.Rate = correctTrees, correctRate
		trees, err = boost.Fit(ctx, d, s, boost.Options{Workers: env.Workers, From: trees})
	}
	return trees, err
}

// levels are by how much each series lies above what trees say, as far as that is believed, by the best linear prediction.
func (n *Newcomers) levels(trees *boost.Model, d boost.Data, target []float32, series []int32) []float64 {
	means, counts, squares := make([]float64, n.Likes), make([]float64, n.Likes), 0.0
	x, out := make([]float32, n.width()), make([]float64, 1)
	for i, own := range series {
		for c := range x {
			x[c] = d.Table.Columns[c].Values[i]
		}
		trees.Predict(x, out)
		e := float64(target[i]) - out[0]
		means[own], counts[own], squares = means[own]+e, counts[own]+1, squares+e*e
	}
	total, told, between, shares := 0.0, 0.0, 0.0, 0.0
	for k, c := range counts {
		if c > 0 {
			means[k] /= c
			squares -= c * means[k] * means[k]
			total, told, between, shares = total+c, told+1, between+means[k]*means[k], shares+1/c
		}
	}
	within := math.Max(squares/math.Max(1, total-told), 1e-9)
	between = math.Max(0, (between-within*shares)/math.Max(1, told))
	for k, c := range counts {
		if c > 0 {
			means[k] *= between / (between + within/c)
		}
	}
	return means
}
