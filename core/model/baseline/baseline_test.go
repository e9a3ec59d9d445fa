package baseline_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/baseline"
	"paperkettle/core/panel"
)

var unknown = math.NaN()

func onePanel(cadence string, first int64, values ...float64) *panel.Panel {
	c, err := calendar.ParseCadence(cadence)
	if err != nil {
		panic(err)
	}
	return &panel.Panel{Cadence: c, First: first, Length: len(values), Measure: "y", Series: []panel.Series{{Key: "all", Values: values}}}
}

func train(t require.TestingT, family string, settings model.Values, p *panel.Panel, origin, horizon int) (model.Trained, panel.View, *model.Family) {
	m, f, err := baseline.Families().New(family, settings)
	require.NoError(t, err)
	v := panel.NewView(p, []int{0}, 0, origin)
	trained, err := m.Train(context.Background(), v, model.Env{Horizon: horizon, Workers: 1, Random: func(string) *rand.Rand { return nil }})
	require.NoError(t, err)
	return trained, v, f
}

func predict(t require.TestingT, trained model.Trained, v panel.View, horizon int) forecast.Rows {
	res, err := trained.Forecast(context.Background(), v, horizon)
	require.NoError(t, err)
	require.NoError(t, res.Err[0])
	return res.Series[0]
}

func TestRulesByHand(t *testing.T) {
	const monday = 20514 // 2026-03-02
	weeks := []float64{1, 2, 3, 4, 5, 6, 7, 11, 12, 13, 14, 15, 16, 17, 21}
	cases := []struct {
		family   string
		settings model.Values
		cadence  string
		values   []float64
		want     []float64
	}{
		{"naive", nil, "day", []float64{4, 7, unknown}, []float64{7, 7}},
		{"seasonal-naive", nil, "day", weeks, []float64{12, 13, 14, 15, 16, 17, 21, 12}},
		{"seasonal-naive", model.Values{"season": "2"}, "day", []float64{1, 2, 3, unknown}, []float64{3, 2, 3}},
		{"drift", nil, "month", []float64{2, unknown, 6, 8}, []float64{10, 12}},
		{"drift", nil, "month", []float64{2, 4, unknown}, []float64{8, 10}},
		{"mean", nil, "month", []float64{2, unknown, 6, 7}, []float64{5, 5}},
		{"moving-average", model.Values{"length": 3}, "day", []float64{100, 1, unknown, 5}, []float64{3, 3}},
		{"calendar-mean", model.Values{"length": "14"}, "day", weeks, []float64{7, 8, 9, 10, 11, 12, 16, 7}},
		{"calendar-mean", model.Values{"length": 8, "by": "weekday"}, "day", weeks, []float64{12, 13, 14, 15, 16, 17, 16}},
		{"calendar-mean", model.Values{"by": "quarter"}, "quarter", []float64{1, 2, 3, 4, 3, 4, 5, 6}, []float64{2, 3, 4, 5}},
	}
	for _, c := range cases {
		first := int64(monday)
		if c.cadence == "quarter" {
			first = 200 // 2020-Q1
		}
		p := onePanel(c.cadence, first, c.values...)
		trained, v, _ := train(t, c.family, c.settings, p, len(c.values)-1, len(c.want))
		got := predict(t, trained, v, len(c.want))
		assert.InDeltaSlice(t, c.want, got.Mean, 1e-12, "%s %v of %v", c.family, c.settings, c.values)
		assert.NotEmpty(t, trained.Describe(0).Form)
	}
}

// Weeks have no fixed number a month, so the months of a weekly series are averaged
// by the month in which each week starts.
func TestCalendarMeanOfWeeksByMonth(t *testing.T) {
	c, err := calendar.ParseCadence("week")
	require.NoError(t, err)
	values := make([]float64, 156)
	first := int64(2700)
	place, _, err := c.Places(calendar.ByMonth)
	require.NoError(t, err)
	for i := range values {
		values[i] = float64(10 * place(first+int64(i)))
	}
	p := onePanel("week", first, values...)
	trained, v, _ := train(t, "calendar-mean", nil, p, 155, 60)
	for h, f := range predict(t, trained, v, 60).Mean {
		assert.InDelta(t, float64(10*place(first+156+int64(h))), f, 1e-9, h)
	}
}

