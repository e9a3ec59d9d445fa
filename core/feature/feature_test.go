package feature_test

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/feature"
	"paperkettle/core/panel"
)

// shop is two daily series from Monday, 5 January 2026 on, with a price, a driver that is
// not known ahead, and a fair on the 17th.
func shop(n int) *panel.Panel {
	c := calendar.Cadence{Unit: calendar.Day}
	monday := time.Date(2026, 1, 5, 0, 0, 0, 0, time.UTC).Unix()
	first, _ := c.Ordinal(monday)
	p := &panel.Panel{Cadence: c, First: first, Length: n, Drivers: []panel.Driver{{Name: "price", KnownAhead: true}, {Name: "visits"}},
		Attributes: []panel.Attribute{{Name: "town", Values: []string{"Quay", "Vale"}, Codes: []int32{0, 1}}}}
	fair := time.Date(2026, 1, 17, 0, 0, 0, 0, time.UTC).Unix()
	p.Events = []calendar.Event{{Name: "Fair", Occasions: []calendar.Occasion{calendar.DayOf(fair, fair)}}}
	for k := range 2 {
		s := panel.Series{Key: []string{"Quay", "Vale"}[k]}
		price, visits := make([]float64, n+7), make([]float64, n+7)
		for i := range n + 7 {
			price[i], visits[i] = float64(1+i%3), float64(i)
			if i < n {
				s.Values = append(s.Values, float64(k*1000+i))
			}
		}
		s.Drivers = [][]float64{price, visits}
		p.Series = append(p.Series, s)
	}
	return p
}

func lay(t *testing.T, p *panel.Panel, origin, horizon int, lines ...string) (feature.Recipe, *feature.Rows) {
	t.Helper()
	v := panel.NewView(p, []int{0, 1}, 0, origin).WithAhead(nil, horizon)
	r, err := feature.Parse(lines, feature.SettingOf(v, horizon))
	require.NoError(t, err)
	s := v.Series(0)
	rows, err := r.Lay(s, s.Values, horizon, r.GroupsOf(v))
	require.NoError(t, err)
	return r, rows
}

// Every kind of column at the third day past the 14th, by hand.
func TestColumns(t *testing.T) {
	p := shop(14)
	for line, want := range map[string]float64{
		"lag 1": 13, "lag 3": 11, "season lag 1": 9, "season lag 2": 2, "difference 2": 2, "mean 4": 11.5, "spread 2": 0.5, "quantile 50 over 3": 12,
		"scale": 6.5, "day of week": 3, "day of month": 21, "month": 1, "working day": 1, "month end": 10, "quarter": 1, "week": 4,
		"day of year": 21, "half": 1,
		"price": 2, "price log": math.Log(2), "price change": 1, "price lag 2": 3, "price saturate 2": 0.5, "mean 3 of price": 2,
		"since Fair": 4, "until Fair": 30, "event Fair": 0, "attribute town": 0,
		"year as harmonics 1": math.Sin(2 * math.Pi * math.Mod(float64(p.First+16), 365.25) / 365.25),
	} {
		r, rows := lay(t, p, 13, 7, line)
		out := make([]float64, len(r.Columns))
		rows.Fill(13, 3, out)
		assert.InDelta(t, want, out[0], 1e-12, line)
		assert.NotEmpty(t, r.Columns[0].Meaning, line)
	}
	_, rows := lay(t, p, 13, 7, "price carry 0.5")
	out := make([]float64, 1)
	rows.Fill(0, 1, out)
	assert.Equal(t, 2+0.5*1, out[0], "what is carried over halves each day")
	_, rows = lay(t, p, 13, 7, "day of week as levels")
	out = make([]float64, 6)
	rows.Fill(13, 2, out)
	assert.Equal(t, []float64{1, 0, 0, 0, 0, 0}, out, "a Tuesday, against Mondays")
	_, rows = lay(t, p, 13, 7, "events around 1")
	out = make([]float64, 3)
	rows.Fill(10, 1, out)
	assert.Equal(t, []float64{1, 0, 0}, out, "the day before the fair")
	_, rows = lay(t, p, 13, 7, "group mean 1 of all")
	out = out[:1]
	rows.Fill(13, 7, out)
	assert.InDelta(t, (13/6.5+1013/1006.5)/2, out[0], 1e-9)
}

// Nothing that comes after the origin moves a column, but what is known ahead.
func TestNoColumnReadsTheFuture(t *testing.T) {
	lines := []string{"lag 1 to 3", "season lag 1", "difference 1", "mean 4", "spread 3", "quantile 80 over 5", "scale",
		"group mean 2 of town", "drivers_", "month", "since Fair", "price carry 0.7"}
	lines = append(lines[:8], lines[9:]...)
	p := shop(28)
	wild := panel.Scramble(p, 20, rand.New(rand.NewPCG(1, 1)))
	for step := 1; step <= 7; step++ {
		r, calm := lay(t, p, 20, 7, lines...)
		_, noisy := lay(t, wild, 20, 7, lines...)
		a, b := make([]float64, len(r.Columns)), make([]float64, len(r.Columns))
		calm.Fill(20, step, a)
		noisy.Fill(20, step, b)
		assert.Equal(t, a, b, "step %d", step)
		// Rows of earlier origins look no further than those origins.
		whole := make([]float64, len(r.Columns))
		calm.Fill(12, step, a)
		_, early := lay(t, p, 12, 7+8, lines...)
		early.Fill(12, step, whole)
		for k, c := range r.Columns {
			if c.Group != "group" { // group means are divided by sizes as known at the later origin
				assert.Equal(t, whole[k], a[k], c.Name)
			}
		}
	}
}

// What can't be had is refused with what to say instead.
func TestRefusals(t *testing.T) {
	v := panel.NewView(shop(28), []int{0, 1}, 0, 27)
	for line, part := range map[string]string{
		"visits":              "would read the future",
		"lag 0":               "say a number",
		"price lag -1":        "whole number from 1 on",
		"price carry 2":       "between 0 and 1",
		"moon":                "the drivers are price, visits",
		"until Feast":         "there are Fair",
		"attribute shape":     "there are town",
		"mean 1":              "from 2 to 2000",
		"tide as harmonics 2": "one of: week, year",
		"price wobble":        "nothing that can be done",
	} {
		_, err := feature.Parse([]string{line}, feature.SettingOf(v, 7))
		assert.ErrorContains(t, err, part, line)
	}
	r, err := feature.Parse([]string{"hour", "attribute town"}, feature.SettingOf(v.Only(0), 7))
	require.NoError(t, err)
	assert.Len(t, r.Notes, 2, "left out, with a note: %v", r.Notes)
}
