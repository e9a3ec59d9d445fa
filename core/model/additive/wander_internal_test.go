package additive

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
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

func inputOf(unit calendar.Unit, horizon int, values []float64, drivers ...[]float64) single.Input {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: unit}, Length: len(values), Series: []panel.Series{{Key: "all", Values: values, Drivers: drivers}}}
	for range drivers {
		p.Drivers = append(p.Drivers, panel.Driver{Name: "price", KnownAhead: true})
	}
	return single.Input{SeriesView: panel.NewView(p, []int{0}, 0, len(values)-1).Series(0), Horizon: horizon}
}

// A level that wanders under a driver: the driver's effect and how fast the level follows come
// back, and errors are told by their size.
func TestWanderingComesBack(t *testing.T) {
	var effect, alpha, sigma float64
	const trials, n = 40, 200
	for k := range trials {
		rnd := rand.New(rand.NewPCG(uint64(k), 9))
		y, price := make([]float64, n), make([]float64, n+8)
		for i := range price {
			price[i] = 10 + rnd.NormFloat64()
		}
		level := 500.0
		for i := range y {
			e := 10 * rnd.NormFloat64()
			y[i] = level - 20*(price[i]-10) + e
			level += 0.4 * e
		}
		m := Auto()
		m.Level, m.Memory, m.Parts, m.Trend, m.Seasons = wandering, n, "add", "flat", []wish{}
		s, err := m.fit(context.Background(), inputOf(calendar.Week, 8, y, price))
		require.NoError(t, err)
		at := len(s.Beta) - 1
		effect += s.Beta[at] / s.Recipe.Drivers[0].Spread * s.Scale.Size / trials
		alpha += s.Errs.(*Wander).Alpha / trials
		sigma += math.Sqrt(s.Sigma2) * s.Scale.Size / trials
	}
	assert.InDelta(t, -20, effect, 0.6)
	assert.InDelta(t, 0.4, alpha, 0.08)
	assert.InDelta(t, 10, sigma, 0.5)
}

// What a step's variance says comes true over wandering series, for every step.
func TestWanderingIntervalsHold(t *testing.T) {
	const trials, n, h = 300, 120, 12
	in80, in95 := 0.0, 0.0
	for k := range trials {
		rnd := rand.New(rand.NewPCG(uint64(k), 10))
		y := make([]float64, n+h)
		level := 300.0
		for i := range y {
			e := 8 * rnd.NormFloat64()
			y[i] = level + e
			level += 0.5 * e
		}
		m := Auto()
		m.Level, m.Memory, m.Parts, m.Trend, m.Seasons = wandering, n, "add", "", []wish{}
		in := inputOf(calendar.Week, h, y[:n])
		s, err := m.fit(context.Background(), in)
		require.NoError(t, err)
		rows := forecast.NewRows(h)
		require.NoError(t, s.Forecast(in.SeriesView, rows))
		for step := range h {
			low, high := forecast.Interval(rows.At(step), 80)
			if low <= y[n+step] && y[n+step] <= high {
				in80 += 1.0 / (trials * h)
			}
			low, high = forecast.Interval(rows.At(step), 95)
			if low <= y[n+step] && y[n+step] <= high {
				in95 += 1.0 / (trials * h)
			}
		}
	}
	t.Logf("%.3f and %.3f", in80, in95)
	assert.InDelta(t, 0.80, in80, 0.05)
	assert.InDelta(t, 0.95, in95, 0.03)
}

