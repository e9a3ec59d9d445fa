package forecast

import "math"

// Ties says how far forecast errors go together, as correlations: those of different series at one
// step, of one series at different steps, and of different series at different steps.
//
// Source: a correlation that is the same for all pairs, Elton and Gruber, Journal of Finance 28
// (1973); it takes few errors to be told.
type Ties struct{ Series, Steps, Across float64 }

// OfTotals is the correlation of the errors of two series' sums over h steps.
func (t Ties) OfTotals(h int) float64 {
	n := float64(h)
	return max(0, min(1, (n*t.Series+n*(n-1)*t.Across)/(n+n*(n-1)*t.Steps)))
}

// Sum adds up forecasts of series, which have as many steps each; closed steps count as zero.
type Sum struct {
	Series int
	steps  Rows // of means, and of quantiles less the means
	wide   []float64
	square []float64
	// ofSeries is the sum over series of the squared sum over steps of their deviations.
	ofSeries float64
}

// NewSum adds up forecasts of h steps.
func NewSum(h int) *Sum {
	return &Sum{steps: NewRows(h), wide: make([]float64, h), square: make([]float64, h)}
}

// Add takes one series' forecast.
func (s *Sum) Add(r Rows) {
	s.Series++
	all := 0.0
	for k := range s.wide {
		if r.IsClosed(k) {
			continue
		}
		q, sum := r.At(k), s.steps.At(k)
		low, high := Interval(q, 80)
		wide := (high - low) / (2 * 1.2816)
		s.wide[k] += wide
		s.square[k] += wide * wide
		all += wide
		mean := r.Expected(k)
		s.steps.Mean[k] += mean
		for g := range q {
			sum[g] += q[g] - mean
		}
	}
	s.ofSeries += all * all
}

// Total is the forecast of the sum: step by step, and over all steps in one row. Its deviations from
// the mean are those of the parts added up, which is what they would be if all erred alike, by what
// of it the ties leave: so the sum of one series is that series' own forecast at every step, and a
// sum is skewed as its parts are.
func (s *Sum) Total(t Ties) (steps, whole Rows) {
	h := len(s.wide)
	steps, whole = NewRows(h), NewRows(1)
	var all, squares, atSteps float64
	for k := range h {
		sum, square := s.wide[k], s.square[k]
		all, squares, atSteps = all+sum, squares+square, atSteps+sum*sum
		share := ratio(square+t.Series*(sum*sum-square), sum)
		steps.Mean[k] = s.steps.Mean[k]
		whole.Mean[0] += s.steps.Mean[k]
		for g, d := range s.steps.At(k) {
			steps.At(k)[g] = steps.Mean[k] + share*d
			whole.Quantiles[g] += d
		}
	}
	variance := squares + t.Series*(atSteps-squares) + t.Steps*(s.ofSeries-squares) + t.Across*(all*all-atSteps-s.ofSeries+squares)
	share := ratio(variance, all)
	for g := range whole.Quantiles {
		whole.Quantiles[g] = whole.Mean[0] + share*whole.Quantiles[g]
	}
	return steps, whole
}

// ratio is the deviation of a sum next to the sum of its parts' deviations: 1 where none has any.
func ratio(variance, sum float64) float64 {
	if !(sum > 0) {
		return 1
	}
	return min(1, math.Sqrt(max(0, variance))/sum)
}
