package demo_test

import (
	"bytes"
	"context"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/influence"
	"paperkettle/core/panel"
	"paperkettle/demo"
	"paperkettle/ingest"
)

func TestTheSameSeedGivesTheSameWorld(t *testing.T) {
	for _, f := range demo.Files {
		var a, b, c bytes.Buffer
		require.NoError(t, demo.New(demo.Seed).WriteFile(f.Name, &a))
		require.NoError(t, demo.New(demo.Seed).WriteFile(f.Name, &b))
		require.NoError(t, demo.New(demo.Seed+1).WriteFile(f.Name, &c))
		assert.True(t, bytes.Equal(a.Bytes(), b.Bytes()), f.Name)
		if f.Name != "holidays.csv" && f.Name != "truth.csv" {
			assert.False(t, bytes.Equal(a.Bytes(), c.Bytes()), f.Name)
		}
	}
	assert.Error(t, demo.New(demo.Seed).WriteFile("nothing.csv", &bytes.Buffer{}))
}

func file(t *testing.T, name, timeColumn string) *panel.Panel {
	var b bytes.Buffer
	require.NoError(t, demo.New(demo.Seed).WriteFile(name, &b))
	l, err := ingest.Load(context.Background(), &b, name, ingest.Form{},
		ingest.Columns{Time: timeColumn, Measures: []string{"orders"}, By: []string{"town", "channel", "line"}})
	require.NoError(t, err)
	return l.Panel
}

// The world has what the scenario says: 140 series, weeks that sum the days, a line
// launched late, one discontinued, one with rare demand.
func TestTheWorldIsAsToldByTheScenario(t *testing.T) {
	daily, weekly := file(t, "daily.csv", "date"), file(t, "weekly.csv", "week")
	assert.Equal(t, []int{140, 140, 140}, []int{len(daily.Series), len(weekly.Series), len(file(t, "monthly.csv", "month").Series)})
	week, err := calendar.ParseCadence("week")
	require.NoError(t, err)
	for i, s := range daily.Series {
		w := weekly.Series[weekly.Find(s.Key)]
		sum, days := 0.0, 0
		at := w.First + len(w.Values)/3
		for t := range s.Values {
			if ord, _ := week.Ordinal(daily.Cadence.Start(daily.Ordinal(s.First + t))); ord == weekly.Ordinal(at) && panel.Known(s.Values[t]) {
				sum += s.Values[t]
				days++
			}
		}
		if days > 0 {
			assert.Equal(t, w.At(at), sum, s.Key)
		}
		switch line := daily.Label(2, i); line {
		case "notebook":
			assert.Equal(t, "2025-02-03", daily.Period(s.First))
		case "travel kettle":
			assert.Equal(t, "2026-01-31", daily.Period(s.End()-1))
		case "copper kettle":
			zeros := 0
			for _, v := range s.Values {
				if v == 0 {
					zeros++
				}
			}
			assert.Greater(t, zeros*2, len(s.Values), s.Key)
		}
	}
}

// A dozen oddities are planted, all in the weeks that are held back, and each shows.
func TestOdditiesAreInTheHeldBackWeeks(t *testing.T) {
	w := demo.New(demo.Seed)
	stories := map[string]bool{}
	for _, o := range w.Truth {
		stories[o.Story] = true
		assert.False(t, o.Date.Before(demo.End.AddDate(0, 0, 1-demo.AheadDays)), o.Story)
		assert.False(t, o.Date.After(demo.End), o.Story)
		assert.Contains(t, "expected data-error real-change", o.Kind)
	}
	assert.Len(t, stories, 12)
	actuals := file(t, "actuals.csv", "date")
	for _, o := range w.Truth {
		s := actuals.Series[actuals.Find(strings.Join([]string{o.Town, o.Channel, o.Line}, panel.KeySeparator))]
		ord, _ := actuals.Cadence.Ordinal(o.Date.Unix())
		v := s.At(int(ord - actuals.First))
		require.True(t, panel.Known(v), o.Story)
		if o.Factor == 0 {
			assert.Zero(t, v, o.Story)
		}
	}
}

// Higher prices and promotions move orders the way the scenario says.
func TestDriversWork(t *testing.T) {
	w := demo.New(demo.Seed)
	promoted, plain := [2]float64{}, [2]float64{}
	for _, s := range w.Series {
		if s.Line != "black tea" {
			continue
		}
		for d := s.From; d < s.To; d++ {
			if math.IsNaN(s.Orders[d]) {
				continue
			}
			side := &plain
			if s.Promotion[d] == 1 {
				side = &promoted
			}
			side[0] += s.Orders[d]
			side[1]++
		}
		assert.InDelta(t, s.Price[0]*1.08, s.Price[len(s.Price)-1], 0.01)
	}
	lift := math.Log(promoted[0] / promoted[1] / (plain[0] / plain[1]))
	assert.InDelta(t, 0.35, lift, 0.12, "log lift of a promotion")
}

// Buyers at a counter choose one of five tins: what one gains its neighbours lose, and that can be told from the file.
func TestTinsTakeFromTheirNeighbours(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, demo.New(demo.Seed).WriteFile("tins.csv", &b))
	l, err := ingest.Load(context.Background(), &b, "tins.csv", ingest.Form{}, ingest.Columns{Time: "week", Measures: []string{"tins"},
		By: []string{"town", "tea"}, Drivers: []string{"price", "leaflet"}, KnownAhead: []string{"price", "leaflet"}})
	require.NoError(t, err)
	p := l.Panel
	assert.Len(t, p.Series, 35)
	assert.Equal(t, 110, p.Length)
	for _, s := range p.Series {
		assert.Len(t, s.Drivers[0], 116, "planned six weeks ahead")
	}
	series := make([]int, len(p.Series))
	for i := range series {
		series[i] = i
	}
	assert.Equal(t, []string{"town"}, influence.Neighbours(p, series, nil, p.Length-1-12))
	assert.Empty(t, influence.CarryOver(p, series, nil, nil, p.Length-1-12))
}
