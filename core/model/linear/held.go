package linear

import (
	"context"
	"encoding/binary"
	"math"
	"slices"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/stat"

	"paperkettle/core/num"
)

// mostTelling is how many series at most tell how firmly all are held.
const mostTelling = 256

// leastLess is by what share the squared error must be less for another strength.
const leastLess = 0.001

// clearly is by how many standard errors losses must be less in the mean over series.
const clearly = 1

// trials are series on which strengths are tried. Searches come by the same strengths again and again: what they cost is kept.
type trials struct {
	own     []*departure
	workers int
	cost    map[string][]float64 // by the bits of the strengths
}

// newTrials are those of so many series at most, spread evenly over a list.
func newTrials(list []*departure, workers int) *trials {
	t := &trials{workers: workers, cost: map[string][]float64{}}
	for _, k := range num.Some(len(list), mostTelling) {
		t.own = append(t.own, list[k])
	}
	return t
}

// losses are the squared errors of the series over their inner windows, held so firmly.
func (t *trials) losses(ctx context.Context, held []float64) ([]float64, error) {
	out, err := t.all(ctx, [][]float64{held})
	if err != nil {
		return nil, err
	}
	return out[0], nil
}

// all are losses for several strengths.
func (t *trials) all(ctx context.Context, held [][]float64) ([][]float64, error) {
	out := make([][]float64, len(held))
	var missing []int
	for k, h := range held {
		if out[k] = t.cost[key(h)]; out[k] == nil {
			out[k], missing = make([]float64, len(t.own)), append(missing, k)
		}
	}
	if len(missing) == 0 {
		return out, nil
	}
	err := num.EachWith(ctx, t.workers, len(t.own), func() *room { return new(room) }, func(r *room, i int) {
		for _, k := range missing {
			out[k][i] = t.own[i].loss(held[k], r)
		}
	})
	if err != nil {
		return nil, err
	}
	for _, k := range missing {
		t.cost[key(held[k])] = out[k]
	}
	return out, nil
}

func key(held []float64) string {
	out := make([]byte, 0, 8*len(held))
	for _, v := range held {
		out = binary.LittleEndian.AppendUint64(out, math.Float64bits(v))
	}
	return string(out)
}

// best is the strength with the least squared error over the inner windows of all
// series; the firmest of those that are as good.
func (t *trials) best(ctx context.Context, with func(float64) []float64) (float64, error) {
	held := make([][]float64, len(departures))
	for k, v := range departures {
		held[k] = with(v)
	}
	losses, err := t.all(ctx, held)
	if err != nil {
		return 0, err
	}
	best, least := departures[0], math.Inf(1)
	for k, v := range departures {
		if loss := floats.Sum(losses[k]); loss < (1-leastLess)*least {
			best, least = v, loss
		}
	}
	return best, nil
}

// climb moves the strength at some places up or down, a step at a time, for as long as that makes the squared errors less,
// if they are clearly less in the end.
func (t *trials) climb(ctx context.Context, held []float64, at []int, least []float64) ([]float64, error) {
	from := slices.Index(departures, held[at[0]])
	for _, direction := range []int{-1, 1} {
		best, found := from, least
		for k := from + direction; k >= 0 && k < len(departures); k += direction {
			next, err := t.losses(ctx, with(held, at, departures[k]))
			if err != nil {
				return nil, err
			}
			if floats.Sum(next) >= (1-leastLess)*floats.Sum(found) {
				break
			}
			best, found = k, next
		}
		if best != from && clearlyLess(found, least) {
			copy(held, with(held, at, departures[best]))
			return found, nil
		}
	}
	return least, nil
}

// clearlyLess says that some losses are less than others, and not by those of a few series alone.
func clearlyLess(these, others []float64) bool {
	gains := floats.SubTo(make([]float64, len(these)), others, these)
	mean, dev := stat.MeanStdDev(gains, nil)
	return mean > clearly*dev/math.Sqrt(float64(len(gains)))
}

// with are strengths with another one at some places.
func with(held []float64, at []int, v float64) []float64 {
	out := slices.Clone(held)
	for _, k := range at {
		out[k] = v
	}
	return out
}

// room is what a worker needs to find coefficients.
type room struct{ beta, factor []float64 }

// loss is the squared error on the inner windows.
func (d *departure) loss(held []float64, r *room) (sum float64) {
	p := len(held)
	r.beta, r.factor = slices.Grow(r.beta[:0], p)[:p], slices.Grow(r.factor[:0], p*p)[:p*p]
	for _, k := range d.windows {
		solveEach(d.g[k], d.c[k], held, r.beta, r.factor)
		for j, spread := range d.s[k] {
			if spread > 0 {
				r.beta[j] /= spread
			} else {
				r.beta[j] = 0
			}
		}
		sum += d.whole.judged[k].error(r.beta)
	}
	return sum
}
