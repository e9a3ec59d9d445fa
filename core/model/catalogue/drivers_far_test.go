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
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// priced is weekly sales at prices that come and go (elasticity -1.5), as change has the prices and as shown
// has what is loaded of them, with what will be sold but for chance.
func priced(n, h, series int, change, shown func(t int, price float64) float64) (p *panel.Panel, future [][]float64) {
	rnd := rand.New(rand.NewPCG(5, 5))
	var sold, prices [][]float64
	for range series {
		level, usual := 50*math.Exp(rnd.NormFloat64()*0.5), 2+3*rnd.Float64()
		var past, ahead, told []float64
		price := usual
		for t := range n + h {
			if rnd.IntN(9) == 0 {
				price = usual * (0.85 + 0.3*rnd.Float64())
			}
			real := change(t, price)
			expected := level * math.Pow(real/usual, -1.5)
			if chance := math.Exp(0.1 * rnd.NormFloat64()); t < n {
				past = append(past, expected*chance)
			} else {
				ahead = append(ahead, expected)
			}
			told = append(told, shown(t, real))
		}
		sold, future, prices = append(sold, past), append(future, ahead), append(prices, told)
	}
	p = panelOf(weekly, sold)
	p.Drivers = []panel.Driver{{Name: "price", KnownAhead: true}}
	for i := range p.Series {
		p.Series[i].Drivers = [][]float64{prices[i]}
	}
	return p, future
}

// logMiss is the mean and the largest error of the logs of a family's forecasts.
func logMiss(t *testing.T, family string, p *panel.Panel, future [][]float64) (mean, worst float64) {
	t.Helper()
	n, h := p.Length, len(future[0])
	trained, v := trainOn(t, family, nil, p, n-1, h)
	res := result(t, trained, v, h)
	for i, r := range res.Series {
		require.NoError(t, res.Err[i])
		for k, m := range r.Mean {
			miss := math.Abs(math.Log(max(m, 1e-9) / future[i][k]))
			mean, worst = mean+miss/float64(h*len(future)), max(worst, miss)
		}
	}
	return mean, worst
}

// Twice and half the usual price ahead, beyond all that was seen: sales that follow, not none and not a flood.
// A price in cents by mistake, and one in the past, cost what not knowing it would.
func TestPricesBeyondThoseSeen(t *testing.T) {
	t.Parallel()
	const n, h, series = 130, 8, 12
	same := func(_ int, price float64) float64 { return price }
	ahead := func(times float64) func(int, float64) float64 {
		return func(t int, price float64) float64 {
			if t >= n {
				price *= times
			}
			return price
		}
	}
	once := func(t int, price float64) float64 {
		if t == 60 {
			price *= 100
		}
		return price
	}
	for _, family := range []string{"additive", "linear", "boosting", "automatic"} {
		p, future := priced(n, h, series, same, same)
		plain, _ := logMiss(t, family, p, future)
		assert.Less(t, plain, 0.06, family)
		for _, times := range []float64{2, 0.5} {
			p, future = priced(n, h, series, ahead(times), same)
			mean, worst := logMiss(t, family, p, future)
			t.Logf("%s, prices %g times as high: %.3f, at worst %.2f; as they were %.3f", family, times, mean, worst, plain)
			assert.Less(t, mean, 0.2, "%s, prices %g times as high", family, times)
			assert.Less(t, worst, 0.8, "%s, prices %g times as high", family, times)
		}
		p, future = priced(n, h, series, same, ahead(100))
		_, worst := logMiss(t, family, p, future)
		assert.Less(t, worst, 0.9, "%s, prices in cents ahead", family)
		p, future = priced(n, h, series, same, once)
		mean, _ := logMiss(t, family, p, future)
		assert.InDelta(t, plain, mean, 0.015, "%s, one price in cents", family)
	}
}

