package arima_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model/arima"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// Days at a third of a level that everything multiplies look as if the level were steadier as it is; told that
// they are an event's, with the day before, they are none of that.
func TestEventsAreNoReasonAgainstLogs(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 7))
	cadence, err := calendar.ParseCadence("day")
	assert.NoError(t, err)
	const first = 54 * 365
	fair := calendar.Event{Name: "fair", Before: 1}
	values := make([]float64, 400)
	for k := range values {
		values[k] = 50 * math.Exp(.3*math.Sin(2*math.Pi*float64(k)/7)+.1*rnd.NormFloat64())
		if k%60 == 40 {
			values[k], values[k-1] = .3*values[k], .3*values[k-1]
			start := cadence.Start(first + int64(k))
			fair.Occasions = append(fair.Occasions, calendar.DayOf(start, start))
		}
	}
	steadier := func(events ...calendar.Event) bool {
		p := &panel.Panel{Cadence: cadence, First: first, Length: len(values), Series: []panel.Series{{Key: "a", Values: values}}, Events: events}
		return arima.SteadierInLogs(single.InputOf(panel.NewView(p, []int{0}, 0, len(values)-1).Series(0), 7, nil))
	}
	assert.False(t, steadier())
	assert.True(t, steadier(fair))
	fair.Where = map[string]string{"shop": "elsewhere"}
	assert.False(t, steadier(fair), "it is none of this series")
}

// The search for an order looks at the last year or so: an event that did not come then is none that can't be fitted.
func TestAnEventThatDidNotComeLately(t *testing.T) {
	rnd := rand.New(rand.NewPCG(6, 7))
	const n, first = 700, 54 * 365
	cadence := calendar.Cadence{Unit: calendar.Day}
	fair := calendar.Event{Name: "fair"}
	values := make([]float64, n)
	for k := range values {
		values[k] = 50 + 5*math.Sin(2*math.Pi*float64(k)/7) + rnd.NormFloat64()
		if k == 40 || k == 110 || k == 203 {
			values[k] += 30
			fair.Occasions = append(fair.Occasions, calendar.DayOf(cadence.Start(first+int64(k)), cadence.Start(first+int64(k))))
		}
	}
	p := &panel.Panel{Cadence: cadence, First: first, Length: n, Series: []panel.Series{{Key: "a", Values: values}}, Events: []calendar.Event{fair}}
	m := arima.Method{Events: true}
	s, err := m.Fit(t.Context(), single.InputOf(panel.NewView(p, []int{0}, 0, n-1).Series(0), 7, nil))
	require.NoError(t, err)
	fitted := s.(*arima.State)
	require.Equal(t, []string{"fair"}, fitted.Names[:1])
	assert.Greater(t, fitted.Errors[len(fitted.Beta)-len(fitted.Names)], 0.0)
}
