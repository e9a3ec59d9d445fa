package catalogue_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/panel"
)

// nasty draws a series of n values that breaks careless methods, with its name.
func nasty(rnd *rand.Rand, n int) (string, []float64) {
	y := make([]float64, n)
	base, noise := math.Exp(rnd.Float64()*6), 0.1*rnd.Float64()
	for i := range y {
		y[i] = base * math.Max(0, 1+noise*rnd.NormFloat64())
	}
	at := rnd.IntN(n)
	set := func(f func(i int) float64) {
		for i := range y {
			y[i] = f(i)
		}
	}
	names := []string{"constant", "one point", "two points", "three points", "huge", "tiny", "ramp", "falling ramp", "spike", "last × 1000",
		"last × 0.001",
		"first × 1000", "step up", "step down", "holes", "a long hole", "stopped", "growing 15 %", "dying out", "zeros", "mostly zeros",
		"alternating", "all but one equal",
		"below zero", "around zero", "sawtooth", "one period high in fifty", "exact line", "exact growth", "counts", "late start"}
	name := names[rnd.IntN(len(names))]
	switch name {
	case "constant":
		set(func(int) float64 { return base })
	case "one point", "two points", "three points":
		keep := map[string]int{"one point": 1, "two points": 2, "three points": 3}[name]
		y = y[n-keep:]
	case "huge":
		set(func(i int) float64 { return 1e12 * y[i] })
	case "tiny":
		set(func(i int) float64 { return 1e-12 * y[i] })
	case "ramp":
		set(func(i int) float64 { return y[i] + base*float64(i) })
	case "falling ramp":
		set(func(i int) float64 { return y[i] - base*float64(i)/10 })
	case "spike":
		y[at] *= 1e4
	case "last × 1000":
		y[n-1] *= 1000
	case "last × 0.001":
		y[n-1] *= 0.001
	case "first × 1000":
		y[0] *= 1000
	case "step up", "step down":
		by := map[string]float64{"step up": 50, "step down": 0.02}[name]
		set(func(i int) float64 { return y[i] * []float64{1, by}[min(1, i/(at+1))] })
	case "holes":
		set(func(i int) float64 { return []float64{y[i], panel.Unknown}[rnd.IntN(2)] })
		y[0], y[n-1] = base, base
	case "a long hole":
		set(func(i int) float64 { return []float64{y[i], panel.Unknown}[min(1, i%(n/2)/(n/4))] })
		y[n-1] = base
	case "stopped":
		set(func(i int) float64 { return []float64{y[i], panel.Unknown}[min(1, i*4/(3*n))] })
	case "growing 15 %", "exact growth":
		set(func(i int) float64 {
			return []float64{base, y[i]}[map[string]int{"growing 15 %": 1, "exact growth": 0}[name]] * math.Exp(0.14*float64(i))
		})
	case "dying out":
		set(func(i int) float64 { return math.Floor(y[i] * math.Exp(-0.1*float64(i))) })
	case "zeros":
		set(func(int) float64 { return 0 })
	case "mostly zeros":
		set(func(i int) float64 { return []float64{y[i], 0, 0, 0, 0}[rnd.IntN(5)] })
	case "alternating":
		set(func(i int) float64 { return y[i] * []float64{1, 100}[i%2] })
	case "all but one equal":
		set(func(i int) float64 { return []float64{base, base * 3}[min(1, max(0, 1-max(i-at, at-i)))] })
	case "below zero":
		set(func(i int) float64 { return -y[i] })
	case "around zero":
		set(func(int) float64 { return base * rnd.NormFloat64() })
	case "sawtooth":
		set(func(i int) float64 { return base * float64(i%7) })
	case "one period high in fifty":
		set(func(i int) float64 { return y[i] * []float64{1, 1000}[min(1, max(0, 1-i%50))] })
	case "exact line":
		set(func(i int) float64 { return base * float64(i) })
	case "counts":
		set(func(int) float64 { return float64(rnd.IntN(3)) })
	case "late start":
		y = y[2*n/3:]
	}
	return name, y
}

// Two hundred nasty series, by every family: what is forecast is finite, in order and no farther
// away than history justifies; what is not says why, and breaks nothing beside it. One wild last
// value does not make what came before it vanish.
func TestTwoHundredNastySeries(t *testing.T) {
	t.Parallel()
	const n, h = 60, 12
	series := 200
	if racing {
		series = 30
	}
	for half, cadence := range []calendar.Cadence{daily, monthly} {
		rnd := rand.New(rand.NewPCG(12, 8))
		p := &panel.Panel{Cadence: cadence, First: 600, Length: n}
		var names []string
		for i := range series {
			name, y := nasty(rnd, n)
			if i%2 != half {
				continue
			}
			names = append(names, name)
			p.Series = append(p.Series, panel.Series{Key: fmt.Sprint(i), First: n - len(y), Values: y})
		}
		for _, family := range own() {
			trained, v := trainOn(t, family, nil, p, n-1, h)
			res := result(t, trained, v, h)
			for i, name := range names {
				where := fmt.Sprintf("%s on series %d, %s, by %s", family, i, name, cadence)
				if err := res.Err[i]; err != nil {
					assert.NotContains(t, err.Error(), "broke down", where)
					continue
				}
				assert.NoError(t, res.Series[i].Check(), where)
				size, low := 0.0, math.Inf(1)
				for _, y := range p.Series[i].Values {
					if panel.Known(y) {
						size, low = math.Max(size, math.Abs(y)), math.Min(low, y)
					}
				}
				for k, m := range res.Series[i].Mean {
					q := res.Series[i].At(k)
					assert.LessOrEqual(t, math.Abs(m), 20*size, "%s: mean of step %d", where, k+1)
					// At 95 %: where one error is all that is known, the outermost quantiles of Student's
					// t know no bounds.
					from, to := forecast.Interval(q, 95)
					assert.LessOrEqual(t, math.Max(math.Abs(from), math.Abs(to)), 60*size, "%s: interval of step %d", where, k+1)
				}
				if name == "last × 1000" {
					assert.Greater(t, res.Series[i].Mean[h-1], 0.3*low, where)
				}
			}
		}
	}
}
