package linear

import (
	"math"

	"paperkettle/core/forecast"
	"paperkettle/core/num"
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
	for k, share := range s.shares(out.Mean, twin.Mean) {
		blend(out.Mean[k:k+1], twin.Mean[k:k+1], share)
		blend(out.At(k), twin.At(k), share)
	}
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
	shares := s.shares(stepMeans(out, h), stepMeans(twin, h))
	for i := range count {
		for k, share := range shares {
			at := i*h + k
			blend(out[at:at+1], twin[at:at+1], share)
		}
	}
	return out, nil
}

// Up to bothHold times apart the two scales are taken alike; from oneHolds on one alone.
const (
	bothHold = 3.0
	oneHolds = 6.0
	// lateValues is how many of the last values tell the size of late.
	lateValues = 28
)

// shares are those of the twin's means, a step each: half, but where the two are far apart. There drivers
// have left the range in which both were found to do as well (a line through the levels of sales at prices of
// 2 to 4 is below zero at 8), and the one nearer to the size of late goes on alone.
func (s *State) shares(own, twin []float64) []float64 {
	late := num.MeanSize(s.Values[max(0, len(s.Values)-lateValues):])
	out := make([]float64, len(own))
	for k := range out {
		out[k] = 0.5
		logOf := func(x float64) float64 { return math.Log(max(x, 1e-9*late)) }
		apart := math.Abs(logOf(own[k]) - logOf(twin[k]))
		if !(apart > math.Log(bothHold)) {
			continue
		}
		more := 0.5 * min(1, (apart-math.Log(bothHold))/math.Log(oneHolds/bothHold))
		if math.Abs(logOf(own[k])-math.Log(late)) < math.Abs(logOf(twin[k])-math.Log(late)) {
			more = -more
		}
		out[k] += more
	}
	return out
}

// stepMeans are the means of paths, a step each.
func stepMeans(paths []float64, h int) []float64 {
	out := make([]float64, h)
	for i, v := range paths {
		out[i%h] += v * float64(h) / float64(len(paths))
	}
	return out
}

// blend moves a towards b by a share of the way.
func blend(a, b []float64, share float64) {
	for i, v := range b {
		a[i] += share * (v - a[i])
	}
}

// average puts the means of both into a.
func average(a, b []float64) {
	for i, v := range b {
		a[i] = (a[i] + v) / 2
	}
}
