package additive

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// Cheap and dear things whose one price rise moved sales alike, where parts add: a unit of price
// is not the same to them, and what series tell each other must not take the effect away.
func TestPricesOfAllSizesLeanOnEachOther(t *testing.T) {
	const n, h, series = 300, 14, 40
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: n, Drivers: []panel.Driver{{Name: "price", KnownAhead: true}}}
	for i := range series {
		rnd := rand.New(rand.NewPCG(uint64(i), 12))
		size := []float64{3, 60}[i%2]
		price, y := make([]float64, n+h), make([]float64, n)
		for k := range price {
			if price[k] = size; k >= 180 {
				price[k] *= 1.1
			}
		}
		for k := range y {
			y[k] = 100 * math.Pow(price[k]/size, -1.3) * (1 + 0.15*rnd.NormFloat64())
		}
		p.Series = append(p.Series, panel.Series{Key: fmt.Sprint(i), Values: y, Drivers: [][]float64{price}})
	}
	m := Auto()
	m.Parts, m.Level, m.Memory, m.Trend, m.Seasons = "add", wandering, n, "flat", []wish{}
	places := make([]int, series)
	for i := range places {
		places[i] = i
	}
	v := panel.NewView(p, places, 0, n-1)
	env := model.Env{Horizon: h, Workers: 2, Random: func(string) *rand.Rand { return nil }}
	trained, err := single.Together(together{method: m}, single.Everything, single.Bounds{}).Train(context.Background(), v, env)
	require.NoError(t, err)
	before, err := trained.Forecast(context.Background(), v, h)
	require.NoError(t, err)
	for i := range p.Series {
		for k := n; k < n+h; k++ {
			p.Series[i].Drivers[0][k] *= 1.1
		}
	}
	after, err := trained.Forecast(context.Background(), v, h)
	require.NoError(t, err)
	var moved [2]float64
	for i := range series {
		a, b := total(before.Series[i]), total(after.Series[i])
		moved[i%2] += (b/a - 1) / (series / 2)
	}
	t.Logf("cheap %.3f, dear %.3f", moved[0], moved[1])
	for _, v := range moved {
		assert.InDelta(t, math.Pow(1.1, -1.3)-1, v, 0.045)
	}
}

func total(r forecast.Rows) (sum float64) {
	for _, v := range r.Mean {
		sum += v
	}
	return sum
}
