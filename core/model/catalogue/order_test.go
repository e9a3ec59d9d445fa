package catalogue_test

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// The order in which series come changes nothing, also where their first values come after most lags would like to begin.
func TestTheOrderOfSeriesDoesNotMatter(t *testing.T) {
	rnd := rand.New(rand.NewPCG(12, 5))
	var values [][]float64
	for i := range 7 {
		var y []float64
		away := 0.0
		for m := range 60 {
			away = 0.6*away + 0.1*rnd.NormFloat64()
			y = append(y, 50*float64(1+i)*(1+away+0.05*math.Sin(float64(m+i)*math.Pi/6)))
		}
		values = append(values, y)
	}
	forecasts := func(family string, values [][]float64) (out [][]float64) {
		m, _, err := whole().New(family, nil)
		require.NoError(t, err)
		p := panelOf(calendar.Cadence{Unit: calendar.Month}, values)
		v := panel.NewView(p, all(p), 0, p.Length-1)
		trained, err := m.Train(context.Background(), v, model.Env{Horizon: 12, Workers: 2, Random: streams(1)})
		require.NoError(t, err)
		res, err := trained.Forecast(context.Background(), v, 12)
		require.NoError(t, err)
		for _, s := range res.Series {
			out = append(out, s.Mean)
		}
		return out
	}
	for _, family := range []string{"linear", "additive", "theta", "arima"} {
		once := forecasts(family, values)
		turned := slices.Clone(values)
		slices.Reverse(turned)
		again := forecasts(family, turned)
		slices.Reverse(again)
		for i := range once {
			for h, v := range once[i] {
				assert.InEpsilon(t, v, again[i][h], 1e-5, "%s, series %d, step %d", family, i, h+1)
			}
		}
	}
}
