package linear

import (
	"context"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/model/single"
)

// busyWeeks makes days of series whose level wanders, with a week of their own; the common one is 0, 10, ... 60.
func busyWeeks(series, n int, wander, own float64) (values [][]float64) {
	for i := range series {
		rnd := rand.New(rand.NewPCG(uint64(i), 3))
		level, week := 200.0, make([]float64, 7)
		for d := range week {
			week[d] = 10*float64(d) + own*rnd.NormFloat64()
		}
		y := make([]float64, n)
		for t := range y {
			level += wander * rnd.NormFloat64()
			y[t] = level + week[t%7] + 2*rnd.NormFloat64()
		}
		values = append(values, y)
	}
	return values
}

// A panel of so many days that one row of every seven is read has all weekdays among them: none is taken for another.
func TestRowsAreNotInStepWithTheWeek(t *testing.T) {
	v, list := inputs(7, busyWeeks(8, 700, 0, 0))
	m := method("direct", "lag 1", "day of week as levels")
	m.thin = 7
	states, err := m.fit(context.Background(), v, list, 2)
	require.NoError(t, err)
	rows := forecastOf(t, states[0], 7)
	for d, y := range rows.Mean {
		assert.InDelta(t, 200+10*d, y, 3)
	}
}

// What recursive forms rehearse from, and the errors that are kept, are of all weekdays.
func TestErrorsKeptAreNotInStepWithTheWeek(t *testing.T) {
	s := &State{}
	for o := range 7 * mostErrors {
		s.Errors = append(s.Errors, []float32{float32(o % 7)})
	}
	s.forget()
	require.Len(t, s.Errors, mostErrors)
	var seen [7]int
	for _, e := range s.Errors {
		seen[int(e[0])]++
	}
	for d, n := range seen {
		assert.InDelta(t, mostErrors/7, n, 12, "day %d", d)
	}
}

// Goods of ten kinds follow each other in the order of a panel: those that are asked are of all kinds.
func TestSeriesAskedAreOfAllKinds(t *testing.T) {
	_, list := inputs(7, busyWeeks(600, 15, 0, 0))
	var seen [10]int
	for _, in := range sample(list) {
		at := slices.IndexFunc(list, func(x single.Input) bool { return x.Key == in.Key })
		seen[at%10]++
	}
	for kind, n := range seen {
		assert.NotZero(t, n, "kind %d", kind)
	}
}

// A few years of a level that wanders look like a year of each series' own; their weeks do differ. The one is held to
// what all share, the other is not.
func TestPartsOfTheCalendarAreHeldApart(t *testing.T) {
	v, list := inputs(7, busyWeeks(16, 740, 2, 12))
	states, err := method("direct", "lag 1", "day of week as levels", "year as harmonics 4").fit(context.Background(), v, list, 2)
	require.NoError(t, err)
	pool := states[0].Pool
	require.Len(t, pool.PartDepartures, 2)
	week, year := pool.PartDepartures[0], pool.PartDepartures[1]
	assert.Equal(t, "day of week", week.Part)
	assert.Equal(t, "year", year.Part)
	assert.False(t, week.Driver)
	assert.Less(t, week.Strength, 1.0)
	assert.Equal(t, departures[0], year.Strength)
	assert.Contains(t, pool.partWords("the calendar", pool.Departure, false), "year")
}