func drawSeries(t *rapid.T, least int) []float64 {
	kind := rapid.SampledFrom([]string{"level", "zero", "huge", "tiny", "sparse", "jump"}).Draw(t, "kind")
	n := rapid.IntRange(least, 120).Draw(t, "n")
	out := make([]float64, n)
	for i := range out {
		x := rapid.Float64Range(-1, 1).Draw(t, "x")
		switch kind {
		case "level":
			out[i] = 50 + 10*x
		case "huge":
			out[i] = 1e12 * x
		case "tiny":
			out[i] = 1e-9 * x
		case "sparse":
			out[i] = math.Max(0, math.Floor(10*x-7))
		case "jump":
			out[i] = 10 + x + 90*float64(i/(n/2+1))
		}
		if rapid.IntRange(0, 9).Draw(t, "gap") == 0 {
			out[i] = unknown
		}
	}
	out[0], out[n-1] = 1, 2
	return out
}

// Whatever the series, every baseline gives finite, ordered quantiles that hold the
// point forecast; reading back what was written gives the same; and advancing
// gives the point forecasts of a model trained later.
func TestEveryBaselineOnAnySeries(t *testing.T) {
	for _, f := range baseline.Families() {
		t.Run(f.Name, rapid.MakeCheck(func(t *rapid.T) {
			values := drawSeries(t, 3)
			n := len(values)
			origin := rapid.IntRange(1, n-1).Draw(t, "origin")
			values[1] = 3 // two known values wherever the origin is
			const horizon = 9
			p := onePanel("day", 20000, values...)
			// A season that the series seems to show is found anew by a model that is trained later.
			settings := model.Values{}
			if f.Name == "seasonal-naive" {
				settings["season"] = 7
			}
			trained, v, _ := train(t, f.Name, settings, p, origin, horizon)
			rows := predict(t, trained, v, horizon)
			require.NoError(t, rows.Check())
			for h, m := range rows.Mean {
				low, high := forecast.Interval(rows.At(h), 80)
				require.True(t, low <= m && m <= high, "step %d: %v not in %v to %v", h+1, m, low, high)
			}
			b, err := model.Write(trained)
			require.NoError(t, err)
			again, err := f.Read(b)
			require.NoError(t, err)
			require.Equal(t, rows, predict(t, again, v, horizon))

			later := panel.NewView(p, []int{0}, 0, n-1)
			require.NoError(t, again.Advance(context.Background(), later))
			fresh, _, _ := train(t, f.Name, settings, p, n-1, horizon)
			assert.InDeltaSlice(t, predict(t, fresh, later, horizon).Mean, predict(t, again, later, horizon).Mean, 1e-9*math.Abs(values[1]), "advanced")
		}))
	}
}

// On white noise about a level the mean's intervals cover the future as often as
// they say.
func TestCoverageOnSimulatedNoise(t *testing.T) {
	inside := map[float64]int{80: 0, 95: 0}
	const trials, horizon = 300, 14
	for i := range trials {
		rnd := rand.New(rand.NewPCG(9, uint64(i)))
		values := make([]float64, 200+horizon)
		for t := range values {
			values[t] = 100 + 10*rnd.NormFloat64()
		}
		p := onePanel("day", 20000, values...)
		trained, v, _ := train(t, "mean", nil, p, 199, horizon)
		rows := predict(t, trained, v, horizon)
		for h := range horizon {
			for level := range inside {
				if low, high := forecast.Interval(rows.At(h), level); low <= values[200+h] && values[200+h] <= high {
					inside[level]++
				}
			}
		}
	}
	assert.InDelta(t, 0.80, float64(inside[80])/(trials*horizon), 0.02)
	assert.InDelta(t, 0.95, float64(inside[95])/(trials*horizon), 0.015)
}

func TestSettingsAreChecked(t *testing.T) {
	for text, given := range map[string]model.Values{
		"no setting is called \"span\"": {"span": 3}, "not a whole number": {"length": "2.5"}, "out of range": {"length": 0},
		"is not one of": {"by": "moon"},
	} {
		_, _, err := baseline.Families().New("calendar-mean", given)
		assert.ErrorContains(t, err, text)
	}
	_, _, err := baseline.Families().New("oracle", nil)
	assert.ErrorContains(t, err, "the catalogue has naive, seasonal-naive")
}

func Example() {
	p := onePanel("month", 600, 1, 2, 3, 4, 5, 6, 7, 8)
	m, _, _ := baseline.Families().New("drift", nil)
	v := panel.NewView(p, []int{0}, 0, 7)
	trained, _ := m.Train(context.Background(), v, model.Env{Horizon: 3, Workers: 1})
	res, _ := trained.Forecast(context.Background(), v, 3)
	fmt.Println(trained.Describe(0).Form)
	fmt.Println(res.Series[0].Mean)
	// Output:
	// continues the straight line from the first to the last known value
	// [9 10 11]
}
