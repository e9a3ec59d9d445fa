package decomposition_test

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/decomposition"
	"paperkettle/core/model/loess"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

var method = decomposition.Method{Rest: "smoothing", Options: loess.Options{Window: 7, Robust: true}, Logs: "off"}

func fit(t *testing.T, m decomposition.Method, unit calendar.Unit, values []float64, h int) (*decomposition.State, forecast.Rows) {
	t.Helper()
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: unit}, Length: len(values), Series: []panel.Series{{Key: "a", Values: values}}}
	v := panel.NewView(p, []int{0}, 0, len(values)-1)
	seen, _ := single.Mend(v.Series(0)) // as the family has it
	s, err := m.Fit(context.Background(), single.Input{SeriesView: seen, Horizon: h, Seed: 1})
	require.NoError(t, err)
	rows := forecast.NewRows(h)
	require.NoError(t, s.Forecast(v.Series(0), rows))
	require.NoError(t, rows.Check())
	return s.(*decomposition.State), rows
}

// weekly is a line with a week on it.
func weekly(n int, sd float64) (values []float64, week []float64) {
	week = []float64{12, 4, -3, -8, -2, 6, -9}
	rnd := rand.New(rand.NewPCG(3, 3))
	for i := range n {
		values = append(values, 200+0.1*float64(i)+week[i%7]+sd*rnd.NormFloat64())
	}
	return values, week
}

// The season is the one that was put in, goes on where the history ends in the middle of it, and the parts
// of the description add up to what was seen and to what is forecast.
func TestTheSeasonGoesOn(t *testing.T) {
	const n, h = 250, 10
	values, week := weekly(n, 1)
	s, rows := fit(t, method, calendar.Day, values, h)
	for k := range h {
		assert.InDelta(t, 200+0.1*float64(n+k)+week[(n+k)%7], rows.Mean[k], 2, "step %d", k+1)
	}
	var d model.Description
	s.Describe(&d, h)
	require.GreaterOrEqual(t, len(d.Components), 2)
	for i, y := range values {
		sum := 0.0
		for _, c := range d.Components {
			require.Len(t, c.Past, n)
			sum += c.Past[i]
		}
		assert.InDelta(t, y, sum, 1e-6, "period %d", i)
	}
	for _, c := range d.Components {
		assert.False(t, c.Factor)
	}
}

// A spoilt day moves neither the season nor the forecast; nor does one that is only odd for its weekday,
// which the robust fit itself leaves out and says.
func TestASpoiltDayMovesNothing(t *testing.T) {
	values, _ := weekly(250, 1)
	_, before := fit(t, method, calendar.Day, values, 7)
	spoilt := slices.Clone(values)
	spoilt[200] = 2000
	_, after := fit(t, method, calendar.Day, spoilt, 7)
	assert.InDeltaSlice(t, before.Mean, after.Mean, 0.5)
	spoilt[200] = values[200] + 22
	s, after := fit(t, method, calendar.Day, spoilt, 7)
	assert.InDeltaSlice(t, before.Mean, after.Mean, 1)
	var d model.Description
	s.Describe(&d, 7)
	assert.Contains(t, strings.Join(d.Cautions, "; "), "far from the fit were left out of the adjusted series: ")
}

// In logs the season is a share: it grows with the level.
func TestInLogsTheSeasonIsAShare(t *testing.T) {
	share := []float64{1.4, 0.9, 0.7, 1.0}
	var values []float64
	for i := range 60 {
		values = append(values, 100*math.Pow(1.03, float64(i))*share[i%4])
	}
	m := method
	m.Logs = ""
	s, rows := fit(t, m, calendar.Quarter, values, 8)
	assert.True(t, s.Logs, "found by itself")
	for h := range rows.Mean {
		assert.InEpsilon(t, 100*math.Pow(1.03, float64(60+h))*share[(60+h)%4], rows.Mean[h], 0.03)
	}
	m.Logs = "on"
	values[5] = 0
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Quarter}, Length: len(values), Series: []panel.Series{{Key: "a", Values: values}}}
	_, err := m.Fit(context.Background(), single.Input{SeriesView: panel.NewView(p, []int{0}, 0, len(values)-1).Series(0), Horizon: 4})
	assert.EqualError(t, err, "logs need values above zero, and the series has 0: turn logs off")
}

// A season takes noise with it: intervals hold what comes, also next to it.
func TestIntervalsHoldWhatComes(t *testing.T) {
	const h, many = 7, 150
	inside := 0
	for k := range many {
		rnd := rand.New(rand.NewPCG(8, uint64(k)))
		var values []float64
		for i := range 70 + h {
			values = append(values, 100+10*math.Sin(2*math.Pi*float64(i)/7)+3*rnd.NormFloat64())
		}
		_, rows := fit(t, method, calendar.Day, values[:70], h)
		for i, y := range values[70:] {
			q := rows.At(i)
			if forecast.Quantile(q, 0.1) <= y && y <= forecast.Quantile(q, 0.9) {
				inside++
			}
		}
	}
	share := float64(inside) / (h * many)
	assert.InDelta(t, 0.8, share, 0.05, "80 % intervals")
}
