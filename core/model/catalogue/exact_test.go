package catalogue_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/calendar"
)

// The small exact cases that a forecaster tries first: automatic must see what anyone sees.
func TestSmallExactCases(t *testing.T) {
	t.Parallel()
	rnd := rand.New(rand.NewPCG(3, 14))
	line := func(n int, f func(i int) float64) []float64 {
		out := make([]float64, n)
		for i := range out {
			out[i] = f(i)
		}
		return out
	}
	var growing [][]float64
	for range 12 {
		start := 50 + 100*rnd.Float64()
		growing = append(growing, line(60, func(i int) float64 {
			return start * math.Pow(1.3, float64(i)/12) * math.Exp(0.02*rnd.NormFloat64())
		}))
	}
	cases := []struct {
		name    string
		cadence calendar.Cadence
		series  [][]float64
		h       int
		goal    float64
	}{
		{"2, 3, ... 13 by day", daily, [][]float64{line(15, func(i int) float64 { return float64(2 + i) })}, 3, 0.005},
		{"30 % a year", monthly, growing, 12, 0.03},
		{"a cycle of 20 days", daily, [][]float64{line(710, func(i int) float64 { return 100 + 40*math.Sin(2*math.Pi*float64(i)/20) })}, 40, 0.02},
		{"10, then 100", monthly, [][]float64{line(48, func(i int) float64 {
			level := 10.0
			if i >= 24 {
				level = 100
			}
			return level + rnd.NormFloat64()
		})}, 6, 0.05},
		{"10, then 100, six months", monthly, [][]float64{line(36, func(i int) float64 {
			level := 10.0
			if i >= 24 {
				level = 100
			}
			return level + rnd.NormFloat64()
		})}, 6, 0.03},
		{"an exact sawtooth of 12", monthly, [][]float64{line(42, func(i int) float64 { return float64(10 + i%12) })}, 6, 0.02},
		{"level, then + 8 a month", monthly, [][]float64{line(48,
			func(i int) float64 { return 100 + 8*math.Max(0, float64(i-24)) + 2*rnd.NormFloat64() })}, 6, 0.05},
	}
	for _, c := range cases {
		for _, family := range []string{"automatic", "smoothing", "theta", "arima", "decomposition", "additive", "linear"} {
			n := len(c.series[0]) - c.h
			p := panelOf(c.cadence, c.series)
			trained, v := trainOn(t, family, nil, p, n-1, c.h)
			res := result(t, trained, v, c.h)
			missed, size := 0.0, 0.0
			for i, r := range res.Series {
				if !assert.NoError(t, res.Err[i], c.name) {
					continue
				}
				for k, m := range r.Mean {
					missed += math.Abs(m - c.series[i][n+k])
					size += math.Abs(c.series[i][n+k])
				}
			}
			t.Logf("%-28s %-14s WAPE %.4f", c.name, family, missed/size)
			if family == "automatic" {
				assert.LessOrEqual(t, missed/size, c.goal, c.name)
			}
		}
	}
}
