package additive

import (
	"context"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// warmth is how many more cups are sold on cold days and on warm ones than on mild ones.
func warmth(temperature float64) float64 { return 6*max(0, 8-temperature) + 4*max(0, temperature-16) }

// teas are days on which cups go by the temperature, straight or in an angle, and the temperatures of these and of the
// days ahead.
func teas(seed uint64, n, ahead int, by func(temperature float64) float64) (cups, temperature []float64) {
	rnd := rand.New(rand.NewPCG(seed, 12))
	for i := range n + ahead {
		temperature = append(temperature, 24*rnd.Float64())
		if i < n {
			cups = append(cups, 200+by(temperature[i])+5*rnd.NormFloat64())
		}
	}
	return cups, temperature
}

// A line that bends is taken where the truth does, and not where it does not; what it does up to each bend and from there on
// is told, and forecasts follow it, also under other temperatures than were seen.
func TestDriversBendWhereTheyDo(t *testing.T) {
	straight := func(temperature float64) float64 { return -5 * temperature }
	for name, by := range map[string]func(float64) float64{"bent": warmth, "straight": straight} {
		var inputs []single.Input
		for k := range 6 {
			cups, temperature := teas(uint64(k), 300, 14, by)
			inputs = append(inputs, inputOf(calendar.Day, 14, cups, temperature))
		}
		m := Auto()
		m.Parts = "add"
		methods, err := m.choose(context.Background(), inputs, model.Env{Workers: 2})
		require.NoError(t, err)
		for k, m := range methods {
			assert.Equal(t, name == "bent", m.Bent, "%s, series %d", name, k)
		}
		s, err := methods[0].fit(context.Background(), inputs[0])
		require.NoError(t, err)
		rows := forecast.NewRows(14)
		require.NoError(t, s.Forecast(inputs[0].SeriesView, rows))
		_, temperature := teas(0, 300, 14, by)
		for h, v := range rows.Mean {
			assert.InDelta(t, 200+by(temperature[300+h]), v, 8, "%s, step %d at %.1f degrees", name, h, temperature[300+h])
		}
		var d model.Description
		s.Describe(&d, 14)
		if name == "straight" {
			require.Len(t, d.Effects, 1)
			assert.InDelta(t, -5, d.Effects[0].Units, 0.5)
			continue
		}
		assert.Contains(t, d.Form, ", 1 driver (what these do bends: price), with")
		require.Len(t, d.Effects, 3, "one a piece")
		assert.InDelta(t, -6, d.Effects[0].Units, 0.6, d.Effects[0].Name)
		assert.InDelta(t, 0, d.Effects[1].Units, 0.8, d.Effects[1].Name)
		assert.InDelta(t, 4, d.Effects[2].Units, 0.6, d.Effects[2].Name)
		for _, e := range d.Effects {
			assert.Less(t, e.Low, e.Units)
			assert.Greater(t, e.High, e.Units)
		}
	}
}

// Warmer than ever a bent line goes on as its last piece does.
func TestBentDriversBeyondWhatWasSeen(t *testing.T) {
	cups, temperature := teas(3, 300, 4, warmth)
	for h := range 4 {
		temperature[300+h] = 30 + 5*float64(h)
	}
	m := Auto()
	m.Parts, m.Bent, m.Level, m.Memory, m.Trend, m.Seasons = "add", true, steady, 300, "flat", []wish{}
	in := inputOf(calendar.Day, 4, cups, temperature)
	s, err := m.fit(context.Background(), in)
	require.NoError(t, err)
	rows := forecast.NewRows(4)
	require.NoError(t, s.Forecast(in.SeriesView, rows))
	var d model.Description
	s.Describe(&d, 4)
	last := d.Effects[2]
	for h, v := range rows.Mean {
		assert.InDelta(t, rows.Mean[0]+5*float64(h)*last.Units, v, 0.5, "%s, at %.0f degrees", last.Name, temperature[300+h])
		assert.InDelta(t, 200+warmth(temperature[300+h]), v, 15, "at %.0f degrees", temperature[300+h])
	}
}

// A driver of few values, one whose sign was set, and one that was never known do not bend.
func TestWhatDoesNotBend(t *testing.T) {
	cups, temperature := teas(1, 200, 0, warmth)
	few := make([]float64, len(temperature))
	for i, x := range temperature {
		few[i] = float64(int(x) / 6)
	}
	assert.Len(t, bentDrivers(Auto(), inputOf(calendar.Day, 7, cups, temperature)), 2)
	assert.Empty(t, bentDrivers(Auto(), inputOf(calendar.Day, 7, cups, few)), "of few values")
	signed := Auto()
	signed.Signs = map[string]int{"price": -1}
	assert.Empty(t, bentDrivers(signed, inputOf(calendar.Day, 7, cups, temperature)), "of a sign")
	m, err := methodOf(model.Values{"driver-lines": "straight", "drivers": true})
	require.NoError(t, err)
	assert.Empty(t, bentDrivers(m, inputOf(calendar.Day, 7, cups, temperature)), "where the setting says so")
	m, err = methodOf(model.Values{"driver-lines": "bent", "drivers": true})
	require.NoError(t, err)
	assert.True(t, m.Bent)
	nothing := slices.Repeat([]float64{panel.Unknown}, len(cups))
	assert.Empty(t, bentDrivers(Auto(), inputOf(calendar.Day, 7, cups, nothing)), "that is unknown")
}
