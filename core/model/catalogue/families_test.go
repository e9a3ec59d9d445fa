package catalogue_test

import (
	"context"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// own lists the families that make their own forecasts.
func own() (out []string) {
	for _, f := range whole() {
		if f.Combine == nil {
			out = append(out, f.Name)
		}
	}
	return out
}

// brief are settings under which trees and networks, whose training is long, are few and small.
var brief = map[string]model.Values{"boosting": {"trees": 50}, "perceptron": {"passes": 1, "units": 8, "members": 1},
	"recurrent": {"passes": 1, "units": 8, "members": 2, "window": 8}}

func trainOn(t testing.TB, family string, settings model.Values, p *panel.Panel, origin, h int) (model.Trained, panel.View) {
	t.Helper()
	if settings == nil {
		settings = brief[family]
	}
	m, _, err := whole().New(family, settings)
	require.NoError(t, err)
	v := panel.NewView(p, all(p), 0, origin)
	trained, err := m.Train(context.Background(), v, model.Env{Horizon: h, Workers: 1, Random: streams(3)})
	require.NoError(t, err)
	return trained, v
}

func result(t testing.TB, trained model.Trained, v panel.View, h int) model.Result {
	t.Helper()
	res, err := trained.Forecast(context.Background(), v, h)
	require.NoError(t, err)
	return res
}

// hard are series that break careless methods.
func hard(n int) map[string][]float64 {
	rnd := rand.New(rand.NewPCG(8, 8))
	make_ := func(f func(i int) float64) []float64 {
		out := make([]float64, n)
		for i := range out {
			out[i] = f(i)
		}
		return out
	}
	u := panel.Unknown
	return map[string][]float64{
		"constant":     make_(func(int) float64 { return 7 }),
		"zero":         make_(func(int) float64 { return 0 }),
		"one point":    {3},
		"three points": {3, 5, 4},
		"huge":         make_(func(i int) float64 { return 1e12 * (1 + 0.1*rnd.NormFloat64()) }),
		"tiny":         make_(func(i int) float64 { return 1e-9 * (1 + 0.1*rnd.NormFloat64()) }),
		"a step":       make_(func(i int) float64 { return []float64{10, 100}[i/((n+1)/2)] }),
		"two known": make_(func(i int) float64 {
			return map[int]float64{2: 5, n - 1: 8}[i] + map[bool]float64{true: 0, false: u}[i == 2 || i == n-1]
		}),
		"stopped":       make_(func(i int) float64 { return map[bool]float64{true: 10 + rnd.NormFloat64(), false: u}[i < n-n/3] }),
		"gaps":          make_(func(i int) float64 { return map[bool]float64{true: 10 + rnd.NormFloat64(), false: u}[i%5 != 2] }),
		"mostly zero":   make_(func(i int) float64 { return math.Max(0, math.Floor(3*rnd.NormFloat64()-2)) }),
		"falling below": make_(func(i int) float64 { return 5 - float64(i) }),
		"exact season":  make_(func(i int) float64 { return float64(i % 7) }),
		"exact line":    make_(func(i int) float64 { return float64(i) }),
		"one spike":     make_(func(i int) float64 { return map[bool]float64{true: 1e6, false: 1}[i == n/2] }),
		"explosive":     make_(func(i int) float64 { return math.Exp(0.2 * float64(i)) }),
	}
}

// Each family forecasts what is hard, or says why not; it describes what it did, and what
// stands beside is as it would be alone.
func TestHardSeries(t *testing.T) {
	t.Parallel()
	const h = 12
	for _, c := range []calendar.Cadence{daily, monthly, {Unit: calendar.Year}} {
		series := hard(60)
		var names []string
		var values [][]float64
		for name, y := range series {
			names, values = append(names, name), append(values, y)
		}
		for _, family := range own() {
			if strings.HasPrefix(family, "calendar-") && c.Unit == calendar.Year {
				continue
			}
			p := &panel.Panel{Cadence: c, First: 20, Length: 60}
			for i, y := range values { // all end together
				p.Series = append(p.Series, panel.Series{Key: names[i], First: 60 - len(y), Values: y})
			}
			trained, v := trainOn(t, family, nil, p, 59, h)
			res := result(t, trained, v, h)
			for i, name := range names {
				if err := res.Err[i]; err != nil {
					assert.NotContains(t, err.Error(), "broke down", "%s on %s by %s", family, name, c)
					assert.Contains(t, []string{"one point", "zero", "falling below"}, name, "%s by %s: %v", family, c, err)
					continue
				}
				require.NoError(t, res.Series[i].Check(), "%s on %s by %s", family, name, c)
				d := trained.Describe(i)
				assert.NotEmpty(t, d.Form, "%s on %s", family, name)
				top, size := 0.0, 0.0
				for _, y := range values[i] {
					if y == y {
						size = math.Max(size, math.Abs(y))
					}
				}
				for _, f := range res.Series[i].Mean {
					top = math.Max(top, math.Abs(f))
				}
				assert.LessOrEqual(t, top, 20*size, "%s on %s by %s runs away", family, name, c)
				for _, part := range d.Components {
					assert.Len(t, part.Ahead, h, "%s on %s: %s", family, name, part.Name)
				}
				if name == "stopped" && !isBaseline(family) {
					assert.NotEmpty(t, d.Cautions, "%s on %s", family, name)
				}
			}
		}
	}
}

func isBaseline(family string) bool {
	switch family {
	case "naive", "seasonal-naive", "drift", "mean", "moving-average", "calendar-mean", "calendar-median":
		return true
	}
	return false
}

// noisy makes seasonal series with a trend; some with zeros, some with gaps.
func noisy(series, n, m int) *panel.Panel {
	var values [][]float64
	for i := range series {
		rnd := rand.New(rand.NewPCG(uint64(i), 4))
		y := make([]float64, n)
		level := 50.0
		for k := range y {
			level += rnd.NormFloat64()
			y[k] = math.Max(0, math.Round(level*(1+0.3*math.Sin(2*math.Pi*float64(k)/float64(m)))+4*rnd.NormFloat64()))
			if i%3 == 1 && rnd.IntN(3) > 0 {
				y[k] = 0
			}
			if i%3 == 2 && rnd.IntN(9) == 0 && k > 0 {
				y[k] = panel.Unknown
			}
		}
		values = append(values, y)
	}
	return panelOf(monthly, values)
}

// Advancing step by step or at once comes to the same; so does writing and reading in
// between; and forecasts scale with the data.
func TestAdvanceWriteAndScale(t *testing.T) {
	t.Parallel()
	const n, h = 84, 6
	p := noisy(6, n, 12)
	large := noisy(6, n, 12)
	for i := range large.Series {
		for k := range large.Series[i].Values {
			large.Series[i].Values[k] *= 4096
		}
	}
	for _, family := range own() {
		f, err := whole().Find(family)
		require.NoError(t, err)
		once, _ := trainOn(t, family, nil, p, n-10, h)
		steps, _ := trainOn(t, family, nil, p, n-10, h)
		end := panel.NewView(p, all(p), 0, n-1)
		require.NoError(t, once.Advance(context.Background(), end))
		for k := n - 9; k < n; k++ {
			require.NoError(t, steps.Advance(context.Background(), panel.NewView(p, all(p), 0, k)))
			if k == n-5 {
				b, err := model.Write(steps)
				require.NoError(t, err, family)
				steps, err = f.Read(b)
				require.NoError(t, err, family)
			}
		}
		a, b := result(t, once, end, h), result(t, steps, end, h)
		for i := range a.Series {
			assert.NoError(t, a.Err[i], family)
			assert.InDeltaSlice(t, a.Series[i].Mean, b.Series[i].Mean, 1e-6, "%s, series %d", family, i)
			assert.InDeltaSlice(t, a.Series[i].Quantiles, b.Series[i].Quantiles, 1e-6, "%s, series %d", family, i)
		}
		if family == "intermittent" || family == "automatic" || family == "boosting" { // counts do not scale, and these choose by them
			continue
		}
		small, v := trainOn(t, family, nil, p, n-1, h)
		big, w := trainOn(t, family, nil, large, n-1, h)
		x, y := result(t, small, v, h), result(t, big, w, h)
		for i := range x.Series {
			for k, m := range x.Series[i].Mean {
				assert.InEpsilon(t, 4096*m+1, y.Series[i].Mean[k]+1, 1e-3, "%s, series %d", family, i)
			}
		}
	}
}

// Over unknown values at the end the forecast goes on: its first step is then the one that
// lay as far ahead before, as wide at least.
func TestUnknownValuesAtTheEnd(t *testing.T) {
	t.Parallel()
	const n, h, quiet = 84, 6, 3
	p := noisy(3, n, 12)
	p.Series[1].Values, p.Series[2].Values = p.Series[0].Values, p.Series[0].Values
	silent := noisy(3, n+quiet, 12)
	for i := range silent.Series {
		copy(silent.Series[i].Values, p.Series[0].Values)
		for k := n; k < n+quiet; k++ {
			silent.Series[i].Values[k] = panel.Unknown
		}
	}
	for _, family := range own() {
		if isBaseline(family) || family == "intermittent" {
			continue
		}
		trained, v := trainOn(t, family, nil, p, n-1, h+quiet)
		before := result(t, trained, v, h+quiet).Series[0]
		later := panel.NewView(silent, all(silent), 0, n+quiet-1)
		require.NoError(t, trained.Advance(t.Context(), later))
		after := result(t, trained, later, h).Series[0]
		assert.InDeltaSlice(t, before.Mean[quiet:], after.Mean, 1e-6, family)
		for k := range h {
			low, high := forecast.Interval(before.At(k+quiet), 80)
			nowLow, nowHigh := forecast.Interval(after.At(k), 80)
			assert.InEpsilon(t, high-low, nowHigh-nowLow, 0.1, "%s, step %d", family, k+1)
		}
	}
}

// Random series, short and long, with zeros, gaps, ties and outliers: no panic, nothing
// but finite numbers, quantiles in order.
func FuzzFamilies(f *testing.F) {
	f.Add(uint64(1), uint8(40), uint8(0))
	f.Add(uint64(2), uint8(9), uint8(1))
	f.Add(uint64(3), uint8(250), uint8(2))
	f.Fuzz(randomSeries)
}

func randomSeries(t *testing.T, seed uint64, length, kind uint8) {
	{
		rnd := rand.New(rand.NewPCG(seed, 1))
		y := make([]float64, int(length)+2)
		scale := math.Pow(10, float64(rnd.IntN(13)-6))
		gaps, zeros, jumps := rnd.Float64()*0.5, rnd.Float64()*rnd.Float64(), rnd.Float64()*0.1
		level := 10.0
		for i := range y {
			if level += rnd.NormFloat64(); rnd.Float64() < jumps {
				level *= 10 * rnd.NormFloat64()
			}
			y[i] = scale * level * (1 + 0.5*math.Sin(2*math.Pi*float64(i)/7))
			if rnd.Float64() < zeros {
				y[i] = 0
			}
			if rnd.IntN(4) == 0 {
				y[i] = math.Round(y[i])
			}
			if rnd.Float64() < gaps && i > 0 {
				y[i] = panel.Unknown
			}
		}
		c := []calendar.Cadence{daily, weekly, monthly, {Unit: calendar.Hour}, {Unit: calendar.Quarter}, {Unit: calendar.Number}}[kind%6]
		p := panelOf(c, [][]float64{y})
		for _, family := range own() {
			if isBaseline(family) {
				continue
			}
			trained, v := trainOn(t, family, nil, p, max(1, len(y)-4), 9)
			if panel.CountKnown(y[:max(2, len(y)-3)]) < 2 {
				continue
			}
			res := result(t, trained, v, 9)
			if err := res.Err[0]; err != nil {
				assert.NotContains(t, err.Error(), "broke down", family)
				assert.NotContains(t, err.Error(), "not finite", family)
				continue
			}
			trained.Describe(0)
			later := panel.NewView(p, all(p), 0, len(y)-1)
			require.NoError(t, trained.Advance(context.Background(), later))
			res = result(t, trained, later, 9)
			if err := res.Err[0]; err != nil {
				assert.NotContains(t, err.Error(), "broke down", family)
				assert.NotContains(t, err.Error(), "not finite", family)
			}
		}
	}
}

// Whole numbers and bounds are kept to where they are asked for.
func TestBounds(t *testing.T) {
	t.Parallel()
	p := noisy(3, 60, 12)
	for _, family := range own() {
		if isBaseline(family) {
			continue
		}
		trained, v := trainOn(t, family, model.Values{"lowest": 20, "whole": true}, p, 59, 6)
		for _, r := range result(t, trained, v, 6).Series {
			for h, m := range r.Mean {
				assert.GreaterOrEqual(t, m, 20.0, family)
				for _, q := range r.At(h) {
					assert.Equal(t, math.Round(q), q, family)
				}
				low, _ := forecast.Interval(r.At(h), 95)
				assert.GreaterOrEqual(t, low, 20.0, family)
			}
		}
	}
}
