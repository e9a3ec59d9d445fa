package arima

import (
	"context"

	"paperkettle/core/model/single"
)

// Errors fits a stationary ARMA(p, q) of mean zero to what another model leaves, to whiten
// its columns by and to go on from where the series is.
func Errors(ctx context.Context, in single.Input, p, q int) (*State, error) {
	zero := false
	s, err := Method{Order: &Order{P: p, Q: q}, Constant: &zero, Transform: "none", NoSeason: true}.Fit(ctx, in)
	if err != nil {
		return nil, err
	}
	return s.(*State), nil
}

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
	return out, f.filter.run(&f.shape, columns, out)
}
