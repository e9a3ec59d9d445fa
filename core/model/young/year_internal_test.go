package young

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"paperkettle/core/model/harmonic"
)

// The means of weeks of what a season is by day are what it was by week.
func TestTermsByDay(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		weeks := harmonic.Terms{Period: year / week, Coef: rapid.SliceOfN(rapid.Float64Range(-1, 1), 16, 16).Draw(t, "coefficients")}
		byDay := byDay(weeks)
		w := rapid.Int64Range(-3000, 4000).Draw(t, "week")
		mean := 0.0
		for d := range int64(week) {
			mean += byDay.At(w*week+d) / week
		}
		assert.InDelta(t, weeks.At(w), mean, 1e-9)
	})
}

// A week of which days are unknown is what the others say next to what is usual of them; one of three known days is unknown.
func TestWeeksOfDays(t *testing.T) {
	days := []float64{2, 1, 1, 1, 1, 1, 0}
	s := Series{Key: "a", First: 7 * 2000}
	for k := range 7 * 6 {
		s.Values = append(s.Values, float64(1+k/7)*days[k%7])
	}
	whole := weeksOf(s)
	assert.Equal(t, int64(2000), whole.First)
	s.Values[7] = math.NaN()
	for k := 14; k < 18; k++ {
		s.Values[k] = math.NaN()
	}
	part := weeksOf(s)
	for k, v := range part.Values {
		if k == 2 {
			assert.True(t, math.IsNaN(v))
			continue
		}
		assert.InDelta(t, whole.Values[k], v, 0.08*whole.Values[k], "week %d", k)
	}
	s.Values, s.First = s.Values[3:], s.First+3
	assert.Len(t, weeksOf(s).Values, 6)
}
