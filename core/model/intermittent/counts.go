package intermittent

import (
	"math"

	"gonum.org/v1/gonum/stat/distuv"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// Counts is a distribution of what a period asks for, but for its mean: negative binomial
// with Spread = mean^2 / (variance - mean), Poisson where that is infinite, or Poisson with
// a share of Zeros of its own. Sizes that are no whole numbers have a Gamma distribution of
// shape Spread beside the Zeros.
type Counts struct {
	Whole  bool
	Zeros  float64 // share of periods that ask for nothing whatever the rate
	Spread float64 // 0: Poisson
	Sized  bool    // whole numbers whose sizes have a Gamma distribution all the same
	Plain  float64 // log-likelihoods of the two that were compared
	Other  float64
}

// fitCounts fits both distributions by maximum likelihood and takes the likelier.
func fitCounts(y []float64) Counts {
	var n, sum, zeros float64
	whole := true
	top := 0.0
	for _, v := range y {
		if !panel.Known(v) {
			continue
		}
		n++
		sum += v
		if v == 0 {
			zeros++
		}
		whole = whole && v == math.Trunc(v)
		top = max(top, v)
	}
	if !whole || top > 1e6 {
		return fitSizes(y, zeros/n)
	}
	mean := sum / n
	c := Counts{Whole: true}
	table := map[float64]float64{}
	for _, v := range y {
		if panel.Known(v) {
			table[v]++
		}
	}
	values, counts := make([]float64, 0, len(table)), make([]float64, 0, len(table))
	for v, k := range table {
		values, counts = append(values, v), append(counts, k)
	}
	sortPairs(values, counts)
	spread, plain := negativeBinomial(values, counts, mean)
	share, inflated := zeroInflated(values, counts, n, mean, zeros)
	c.Plain, c.Other = plain, inflated
	if inflated > plain+worth {
		c.Zeros = share
	} else {
		c.Spread = spread
	}
	if sized, loglik := sizedCounts(y, n, zeros); loglik > max(plain, inflated)+worth {
		sized.Plain, sized.Other = plain, loglik
		return sized
	}
	return c
}

// fewestSize is the mean size from which counts are near enough to a density.
const fewestSize = 10

// sizedCounts is a share of zeros beside sizes with a Gamma distribution: orders come now and
// then, and are large when they come.
func sizedCounts(y []float64, n, zeros float64) (Counts, float64) {
	positive := n - zeros
	if zeros == 0 || positive < 3 {
		return Counts{}, math.Inf(-1)
	}
	c := fitSizes(y, zeros/n)
	c.Whole, c.Sized = true, true
	sum := 0.0
	for _, v := range y {
		if v > 0 {
			sum += v
		}
	}
	if sum/positive < fewestSize {
		return Counts{}, math.Inf(-1)
	}
	sizes := distuv.Gamma{Alpha: c.Spread, Beta: c.Spread * positive / sum}
	loglik := zeros*math.Log(c.Zeros) + positive*math.Log(1-c.Zeros)
	for _, v := range y {
		if v > 0 {
			loglik += sizes.LogProb(v)
		}
	}
	return c, loglik
}

// worth is the log-likelihood by which zeros of their own must be likelier: without it they
// would be found, though next to none, in every series that is Poisson.
const worth = 1

func sortPairs(values, counts []float64) {
	for i := 1; i < len(values); i++ { // few distinct values
		for j := i; j > 0 && values[j] < values[j-1]; j-- {
			values[j], values[j-1] = values[j-1], values[j]
			counts[j], counts[j-1] = counts[j-1], counts[j]
		}
	}
}

// negativeBinomial finds the spread by golden section on its log.
func negativeBinomial(values, counts []float64, mean float64) (spread, loglik float64) {
	of := func(x float64) float64 {
		r := math.Exp(x)
		base, _ := math.Lgamma(r)
		sum := 0.0
		for i, v := range values {
			a, _ := math.Lgamma(v + r)
			b, _ := math.Lgamma(v + 1)
			sum += counts[i] * (a - base - b + r*math.Log(r/(r+mean)) + v*math.Log(mean/(r+mean)))
		}
		return sum
	}
	low, high := math.Log(0.02), math.Log(500.0)
	ratio := (math.Sqrt(5) - 1) / 2
	a, b := high-ratio*(high-low), low+ratio*(high-low)
	fa, fb := of(a), of(b)
	for high-low > 0.05 {
		if fa > fb {
			high, b, fb = b, a, fa
			a = high - ratio*(high-low)
			fa = of(a)
		} else {
			low, a, fa = a, b, fb
			b = low + ratio*(high-low)
			fb = of(b)
		}
	}
	x := (low + high) / 2
	return math.Exp(x), of(x)
}

// zeroInflated is Poisson of rate l in a share 1 - z of the periods: l solves
// l / (1 - exp(-l)) = mean of those that are not zero (Lambert, Technometrics 34, 1992).
func zeroInflated(values, counts []float64, n, mean, zeros float64) (share, loglik float64) {
	if zeros == 0 || zeros == n {
		return 0, math.Inf(-1)
	}
	positive := mean * n / (n - zeros)
	if positive <= 1 {
		return 0, math.Inf(-1)
	}
	l := positive
	for range 50 {
		l = positive * (1 - math.Exp(-l))
	}
	share = max(0, 1-mean/l)
	for i, v := range values {
		if v == 0 {
			loglik += counts[i] * math.Log(share+(1-share)*math.Exp(-l))
			continue
		}
		g, _ := math.Lgamma(v + 1)
		loglik += counts[i] * (math.Log(1-share) - l + v*math.Log(l) - g)
	}
	return share, loglik
}

// fitSizes is for values that are no counts: the moments of those above zero.
func fitSizes(y []float64, zeros float64) Counts {
	var n, sum, ss float64
	for _, v := range y {
		if v > 0 {
			n, sum, ss = n+1, sum+v, ss+v*v
		}
	}
	mean := sum / n
	variance := ss/n - mean*mean
	return Counts{Zeros: zeros, Spread: min(1e4, mean*mean/max(variance, 1e-4*mean*mean))}
}

// quantiles puts the grid's quantiles of the distribution with a mean.
func (c Counts) quantiles(mean float64, q []float64) {
	switch {
	case !(mean > 0):
		clear(q)
	case !c.Whole:
		c.sizes(mean, q)
	case c.Sized:
		c.sizes(mean, q)
		for g, v := range q {
			q[g] = math.Round(v)
		}
	case mean > 1000:
		c.large(mean, q)
	default:
		c.walk(mean, q)
	}
}

// walk adds up the probabilities of 0, 1, 2, ..., each by its logarithm: that of 0 may be too
// small for a number.
func (c Counts) walk(mean float64, q []float64) {
	inside, r := mean/(1-c.Zeros), c.Spread
	log := -inside
	if r > 0 {
		log = r * math.Log(r/(r+inside))
	}
	sum := c.Zeros + (1-c.Zeros)*math.Exp(log)
	k, g := 0.0, 0
	for g < len(q) {
		if sum >= forecast.Grid[g] {
			q[g] = k
			g++
			continue
		}
		k++
		if r > 0 {
			log += math.Log((k - 1 + r) / k * inside / (r + inside))
		} else {
			log += math.Log(inside / k)
		}
		p := math.Exp(log)
		if sum += (1 - c.Zeros) * p; p < 1e-18 && k > inside { // rounding has left the rest out
			sum = 1
		}
	}
}

// large has a Gamma distribution in place of many small steps, with the mean and the variance
// of the counts that are not zeros of their own.
func (c Counts) large(mean float64, q []float64) {
	inside := mean / (1 - c.Zeros)
	variance := inside
	if c.Spread > 0 {
		variance += inside * inside / c.Spread
	}
	sizes := distuv.Gamma{Alpha: inside * inside / variance, Beta: inside / variance}
	for g, p := range forecast.Grid {
		if q[g] = 0; p > c.Zeros {
			q[g] = math.Round(sizes.Quantile((p - c.Zeros) / (1 - c.Zeros)))
		}
	}
}

func (c Counts) sizes(mean float64, q []float64) {
	share := 1 - c.Zeros
	sizes := distuv.Gamma{Alpha: c.Spread, Beta: c.Spread * share / mean}
	for g, p := range forecast.Grid {
		q[g] = 0
		if p > c.Zeros {
			q[g] = sizes.Quantile((p - c.Zeros) / share)
		}
	}
}

func (c Counts) words() string {
	switch {
	case !c.Whole, c.Sized:
		return "sizes have a gamma distribution"
	case c.Zeros > 0:
		return "counts are Poisson with zeros of their own"
	}
	return "counts are negative binomial"
}

func (c Counts) parameters() []model.Parameter {
	var out []model.Parameter
	if c.Zeros > 0 {
		out = append(out, model.Parameter{Name: "zeros", Value: c.Zeros, Meaning: "share of periods that ask for nothing whatever the rate"})
	}
	if c.Spread > 0 {
		out = append(out, model.Parameter{Name: "spread", Value: c.Spread, Meaning: "shape of the distribution; small is wide"})
	}
	return out
}
