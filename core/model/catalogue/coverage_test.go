package catalogue_test

import (
	"fmt"
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
			var past, future [][]float64
			for i := range 100 {
				a, _, b := c.pr.draw(rand.New(rand.NewPCG(77, uint64(i))), c.pr.n, c.pr.h)
				past, future = append(past, a), append(future, b)
			}
			in80, in95, n := 0.0, 0.0, 0.0
			var rows []forecast.Rows
			if family, ok := strings.CutPrefix(c.family, alone); ok {
				for _, values := range past[:40] {
					rows = append(rows, forecasts(t, family, nil, panelOf(c.pr.cadence, [][]float64{values}), c.pr.h)...)
				}
			} else {
				rows = forecasts(t, c.family, nil, panelOf(c.pr.cadence, past), c.pr.h)
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
			t.Logf("coverage %.1f and %.1f %%", 100*in80/n, 100*in95/n)
			assert.InDelta(t, 0.80, in80/n, 0.08)
			assert.InDelta(t, 0.95, in95/n, 0.06)
		})
	}
}
