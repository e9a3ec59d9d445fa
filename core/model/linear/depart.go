package linear

import (
	"context"
	"math"
)

// departures are the strengths by which series are held to what they share: the first lets
// none depart.
var departures = []float64{1e9, 10, 3, 1, 0.3, 0.1, 0.03, 0.01}

// depart lets each series have coefficients of its own, held to the shared ones as firmly as
// does best on the inner windows of all: where series are alike they share, where they are
// not each goes its way.
//
// Source: shrinkage towards a common vector, as Lindley and Smith, Bayes estimates for the
// linear model, Journal of the Royal Statistical Society B 34 (1972).
func (p *Pool) depart(ctx context.Context, shared *search, workers int) error {
	own := make([]*search, len(shared.list))
	err := inParallel(ctx, workers, len(own), func(i int) {
		s := *shared
		s.list = shared.list[i : i+1]
		s.method = Method{Penalty: "ridge", along: departures}
		s.read = func(x *series, at, step int, columns []float64) (float64, bool) {
			y, ok := shared.read(x, at, step, columns)
			return y - p.Outside.at(columns), ok
		}
		s.sums = []products{s.sum(0)}
		s.sums[0].follow(s.method)
		own[i] = &s
	})
	if err != nil {
		return err
	}
	total := make([]float64, len(departures))
	for _, s := range own {
		for k, v := range s.sums[0].curve {
			total[k] += v
		}
	}
	best := 0
	for k, v := range total {
		if v < 0.999*total[best] && !math.IsNaN(v) { // as alike as they may be
			best = k
		}
	}
	p.Departure = departures[best]
	if best == 0 {
		return nil
	}
	for i, s := range own {
		if s.sums[0].rows < fewestRows {
			continue
		}
		e := s.equation(&s.sums[0], departures[best])
		mine := &shared.list[i].outside
		beta := make([]float64, len(e.Beta))
		for k := range beta {
			beta[k] = p.Outside.Beta[k] + e.Beta[k]
		}
		mine.Beta, mine.Errors = beta, e.Errors
		// Of the series' own coefficients, those that the data fill.
		mine.Used = p.Outside.Used + float64(len(shared.list))*e.Used
	}
	return nil
}
