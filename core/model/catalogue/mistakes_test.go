package catalogue_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

const (
	spoiltDays    = 250
	spoiltHorizon = 7
)

// spoilt is what a family makes of days with a week on them, once they were spoilt: the mean error of its
// forecasts, the width of their 95 % intervals, and what it says. The noise has 1.
func spoilt(t *testing.T, family string, spoil func(values []float64)) (miss, width float64, d model.Description) {
	t.Helper()
	week := []float64{12, 4, -3, -8, -2, 6, -9}
	truth := func(i int) float64 { return 200 + 0.1*float64(i) + week[i%7] }
	rnd := rand.New(rand.NewPCG(3, 3))
	values := make([]float64, spoiltDays)
	for i := range values {
		values[i] = truth(i) + rnd.NormFloat64()
	}
	spoil(values)
	p := panelOf(calendar.Cadence{Unit: calendar.Day}, [][]float64{values})
	v := panel.NewView(p, all(p), 0, spoiltDays-1)
	m, _, err := whole().New(family, nil)
	require.NoError(t, err)
	trained, err := m.Train(context.Background(), v, model.Env{Horizon: spoiltHorizon, Workers: 2, Random: streams(1)})
	require.NoError(t, err)
	res, err := trained.Forecast(context.Background(), v, spoiltHorizon)
	require.NoError(t, err)
	require.NoError(t, res.Err[0])
	for k, x := range res.Series[0].Mean {
		miss += math.Abs(x-truth(spoiltDays+k)) / spoiltHorizon
		q := res.Series[0].At(k)
		width += (q[len(q)-5] - q[4]) / spoiltHorizon
	}
	return miss, width, trained.Describe(0)
}

var unmoved = []string{"smoothing", "theta", "arima", "decomposition", "additive", "linear", "pretrained", "automatic"}

// A mistake in a history, of nothing, of three or of ten times what was sold, in the middle or on the last day, moves no
// family's forecasts to speak of, nor makes its intervals much wider; and they say what they left out.
func TestAMistakeMovesLittle(t *testing.T) {
	t.Parallel()
	for _, family := range unmoved {
		_, width, d := spoilt(t, family, func([]float64) {})
		assert.Empty(t, d.LeftOut, family)
		for _, at := range []int{200, spoiltDays - 1} {
			for _, mistake := range []float64{0, 600, 2000} {
				miss, wider, d := spoilt(t, family, func(values []float64) { values[at] = mistake })
				assert.Less(t, miss, 0.9, "%s, mean error with a %g in period %d", family, mistake, at)
				assert.Less(t, wider, 1.4*width, "%s, width with a %g in period %d", family, mistake, at)
				if assert.Len(t, d.LeftOut, 1, family) {
					assert.Equal(t, at, d.LeftOut[0].From, family)
				}
			}
		}
	}
}

// A model that is advanced over a mistake passes over it as one that learns of it in its training does, and says so.
func TestAMistakeAfterTrainingMovesLittle(t *testing.T) {
	t.Parallel()
	const trained, at, end = 230, 240, spoiltDays - 1
	values := make([]float64, spoiltDays)
	rnd := rand.New(rand.NewPCG(4, 4))
	for i := range values {
		values[i] = 200 + []float64{12, 4, -3, -8, -2, 6, -9}[i%7] + rnd.NormFloat64()
	}
	after := func(family string, mistake float64) (model.Result, model.Description) {
		y := append([]float64(nil), values...)
		y[at] = mistake
		p := panelOf(calendar.Cadence{Unit: calendar.Day}, [][]float64{y})
		m, _, err := whole().New(family, nil)
		require.NoError(t, err)
		fit, err := m.Train(context.Background(), panel.NewView(p, all(p), 0, trained),
			model.Env{Horizon: spoiltHorizon, Workers: 2, Random: streams(1)})
		require.NoError(t, err)
		require.NoError(t, fit.Advance(context.Background(), panel.NewView(p, all(p), 0, end)))
		res, err := fit.Forecast(context.Background(), panel.NewView(p, all(p), 0, end), spoiltHorizon)
		require.NoError(t, err)
		return res, fit.Describe(0)
	}
	for _, family := range unmoved {
		unknown, _ := after(family, panel.Unknown)
		mistaken, d := after(family, 2000)
		assert.InDeltaSlice(t, unknown.Series[0].Mean, mistaken.Series[0].Mean, 1e-6, family)
		if assert.NotEmpty(t, d.LeftOut, family) {
			assert.Equal(t, at, d.LeftOut[len(d.LeftOut)-1].From, family)
		}
	}
}

// Networks pass over a mistake on the last day, and over a change of unit, as the others do.
func TestNetworksPassOverMistakes(t *testing.T) {
	t.Parallel()
	_, width, d := spoilt(t, "perceptron", func([]float64) {})
	assert.Empty(t, d.LeftOut)
	miss, wider, d := spoilt(t, "perceptron", func(values []float64) { values[spoiltDays-1] = 2000 })
	assert.Less(t, miss, 0.9)
	assert.Less(t, wider, 1.4*width)
	require.Len(t, d.LeftOut, 1)
	assert.Equal(t, spoiltDays-1, d.LeftOut[0].From)
	miss, _, d = spoilt(t, "perceptron", func(values []float64) {
		for i := range 150 {
			values[i] *= 10
		}
	})
	assert.Less(t, miss, 0.9)
	assert.Contains(t, fmt.Sprint(d.Cautions), "what came before is learnt from")
}

// A strike of a week, ten days before the origin, is passed over; so are zeros in place of what is unknown.
func TestAStrikeMovesLittle(t *testing.T) {
	t.Parallel()
	for _, family := range unmoved {
		miss, _, d := spoilt(t, family, func(values []float64) { clear(values[233:240]) })
		assert.Less(t, miss, 1.0, "%s, mean error after a strike", family)
		if assert.Len(t, d.LeftOut, 1, family) {
			assert.Equal(t, [2]int{233, 239}, [2]int{d.LeftOut[0].From, d.LeftOut[0].To}, family)
		}
		miss, _, _ = spoilt(t, family, func(values []float64) {
			for i := 5; i < len(values); i += 29 {
				values[i] = 0
			}
		})
		assert.Less(t, miss, 1.0, "%s, mean error with zeros now and then", family)
	}
}

// All values before a day were counted in another unit, or the level moved by far: forecasts are as if it had
// always been so, however long ago it was, and a description says what was done.
func TestAChangeOfUnitMovesLittle(t *testing.T) {
	t.Parallel()
	for _, family := range unmoved {
		_, width, _ := spoilt(t, family, func([]float64) {})
		for _, at := range []int{150, 240} {
			for name, earlier := range map[string]func(y float64) float64{
				"in dozens":     func(y float64) float64 { return y / 12 },
				"in tenths":     func(y float64) float64 { return y * 10 },
				"another level": func(y float64) float64 { return y - 170 },
			} {
				miss, wider, d := spoilt(t, family, func(values []float64) {
					for i := range at {
						values[i] = earlier(values[i])
					}
				})
				t.Logf("%-14s %-14s from %d on: mean error %5.2f, width %6.2f of %5.2f", family, name, at, miss, wider, width)
				assert.Less(t, miss, 4.0, "%s, %s from %d on", family, name, at)
				if family != "automatic" { // which tells of what it is made of
					assert.Contains(t, fmt.Sprint(d.Cautions), "what came before is learnt from", family)
				}
			}
		}
	}
}
