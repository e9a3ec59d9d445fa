package bakeoff_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
	"paperkettle/core/split"
)

// shaken are series around a level of their own: a share of the variance is a shock that all have on
// the same day, another one that each has throughout a week.
func shaken(seed uint64, series, length int, common, weekly float64) *panel.Panel {
	p := dailyPanel(series, length)
	rnd := rand.New(rand.NewPCG(seed, 4))
	shocks := make([]float64, length)
	for k := range shocks {
		shocks[k] = rnd.NormFloat64()
	}
	for i := range p.Series {
		level, wide, week := 100+10*float64(i), 1+float64(i%4), 0.0
		for k := range p.Series[i].Values {
			if k%7 == 1 { // windows of a week begin here
				week = rnd.NormFloat64()
			}
			p.Series[i].Values[k] = level + wide*(math.Sqrt(common)*shocks[k]+math.Sqrt(weekly)*week+math.Sqrt(1-common-weekly)*rnd.NormFloat64())
		}
	}
	return p
}

// How far errors go together is found as it was made, and intervals of sums then hold what they say,
// where shocks are common and where they are not.
func TestTiesAreFoundAndSumsHold(t *testing.T) {
	const n, series, rounds = 211, 20, 40
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 7, Windows: 8}, Seed: 1, Contenders: []bakeoff.Contender{{Family: "mean"}}}
	for _, truth := range []forecast.Ties{{}, {Series: 0.5}, {Steps: 0.4}, {Series: 0.3, Steps: 0.3}} {
		var found forecast.Ties
		inside, points, insideWhole := 0.0, 0.0, 0.0
		for round := range rounds {
			p := shaken(uint64(round), series, n, truth.Series, truth.Steps)
			e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
			require.NoError(t, err)
			got := runAll(t, e, 1, e.Tasks())
			together, err := bakeoff.NewTogetherness(e, "mean", func(int) string { return "" })
			require.NoError(t, err)
			for task, r := range got {
				if task.Window < 7 { // the last one is forecast
					require.NoError(t, together.Add(task, r))
				}
			}
			ties := together.Ties()
			found.Series, found.Steps, found.Across = found.Series+ties.Series/rounds, found.Steps+ties.Steps/rounds, found.Across+ties.Across/rounds
			sum, actual, whole := forecast.NewSum(7), make([]float64, 7), 0.0
			for i := range series {
				task, place, ok := e.Locate(7, together.Contender(), i)
				require.True(t, ok)
				rows := forecast.NewRows(7)
				require.NoError(t, rows.Unpack(got[task].Packed[place*forecast.PackedSize(7):(place+1)*forecast.PackedSize(7)]))
				sum.Add(rows)
				for k := range actual {
					y := p.Series[i].Values[n-7+k]
					actual[k], whole = actual[k]+y, whole+y
				}
			}
			steps, all := sum.Total(ties)
			for k, y := range actual {
				low, high := forecast.Interval(steps.At(k), 80)
				points++
				if low <= y && y <= high {
					inside++
				}
			}
			if low, high := forecast.Interval(all.At(0), 80); low <= whole && whole <= high {
				insideWhole++
			}
		}
		t.Logf("ties %+v: found %+.3v; 80 %% held in %.3f of the steps and %.3f of the sums", truth, found, inside/points, insideWhole/rounds)
		assert.InDelta(t, truth.Series, found.Series, 0.08)
		assert.InDelta(t, truth.Steps, found.Steps, 0.08)
		assert.InDelta(t, 0, found.Across, 0.06)
		assert.InDelta(t, 0.8, inside/points, 0.09)
		assert.InDelta(t, 0.8, insideWhole/rounds, 0.16)
	}
}

// Only series of the same group are set against each other.
func TestTiesWithinGroups(t *testing.T) {
	p := shaken(1, 12, 120, 0, 0)
	rnd := rand.New(rand.NewPCG(5, 5))
	for k := range 120 { // the odd ones and the even ones have shocks of their own
		odd, even := rnd.NormFloat64(), rnd.NormFloat64()
		for i := range p.Series {
			p.Series[i].Values[k] += 6 * []float64{even, odd}[i%2]
		}
	}
	e, err := bakeoff.Prepare(p, baselinePlan(7, 8), catalogue.Standard())
	require.NoError(t, err)
	got := runAll(t, e, 1, e.Tasks())
	ties := map[string]forecast.Ties{}
	for name, group := range map[string]func(int) string{
		"all": func(int) string { return "" }, "parity": func(i int) string { return []string{"even", "odd"}[i%2] },
		"alone": func(i int) string { return p.Series[i].Key },
	} {
		together, err := bakeoff.NewTogetherness(e, "mean", group)
		require.NoError(t, err)
		for task, r := range got {
			require.NoError(t, together.Add(task, r))
		}
		ties[name] = together.Ties()
	}
	assert.Greater(t, ties["parity"].Series, 0.7)
	assert.Less(t, ties["all"].Series, 0.6)
	assert.Zero(t, ties["alone"].Series)
}
