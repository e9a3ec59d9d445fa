package outlook

import (
	"context"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Rest is what drivers and events leave of the series of a view.
type Rest struct {
	panel.View
	brought []*model.Outside // what they bring, by series; nil where nothing is told
	unknown []error          // why that is not known ahead
}

// AsIs is a view from which nothing is taken out.
func AsIs(v panel.View) Rest {
	return Rest{v, make([]*model.Outside, v.Len()), make([]error, v.Len())}
}

// RestOf takes out what a model that was trained on the series knows of drivers and events, over the values of a
// view and a horizon past them. A series of which it knows nothing stays as it is.
func RestOf(ctx context.Context, by model.Trained, v panel.View, horizon, workers int) (Rest, error) {
	out := AsIs(v)
	rests := make([][]float64, v.Len())
	if err := num.Each(ctx, workers, v.Len(), func(i int) { rests[i] = out.take(by, i, horizon) }); err != nil {
		return out, err
	}
	values := map[int][]float64{}
	for i, rest := range rests {
		if rest != nil {
			values[i] = rest
		}
	}
	out.View = v.Instead(values)
	return out, nil
}

// restOfOne is RestOf, of one series of the view alone.
func restOfOne(by model.Trained, v panel.View, i, horizon int) Rest {
	out := AsIs(v)
	if rest := out.take(by, i, horizon); rest != nil {
		out.View = v.Instead(map[int][]float64{i: rest})
	}
	return out
}

// take notes what is told of a series, and gives what it leaves; nil where nothing is told. What is not known ahead
// is still taken out of the past.
func (r Rest) take(by model.Trained, i, horizon int) []float64 {
	brought, err := OutsideOf(by, r.View, i, horizon)
	if err != nil {
		if brought, _ = OutsideOf(by, r.View, i, 0); brought != nil {
			r.unknown[i] = err
		}
	}
	if r.brought[i] = brought; brought == nil {
		return nil
	}
	s, _ := single.InOneUnit(r.Series(i))
	return Without(s.Values, brought)
}

// Pick is the rest of some of the series.
func (r Rest) Pick(places []int) Rest {
	out := AsIs(r.View.Pick(places))
	for j, i := range places {
		out.brought[j], out.unknown[j] = r.brought[i], r.unknown[i]
	}
	return out
}

// Before is the rest as it is seen from an earlier origin.
func (r Rest) Before(origin int) Rest {
	r.View = r.View.Before(origin)
	return r
}

// Forecast has a model that was trained on the rest forecast it, and puts back what drivers and events bring.
func (r Rest) Forecast(ctx context.Context, trained model.Trained, horizon int) (model.Result, error) {
	res, err := trained.Forecast(ctx, r.View, horizon)
	if err != nil {
		return res, err
	}
	for i := range res.Series {
		if res.Err[i] == nil {
			res.Err[i] = r.putBack(i, res.Series[i])
		}
	}
	return res, nil
}

func (r Rest) putBack(i int, rows forecast.Rows) error {
	if r.unknown[i] != nil || r.brought[i] == nil {
		return r.unknown[i]
	}
	values, _ := r.Values(i)
	for h := range rows.Mean {
		PutBack(rows, h, len(values), r.brought[i])
	}
	return nil
}

// Fitted puts back what drivers and events bring into fitted values of a series.
func (r Rest) Fitted(i int, values []float64) []float64 {
	if r.brought[i] == nil {
		return values
	}
	out := make([]float64, len(values))
	for t, y := range values {
		out[t] = r.brought[i].Put(t, y)
	}
	return out
}

// Paths has a model that was trained on the rest draw its futures, and puts back what drivers and events bring, as
// far as that is known.
func (r Rest) Paths(ctx context.Context, trained model.Pather, horizon, count int, each func(i int, paths []float64, err error)) error {
	return trained.Paths(ctx, r.View, horizon, count, func(i int, paths []float64, err error) {
		if err == nil {
			err = r.unknown[i]
		}
		if brought := r.brought[i]; err == nil && brought != nil {
			values, _ := r.Values(i)
			doubt := brought.Doubt(count)
			for k, y := range paths {
				paths[k] = doubt(k/horizon, k%horizon, brought.Put(len(values)+k%horizon, y))
			}
		}
		each(i, paths, err)
	})
}
