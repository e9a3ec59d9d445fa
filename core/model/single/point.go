package single

import (
	"fmt"
	"math"

	"paperkettle/core/model"
)

// Which point of a distribution is the best forecast depends on what it is ranked by: the mean by
// squares, the median by absolute errors. But a distribution that is a little off, above all in how far
// it leans, has a mean and a median that are off by different amounts: how far to go from one to the
// other is asked of inner windows.
//
// Source: Gneiting, Making and evaluating point forecasts, Journal of the American Statistical
// Association 106 (2011).

// pointShares are the shares of the way from the mean to the median that are tried.
var pointShares = [...]float64{0, 0.5, 1}

// Points are the sums of a series' absolute errors with each of these shares.
type Points [len(pointShares)]float64

// points are those of a tally.
func (t Tally) points() (p Points) {
	for _, window := range t.misses {
		for _, m := range window {
			for j, share := range pointShares {
				p[j] += math.Abs(m.off - (1-share)*m.mean)
			}
		}
	}
	return p
}

// at is the sum with one of the shares.
func (p Points) at(share float64) float64 {
	for j, s := range pointShares {
		if s == share {
			return p[j]
		}
	}
	return math.NaN()
}

// FewestPoints is how many series must tell: with fewer, means are published.
const FewestPoints = 8

// pointOf is the share that does best over many series, by the mean of the log of their errors next to
// those of means.
func pointOf(list []Tally) (share float64) {
	least := 0.0
	sums := make([]Points, len(list))
	for i := range list {
		sums[i] = list[i].points()
	}
	for j := 1; j < len(pointShares); j++ {
		sum, n := 0.0, 0.0
		for i := range list {
			if p := &sums[i]; p[0] > 0 && p[j] > 0 {
				sum, n = sum+Ratio(p[j], p[0]), n+1
			}
		}
		if n >= FewestPoints && sum/n < least {
			share, least = pointShares[j], sum/n
		}
	}
	return share
}

// toldSkew is the skew from which on words say so.
const toldSkew = 0.1

// Words say where points lie and what intervals are widened for, for a form; nothing where points are means, and
// for less than a tenth.
func (w Widening) Words() (out string) {
	switch w.Point {
	case 0:
	case 1:
		out = "; points are medians, which do better by what the plan ranks by"
	default:
		out = "; points lie half way from means to medians, which does better by what the plan ranks by"
	}
	switch {
	case w.Skew > toldSkew:
		out += "; intervals reach farther up than down, as errors of inner windows do"
	case w.Skew < -toldSkew:
		out += "; intervals reach farther down than up, as errors of inner windows do"
	}
	if w.Little >= 0.1 {
		out += fmt.Sprintf("; intervals are %.0f %% wider, since there was little to learn from", 100*w.Little)
	}
	return out
}

// RankedBy leaves points at the mean, unless absolute errors rank them.
func (w Widening) RankedBy(by model.Judge) Widening {
	if by != model.AbsoluteErrors {
		w.Point = 0
	}
	return w
}
