package catalogue_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// bursts are series of weeks around a level of 100 with errors of mean 0 that are log-normal: their median is 89.5, a tenth is below
// 70 and another above 136. Without a lean they are normal, of the same variance.
func bursts(series, n int, lean bool) [][]float64 {
	out := make([][]float64, series)
	for i := range out {
		rnd := rand.New(rand.NewPCG(11, uint64(i)))
		for range n {
			z := rnd.NormFloat64()
			if lean {
				z = (math.Exp(0.7*z-0.245) - 1) / math.Sqrt(math.Expm1(0.49))
			}
			out[i] = append(out[i], 100+30*z)
		}
	}
	return out
}

// rankedByAbsolute are the forecasts of a family where absolute errors rank them.
func rankedByAbsolute(t *testing.T, family string, p *panel.Panel, h int) []forecast.Rows {
	t.Helper()
	m, _, err := whole().New(family, nil)
	require.NoError(t, err)
	v := panel.NewView(p, all(p), 0, p.Length-1)
	trained, err := m.Train(context.Background(), v, model.Env{Horizon: h, Workers: 2, Random: streams(1), Judge: model.AbsoluteErrors})
	require.NoError(t, err)
	res, err := trained.Forecast(context.Background(), v, h)
	require.NoError(t, err)
	return res.Series
}

// Families that fit each series alone learn from all of them how far errors lean, as far as that is beyond doubt: towards medians
// points move, and the lower end of the 80 % interval does. Errors that do not lean, and those of few series, change next to nothing.
func TestSeriesFittedAloneLearnTogetherHowErrorsLean(t *testing.T) {
	const n, h = 110, 6
	for _, family := range []string{"smoothing", "theta", "arima", "decomposition"} {
		t.Run(family, func(t *testing.T) {
			leaning := bursts(40, n+2000, true)
			past := make([][]float64, len(leaning))
			for i, y := range leaning {
				past[i] = y[:n]
			}
			points, below, above, count := 0.0, 0.0, 0.0, 0.0
			for i, r := range rankedByAbsolute(t, family, panelOf(weekly, past), h) {
				points += r.Mean[h-1] / float64(len(past))
				low, high := forecast.Interval(r.At(h-1), 80)
				for _, y := range leaning[i][n:] {
					count++
					switch {
					case y < low:
						below++
					case y > high:
						above++
					}
				}
			}
			assert.InDelta(t, 89.5, points, 5.5, "more than half way from the mean, which is 100")
			assert.Greater(t, below/count, 0.03, "next to nothing lies under a normal interval")
			assert.InDelta(t, 0.1, above/count, 0.02)

			for name, list := range map[string][][]float64{"few": bursts(5, n, true), "straight": bursts(16, n, false)} {
				means := forecasts(t, family, nil, panelOf(weekly, list), h)
				for i, r := range rankedByAbsolute(t, family, panelOf(weekly, list), h) {
					assert.InDeltaSlice(t, means[i].Mean, r.Mean, 1, name)
				}
			}
		})
	}
}
