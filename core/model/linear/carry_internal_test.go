package linear

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/panel"
)

func TestCarryTakesTheMeanOfTheLastKnownValues(t *testing.T) {
	u := panel.Unknown
	values := []float64{u, u, 3, u, 5, 7, u, u, 9, 11, 13, u}
	past := make([]float64, len(values))
	carry(past, values)
	assert.True(t, math.IsNaN(past[0]) && math.IsNaN(past[1]), "nothing was known yet")
	assert.Equal(t, []float64{3, 3, 5, 7, 5, 5, 9, 11, 13, 11}, past[2:])
	carry(values, values)
	assert.Equal(t, past[2:], values[2:], "in place")
}

// A walk that has left its usual level is forecast where it is, however much of the last week is unknown: what is
// not known is not read as the usual.
func TestHolesDoNotPullToTheUsualLevel(t *testing.T) {
	const n, sigma, walks = 200, 1.0, 12
	for _, steps := range []string{"direct", "recursive"} {
		squares := 0.0
		for seed := range uint64(walks) {
			rnd := rand.New(rand.NewPCG(seed, 8))
			y := make([]float64, n)
			at := 100.0
			for i := range y {
				drift := 0.0
				if i > n-30 {
					drift = 1.5 // far off all it was
				}
				at += drift + sigma*rnd.NormFloat64()
				y[i] = at
				if rnd.Float64() < 0.3 || i > n-8 && i%2 == 0 {
					y[i] = panel.Unknown
				}
			}
			y[n-1] = at
			v, list := inputs(1, [][]float64{y})
			states, err := method(steps, "lag 1 to 4").fit(context.Background(), v.Pick(nil), list, 1)
			require.NoError(t, err)
			e := forecastOf(t, states[0], 1).Mean[0] - at
			squares += e * e / walks
		}
		t.Logf("%s steps: %.2f", steps, math.Sqrt(squares))
		assert.Less(t, math.Sqrt(squares), 4*sigma, "%s steps", steps)
	}
}
