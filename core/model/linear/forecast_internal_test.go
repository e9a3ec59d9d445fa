package linear

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
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// inputs are series of days side by side, with a driver known ahead where one is given.
func inputs(horizon int, values [][]float64, drivers ...[][]float64) (panel.View, []single.Input) {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: len(values[0])}
	for i, y := range values {
		s := panel.Series{Key: fmt.Sprint(i), Values: y}
		for _, d := range drivers {
			s.Drivers = append(s.Drivers, d[i])
		}
		p.Series = append(p.Series, s)
	}
	for d := range drivers {
		p.Drivers = append(p.Drivers, panel.Driver{Name: []string{"price", "leaflet"}[d], KnownAhead: true})
	}
	places := make([]int, len(values))
	for i := range places {
		places[i] = i
	}
	v := panel.NewView(p, places, 0, p.Length-1)
	var out []single.Input
	for i := range values {
		out = append(out, single.Input{SeriesView: v.Series(i), Horizon: horizon})
	}
	return v, out
}

// method leaves nothing to inner windows but the strength.
func method(steps string, lines ...string) Method {
	level, diff := false, false
	return Method{Lines: lines, Own: true, Outside: true, Penalty: "ridge", Steps: steps, Scale: "level", Belief: 1, logs: &level, diff: &diff, season: -1}
}

// remembering makes values of which 0.8 of what was above 100 is left a day later.
func remembering(seed uint64, n int) (y []float64) {
	rnd := rand.New(rand.NewPCG(seed, 31))
	last := 0.0
	for range n {
		last = 0.8*last + rnd.NormFloat64()
		y = append(y, 100+last)
	}
	return y
}

func forecastOf(t *testing.T, s *State, h int) forecast.Rows {
	rows := forecast.NewRows(h)
	require.NoError(t, s.Forecast(panel.SeriesView{}, rows))
	require.NoError(t, rows.Check())
	return rows
}

// What a day leaves of the day before comes back in one step, and in many by either way to them: 0.8 to the
// power of the step, with errors whose size grows as it must.
func TestMemoryComesBack(t *testing.T) {
	const h, trials = 6, 12
	for _, steps := range []string{"direct", "recursive", "averaged"} {
		var one, widest float64
		var left, squares [h]float64
		for seed := range uint64(trials) {
			y := remembering(seed, 500)
			v, list := inputs(h, [][]float64{y})
			m := method(steps, "lag 1")
			m.Penalty = "none"
			states, err := m.fit(context.Background(), v.Pick(nil), list, 1)
			require.NoError(t, err)
			one += states[0].Pool.Steps[0].Beta[0] / trials
			rows := forecastOf(t, states[0], h)
			for k := range left {
				last := y[len(y)-1] - 100
				left[k], squares[k] = left[k]+(rows.Mean[k]-100)*last, squares[k]+last*last
			}
			widest += states[0].width(h-1) / states[0].width(0) / trials
		}
		assert.InDelta(t, 0.8, one, 0.03, steps)
		assert.InDelta(t, math.Pow(0.8, h), left[h-1]/squares[h-1], 0.1, steps)
		variance := 0.0 // of six steps next to one
		for k := range h {
			variance += math.Pow(0.64, float64(k))
		}
		assert.InDelta(t, math.Sqrt(variance), widest, 0.12, steps)
	}
}

// One step ahead, going on from own forecasts is forecasting directly.
func TestRecursiveEqualsDirectAtStepOne(t *testing.T) {
	var first []float64
	for _, steps := range []string{"direct", "recursive", "averaged"} {
		v, list := inputs(4, [][]float64{remembering(1, 150), remembering(2, 150)})
		states, err := method(steps, "lag 1 to 3", "mean 7").fit(context.Background(), v, list, 2)
		require.NoError(t, err)
		for i, s := range states {
			got := forecastOf(t, s, 4).Mean[0]
			if len(first) == i {
				first = append(first, got)
			}
			assert.InDelta(t, first[i], got, 1e-9, "%s, series %d", steps, i)
		}
	}
}

