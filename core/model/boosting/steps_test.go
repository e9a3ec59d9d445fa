package boosting_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/boosting"
	"paperkettle/core/panel"
)

var ways = []string{"shared", "each", "recursive"}

// One step ahead, all ways to several steps are the same.
func TestOneStepAheadAllWaysAreOne(t *testing.T) {
	p := shops(20, 60, 1)
	var first model.Result
	for k, way := range ways {
		_, _, res := train(t, family(t, model.Values{"steps": way, "from": "additive"}), p, 1)
		if k == 0 {
			first = res
			continue
		}
		for i := range res.Series {
			assert.InEpsilon(t, first.Series[i].Mean[0], res.Series[i].Mean[0], 1e-6, "%s, series %d", way, i)
		}
	}
}

// What no sum of effects says is learnt at every step, whichever way steps are forecast.
func TestEveryWayLearnsInteractions(t *testing.T) {
	const n, length, ahead = 40, 110, 4
	p := shops(n, length, ahead)
	for i := range n { // every future week has a promotion at the low price
		for h := range ahead {
			p.Series[i].Drivers[0][length+h], p.Series[i].Drivers[1][length+h] = 2, 1
		}
	}
	for _, way := range ways {
		trained, _, res := train(t, family(t, model.Values{"steps": way, "from": "additive"}), p, ahead)
		for h := range ahead {
			var inland, coast []float64
			for i := range n {
				ratio := res.Series[i].Mean[h] / plainLevel(p.Series[i])
				if i%2 == 1 {
					inland = append(inland, ratio)
				} else {
					coast = append(coast, ratio)
				}
			}
			assert.InDelta(t, 2, mean(inland), 0.25, "%s, step %d", way, h+1)
			assert.InDelta(t, 1, mean(coast), 0.1, "%s, step %d", way, h+1)
		}
		d := trained.Describe(1)
		for h, want := range res.Series[1].Mean {
			sum := 0.0
			for _, r := range d.Reasons {
				sum += r.Steps[h]
			}
			assert.InDelta(t, want, sum, 1e-6*want, "reasons of %s, step %d", way, h+1)
		}
		words := map[string]string{"shared": "trees", "each": "trees of 4 steps", "recursive": "trees, which go on from the next step"}
		assert.Contains(t, d.Form, words[way])
	}
}

// plainLevel is the mean of the weeks without a promotion.
func plainLevel(s panel.Series) float64 {
	var of []float64
	for k, v := range s.Values {
		if s.Drivers[1][k] == 0 {
			of = append(of, v)
		}
	}
	return mean(of)
}

// What comes after the origin changes nothing, above all where trees go on from their own forecasts.
func TestNoWayLooksAhead(t *testing.T) {
	for _, way := range ways {
		for _, widths := range []string{"errors", "quantiles"} {
			given := model.Values{"steps": way, "intervals": widths, "from": "additive", "trees": 30}
			p, other := shops(12, 60, 4), shops(12, 60, 4)
			for i := range other.Series {
				for k := 40; k < 60; k++ {
					other.Series[i].Values[k] = 1e4 * float64(k%3)
				}
			}
			var got [2]model.Result
			for k, q := range []*panel.Panel{p, other} {
				v := panel.NewView(q, all(q), 0, 39)
				env := model.Env{Horizon: 4, Workers: 1 + k, Random: func(string) *rand.Rand { return rand.New(rand.NewPCG(1, 7)) }}
				trained, err := family(t, given).Train(context.Background(), v, env)
				require.NoError(t, err)
				got[k], err = trained.Forecast(context.Background(), v, 4)
				require.NoError(t, err)
			}
			assert.Equal(t, got[0], got[1], "%s, %s: a scrambled future, and two workers", way, widths)
		}
	}
}

// What was kept forecasts and describes the same when it is read.
func TestEveryWayIsReadBack(t *testing.T) {
	p := shops(12, 70, 4)
	f, err := boosting.Families().Find("boosting")
	require.NoError(t, err)
	for _, way := range ways {
		trained, v, want := train(t, family(t, model.Values{"steps": way, "intervals": "quantiles", "trees": 40}), p, 4)
		kept, err := model.Write(trained)
		require.NoError(t, err)
		read, err := f.Read(kept)
		require.NoError(t, err)
		got, err := read.Forecast(context.Background(), v, 4)
		require.NoError(t, err)
		assert.Equal(t, want, got, way)
		assert.Equal(t, model.Brief(trained, 3), model.Brief(read, 3))
	}
}

// Weeks with a promotion are four times as uncertain as others: quantile trees see it, and their intervals
// hold what they promise in both kinds of weeks.
func TestQuantileTreesSeeWhereItIsUncertain(t *testing.T) {
	const n, length, ahead = 60, 130, 8
	rnd := rand.New(rand.NewPCG(5, 6))
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week}, Length: length, Drivers: []panel.Driver{{Name: "promotion", KnownAhead: true}}}
	future := make([][]float64, n)
	for i := range n {
		promo := make([]float64, length+ahead)
		s := panel.Series{Key: fmt.Sprint(i), Drivers: [][]float64{promo}}
		for k := range promo {
			promo[k] = float64(rnd.IntN(2))
			y := 200 + 10*(1+3*promo[k])*rnd.NormFloat64()
			if k < length {
				s.Values = append(s.Values, y)
			} else {
				future[i] = append(future[i], y)
			}
		}
		p.Series = append(p.Series, s)
	}
	for _, widths := range []string{"errors", "quantiles"} {
		_, _, res := train(t, family(t, model.Values{"intervals": widths, "from": "additive"}), p, ahead)
		var width, inside, count [2]float64
		for i, rows := range res.Series {
			for h := range ahead {
				low, high := forecast.Interval(rows.At(h), 80)
				kind := int(p.Series[i].Drivers[0][length+h])
				width[kind], count[kind] = width[kind]+high-low, count[kind]+1
				if y := future[i][h]; y >= low && y <= high {
					inside[kind]++
				}
				assert.True(t, slices.IsSorted(rows.At(h)))
			}
		}
		ratio := width[1] / count[1] / (width[0] / count[0])
		if widths == "errors" {
			assert.Less(t, ratio, 1.5, "the base's own width hardly differs")
			continue
		}
		assert.Greater(t, ratio, 2.5)
		for kind := range count {
			assert.InDelta(t, 0.8, inside[kind]/count[kind], 0.1, "promotion %d", kind)
		}
		assert.InEpsilon(t, 2*1.2816*10, width[0]/count[0], 0.35)
	}
}

// Going on from own forecasts, a driver's sign can't be kept: it is refused.
func TestSignsAskForDirectSteps(t *testing.T) {
	p := shops(4, 60, 2)
	f, err := boosting.Families().Find("boosting")
	require.NoError(t, err)
	v := panel.NewView(p, all(p), 0, p.Length-1)
	err = f.Suits(model.Values{"signs": []string{"price negative"}, "steps": "recursive"}, v, 2)
	assert.ErrorContains(t, err, "set steps to shared or each")
	assert.NoError(t, f.Suits(model.Values{"signs": []string{"price negative"}, "steps": "each"}, v, 2))
}
