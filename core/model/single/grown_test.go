package single_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// daysOfYear are daily series that share a season of the year of some size, beside errors that linger.
func daysOfYear(days int, size float64) panel.View {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: days}
	places := make([]int, 12)
	for i := range places {
		rnd, lingers := rand.New(rand.NewPCG(1, uint64(i))), 0.0
		s := panel.Series{Key: fmt.Sprint("shop ", i), Values: make([]float64, days)}
		for t := range s.Values {
			lingers = 0.5*lingers + 0.1*rnd.NormFloat64()
			s.Values[t] = 50 * math.Exp(lingers+size*math.Sin(2*math.Pi*float64(t)/365.25))
		}
		p.Series, places[i] = append(p.Series, s), i
	}
	return panel.NewView(p, places, 0, days-1)
}

// A season that is told from all there is, and not from what comes before the inner windows, is known to no form on these.
func TestSeasonsThatInnerWindowsDidNotKnow(t *testing.T) {
	for _, c := range []struct {
		days, first int
		size        float64
		grown       bool
	}{{510, 400, 0.4, true}, {510, 400, 0, false}, {450, 400, 0.4, false}, {560, 500, 0.4, false}} {
		got, err := single.Grown(context.Background(), daysOfYear(c.days, c.size), c.first, 2)
		require.NoError(t, err)
		assert.Equal(t, c.grown, got, "%d days, of which %d were known, a season of %g", c.days, c.first, c.size)
	}
}

// Forms choose again where all of a history tells of its longest season what its first inner windows could not.
func TestWhereMoreIsTold(t *testing.T) {
	for _, c := range []struct {
		unit       calendar.Unit
		first, all int
		more       bool
	}{
		{calendar.Week, 60, 76, false}, {calendar.Week, 76, 101, true}, {calendar.Week, 90, 120, true}, {calendar.Week, 120, 160, false},
		{calendar.Day, 500, 600, true}, {calendar.Day, 640, 860, true}, {calendar.Day, 900, 1200, false}, {calendar.Day, 70, 120, false},
		{calendar.Month, 17, 24, true}, {calendar.Month, 36, 48, false}, {calendar.Year, 10, 14, false},
	} {
		p := &panel.Panel{Cadence: calendar.Cadence{Unit: c.unit}, Length: c.all}
		v := panel.NewView(p, nil, 0, c.all-1)
		assert.Equal(t, c.more, single.TellsMore(v, c.first-1), "%d of %d %s", c.first, c.all, p.Cadence.Noun(2))
	}
}
