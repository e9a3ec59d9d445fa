package additive

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"paperkettle/core/calendar"
	"paperkettle/core/model/harmonic"
	"paperkettle/core/model/single"
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
	// Growing parts are multiplied by the trend, whose coefficients these are; none at first,
	// when it counts as 1.
	Growing []string
	Level   []float64
	// Steps are the indices at which a driver that hardly ever changes does so: the level may
	// have moved at the same time, as loosely as Loose says.
	Steps []int
	Loose float64
}

// Event is a named event with days before and after.
type Event struct {
	Name          string
	Before, After int
	// Weekends are the days around that were seen on weekends and on working days, 0 the event's own: what they do on either
	// is told apart.
	Weekends []int
	Sundays  bool // are told apart from Saturdays: the event was on both
}

// Driver is a driver, in logs or as it is, centred and divided by its spread.
type Driver struct {
	Name         string
	At           int // place in the view's drivers
	Log          bool
	Shift        float64 // added before the log is taken
	Mean, Spread float64
	Low, High    float64 // that the training part saw
	Bends        []Bend  // of the line of what it does, ascending; none of a straight one
}

// The kinds of columns, by what they belong to.
const (
	ofTrend = iota
	ofSeason
	ofEvent
	ofDriver
	ofStep
)

// column is one regressor: what it belongs to, and how loosely it is held: the standard
// deviation of its coefficient before anything is seen, in those of the series; infinite
// for none.
type column struct {
	part   string
	name   string
	kind   int
	loose  float64
	values []float64
}

// layout is a recipe's columns in the making, over the indices from..to of the series' own
// time, of which index shift is the view's index 0.
type layout struct {
	r        *Recipe
	v        panel.SeriesView
	from, to int
	shift    int
	out      []column
}

func (r *Recipe) columns(v panel.SeriesView, from, to, shift int) ([]column, error) {
	l := &layout{r: r, v: v, from: from, to: to, shift: shift}
	l.trend()
	for i := range r.Seasons {
		if err := l.season(&r.Seasons[i]); err != nil {
			return nil, err
		}
	}
	for _, e := range r.Events {
		l.event(e)
	}
	for _, d := range r.Drivers {
		if err := l.driver(d); err != nil {
			return nil, err
		}
	}
	l.grow()
	for _, at := range r.Steps {
		l.add("trend", fmt.Sprintf("level from %d on", at), ofStep, r.Loose, func(i int) float64 {
			if i >= at {
				return 1
			}
			return 0
		})
	}
	return l.out, nil
}

// grow multiplies the columns of growing parts by the trend as it was fitted before.
func (l *layout) grow() {
	if len(l.r.Growing) == 0 || len(l.r.Level) == 0 {
		return
	}
	level := make([]float64, l.to-l.from)
	for k, b := range l.r.Level {
		for i, x := range l.out[k].values {
			level[i] += b * x
		}
	}
	for k := range l.out {
		if c := &l.out[k]; l.r.grows(c) {
			for i := range c.values {
				c.values[i] *= max(level[i], 0.05) // a trend near zero leaves a part its sign
			}
		}
	}
}

// grows says whether a column is of a part that grows with the trend: named itself, or as one
// of the events or the drivers, or of the seasons.
func (r *Recipe) grows(c *column) bool {
	kind := map[int]string{ofSeason: "seasons", ofEvent: "events", ofDriver: "drivers"}[c.kind]
	return kind != "" && (slices.Contains(r.Growing, kind) || slices.Contains(r.Growing, c.part))
}

func (l *layout) add(part, name string, kind int, loose float64, value func(i int) float64) {
	c := column{part, name, kind, loose, make([]float64, l.to-l.from)}
	for i := range c.values {
		c.values[i] = value(l.from + i)
	}
	l.out = append(l.out, c)
}

func (l *layout) trend() {
	l.add("trend", "level", ofTrend, math.Inf(1), func(int) float64 { return 1 })
	length := float64(l.r.Length)
	if l.r.Trend != "flat" {
		l.add("trend", "slope", ofTrend, 2, func(i int) float64 { return float64(i)/length - 0.5 })
	}
	for _, at := range l.r.Bends {
		l.add("trend", fmt.Sprintf("bend %d", at), ofTrend, 2, func(i int) float64 { return float64(max(0, i-at)) / length })
	}
}

// season lays out a season; where it holds only under a condition, once for where the
// condition holds and once for where it does not.
func (l *layout) season(s *Season) error {
	if s.When == nil {
		l.cycle(s, s.Name, nil)
		return nil
	}
	holds, err := l.holds(s.When)
	if err != nil {
		return err
	}
	l.cycle(s, s.Name+" when "+s.When.Text, func(i int) bool { return holds(i) })
	l.cycle(s, s.Name+" otherwise", func(i int) bool { return !holds(i) })
	return nil
}

func (l *layout) cycle(s *Season, part string, holds func(i int) bool) {
	on := func(i int) bool { return holds == nil || holds(i) }
	if s.Pairs == 0 {
		m := int(s.Period)
		for k := range m {
			l.add(part, fmt.Sprintf("%s %d", part, k+1), ofSeason, 1, func(i int) float64 {
				x := -1 / float64(m)
				if place(l.r.Ordinal+int64(i), m) == k {
					x++
				}
				if !on(i) {
					x = 0
				}
				return x
			})
		}
		return
	}
	for k, values := range harmonic.Columns(s.Period, s.Pairs, l.r.Ordinal+int64(l.from), l.to-l.from) {
		for i := range values {
			if !on(l.from + i) {
				values[i] = 0
			}
		}
		l.out = append(l.out, column{part, fmt.Sprintf("%s %d", part, k+1), ofSeason, 0.7 / float64(k/2+1), values})
	}
}

