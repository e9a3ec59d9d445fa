package bakeoff

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// ending makes a panel of days with a week on them, whose last values are the given shares of the usual.
func ending(shares ...float64) *panel.Panel {
	const n = 120
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 19000, Length: n, Measure: "cups"}
	for i, share := range shares {
		rnd := rand.New(rand.NewPCG(3, uint64(i)))
		values := make([]float64, n)
		for t := range values {
			values[t] = math.Round(100 + 20*math.Sin(2*math.Pi*float64(t)/7) + 2*rnd.NormFloat64())
		}
		values[n-1] = math.Round(values[n-1] * share)
		p.Series = append(p.Series, panel.Series{Key: string(rune('a' + i)), Values: values})
	}
	return p
}

func TestDoubtfulEnds(t *testing.T) {
	assert.Empty(t, DoubtfulEnds(ending(1, 1.1, 0.9), []int{0, 1, 2}))
	told := DoubtfulEnds(ending(1, 0, 1), []int{0, 1, 2})
	require.Len(t, told, 1)
	assert.Regexp(t, `^The last value of series b, 0 in \d{4}-\d\d-\d\d, is far from all before it: it is left out`, told[0])
	assert.Empty(t, DoubtfulEnds(ending(1, 0, 1), []int{0, 2}), "of a series that is not asked")
	told = DoubtfulEnds(ending(0.2, 1, 0), []int{0, 1, 2})
	require.Len(t, told, 1)
	assert.Regexp(t, `^The last values of 2 series are far from all before them \(of a \d+ in`, told[0])
	ahead, err := LookAhead(ending(0.2, 1, 0), Plan{}, 7, false)
	require.NoError(t, err)
	assert.Equal(t, told, ahead.Cautions, "who publishes is told")
	empty := ending(1, 0)
	empty.Series[0].Values = nil // a newcomer
	assert.Len(t, DoubtfulEnds(empty, []int{0, 1}), 1)
	short := ending(0)
	short.Series[0].Values = short.Series[0].Values[:100] // it ended before, at a usual value
	assert.Empty(t, DoubtfulEnds(short, []int{0}))
}

// Series that end in zeros for months are told of; one of which the last weeks are zeros is not.
func TestEndedSeriesAreTold(t *testing.T) {
	p := ending(1, 1, 1)
	assert.Empty(t, EndedSeries(p, []int{0, 1, 2}))
	clear(p.Series[1].Values[p.Length-61:])
	assert.Regexp(t, `^Series b is taken to have ended, with zeros alone since \d{4}-\d\d-\d\d: it is forecast as nothing by every family but`,
		EndedSeries(p, []int{0, 1, 2})[0])
	clear(p.Series[2].Values[p.Length-70:])
	clear(p.Series[0].Values[p.Length-50:])
	assert.Regexp(t, `^2 series are taken to have ended \(b with zeros`, EndedSeries(p, []int{0, 1, 2})[0])
}
