package automatic

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
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

// A season that is told from all there is, and not from what comes before the inner windows, is known to no form on these:
// plain forms, which never know it, are not weighed by them.
func TestWhatTheInnerWindowsDidNotKnow(t *testing.T) {
	for _, c := range []struct {
		days, first int
		size        float64
		grown       bool
	}{{510, 400, 0.4, true}, {510, 400, 0, false}, {450, 400, 0.4, false}, {560, 500, 0.4, false}} {
		got, err := grown(context.Background(), daysOfYear(c.days, c.size), c.first, 2)
		require.NoError(t, err)
		assert.Equal(t, c.grown, got, "%d days, of which %d were known, a season of %g", c.days, c.first, c.size)
	}
	e := &evidence{forms: []form{{name: "smoothing"}, {name: "mean", plain: true}, {name: "intermittent", plain: true, counts: true}},
		kinds: []kind{{}, {sparse: true}}, grown: true}
	assert.True(t, e.suits(0, 0))
	assert.False(t, e.suits(0, 1))
	assert.True(t, e.suits(1, 2), "counts that come now and then have no other")
}