func (l *layout) event(e Event) {
	c := l.v.View().Cadence()
	list := named(l.v.Events(), e.Name)
	for offset := -e.Before; offset <= e.After; offset++ {
		name := e.Name
		if offset != 0 {
			name = fmt.Sprintf("%s %+d", e.Name, offset)
		}
		values := make([]float64, l.to-l.from)
		for _, ev := range list {
			l.occasions(ev, c, offset, values)
		}
		l.out = append(l.out, column{e.Name, name, ofEvent, 2, values})
		if slices.Contains(e.Weekends, offset) {
			l.weekend(e.Name, name, values, offset == 0 && e.Sundays)
		}
	}
}

// weekend adds what an event does otherwise on weekends than on working days, and where sundays says so on their Sundays
// than on Saturdays: a feast takes a working day to what Sundays are, and leaves these as they are.
func (l *layout) weekend(part, name string, values []float64, sundays bool) {
	both, apart := calendar.AtWeekends(l.v.View().Cadence(), l.r.Ordinal+int64(l.from), values)
	l.out = append(l.out, column{part, name + calendar.OnWeekend, ofEvent, 1, both})
	if sundays {
		l.out = append(l.out, column{part, name + calendar.OnSunday, ofEvent, 0.5, apart})
	}
}

// tellWeekends finds the days around an event that the training part saw on weekends and on working days.
func (r *Recipe) tellWeekends(e *Event, in single.Input) {
	c := in.Cadence()
	if !c.WithinDays() {
		return
	}
	list := named(in.Events(), e.Name)
	l := &layout{r: r, v: in.SeriesView, to: len(in.Values)}
	for offset := -e.Before; offset <= e.After; offset++ {
		share := make([]float64, l.to)
		for _, ev := range list {
			l.occasions(ev, c, offset, share)
		}
		seen := calendar.WeekdaysOf(c, r.Ordinal, l.to, func(i int) bool { return share[i] > 0 && panel.Known(in.Values[i]) })
		if seen.TellsWeekends(offset) {
			e.Weekends = append(e.Weekends, offset)
			e.Sundays = e.Sundays || offset == 0 && seen.TellsSundays()
		}
	}
}

// occasions adds an event's share of each period, looking only around its occasions.
func (l *layout) occasions(e *calendar.Event, c calendar.Cadence, offset int, values []float64) {
	const day = 24 * 3600
	reach := int64(max(offset, -offset)+1) * day
	next := l.from // occasions are in order
	for _, o := range e.Occasions {
		first, _ := c.Ordinal(o.Start - reach)
		last, _ := c.Ordinal(o.End + reach)
		for i := max(next, int(first-l.r.Ordinal)); i <= min(l.to-1, int(last-l.r.Ordinal)); i++ {
			values[i-l.from] += e.Share(c, l.r.Ordinal+int64(i), offset)
			next = i + 1
		}
	}
}

func (l *layout) driver(d Driver) error {
	values := l.v.Driver(d.At, l.to-l.shift)
	for i := l.from; i < l.to; i++ {
		if x := values[i-l.shift]; !panel.Known(x) {
			return fmt.Errorf("the driver %s is unknown at %s, and driver_gaps has nothing stand for it: give its values, or leave it out", d.Name,
				l.period(i))
		}
	}
	l.add(d.Name, d.Name, ofDriver, 2, func(i int) float64 { return (d.to(values[i-l.shift]) - d.Mean) / d.Spread })
	for k, b := range d.Bends {
		l.add(d.Name, d.bendName(k), ofDriver, 2, func(i int) float64 { return (b.above(d.to(values[i-l.shift])) - b.Mean) / d.Spread })
	}
	return nil
}

func (l *layout) period(i int) string {
	return l.v.View().Cadence().Format(l.r.Ordinal + int64(i))
}

// holds tells, for each index, whether a condition holds.
func (l *layout) holds(c *Condition) (func(i int) bool, error) {
	cadence := l.v.View().Cadence()
	if c.Name == "" {
		return func(i int) bool { return c.byCalendar(cadence, l.r.Ordinal+int64(i)) }, nil
	}
	for d, driver := range l.v.View().Drivers() {
		if driver.Name != c.Name {
			continue
		}
		values := l.v.Driver(d, l.to-l.shift)
		for i := l.from; i < l.to; i++ {
			if !panel.Known(values[i-l.shift]) {
				return nil, fmt.Errorf("the season that holds when %s: the driver is unknown at %s", c.Name, l.period(i))
			}
		}
		return func(i int) bool { return values[i-l.shift] > 0 }, nil
	}
	list := named(l.v.Events(), c.Name)
	if len(list) == 0 {
		return nil, fmt.Errorf("the season that holds when %s: there is no such driver or event; say \"when month 6 to 8\", or name one of them", c.Name)
	}
	return func(i int) bool {
		for _, e := range list {
			if e.Share(cadence, l.r.Ordinal+int64(i), 0) > 0 {
				return true
			}
		}
		return false
	}, nil
}

// farthestDown is how many times below the least that training saw a driver in logs is followed.
const farthestDown = 6

func (d Driver) to(x float64) float64 {
	if !d.Log {
		return x
	}
	least := d.Low + d.Shift
	if x += d.Shift; x <= 0 {
		x = least / 2 // falls to zero after training never saw it there
	}
	return math.Log(max(x, least/farthestDown))
}

func named(list []*calendar.Event, name string) (out []*calendar.Event) {
	for _, e := range list {
		if strings.EqualFold(e.Name, name) {
			out = append(out, e)
		}
	}
	return out
}
