package linear

import (
	"context"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/feature"
)

// A price that rose once while sales grew did not make them grow: what it did take is told beside the growth. Where the price
// moves about, the line changes little.
func TestAPriceThatRoseOnceIsNoGrowth(t *testing.T) {
	const series, n = 20, 60
	for _, once := range []bool{true, false} {
		var values, prices [][]float64
		for i := range series {
			rnd := rand.New(rand.NewPCG(uint64(i), 23))
			price, y := make([]float64, n+3), make([]float64, n)
			for k := range price {
				if price[k] = 10; once && k >= n/2+i%5 || !once && rnd.IntN(2) == 0 {
					price[k] = 11
				}
			}
			for k := range y {
				y[k] = 100 + 0.5*float64(k) - 5*(price[k]-10) + 2*rnd.NormFloat64()
			}
			values, prices = append(values, y), append(prices, price)
		}
		v, list := inputs(3, values, prices)
		states, err := method("direct", "lag 1", "driver price").fit(context.Background(), v, list, 2)
		require.NoError(t, err)
		at := slices.IndexFunc(states[0].Pool.Ahead.Columns, func(c feature.Column) bool { return c.IsDriver() })
		for i, s := range states {
			assert.InDelta(t, -5, s.Outside.Beta[at]*s.Scale.Size, 1.5, "once %v, series %d", once, i)
		}
	}
}
