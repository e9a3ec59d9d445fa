package arima

import (
	"context"

	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// slow starts a search at a level that walks slowly beneath short-lived errors: roots of
// 0.98 and 0.3 against 0.85, by their partial autocorrelations.
var slow = []float64{2.6, -0.3, 1.25}

// Errors fits a stationary ARMA of mean zero to what another model leaves, to whiten its
// columns by and to go on from where the series is: of AR(1), ARMA(1,1) and, from manyFrom
// values on, ARMA(2,1), the one of the lowest AICc; or, where an earlier fit is given, its
// shape, from its weights.
func Errors(ctx context.Context, in single.Input, like *State) (*State, error) {
	shapes := []Order{{P: 1}, {P: 1, Q: 1}, {P: 2, Q: 1}}
	switch {
	case like != nil:
		shapes = []Order{{P: like.Order.P, Q: like.Order.Q}}
	case len(in.Values) < manyFrom:
		shapes = shapes[:2]
	}
	var best *State
	zero := false
	for i := range shapes {
		m := Method{Order: &shapes[i], Constant: &zero, Transform: "none", NoSeason: true, rough: true}
		if like != nil {
			m.starts, m.warm = [][]float64{like.X}, true
		} else if shapes[i].P == 2 {
			m.starts = [][]float64{slow}
		}
		s, err := m.Fit(ctx, in)
		if err != nil {
			if best == nil {
				return nil, err
			}
			continue
		}
		if fit := s.(*State); best == nil || fit.AICc < best.AICc {
			best = fit
		}
	}
	return best, nil
}

// Short is the shape of errors that remember one period, to fit Errors like.
func Short() *State { return &State{Order: Order{P: 1}, X: []float64{0.3}} }

// manyFrom is how many values a third weight of the errors needs.
const manyFrom = 200

// Whiten passes columns through the model's filter: what is left of each are innovations of
// equal variance, 0 where the first column is unknown. It is false where the model is too
// near to the bounds.
func (s *State) Whiten(columns [][]float64) ([][]float64, bool) {
	f := fitters.Get().(*fitter)
	defer fitters.Put(f)
	out := make([][]float64, len(columns))
	for i := range out {
		out[i] = make([]float64, len(columns[0]))
	}
	f.shape.set(s.Order, s.X)
	if panel.CountKnown(columns[0]) == len(columns[0]) {
		return out, f.filter.run(&f.shape, columns, out)
	}
	_, ok := f.skip.run(&f.filter, &f.shape, columns, out)
	return out, ok
}

// Variance is that of an error, on the series' own scale, of a fit without a transform.
func (s *State) Variance() float64 { return s.Sigma2 * s.Scale.Size * s.Scale.Size }
