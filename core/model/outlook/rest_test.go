package outlook_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/additive"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/smoothing"
	"paperkettle/core/panel"
)

// promoted is weeks of three series about 100 that a promotion raises by 40, in one week of six; the third step ahead
// has one. The last series' drivers end with its values.
func promoted(n, h int) *panel.Panel {
	rnd := rand.New(rand.NewPCG(1, 2))
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week, WeekStart: 1}, First: 2500, Length: n,
		Drivers: []panel.Driver{{Name: "promotion", KnownAhead: true}}}
	for i, key := range []string{"a", "b", "c"} {
		values, driver := make([]float64, n), make([]float64, n+h)
		for t := range driver {
			if t < n && rnd.IntN(6) == 0 || t == n+2 {
				driver[t] = 1
			}
			if t < n {
				values[t] = 100 + 40*driver[t] + 3*rnd.NormFloat64()
			}
		}
		if i == 2 {
			driver = driver[:n]
		}
		p.Series = append(p.Series, panel.Series{Key: key, Values: values, Drivers: [][]float64{driver}})
	}
	return p
}

func TestOnRest(t *testing.T) {
	const n, h = 120, 4
	p := promoted(n, h)
	v := panel.NewView(p, []int{0, 1, 2}, 0, n-1)
	f := outlook.OnRest(smoothing.Families()[0], "explained")
	assert.Equal(t, "explained", f.Name)
	m, err := f.New(nil)
	require.NoError(t, err)
	env := model.Env{Horizon: h, Workers: 2, Random: func(string) *rand.Rand { return rand.New(rand.NewPCG(3, 4)) }}
	trained, err := m.Train(t.Context(), v, env)
	require.NoError(t, err)
	res, err := trained.Forecast(t.Context(), v, h)
	require.NoError(t, err)
	for i, rows := range res.Series[:2] {
		require.NoError(t, res.Err[i])
		assert.InDelta(t, 100, rows.Mean[1], 4, "what it brought before is no part of the level")
		assert.InDelta(t, 140, rows.Mean[2], 6)
		assert.InDelta(t, 40, rows.At(2)[0]-rows.At(1)[0], 6, "the whole interval moves")
	}
	assert.Contains(t, trained.Describe(0).Form, "on what drivers and events leave")
	assert.NotEmpty(t, trained.Describe(0).Effects)

	lacking, err := trained.Forecast(t.Context(), v.WithFillings(panel.Fillings{"promotion": {Rule: panel.FillRefuse}}), h)
	require.NoError(t, err)
	assert.NoError(t, lacking.Err[0])
	assert.Error(t, lacking.Err[2], "what it brings ahead is not known, and spoils no neighbour")

	b, err := model.Write(trained)
	require.NoError(t, err)
	read, err := f.Read(b)
	require.NoError(t, err)
	require.NoError(t, read.Advance(t.Context(), v))
	again, err := read.Forecast(t.Context(), v, h)
	require.NoError(t, err)
	assert.Equal(t, res, again)
	one, err := read.(interface {
		ForecastOne(v panel.View, i, horizon int) (forecast.Rows, error)
	}).ForecastOne(v, 1, h)
	require.NoError(t, err)
	assert.Equal(t, res.Series[1], one)

	draw := func(f model.Family, each func(i int, paths []float64, err error)) {
		m, err := outlook.OnRest(f, "explained").New(nil)
		require.NoError(t, err)
		trained, err := m.Train(t.Context(), v, env)
		require.NoError(t, err)
		require.NoError(t, trained.(model.Pather).Paths(t.Context(), v, h, 400, each))
	}
	draw(smoothing.Families()[0], func(_ int, _ []float64, err error) { assert.ErrorIs(t, err, model.ErrNoPaths) })
	var means [h]float64
	draw(additive.Families()[0], func(i int, paths []float64, err error) {
		for k, y := range paths {
			if i == 0 && assert.NoError(t, err) {
				means[k%h] += y / 400
			}
		}
	})
	for k, mean := range means {
		assert.InDelta(t, res.Series[0].Mean[k], mean, 3, "futures have a promotion where the forecast has")
	}
}
