package feature

import (
	"fmt"
	"slices"
	"time"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// occasions are the events of a view by name, and the periods in which they were seen.
type occasions struct {
	events   map[string][]*calendar.Event
	from, to int64
}

// see takes the events of a series.
func (o *occasions) see(s panel.SeriesView) {
	first := s.View().Ordinal(s.First)
	last := first + int64(len(s.Values))
	if o.events == nil {
		o.events, o.from, o.to = map[string][]*calendar.Event{}, first, last
	}
	o.from, o.to = min(o.from, first), max(o.to, last)
	for _, e := range s.Events() {
		if !slices.Contains(o.events[e.Name], e) {
			o.events[e.Name] = append(o.events[e.Name], e)
		}
	}
}

// weekdays are how many times the day so many days away from an event was seen on each.
func (o *occasions) weekdays(c calendar.Cadence, name string, offset int) (seen [7]int) {
	for _, e := range o.events[name] {
		for i, share := range eventShares(e, offset, c, o.from, int(o.to-o.from)) {
			if share > 0 {
				seen[c.Weekday(o.from+int64(i))]++
			}
		}
	}
	return seen
}

// weekendEvents reads "weekend events" and "weekend events around 2": what events do otherwise on weekends than on working
// days, and on Sundays than on Saturdays, as far as they were seen on either.
func (p *parser) weekendEvents(words []string) error {
	around, err := daysAround("weekend events", words)
	if err != nil {
		return err
	}
	if !p.Cadence.WithinDays() {
		p.note("a %s is no day of a week", p.Cadence.Unit.Word())
		return nil
	}
	for _, name := range p.Events {
		for k := -around; k <= around; k++ {
			p.weekendEvent(name, k)
		}
	}
	return nil
}

func (p *parser) weekendEvent(name string, offset int) {
	seen := p.occasions.weekdays(p.Cadence, name, offset)
	day, least := name, 1
	if offset != 0 {
		day, least = fmt.Sprintf("%s %+d", name, offset), calendar.FewestBeside
	}
	if !calendar.OnBoth(seen, least) {
		return
	}
	c := Column{Name: day + calendar.OnWeekend, Meaning: fmt.Sprintf("share of a period at the weekend that %s takes", day), Group: name,
		Known: KnownAhead, Kind: kindWeekendEvent, Name2: name, Lag: offset}
	p.add(c)
	if offset == 0 && seen[time.Saturday] > 0 && seen[time.Sunday] > 0 {
		c.Name, c.Value = day+calendar.OnSunday, rather
		c.Meaning = fmt.Sprintf("half the share of a Sunday that %s takes, less half that of a Saturday", day)
		p.add(c)
	}
}

// rather tells the column of Sundays rather than Saturdays.
const rather = "sundays"

// atWeekends is what a column of weekends makes of an event's shares of periods from one on.
func (c *Column) atWeekends(shares []float64, cadence calendar.Cadence, first int64) {
	for i, x := range shares {
		if x == 0 {
			continue
		}
		switch day := cadence.Weekday(first + int64(i)); {
		case day != time.Saturday && day != time.Sunday:
			shares[i] = 0
		case c.Value == rather && day == time.Saturday:
			shares[i] = -x / 2
		case c.Value == rather:
			shares[i] = x / 2
		}
	}
}