// Lines through levels do not run below zero at three times the price, neither as a forecast nor as futures,
// and its parts add up to it; a series that has been below zero follows the line.
func TestLinesThroughLevelsEndAboveZero(t *testing.T) {
	t.Parallel()
	const n, h, series = 130, 8, 3
	dear := func(t int, price float64) float64 {
		if t >= n {
			price *= 3
		}
		return price
	}
	same := func(_ int, price float64) float64 { return price }
	for family, settings := range map[string]model.Values{
		"additive": {"parts": "add", "driver-lines": "straight", "seasons": []string{"none"}}, "linear": {"scale": "level"}} {
		p, future := priced(n, h, series, dear, same)
		p.Drivers = append(p.Drivers, panel.Driver{Name: "warmth", KnownAhead: true}) // which stays where it was, and is part of nothing
		for i := range p.Series {
			warmth := make([]float64, n+h)
			for k := range warmth {
				warmth[k] = float64(k * 5 % 11)
			}
			p.Series[i].Drivers = [][]float64{warmth, p.Series[i].Drivers[0]}
		}
		p.Drivers[0], p.Drivers[1] = p.Drivers[1], p.Drivers[0]
		trained, v := trainOn(t, family, settings, p, n-1, h)
		res := result(t, trained, v, h)
		drawn := make([][]float64, series)
		err := trained.(model.Pather).Paths(context.Background(), v, h, 400, func(i int, paths []float64, err error) {
			assert.NoError(t, err)
			drawn[i] = slices.Clone(paths)
		})
		require.NoError(t, err)
		for i, r := range res.Series {
			require.NoError(t, res.Err[i])
			usual := num.MeanSize(p.Series[i].Values)
			parts := trained.Describe(i).Components
			for k, m := range r.Mean {
				assert.Less(t, m, 0.6*usual, "%s: %g where %g is right", family, m, future[i][k])
				assert.Greater(t, m, 0.02*usual, "%s: %g where %g is right", family, m, future[i][k])
				sum, mean := 0.0, 0.0
				for _, part := range parts {
					if sum += part.Ahead[k]; part.Name == "warmth" {
						assert.InDelta(t, 0, part.Ahead[k], 0.1*usual, "%s: what another driver takes", family)
					}
				}
				for path := range 400 {
					mean += drawn[i][path*h+k] / 400
				}
				assert.InDelta(t, m, sum, 0.05*usual, "%s: its parts", family)
				assert.InDelta(t, m, mean, 0.1*usual, "%s: its futures", family)
			}
		}

		p, _ = priced(n, h, series, dear, same)
		for i := range p.Series {
			p.Series[i].Values[3] = -1
		}
		trained, v = trainOn(t, family, settings, p, n-1, h)
		for i, r := range result(t, trained, v, h).Series {
			assert.Less(t, r.Mean[0], 0.0, "%s, series %d", family, i)
		}
	}
}

// Days on which next to nothing is sold have no elasticity to speak of: prices beyond those seen, up or down,
// make their intervals and futures no wider by more than the effect.
func TestNextToNothingStaysNarrow(t *testing.T) {
	t.Parallel()
	const n, h = 280, 14
	for family, settings := range map[string]model.Values{"additive": {"parts": "add"}, "linear": {"scale": "level"}} {
		for _, slope := range []float64{-20, 20} {
			width := func(times float64) (widest, spread float64) {
				rnd := rand.New(rand.NewPCG(9, 9))
				prices, sold := make([]float64, n+h), make([]float64, n)
				for k := range prices {
					if prices[k] = 2 + rnd.Float64(); k >= n {
						prices[k] = 2.5 * times
					}
					if k < n {
						sold[k] = max(0, 0.2*rnd.Float64()) // on Sundays
						if k%7 != 6 {
							sold[k] = 150 + slope*(prices[k]-2.5) + 4*rnd.NormFloat64()
						}
					}
				}
				p := panelOf(calendar.Cadence{Unit: calendar.Day}, [][]float64{sold})
				p.Drivers = []panel.Driver{{Name: "price", KnownAhead: true}}
				p.Series[0].Drivers = [][]float64{prices}
				trained, v := trainOn(t, family, settings, p, n-1, h)
				res := result(t, trained, v, h)
				require.NoError(t, res.Err[0])
				for k := range h {
					low, high := forecast.Interval(res.Series[0].At(k), 95)
					widest = max(widest, high-low)
				}
				err := trained.(model.Pather).Paths(context.Background(), v, h, 400, func(_ int, paths []float64, err error) {
					require.NoError(t, err)
					spread = slices.Max(paths) - slices.Min(paths)
				})
				require.NoError(t, err)
				return widest, spread
			}
			usual, drawn := width(1)
			for _, times := range []float64{0.5, 2} {
				wide, far := width(times)
				assert.Less(t, wide, usual+60, "%s, slope %g, prices %g times as high", family, slope, times)
				assert.Less(t, far, drawn+120, "%s, slope %g, prices %g times as high", family, slope, times)
			}
		}
	}
}
