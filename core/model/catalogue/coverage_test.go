package catalogue_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/forecast"
)

// walk makes a random walk.
func walk(sigma float64) func(*rand.Rand, int, int) (past, oracle, future []float64) {
	return func(rnd *rand.Rand, n, h int) (past, oracle, future []float64) {
		level := 100.0
		for i := range n + h {
			level += sigma * rnd.NormFloat64()
			if i < n {
				past = append(past, level)
			} else {
				oracle, future = append(oracle, past[n-1]), append(future, level)
			}
		}
		return past, oracle, future
	}
}

// localTrend makes a level whose slope walks, under noise.
func localTrend(rnd *rand.Rand, n, h int) (past, oracle, future []float64) {
	level, slope := 100.0, 0.5
	for i := range n + h {
		level += slope + rnd.NormFloat64()
		slope += 0.3 * rnd.NormFloat64()
		y := level + 2*rnd.NormFloat64()
		if i < n {
			past = append(past, y)
		} else {
			oracle, future = append(oracle, level), append(future, y)
		}
	}
	return past, oracle, future
}

// alone marks a family that learns from all series, and gets one.
const alone = "one series alone: "

// Intervals of short series hold about as often as they say where a model, for all its
// likelihood, thinks too well of itself: one that was chosen among many, or that can't be
// what made the series. Each of these held in 40 to 70 % of the cases at 80 before they were
// asked what inner windows say.
func TestIntervalsOfShortSeries(t *testing.T) {
	t.Parallel()
	year := []float64{0, 7, 13, 15, 13, 7, 0, -7, -13, -15, -13, -7}
	walks := process{"walk", monthly, 36, 12, walk(3)}
	trends := process{"local trend", monthly, 60, 12, localTrend}
	seasons := process{"damped with a year", monthly, 60, 12, damped(year, 0.4, 0.05, 0.1, 0.9, 4)}
	noise := process{"noise", monthly, 36, 12, autoregression(100, 0, 0, 5)}
	for _, c := range []struct {
		family string
		pr     process
	}{
		{alone + "linear", trends}, {alone + "linear", walks}, {alone + "additive", seasons}, {alone + "additive", walks},
		{"arima", walks}, {"arima", trends}, {"arima", seasons}, {"arima", noise}, {"theta", walks}, {"smoothing", walks},
		{"smoothing", noise}, {"linear", walks}, {"linear", noise}, {"additive", trends}, {"additive", walks}, {"decomposition", seasons},
	} {
		t.Run(fmt.Sprint(c.family, " on ", c.pr.name), func(t *testing.T) {
			t.Parallel()
			in80, in95 := covered(t, c.family, c.pr)
			t.Logf("coverage %.1f and %.1f %%", 100*in80, 100*in95)
			assert.InDelta(t, 0.80, in80, 0.08)
			assert.InDelta(t, 0.95, in95, 0.065)
		})
	}
}

// covered is how often the intervals of a family hold what a process goes on to.
func covered(t *testing.T, family string, pr process) (in80, in95 float64) {
	t.Helper()
	var past, future [][]float64
	for i := range 100 {
		a, _, b := pr.draw(rand.New(rand.NewPCG(77, uint64(i))), pr.n, pr.h)
		past, future = append(past, a), append(future, b)
	}
	n := 0.0
	var rows []forecast.Rows
	if name, ok := strings.CutPrefix(family, alone); ok {
		for _, values := range past[:40] {
			rows = append(rows, forecasts(t, name, nil, panelOf(pr.cadence, [][]float64{values}), pr.h)...)
		}
	} else {
		rows = forecasts(t, family, nil, panelOf(pr.cadence, past), pr.h)
	}
	for i, r := range rows {
		for h, y := range future[i] {
			if low, high := forecast.Interval(r.At(h), 80); low <= y && y <= high {
				in80++
			}
			if low, high := forecast.Interval(r.At(h), 95); low <= y && y <= high {
				in95++
			}
			n++
		}
	}
	return in80 / n, in95 / n
}

// Six values tell neither a walk from noise nor how wide either is, and no inner window has room. The intervals hold
// about as often as they say on series of both kinds together: few errors of the far steps, or a form that nothing
// tested, do not make them sure of themselves. (arima, of which a mean and a walk are left, is the narrowest.)
func TestIntervalsOfSixValues(t *testing.T) {
	t.Parallel()
	kinds := []process{{"walk", monthly, 6, 6, walk(3)}, {"noise", monthly, 6, 6, autoregression(100, 0, 0, 5)}}
	const marches = 12 // each is told once, by however many series
	for k := range uint64(marches) {
		kinds = append(kinds, process{"march", monthly, 6, 6, marching(k, 5)})
	}
	for _, family := range []string{"smoothing", "theta", "arima", "decomposition", "linear", "additive"} {
		t.Run(family, func(t *testing.T) {
			t.Parallel()
			in80, in95 := map[string]float64{}, map[string]float64{}
			for _, pr := range kinds {
				a, b := covered(t, family, pr)
				in80[pr.name], in95[pr.name] = in80[pr.name]+a, in95[pr.name]+b
			}
			in80["march"], in95["march"] = in80["march"]/marches, in95["march"]/marches
			t.Log(in80, in95)
			assert.InDelta(t, 0.80, (in80["walk"]+in80["noise"]+in80["march"])/3, 0.16)
			assert.InDelta(t, 0.93, (in95["walk"]+in95["noise"]+in95["march"])/3, 0.1)
		})
	}
}

// marching makes walks most of whose steps are the same for all of them.
func marching(seed uint64, sigma float64) func(*rand.Rand, int, int) (past, oracle, future []float64) {
	common := walk(sigma)
	return func(rnd *rand.Rand, n, h int) (past, oracle, future []float64) {
		a, _, b := common(rand.New(rand.NewPCG(seed, 5)), n, h)
		past, oracle, future = walk(sigma/3)(rnd, n, h)
		for i := range past {
			past[i] += a[i]
		}
		for i := range future {
			oracle[i], future[i] = past[n-1], future[i]+b[i]
		}
		return past, oracle, future
	}
}

// Trials on every few rows of a long panel do not make intervals narrow: what series have of their own of the calendar was
// learnt from all of their values.
func TestIntervalsOfLongPanels(t *testing.T) {
	t.Parallel()
	rnd := rand.New(rand.NewPCG(3, 8))
	const n, h, sigma = 960, 31, 0.08
	var values [][]float64
	for i := range 20 { // more rows than trials take
		y := make([]float64, n)
		var season [7]float64
		for k := range season {
			season[k] = 0.2 * rnd.NormFloat64()
		}
		for k := range y {
			y[k] = 100 * float64(1+i) * math.Exp(season[k%7]+sigma*rnd.NormFloat64())
		}
		values = append(values, y)
	}
	width := 0.0
	for _, rows := range forecasts(t, "linear", nil, panelOf(daily, values), h) {
		for k, mean := range rows.Mean {
			low, high := forecast.Interval(rows.At(k), 80)
			width += (high - low) / mean / float64(20*h)
		}
	}
	assert.InDelta(t, 2.563*sigma, width, 0.025)
}
