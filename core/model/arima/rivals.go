package arima

import (
	"context"
	"math"

	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

const (
	// rivalLength is the number of known values up to which a test leaves it open how often a
	// series is to be differenced.
	rivalLength = 240
	// rivalFewest is the number below which nothing tells.
	rivalFewest = 5
	// rivalTried is how many orders are tried of another number of differences.
	rivalTried = 14
	// rivalOdds are those of a rival against what the test preferred, before the likelihoods, and rivalOddsFew those
	// where fewer than rivalFew values are known, of which criteria tell little.
	rivalOdds, rivalOddsFew = 0.5, 0.2
	rivalFew                = 20
	// rivalLeast is the weight below which a rival is left out.
	rivalLeast = 0.05
)

// rivals are the best estimates with one difference less and one more, where a short series
// does not tell, each with its weight: an approximate posterior probability.
//
// Source: Schwarz, Annals of Statistics 6 (1978); Kass and Raftery, Bayes factors, Journal of
// the American Statistical Association 90 (1995), section 4.1.3.
func (f *fitter) rivals(ctx context.Context, e estimate, season int) (list []estimate, weights []float64) {
	list = []estimate{e}
	n := panel.CountKnown(f.y)
	if n > rivalLength || n < rivalFewest {
		return list, []float64{1}
	}
	for _, d := range []int{e.o.D - 1, e.o.D + 1} {
		if d < 0 || d+e.o.SD > 2 || d > 1 && n < rivalFew { // a slope that walks is more than few values tell
			continue
		}
		whole := f.y
		f.y = bridged(whole, season)
		other, _, ok := f.search(ctx, d, e.o.SD, season, rivalTried)
		f.y = whole
		if ok && panel.CountKnown(whole) < len(whole) {
			other, ok = f.fit(other.o, other.x, num.Stop{Steps: 40, Gain: 1e-3 / float64(len(f.y))})
		}
		if ok {
			list = append(list, other)
		}
	}
	lost := 0
	for i := range list {
		lost = max(lost, list[i].o.lost())
	}
	least := math.Inf(1)
	for i := range list {
		weights = append(weights, f.evidence(&list[i], lost))
		least = min(least, weights[i])
	}
	odds := rivalOdds
	if n < rivalFew {
		odds = rivalOddsFew
	}
	for i := range weights {
		weights[i] = math.Exp((least - weights[i]) / 2)
		if i > 0 {
			weights[i] *= odds
		}
	}
	return list, weights
}

// evidence is Schwarz's criterion of an estimate, of the values after the first lost ones
// given those: data that estimates of any number of differences share.
func (f *fitter) evidence(e *estimate, lost int) float64 {
	f.lay(e.o)
	f.shape.set(e.o, e.x)
	if !f.filtered() {
		return math.Inf(1)
	}
	sum, n := 0.0, 0.0
	for i, v := range f.out[0] {
		t := i + e.o.lost()
		if t < lost || !panel.Known(f.y[t]) {
			continue
		}
		for k, b := range e.beta {
			v -= b * f.out[k+1][i]
		}
		sum += v*v/e.sigma2 - 2*math.Log(f.filter.roots[i]) + math.Log(2*math.Pi*e.sigma2)
		n++
	}
	return sum + float64(e.count())*math.Log(n)
}

// together makes one state of those that carry weight.
func together(states []*State, weights []float64) single.State {
	total := 0.0
	for _, w := range weights {
		total += w
	}
	mix := &single.Mix{}
	for i, s := range states {
		if weights[i] >= rivalLeast*total {
			mix.Add(s.Order.String(), s, weights[i])
		}
	}
	switch len(mix.Parts) {
	case 0: // no likelihood could be had: what the test preferred
		return states[0]
	case 1:
		return mix.Parts[0]
	}
	mix.Close()
	return mix
}
