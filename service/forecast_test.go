package service_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
)

// kettles are monthly sales of two towns, with a season and a month that is out of line.
func kettles() string {
	var b strings.Builder
	b.WriteString("town,month,sold\n")
	for _, town := range []string{"Oysterby", "Ternmouth"} {
		for t := range 60 {
			n := 100 + t + 20*(t%12/6)
			if town == "Oysterby" && t == 55 {
				n = 500
			}
			fmt.Fprintf(&b, "%s,%d-%02d,%d\n", town, 2021+t/12, t%12+1, n+t*7%5)
		}
	}
	return b.String()
}

func TestATableIsForecastAtOnce(t *testing.T) {
	c, _ := start(t, t.TempDir())
	for _, family := range []string{"", "smoothing"} {
		got, err := c.Forecast(ctx, api.LoadColumns{File: "kettles.csv"},
			api.ForecastAsk{Horizon: 6, Family: family, Flag: true, History: 2, Levels: []float64{95, 80}}, strings.NewReader(kettles()))
		require.NoError(t, err)
		assert.Equal(t, []string{"2025-11", "2025-12"}, got.Past)
		assert.Equal(t, 179.0, *got.Series[1].Actual[0])
		assert.Equal(t, []string{"month", "sold", "month", "2025-12"}, []string{got.Time, got.Measure, got.Cadence, got.Origin})
		assert.Equal(t, []string{"2026-01", "2026-02", "2026-03", "2026-04", "2026-05", "2026-06"}, got.Periods)
		assert.Equal(t, []float64{80, 95}, got.Levels, "in their order")
		require.Len(t, got.Series, 2)
		for _, s := range got.Series {
			require.Empty(t, s.LeftOut)
			for h, y := range s.Forecast {
				assert.InDelta(t, 162+h, y, 25, "%s %s step %d", family, s.Series, h+1)
				assert.LessOrEqual(t, s.Low[1][h], s.Low[0][h])
				assert.Less(t, s.Low[0][h], s.High[0][h])
			}
		}
		assert.Equal(t, 40, got.Tried)
		require.NotEmpty(t, got.Flags)
		found := false
		for _, f := range got.Flags {
			found = found || f.Series == "Oysterby" && f.Period == "2025-08" && f.Actual == 500 && f.Severity > 5
		}
		assert.True(t, found, "the month out of line is flagged: %v", got.Flags)
		again, err := c.Forecast(ctx, api.LoadColumns{File: "kettles.csv"},
			api.ForecastAsk{Horizon: 6, Family: family, Flag: true, History: 2, Levels: []float64{95, 80}}, strings.NewReader(kettles()))
		require.NoError(t, err)
		assert.Equal(t, got, again)
	}
	kept, err := c.Datasets(ctx)
	require.NoError(t, err)
	assert.Empty(t, kept, "nothing is kept")
}

// A day that is not counted yet moves no forecast, and is told.
func TestAForecastAtOncePassesOverALastZero(t *testing.T) {
	c, _ := start(t, t.TempDir())
	var b strings.Builder
	b.WriteString("day,cups\n")
	day := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	for i := range 120 {
		cups := 100 + 10*(i%7) + i%3
		if i == 119 {
			cups = 0
		}
		fmt.Fprintf(&b, "%s,%d\n", day.AddDate(0, 0, i).Format(time.DateOnly), cups)
	}
	got, err := c.Forecast(ctx, api.LoadColumns{File: "cups.csv"}, api.ForecastAsk{Horizon: 3}, strings.NewReader(b.String()))
	require.NoError(t, err)
	require.Len(t, got.Series, 1)
	assert.Greater(t, got.Series[0].Forecast[0], 90.0)
	require.NotEmpty(t, got.Cautions)
	assert.Contains(t, got.Cautions[len(got.Cautions)-1], "0 in 2026-04-30, is far from all before it: it is left out")
}

func TestAForecastAtOnceIsRefusedInASentence(t *testing.T) {
	c, _ := start(t, t.TempDir())
	for _, bad := range []struct {
		table string
		cols  api.LoadColumns
		ask   api.ForecastAsk
		says  string
	}{
		{kettles(), api.LoadColumns{}, api.ForecastAsk{Horizon: 6, Family: "kettle"}, `no family is called "kettle"`},
		{kettles(), api.LoadColumns{}, api.ForecastAsk{Horizon: 6, Family: "blend"}, "blend is made of other contenders' forecasts"},
		{kettles(), api.LoadColumns{}, api.ForecastAsk{Horizon: 6, Levels: []float64{30}}, "levels run from 50 to 99.9, and 30 does not"},
		{kettles(), api.LoadColumns{Drivers: []string{"sold"}}, api.ForecastAsk{Horizon: 6}, "knows no drivers"},
		{"month,sold\n2026-01,4\n", api.LoadColumns{}, api.ForecastAsk{Horizon: 6}, "fewer than two different times"},
		{"", api.LoadColumns{}, api.ForecastAsk{Horizon: 6}, "empty"},
		{kettles(), api.LoadColumns{}, api.ForecastAsk{Horizon: 0}, "horizon: expected number >= 1, and it is 0"},
	} {
		_, err := c.Forecast(ctx, bad.cols, bad.ask, strings.NewReader(bad.table))
		assert.ErrorContains(t, err, bad.says)
	}
	one, err := c.Forecast(ctx, api.LoadColumns{Cadence: "month"}, api.ForecastAsk{Horizon: 3}, strings.NewReader("month,sold\n2026-01,4\n"))
	require.NoError(t, err)
	assert.NotEmpty(t, one.Series[0].LeftOut)
	assert.Contains(t, one.Cautions, "1 of 1 series have no forecast: each says why")
}
