package additive

import (
	"fmt"
	"math"

	"paperkettle/core/calendar"
	"paperkettle/core/model/harmonic"
	"paperkettle/core/panel"
)

// Recipe says which columns stand for a series: enough to lay them out over any periods.
type Recipe struct {
	Ordinal int64 // of index 0
	Length  int   // of the training part
	Trend   string
	Bends   []int // indices after which the slope may change
	Seasons []Season
	Events  []Event
	Drivers []Driver
}

// Season is one seasonal period, as free levels or as harmonics.
type Season struct {
	Name   string
	Period float64
	Pairs  int // 0: a level a place
}

// Event is a named event with days before and after.
type Event struct {
	Name          string
	Before, After int
}

// Driver is a driver, in logs or as it is, centred and divided by its spread.
type Driver struct {
	Name         string
	At           int // place in the view's drivers
	Log          bool
	Mean, Spread float64
}

// column is one regressor: what it belongs to, and how loosely it is held: the standard
// deviation of its coefficient before anything is seen, in those of the series; infinite
// for none.
type column struct {
	part   string
	name   string
	loose  float64
	values []float64
}

// columns lays the recipe out over the indices from..to of the series' own time, of which
// index shift is the view's index 0.
func (r *Recipe) columns(v panel.SeriesView, from, to, shift int) ([]column, error) {
	n := to - from
	var out []column
	add := func(part, name string, loose float64, value func(i int) float64) {
		c := column{part, name, loose, make([]float64, n)}
		for i := range n {
			c.values[i] = value(from + i)
		}
		out = append(out, c)
	}
	add("trend", "level", math.Inf(1), func(int) float64 { return 1 })
	length := float64(r.Length)
	if r.Trend != "flat" {
		add("trend", "slope", 2, func(i int) float64 { return float64(i)/length - 0.5 })
	}
	for _, at := range r.Bends {
		add("trend", fmt.Sprintf("bend %d", at), 2, func(i int) float64 { return float64(max(0, i-at)) / length })
	}
	for _, s := range r.Seasons {
		if s.Pairs == 0 {
			m := int(s.Period)
			for k := range m {
				add(s.Name, fmt.Sprintf("%s %d", s.Name, k+1), 1, func(i int) float64 {
					x := -1 / float64(m)
					if place(r.Ordinal+int64(i), m) == k {
						x++
					}
					return x
				})
			}
			continue
		}
		for k, values := range harmonic.Columns(s.Period, s.Pairs, r.Ordinal+int64(from), n) {
			out = append(out, column{s.Name, fmt.Sprintf("%s %d", s.Name, k+1), 0.7 / float64(k/2+1), values})
		}
	}
	for _, e := range r.Events {
		for offset := -e.Before; offset <= e.After; offset++ {
			name := e.Name
			if offset != 0 {
				name = fmt.Sprintf("%s %+d", e.Name, offset)
			}
			list := named(v.Events(), e.Name)
			c := v.View().Cadence()
			add(e.Name, name, 2, func(i int) (x float64) {
				for _, ev := range list {
					x += ev.Share(c, r.Ordinal+int64(i), offset)
				}
				return x
			})
		}
	}
	for _, d := range r.Drivers {
		values := v.Driver(d.At, to-shift)
		for i := from; i < to; i++ {
			if x := values[i-shift]; !panel.Known(x) || d.Log && x <= 0 {
				return nil, fmt.Errorf("the driver %s is unknown, or not above zero, at %s: give its values, or leave it out", d.Name, v.View().Cadence().Format(r.Ordinal+int64(i)))
			}
		}
		add(d.Name, d.Name, 2, func(i int) float64 { return (d.to(values[i-shift]) - d.Mean) / d.Spread })
	}
	return out, nil
}

func (d Driver) to(x float64) float64 {
	if d.Log {
		return math.Log(x)
	}
	return x
}

func named(list []*calendar.Event, name string) (out []*calendar.Event) {
	for _, e := range list {
		if e.Name == name {
			out = append(out, e)
		}
	}
	return out
}

func place(ord int64, m int) int {
	p := int(ord % int64(m))
	if p < 0 {
		p += m
	}
	return p
}

// seasonsOf finds the seasons that a cadence and a length can show: free levels for short
// ones after two rounds, harmonics for long ones.
func seasonsOf(c calendar.Cadence, known int) (out []Season) {
	names := map[calendar.Unit][]string{
		calendar.Quarterhour: {"day", "week", "year"}, calendar.Halfhour: {"day", "week", "year"}, calendar.Hour: {"day", "week", "year"},
		calendar.Day: {"week", "year"}, calendar.Week: {"year"}, calendar.Month: {"year"}, calendar.Quarter: {"year"},
	}[c.Unit]
	for k, period := range c.Seasons() {
		if float64(known) < 2*period {
			continue
		}
		s := Season{Name: names[k], Period: period}
		if period > mostLevels {
			s.Pairs = min(mostPairs, int(period/4), known/30)
		}
		out = append(out, s)
	}
	return out
}

// The bounds of automatic seasons.
const (
	mostLevels = 24 // longest season with a level a place
	mostPairs  = 8
)
