package linear

import (
	"paperkettle/core/forecast"
	"paperkettle/core/panel"
)

// Some series change by shares and others by amounts, and most by a little of both: where inner
// windows say so, the forecast is the mean of equations on logs and of equations on levels. Means
// and quantiles are averaged alike.
//
// Source: Bates and Granger, Operational Research Quarterly 20 (1969); quantiles: Lichtendahl,
// Grushka-Cockayne and Winkler, Management Science 59 (2013).

// Forecast gives points and quantiles, of both scales where there are two.
func (s *State) Forecast(v panel.SeriesView, out forecast.Rows) error {
	if err := s.forecast(v, out); err != nil || s.Twin == nil {
		return err
	}
	twin := forecast.NewRows(len(out.Mean))
	if err := s.Twin.forecast(v, twin); err != nil {
		return err
	}
	average(out.Mean, twin.Mean)
	average(out.Quantiles, twin.Quantiles)
	return nil
}

// Paths draws futures: errors of all steps together, as they came together in training, and
// coefficients of what is new among drivers and events. The same state draws the same ones
// whatever the drivers ahead are; those of two scales are drawn alike, so that a bad month on one
// is a bad month on the other.
func (s *State) Paths(v panel.SeriesView, h, count int) ([]float64, error) {
	out, err := s.paths(v, h, count)
	if err != nil || s.Twin == nil {
		return out, err
	}
	twin, err := s.Twin.paths(v, h, count)
	if err != nil {
		return nil, err
	}
	average(out, twin)
	return out, nil
}

// average puts the means of both into a.
func average(a, b []float64) {
	for i, v := range b {
		a[i] = (a[i] + v) / 2
	}
}