// A level that moved for good is where it starts anew; a mistake counts for nothing.
func TestJumpsAndMistakes(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 11))
	y := make([]float64, 60)
	for i := range y {
		if y[i] = 10 + 0.3*rnd.NormFloat64(); i >= 24 {
			y[i] += 90
		}
	}
	y[45] = 700
	m := Auto()
	m.Level, m.Memory, m.Parts, m.Trend, m.Seasons = wandering, 60, "add", "flat", []wish{}
	in := inputOf(calendar.Week, 6, y)
	s, err := m.fit(context.Background(), in)
	require.NoError(t, err)
	assert.Contains(t, s.Odd, 45)
	assert.NotContains(t, s.Odd, 24)
	rows := forecast.NewRows(6)
	require.NoError(t, s.Forecast(in.SeriesView, rows))
	for _, v := range rows.Mean {
		assert.InDelta(t, 100, v, 3)
	}
	var d model.Description
	s.Describe(&d, 6)
	require.Equal(t, "trend", d.Components[0].Name)
	assert.InDelta(t, 10, d.Components[0].Past[20], 1.5, "where the level wandered is part of the trend")
	assert.InDelta(t, 100, d.Components[0].Past[40], 3)
	assert.InDelta(t, 100, d.Components[0].Ahead[0], 3)
	assert.Contains(t, strings.Join(d.Cautions, " "), "moved for good")
}

// A fit on the last periods alone says what it left out, and stays in step with the history.
func TestMemory(t *testing.T) {
	y := make([]float64, 140)
	for i := range y {
		y[i] = 50 + float64(i%7)
		if i < 60 {
			y[i] = 900 - 9*float64(i%7)
		}
	}
	m := Auto()
	m.Level, m.Memory, m.Parts, m.Trend = steady, 70, "add", "flat"
	in := inputOf(calendar.Day, 7, y)
	s, err := m.fit(context.Background(), in)
	require.NoError(t, err)
	assert.Equal(t, 70, s.Before)
	require.Len(t, s.Fitted(), 140)
	assert.True(t, math.IsNaN(s.Fitted()[10]))
	assert.InDelta(t, y[130], s.Fitted()[130], 0.5)
	rows := forecast.NewRows(7)
	require.NoError(t, s.Forecast(in.SeriesView, rows))
	for h, v := range rows.Mean {
		assert.InDelta(t, 50+float64((140+h)%7), v, 0.5)
	}
}

// In a long series weights are those of its late part: how a level wandered long ago is no matter, and where it moved for
// good lies where it lay. The regression learns from all of it.
func TestALongSeriesIsSearchedLate(t *testing.T) {
	const n, turn = 5000, 2000
	rnd := rand.New(rand.NewPCG(3, 9))
	y, price := make([]float64, n), make([]float64, n+8)
	level := 500.0
	for i := range price {
		if i < turn && i%3 == 0 { // it hardly varies later
			price[i] = 10 + rnd.NormFloat64()
		} else {
			price[i] = 10
		}
	}
	for i := range y {
		alpha, e := 0.8, 10*rnd.NormFloat64()
		if i >= turn {
			alpha = 0.1
		}
		if i == 4200 {
			level += 300
		}
		y[i] = level - 20*(price[i]-10) + e
		level += alpha * e
	}
	m := Auto()
	m.Level, m.Memory, m.Parts, m.Trend, m.Seasons = wandering, n, "add", "flat", []wish{}
	s, err := m.fit(context.Background(), inputOf(calendar.Day, 8, y, price))
	require.NoError(t, err)
	x := s.Errs.(*Wander)
	assert.LessOrEqual(t, x.Alpha, 0.16, "0.1 in the late part, and 0.8 before")
	require.Contains(t, x.Jumps, 4200)
	assert.Subset(t, []int{4200, 4201, 4202, 4203}, x.Jumps)
	assert.InDelta(t, -20, s.Beta[len(s.Beta)-1]/s.Recipe.Drivers[0].Spread*s.Scale.Size, 1.5)
}

