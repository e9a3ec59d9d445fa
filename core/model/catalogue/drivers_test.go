package catalogue_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// driven is a weekly series that falls by 3 a unit of price and rises by 40 in the weeks of
// an event, around AR(1) errors; the price is known eight weeks ahead.
func driven(n, h int) *panel.Panel {
	rnd := rand.New(rand.NewPCG(3, 3))
	y, price := make([]float64, n), make([]float64, n+h)
	fair := calendar.Event{Name: "fair"}
	e := 0.0
	c := weekly
	for i := range price {
		price[i] = 20 + 4*rnd.NormFloat64()
		at := 0.0
		if i%13 == 5 {
			start := c.Start(600 + int64(i))
			fair.Occasions = append(fair.Occasions, calendar.Occasion{Start: start, End: start + 7*86400})
			at = 40
		}
		if i < n {
			e = 0.6*e + 4*rnd.NormFloat64()
			y[i] = 300 - 3*price[i] + at + e
		}
	}
	return &panel.Panel{Cadence: c, First: 600, Length: n, Drivers: []panel.Driver{{Name: "price", KnownAhead: true}}, Events: []calendar.Event{fair},
		Series: []panel.Series{{Key: "a", Values: y, Drivers: [][]float64{price}}}}
}

// Effects of drivers and events come back, and move the forecast as far as they should.
func TestRegressionWithARIMAErrors(t *testing.T) {
	t.Parallel()
	const n, h = 156, 8
	p := driven(n, h)
	settings := model.Values{"drivers": true, "events": true, "transform": "none"}
	trained, v := trainOn(t, "arima", settings, p, n-1, h)
	effects := map[string]float64{}
	for _, x := range trained.Describe(0).Parameters {
		effects[x.Name] = x.Value
	}
	assert.InDelta(t, -3, effects["price"], 0.2)
	assert.InDelta(t, 40, effects["fair"], 4)
	before := result(t, trained, v, h).Series[0].Mean

	dearer := driven(n, h)
	for i := n; i < n+h; i++ {
		dearer.Series[0].Drivers[0][i] += 10
	}
	after := result(t, trained, panel.NewView(dearer, []int{0}, 0, n-1), h).Series[0].Mean
	for k := range before {
		assert.InDelta(t, 10*effects["price"], after[k]-before[k], 1e-6)
	}

	short := driven(n, 3)
	hold := panel.Fillings{"price": {Rule: panel.FillHold}}
	res := result(t, trained, panel.NewView(short, []int{0}, 0, n-1).WithFillings(hold), h)
	require.NoError(t, res.Err[0], "the last price stands for what is unknown")
	refuse := panel.Fillings{"price": {Rule: panel.FillRefuse}}
	res = result(t, trained, panel.NewView(short, []int{0}, 0, n-1).WithFillings(refuse), h)
	require.Error(t, res.Err[0])
	assert.Contains(t, res.Err[0].Error(), "the driver price is unknown at step 4")

	later := driven(n+4, h-4)
	copy(later.Series[0].Values, p.Series[0].Values)
	require.NoError(t, trained.Advance(t.Context(), panel.NewView(later, []int{0}, 0, n+3)))
	assert.NoError(t, result(t, trained, panel.NewView(later, []int{0}, 0, n+3), 4).Err[0])
}