// The equation that stands for the mean of one of levels and one of changes says what these say in the mean.
func TestTheFormOfBothIsTheMeanOfEach(t *testing.T) {
	v, list := inputs(3, [][]float64{remembering(3, 200)})
	forms := make([]*Pool, 3)
	m := method("direct", "lag 1 to 2", "mean 7")
	for k := range forms {
		own := m
		switch k {
		case 1:
			own.Scale = "difference"
		case 2:
			own.Scale, own.both = "", true
		}
		states, err := own.fit(context.Background(), v.Pick(nil), list, 1)
		require.NoError(t, err)
		forms[k] = states[0].Pool
	}
	rnd := rand.New(rand.NewPCG(5, 5))
	for range 20 {
		x, changed := make([]float64, 3), make([]float64, 3)
		last := 100 + 3*rnd.NormFloat64()
		for j := range x {
			x[j] = 100 + 3*rnd.NormFloat64()
			changed[j] = x[j] - last
		}
		for step := range 3 {
			levels, changes, both := &forms[0].Steps[step], &forms[1].Steps[step], &forms[2].Steps[step]
			want := (levels.Own + levels.at(x) + last + changes.Own + changes.at(changed)) / 2
			assert.InDelta(t, want, both.Own+both.Last*last+both.at(x), 1e-6, "step %d", step)
		}
	}
}

// A price's effect is whole, whatever the past has in it: what was sold yesterday does not take some of it away.
// The futures that are drawn lie around the forecast, as wide as its intervals.
func TestAPriceHasItsWholeEffect(t *testing.T) {
	const n, h, series = 250, 5, 6
	rnd := rand.New(rand.NewPCG(8, 8))
	var values, prices [][]float64
	for i := range series {
		rest := remembering(uint64(20+i), n)
		price, y := make([]float64, n+h), make([]float64, n)
		for k := range price {
			price[k] = 10 + float64(rnd.IntN(3))
		}
		for k := range y {
			y[k] = rest[k] - 4*(price[k]-11)
		}
		values, prices = append(values, y), append(prices, price)
	}
	v, list := inputs(h, values, prices)
	states, err := method("direct", "lag 1", "driver price").fit(context.Background(), v, list, 2)
	require.NoError(t, err)
	for i, s := range states {
		rows := forecastOf(t, s, h)
		for k := range h {
			prices[i][n+k]++
		}
		dear := forecastOf(t, s, h)
		for k := range h {
			prices[i][n+k]--
			assert.InDelta(t, -4, dear.Mean[k]-rows.Mean[k], 0.3, "series %d, step %d", i, k+1)
		}
		paths, err := s.Paths(panel.SeriesView{}, h, 4000)
		require.NoError(t, err)
		for k := range h {
			mean, squares := 0.0, 0.0
			for p := range 4000 {
				mean += paths[p*h+k] / 4000
				squares += paths[p*h+k] * paths[p*h+k] / 4000
			}
			low, high := forecast.Interval(rows.At(k), 80)
			assert.InDelta(t, rows.Mean[k], mean, 0.35)
			assert.InEpsilon(t, (high-low)/2/1.2816, math.Sqrt(squares-mean*mean), 0.2, "step %d", k+1)
		}
	}
}

// What is on the working scale in the mean of logs and levels is their forecasts' mean.
func TestBothScalesAreTheMeanOfEach(t *testing.T) {
	y := remembering(4, 120)
	v, list := inputs(4, [][]float64{y})
	var means [3][]float64
	for k, logs := range []bool{false, true, true} {
		m := method("direct", "lag 1")
		m.Scale, m.logs, m.twin = "", &logs, k == 2
		states, err := m.fit(context.Background(), v.Pick(nil), list, 1)
		require.NoError(t, err)
		means[k] = forecastOf(t, states[0], 4).Mean
	}
	for k := range 4 {
		assert.InDelta(t, (means[0][k]+means[1][k])/2, means[2][k], 1e-9)
		assert.NotEqual(t, means[0][k], means[1][k])
	}
}

// A history too short for an equation repeats its last value, and says so.
func TestTooShortForAnEquation(t *testing.T) {
	v, list := inputs(3, [][]float64{{5, 6, 7, 9}})
	states, err := method("direct", "lag 1 to 2").fit(context.Background(), v.Pick(nil), list, 1)
	require.NoError(t, err)
	assert.InDeltaSlice(t, []float64{9, 9, 9}, forecastOf(t, states[0], 3).Mean, 2)
	assert.Contains(t, fmt.Sprint(states[0].Notes), "too short for an equation")
}
