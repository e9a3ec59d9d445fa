package panel_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// counters are three daily series from a Monday on: one shut on Sundays, without rows, one
// that writes zeros there, and one that is always open.
func counters(n int) *panel.Panel {
	c := calendar.Cadence{Unit: calendar.Day}
	first, _ := c.Ordinal(1_767_571_200) // Monday, 5 January 2026
	p := &panel.Panel{Cadence: c, First: first, Length: n}
	for i, key := range []string{"shut", "zeros", "open"} {
		values := make([]float64, n)
		for t := range values {
			values[t] = float64(20 + (t*7+i)%5)
			if t%7 == 6 {
				values[t] = []float64{panel.Unknown, 0, 9}[i]
			}
		}
		p.Series = append(p.Series, panel.Series{Key: key, Values: values})
	}
	return p
}

func closedOn(p *panel.Panel, series, from, n int) (out []int) {
	for t := from; t < from+n; t++ {
		if p.IsClosed(series, t) {
			out = append(out, t)
		}
	}
	return out
}

// A weekday's line holds for those that never sell then, past and ahead; zeros there become
// unknown, and what is open stays as it is.
func TestClosedWeekday(t *testing.T) {
	const n = 70
	p := counters(n)
	assert.Same(t, p, p.WithClosed(n-1), "without lines nothing changes")
	p.Closed = []string{"sunday"}
	q := p.WithClosed(n - 1)
	assert.Equal(t, []int{69, 76, 83}, closedOn(q, 0, 64, 21))
	assert.Equal(t, []int{69, 76, 83}, closedOn(q, 1, 64, 21))
	assert.Empty(t, closedOn(q, 2, 0, n+21))
	assert.False(t, panel.Known(q.Series[1].Values[6]))
	assert.Equal(t, 0.0, p.Series[1].Values[6], "the panel itself stays")
	assert.Equal(t, 9.0, q.Series[2].Values[6])
	assert.Equal(t, map[string]int{"sunday": 2}, q.ClosedSeries())
	// One sale on a Sunday is kept, and the line still holds ahead.
	p.Series[1].Values[13] = 4
	q = p.WithClosed(n - 1)
	assert.Equal(t, 4.0, q.Series[1].Values[13])
	assert.True(t, q.IsClosed(1, n+6))
	p.Series[1].Values[13] = 0
	// Which lines hold is told by what lies up to the origin alone.
	for k := 41; k < n; k += 7 {
		p.Series[1].Values[k] = 5
	}
	assert.True(t, p.WithClosed(20).IsClosed(1, n+6))
	assert.False(t, p.WithClosed(n-1).IsClosed(1, n+6))
}

// Gaps that are closed tell the places of the week ahead; the check proposes days by itself
// until a line has them.
func TestClosedGapsAndProposals(t *testing.T) {
	const n = 70
	p := counters(n)
	assert.Equal(t, []string{"sunday"}, p.ClosedPlaces(0))
	assert.Equal(t, []string{"sunday"}, p.ClosedPlaces(1))
	assert.Empty(t, p.ClosedPlaces(2))
	kinds := func(p *panel.Panel) map[string][]int {
		out := map[string][]int{}
		for _, f := range panel.Look(p, 1).Findings {
			out[f.Kind] = f.Series
		}
		return out
	}
	assert.Equal(t, []int{0, 1}, kinds(p)["closed?"])
	assert.Equal(t, []int{0}, kinds(p)["gaps"])
	panel.FillGaps(p, panel.GapsClosed)
	assert.Equal(t, []string{panel.ClosedGaps}, p.Closed)
	q := p.WithClosed(n - 1)
	assert.Equal(t, []int{76, 83}, closedOn(q, 0, n, 21)[:2])
	assert.Empty(t, closedOn(q, 2, n, 21))
	assert.NotContains(t, kinds(p), "closed?")
	assert.NotContains(t, kinds(p), "gaps")
	panel.FillGaps(p, panel.GapsUnknown)
	assert.Empty(t, p.Closed)
}

// Filling gaps puts nothing where doors are shut; a line whose event has gone closes nothing and
// leaves the others as they are.
func TestClosedStaysClosed(t *testing.T) {
	const n = 69 // up to a Saturday: a series ends with a known value
	p := counters(n)
	p.Closed = []string{"event gone", "sunday"}
	p.Series[0].Values[9] = panel.Unknown // a Wednesday without a row
	panel.FillGaps(p, panel.GapsCarry)
	assert.Equal(t, p.Series[0].Values[8], p.Series[0].Values[9])
	assert.False(t, panel.Known(p.Series[0].Values[6]))
	assert.Equal(t, []int{69, 76}, closedOn(p.WithClosed(n-1), 0, 64, 14))
	assert.True(t, panel.NamesEvent("event stock taking", "stock taking"))
	assert.False(t, panel.NamesEvent("sunday", "sunday"))
}

// A series that seldom sells misses a weekday by chance: that is no closed day.
func TestSeldomIsNotClosed(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	false_ := 0
	for range 300 {
		p := counters(140)
		for k := range p.Series[2].Values {
			p.Series[2].Values[k] = 0
			if rnd.Float64() < 0.15 {
				p.Series[2].Values[k] = 3
			}
		}
		false_ += len(p.ClosedPlaces(2))
	}
	assert.LessOrEqual(t, false_, 2)
}

func TestClosedLines(t *testing.T) {
	const n = 70
	p := counters(n)
	day := p.Cadence.Start(p.Ordinal(72))
	p.Events = []calendar.Event{{Name: "stocktaking", Occasions: []calendar.Occasion{calendar.DayOf(day, day)}}}
	p.Drivers = []panel.Driver{{Name: "open", KnownAhead: true}, {Name: "rain"}}
	for i := range p.Series {
		open := make([]float64, n+14)
		for k := range open {
			open[k] = 1
		}
		open[75] = 0
		p.Series[i].Drivers = [][]float64{open, make([]float64, n)}
	}
	p.Closed = []string{"event stocktaking", "driver open=0"}
	q := p.WithClosed(n - 1)
	assert.Equal(t, []int{72, 75}, closedOn(q, 2, n, 14))
	p.Closed = []string{"march to january"}
	assert.Len(t, closedOn(p.WithClosed(n-1), 0, 0, n), 0, "it sold in January, so the line does not hold")
	p.Closed = []string{"july to october"}
	assert.Len(t, closedOn(p.WithClosed(n-1), 0, 0, 365), 31+31+30+31)
	for line, want := range map[string]string{"": "says nothing", "sundays": "no rule", "event nothing": "no event called",
		"driver rain":   "not known ahead",
		"driver open=x": "no number", "driver snow": "no driver called", "march to nowhere": "no rule"} {
		require.ErrorContains(t, panel.ParseClosed(p, []string{line}), want, line)
	}
	weeks := *p
	weeks.Cadence = calendar.Cadence{Unit: calendar.Week, WeekStart: 1}
	assert.ErrorContains(t, panel.ParseClosed(&weeks, []string{"sunday"}), "weekday")
	assert.NotEqual(t, panel.Hash(p), panel.Hash(counters(n)))
}