// The late part settles what it can of a history that is half as long again, and no more of it is left out.
func TestLateStages(t *testing.T) {
	ask := func(c calendar.Cadence, n int) (int, bool) {
		p := &panel.Panel{Cadence: c, Length: n, Series: []panel.Series{{Key: "all", Values: make([]float64, n)}}}
		list, late := lately(make([]variant, 2), single.Input{SeriesView: panel.NewView(p, []int{0}, 0, n-1).Series(0), Horizon: 8})
		return list[1].method.Memory, late
	}
	for _, c := range []struct {
		cadence calendar.Cadence
		n, want int
	}{
		{calendar.Cadence{Unit: calendar.Day}, 5500, 5 * 365},
		{calendar.Cadence{Unit: calendar.Day}, 2700, 0},
		{calendar.Cadence{Unit: calendar.Hour}, 9000, 26 * 168},
		{calendar.Cadence{Unit: calendar.Hour}, 6000, 0},
		{calendar.Cadence{Unit: calendar.Month}, 300, 0},
	} {
		memory, late := ask(c.cadence, c.n)
		assert.Equal(t, c.want, memory, "%v", c)
		assert.Equal(t, c.want > 0, late, "%v", c)
	}
	given := []variant{{method: Method{Memory: 700}}, {method: Method{Memory: 700}}}
	_, late := lately(given, inputOf(calendar.Day, 8, make([]float64, 5500)))
	assert.False(t, late, "what is set is kept to")
}

// A move of the level at the first known value, such as one after a mistake, is where the level begins: taken for a move it
// would leave nothing that tells the level, and no regression could be solved.
func TestALevelBegins(t *testing.T) {
	y := []float64{panel.Unknown, 7, 8, panel.Unknown, 90, 91}
	assert.Equal(t, []int{4}, later([]int{0, 1, 4}, y))
	assert.Empty(t, later([]int{0}, []float64{3, 3}))
	level := []float64{1, 1, 1, 1, 1, 1}
	for _, c := range []struct {
		jumps []int
		tells bool
	}{{[]int{1, 4}, false}, {later([]int{1, 4}, y), true}} {
		white, _ := (&Wander{Alpha: 0.5, Jumps: c.jumps}).Whiten([][]float64{y, level})
		sum := 0.0
		for _, v := range white[1] {
			sum += v * v
		}
		assert.Equal(t, c.tells, sum > 0.5)
	}
}

// Two values far down at the end are a level that moved, but not two days of nothing where parts multiply: a weekend without
// sales costs the days after it nothing.
func TestAWeekendOfNothingIsNoLevel(t *testing.T) {
	rest := []float64{0.1, -0.1, 0.2, 0, -0.2, 0.1, 0, -4, -4.1}
	mistakes, jumps := part([]int{7, 8}, rest, 0.1, func(int) bool { return false })
	assert.Equal(t, [2][]int{{8}, {7}}, [2][]int{mistakes, jumps})
	mistakes, jumps = part([]int{7, 8}, rest, 0.1, func(int) bool { return true })
	assert.Equal(t, []int{7, 8}, mistakes)
	assert.Empty(t, jumps)

	rnd := rand.New(rand.NewPCG(3, 3))
	y, level := make([]float64, 7*60), 0.0
	for i := range y {
		level += 0.03 * rnd.NormFloat64()
		usual := 12.0
		if i%7 >= 5 {
			usual = 4
		}
		y[i] = math.Round(usual * math.Exp(level+0.2*rnd.NormFloat64()))
	}
	n := len(y)
	usual := (y[n-9] + y[n-10] + y[n-11]) / 3
	y[n-2], y[n-1], y[100] = 0, 0, 0
	m := Auto()
	m.Parts, m.Level, m.Trend, m.Memory, m.Drivers, m.Events = "multiply", wandering, "flat", n, false, false
	s, err := m.fit(context.Background(), inputOf(calendar.Day, 5, y))
	require.NoError(t, err)
	rows := forecast.NewRows(5)
	require.NoError(t, s.Forecast(panel.SeriesView{}, rows))
	for k, mean := range rows.Mean {
		assert.InDelta(t, usual, mean, usual/2, "step %d", k+1)
	}
}
