package boost

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
)

// Kind is what a loss is called.
type Kind string

// The losses.
const (
	Squared   Kind = "squared"
	Absolute  Kind = "absolute"
	Huber     Kind = "huber"     // squares near, sizes far: At is where they meet
	Quantiles Kind = "quantiles" // pinball losses at Probs, one output each
	Poisson   Kind = "poisson"   // outputs are logarithms of the mean
	Tweedie   Kind = "tweedie"   // of power At, above 1 and below 2; logarithms of the mean
)

// Loss is what trees make small.
//
// Source: Huber, Robust estimation of a location parameter, Annals of Mathematical Statistics 35
// (1964); quantiles: Koenker and Bassett, Econometrica 46 (1978); Tweedie's family: Jorgensen,
// Exponential dispersion models, Journal of the Royal Statistical Society B 49 (1987).
type Loss struct {
	Kind  Kind      `json:"kind"`
	At    float64   `json:"at,omitempty"`
	Probs []float64 `json:"probs,omitempty"`
}

func (l Loss) check() error {
	switch l.Kind {
	case Squared, Absolute, Poisson:
	case Huber:
		if !(l.At > 0) {
			return errors.New("boost: the Huber loss needs to know where squares end, above 0")
		}
	case Tweedie:
		if !(l.At > 1 && l.At < 2) {
			return errors.New("boost: the power of the Tweedie loss lies above 1 and below 2")
		}
	case Quantiles:
		if len(l.Probs) == 0 || !slices.IsSorted(l.Probs) || !(l.Probs[0] > 0) || !(l.Probs[len(l.Probs)-1] < 1) {
			return errors.New("boost: quantiles need probabilities above 0 and below 1, rising")
		}
	default:
		return fmt.Errorf("boost: no loss is called %q", l.Kind)
	}
	return nil
}

// outputs is how many numbers are predicted for a row.
func (l Loss) outputs() int {
	if l.Kind == Quantiles {
		return len(l.Probs)
	}
	return 1
}

// counts says that targets must not be negative.
func (l Loss) counts() bool { return l.Kind == Poisson || l.Kind == Tweedie }

// curved says that the second derivative differs from row to row.
func (l Loss) curved() bool { return l.counts() }

// prob is the probability of a quantile's output, by its size absolute errors' half.
func (l *Loss) prob(output int) float64 {
	if l.Kind == Quantiles {
		return l.Probs[output]
	}
	return 0.5
}

// start is what is predicted before the first tree.
func (l Loss) start(d Data) []float64 {
	out := make([]float64, l.outputs())
	switch l.Kind {
	case Absolute, Quantiles, Huber:
		rows := make([]int32, len(d.Target))
		for i := range rows {
			rows[i] = int32(i)
		}
		for k := range out {
			out[k] = weightedQuantile(l.prob(k), rows, d.Weights, func(i int32) float64 { return float64(d.Target[i]) })
		}
	default:
		sum, total := 0.0, 0.0
		for i, y := range d.Target {
			w := weight(d.Weights, i)
			sum, total = sum+w*float64(y), total+w
		}
		out[0] = sum / total
		if l.counts() {
			out[0] = math.Log(max(out[0], 1e-9))
		}
	}
	return out
}

func weight(w []float32, i int) float64 {
	if w == nil {
		return 1
	}
	return float64(w[i])
}

// derivatives are the first and second of the loss of a row at a prediction.
func (l *Loss) derivatives(y, f float64, output int) (g, h float64) {
	switch l.Kind {
	case Squared:
		return f - y, 1
	case Huber:
		return max(-l.At, min(l.At, f-y)), 1
	case Absolute, Quantiles:
		if p := l.prob(output); y > f {
			return -p, 1
		} else if y < f {
			return 1 - p, 1
		}
		return 0, 1
	case Poisson:
		m := math.Exp(min(f, farthest))
		return m - y, m
	default:
		a, b := math.Exp((1-l.At)*max(-farthest, min(f, farthest))), math.Exp((2-l.At)*max(-farthest, min(f, farthest)))
		return b - y*a, (2-l.At)*b - (1-l.At)*y*a
	}
}

// farthest bounds logarithms, so that what they are of stays finite.
const farthest = 40

