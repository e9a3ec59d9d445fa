package catalogue_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// A mistake in a history, of three or of ten times what was sold, in the middle or on the last day, moves no family's forecasts to speak of,
// nor makes its intervals much wider; and those that leave it out say so.
func TestAMistakeMovesLittle(t *testing.T) {
	week := []float64{12, 4, -3, -8, -2, 6, -9}
	const n, h = 250, 7
	truth := func(i int) float64 { return 200 + 0.1*float64(i) + week[i%7] }
	forecast := func(family string, at int, mistake float64) (miss, width float64, d model.Description) {
		rnd := rand.New(rand.NewPCG(3, 3))
		values := make([]float64, n)
		for i := range values {
			values[i] = truth(i) + rnd.NormFloat64()
		}
		if mistake > 0 {
			values[at] = mistake
		}
		p := panelOf(calendar.Cadence{Unit: calendar.Day}, [][]float64{values})
		v := panel.NewView(p, all(p), 0, n-1)
		m, _, err := whole().New(family, nil)
		require.NoError(t, err)
		trained, err := m.Train(context.Background(), v, model.Env{Horizon: h, Workers: 2, Random: streams(1)})
		require.NoError(t, err)
		res, err := trained.Forecast(context.Background(), v, h)
		require.NoError(t, err)
		require.NoError(t, res.Err[0])
		for k, x := range res.Series[0].Mean {
			miss += math.Abs(x-truth(n+k)) / h
			q := res.Series[0].At(k)
			width += (q[len(q)-5] - q[4]) / h
		}
		return miss, width, trained.Describe(0)
	}
	for _, family := range []string{"smoothing", "theta", "arima", "decomposition", "additive", "linear", "automatic"} {
		_, width, d := forecast(family, 0, 0)
		assert.Empty(t, d.LeftOut, family)
		for _, at := range []int{200, n - 1} {
			for _, mistake := range []float64{600, 2000} {
				miss, wider, d := forecast(family, at, mistake)
				assert.Less(t, miss, 0.9, "%s, mean error with a %g in period %d", family, mistake, at)
				assert.Less(t, wider, 1.4*width, "%s, width with a %g in period %d", family, mistake, at)
				if assert.Len(t, d.LeftOut, 1, family) {
					assert.Equal(t, at, d.LeftOut[0].From, family)
				}
			}
		}
	}
}
