package scenario_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/forecast"
	"paperkettle/core/scenario"
)

// Sums over series add means and variances; their intervals are those of a normal with both.
func TestSumsOverSeries(t *testing.T) {
	one := func(mean, variance float64) []scenario.Outcome {
		o := scenario.Outcome{Mean: []float64{mean, 2 * mean}, StepVariance: []float64{variance, 4 * variance}, Change: []float64{0, 0},
			ChangeVariance: []float64{0, 0}}
		o.Total = scenario.Sum{Value: 3 * mean, Variance: 6 * variance}
		changed := o
		changed.Mean, changed.Change, changed.ChangeVariance = []float64{mean + 1, 2*mean + 1}, []float64{1, 1}, []float64{0.25, 0.25}
		changed.TotalChange = scenario.Sum{Value: 2, Variance: 1}
		return []scenario.Outcome{o, changed}
	}
	var s scenario.Sums
	s.Add(one(10, 9))
	s.Add(one(20, 16))
	s.Widen([]float64{95}, forecast.Ties{})
	assert.Equal(t, 2, s.Series)
	base, changed := s.Cases[0], s.Cases[1]
	assert.Equal(t, []float64{30, 60}, base.Mean)
	const z = 1.959963984540054
	assert.InDelta(t, 30-z*5, base.Low[0][0], 1e-9, "the root of 9 + 16")
	assert.InDelta(t, 60+z*10, base.High[0][1], 1e-9)
	assert.InDelta(t, 90+z*math.Sqrt(150), base.Total.High[0], 1e-9)
	assert.Equal(t, []float64{2, 2}, changed.Change)
	assert.InDelta(t, 2-z*math.Sqrt(0.5), changed.ChangeLow[0][0], 1e-9)
	assert.InDelta(t, 4-z*math.Sqrt(2), changed.TotalChange.Low[0], 1e-9)
}

// Where errors go together, sums are wider: by all of it, their deviations add up. Changes stay as
// they are.
func TestSumsOfWhatGoesTogether(t *testing.T) {
	one := func(wide float64) []scenario.Outcome {
		return []scenario.Outcome{{Mean: []float64{1, 1}, Change: []float64{0, 0}, StepVariance: []float64{wide * wide, wide * wide},
			ChangeVariance: []float64{1, 1}, Total: scenario.Sum{Value: 2, Variance: 2 * wide * wide}}}
	}
	const z = 1.959963984540054
	for share, want := range map[float64]float64{0: 5, 0.5: math.Sqrt(25 + 0.5*24), 1: 7} {
		var s scenario.Sums
		s.Add(one(3))
		s.Add(one(4))
		s.Widen([]float64{95}, forecast.Ties{Series: share})
		assert.InDelta(t, 2+z*want, s.Cases[0].High[0][0], 1e-9)
		assert.InDelta(t, 4+z*math.Sqrt2*want, s.Cases[0].Total.High[0], 1e-9, "steps that err apart add as variances do")
		assert.InDelta(t, z*math.Sqrt2, s.Cases[0].ChangeHi[0][0], 1e-9)
	}
}
