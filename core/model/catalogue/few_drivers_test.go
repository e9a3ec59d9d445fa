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
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
)

// pricedShops are a few weeks of shops whose prices lie on levels of their own, each with sales that fall as its price rises.
func pricedShops(shops, known, ahead int) *panel.Panel {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week}, First: 2600, Length: known, Measure: "sales",
		Drivers: []panel.Driver{{Name: "price", KnownAhead: true}}}
	for i := range shops {
		rnd := rand.New(rand.NewPCG(uint64(i), 4))
		usual, size := 1+4*rnd.Float64(), math.Exp(4+rnd.NormFloat64())
		var price, y []float64
		for range known + ahead {
			price = append(price, usual*math.Exp(0.15*rnd.NormFloat64()))
			y = append(y, size*math.Exp(-2*math.Log(price[len(price)-1]/usual)+0.1*rnd.NormFloat64()))
		}
		p.Series = append(p.Series, panel.Series{Key: fmt.Sprint("shop ", i), Values: y, Drivers: [][]float64{price}})
	}
	return p
}

// Of few values and a driver a series' level is its own, wherever its driver lies: no family that reads drivers is far
// off, and each is far better than the last value.
func TestFewValuesAndADriver(t *testing.T) {
	const ahead = 4
	for _, known := range []int{7, 9, 12} {
		p := pricedShops(30, known, ahead)
		future := make([][]float64, len(p.Series))
		places := make([]int, len(p.Series))
		for i := range p.Series {
			places[i] = i
			future[i] = p.Series[i].Values[known:]
			p.Series[i].Values = p.Series[i].Values[:known]
		}
		v := panel.NewView(p, places, 0, known-1).WithAhead(nil, ahead)
		miss := func(name string) float64 {
			m, _, err := catalogue.Standard().New(name, nil)
			require.NoError(t, err)
			trained, err := m.Train(context.Background(), v, model.Env{Horizon: ahead, Workers: 2, Random: streams(1)})
			require.NoError(t, err)
			res, err := trained.Forecast(context.Background(), v, ahead)
			require.NoError(t, err)
			sum := 0.0
			for i, rows := range res.Series {
				require.NoError(t, res.Err[i])
				for h, f := range rows.Mean {
					sum += math.Abs(f-future[i][h]) / future[i][h] / float64(ahead*len(future))
				}
			}
			return sum
		}
		naive := miss("naive")
		for _, name := range []string{"linear", "additive", "boosting", "automatic"} {
			got := miss(name)
			t.Logf("%d weeks: %s %.3f, the last value %.3f", known, name, got, naive)
			assert.Less(t, got, 0.6*naive, "%s of %d weeks", name, known)
		}
	}
}
