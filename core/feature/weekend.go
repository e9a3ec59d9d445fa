package feature

import (
	"fmt"
	"slices"

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

// weekdays are the days of the week on which the day so many days away from an event was seen.
func (o *occasions) weekdays(c calendar.Cadence, name string, offset int) calendar.Weekdays {
	n := int(o.to - o.from)
	on := make([]bool, n)
	for _, e := range o.events[name] {
		for i, share := range eventShares(e, offset, c, o.from, n) {
			on[i] = on[i] || share > 0
		}
	}
	return calendar.WeekdaysOf(c, o.from, n, func(i int) bool { return on[i] })
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
	if !seen.TellsWeekends(offset) {
		return
	}
	day := name
	if offset != 0 {
		day = fmt.Sprintf("%s %+d", name, offset)
	}
	c := Column{Name: day + calendar.OnWeekend, Meaning: fmt.Sprintf("share of a period at the weekend that %s takes", day), Group: name,
		Known: KnownAhead, Kind: kindWeekendEvent, Name2: name, Lag: offset}
	p.add(c)
	if offset == 0 && seen.TellsSundays() {
		c.Name, c.Value = day+calendar.OnSunday, rather
		c.Meaning = fmt.Sprintf("half the share of a Sunday that %s takes, less half that of a Saturday", day)
		p.add(c)
	}
}

// rather tells the column of Sundays rather than Saturdays.
const rather = "sundays"