// value is the loss of a row, summed over the outputs.
func (l *Loss) value(y float64, f []float64) (sum float64) {
	for k, v := range f {
		e := y - v
		switch l.Kind {
		case Squared:
			sum += e * e
		case Absolute:
			sum += math.Abs(e)
		case Huber:
			if a := math.Abs(e); a <= l.At {
				sum += a * a / 2
			} else {
				sum += l.At * (a - l.At/2)
			}
		case Quantiles:
			sum += max(l.Probs[k]*e, (l.Probs[k]-1)*e)
		case Poisson:
			sum += math.Exp(min(v, farthest)) - y*v
		case Tweedie:
			v = max(-farthest, min(v, farthest))
			sum += math.Exp((2-l.At)*v)/(2-l.At) - y*math.Exp((1-l.At)*v)/(1-l.At)
		}
	}
	return sum
}

// mostJudged bounds the rows of a leaf by which its quantiles are found.
const mostJudged = 2000

// leaf is the value of a leaf's output, where it is no ratio of derivatives: a quantile of what
// its rows leave.
func (l *Loss) leaf(rows []int32, d Data, f []float64, outputs, output int) (v float64, ok bool) {
	rest := func(i int32) float64 { return float64(d.Target[i]) - f[int(i)*outputs+output] }
	switch l.Kind {
	case Absolute, Quantiles:
		return weightedQuantile(l.prob(output), thin(rows, mostJudged), d.Weights, rest), true
	case Huber: // as Friedman (2001) has it: the median, and the mean of bounded distances from it
		middle := weightedQuantile(0.5, thin(rows, mostJudged), d.Weights, rest)
		sum, total := 0.0, 0.0
		for _, i := range rows {
			w := weight(d.Weights, int(i))
			sum, total = sum+w*max(-l.At, min(l.At, float64(d.Target[i])-f[int(i)*outputs+output]-middle)), total+w
		}
		if total == 0 {
			return 0, true
		}
		return middle + sum/total, true
	}
	return 0, false
}

// thin takes every few rows where they are many.
func thin(rows []int32, most int) []int32 {
	if len(rows) <= most {
		return rows
	}
	out := make([]int32, most)
	for k := range out {
		out[k] = rows[k*len(rows)/most]
	}
	return out
}

// weightedQuantile is the least value below which a share of the weight lies; where all weigh the same, it lies between
// neighbours.
func weightedQuantile(p float64, rows []int32, w []float32, value func(i int32) float64) float64 {
	if w == nil {
		return quantile(p, rows, value)
	}
	type pair struct{ v, w float64 }
	list := make([]pair, 0, len(rows))
	total := 0.0
	for _, i := range rows {
		if x := weight(w, int(i)); x > 0 {
			list = append(list, pair{value(i), x})
			total += x
		}
	}
	if len(list) == 0 {
		return 0
	}
	slices.SortFunc(list, func(a, b pair) int { return cmp.Compare(a.v, b.v) })
	sum := 0.0
	for _, x := range list {
		if sum += x.w; sum >= p*total {
			return x.v
		}
	}
	return list[len(list)-1].v
}

func quantile(p float64, rows []int32, value func(i int32) float64) float64 {
	if len(rows) == 0 {
		return 0
	}
	list := make([]float64, len(rows))
	for k, i := range rows {
		list[k] = value(i)
	}
	at := p * float64(len(list)-1)
	i := int(at)
	v := rank(list, i)
	if i+1 < len(list) {
		return v + (at-float64(i))*(slices.Min(list[i+1:])-v)
	}
	return v
}

// rank gives the value that has k below it, and puts those below before it and the others behind.
//
// Source: Hoare, Algorithm 65, Communications of the ACM 4 (1961); the middle of three parts the list.
func rank(x []float64, k int) float64 {
	lo, hi := 0, len(x)-1
	for lo < hi {
		mid := lo + (hi-lo)/2
		pivot := max(min(x[lo], x[mid]), min(max(x[lo], x[mid]), x[hi]))
		i, j := lo, hi
		for i <= j {
			for x[i] < pivot {
				i++
			}
			for x[j] > pivot {
				j--
			}
			if i <= j {
				x[i], x[j] = x[j], x[i]
				i, j = i+1, j-1
			}
		}
		switch {
		case k <= j:
			hi = j
		case k >= i:
			lo = i
		default:
			return x[k]
		}
	}
	return x[k]
}
