package neural

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// daily is a sequence of one series of days, seen by a layout of a horizon.
func daily(t *testing.T, values []float64, horizon int) (*Layout, *sequence) {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: len(values), Series: []panel.Series{{Key: "one", Values: values}}}
	v := panel.NewView(p, []int{0}, 0, len(values)-1)
	l, err := Model{Kind: kindPerceptron}.layout(v, horizon)
	require.NoError(t, err)
	q, err := l.sequenceOf(v.Series(0), 0, nil)
	require.NoError(t, err)
	return l, q
}

// Of a week that repeats itself the season's last value is told to be the best, the last value not; where
// there is a walk, it is the other way round.
func TestARecordTellsWhatDidWell(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	week, walk := make([]float64, 140), make([]float64, 140)
	for i := range week {
		week[i] = 100 + 20*float64(i%7) + rnd.NormFloat64()
		if walk[i] = 1000; i > 0 {
			walk[i] = walk[i-1] + 10*rnd.NormFloat64()
		}
	}
	const last, seasonal = 0, 3 // places among the plain forecasts
	told := make([]float32, anchors)
	for step := 1; step <= 7; step += 2 {
		l, q := daily(t, week, 7)
		q.record.fill(140, step, 7, told)
		assert.Less(t, told[seasonal], float32(0.6), "week, step %d", step)
		if assert.Equal(t, 7, l.Horizon); step == 1 { // seven days ahead the last value is of the same weekday
			assert.Greater(t, told[last], float32(1.2))
		}
	}
	_, q := daily(t, walk, 7)
	q.record.fill(140, 1, 7, told)
	assert.Less(t, told[last], float32(0.1), "walk")
	assert.Greater(t, told[seasonal], float32(0.4), "walk")
}

// An origin is told of what came before it alone.
func TestARecordDoesNotLookAhead(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 4))
	one, other := make([]float64, 120), make([]float64, 120)
	for i := range one {
		one[i] = 50 + 5*rnd.NormFloat64()
		if other[i] = one[i]; i >= 80 {
			other[i] = 1e3 * rnd.Float64()
		}
	}
	_, a := daily(t, one, 14)
	_, b := daily(t, other, 14)
	got, want := make([]float32, anchors), make([]float32, anchors)
	for n := 1; n <= 120; n++ {
		a.record.fill(n, 5, 14, want)
		b.record.fill(n, 5, 14, got)
		if n <= 80 {
			assert.Equal(t, want, got, "after %d values", n)
		}
	}
	assert.NotEqual(t, want, got, "at the end")
}

// Of a series too short to try anything, nothing is told.
func TestAShortRecordTellsNothing(t *testing.T) {
	_, q := daily(t, []float64{1, 2, 3, 4, 5, 6, 7, 8}, 14)
	told := []float32{anchors - 1: 0}
	q.record.fill(3, 1, 14, told)
	assert.Equal(t, make([]float32, anchors), told)
	assert.LessOrEqual(t, len(q.record.logs), 8*halves*anchors)
}
