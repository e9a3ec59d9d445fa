package additive

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"paperkettle/core/calendar"
)

// Season is one seasonal period, as free levels or as harmonics.
type Season struct {
	Name   string
	Period float64
	Pairs  int // 0: a level a place
	When   *Condition
}

// Condition is when a season holds: in months, on Saturdays and Sundays, while a driver is
// above zero, or on the periods of an event.
type Condition struct {
	Text     string
	From, To time.Month
	Weekend  bool
	Name     string // of a driver or event; empty for months and weekends
}

// byCalendar says whether a condition of months or weekends holds in a period.
func (c *Condition) byCalendar(cadence calendar.Cadence, ord int64) bool {
	t := time.Unix(cadence.Start(ord), 0).UTC()
	if c.Weekend {
		return t.Weekday() == time.Saturday || t.Weekday() == time.Sunday
	}
	m := t.Month()
	if c.From <= c.To {
		return c.From <= m && m <= c.To
	}
	return m >= c.From || m <= c.To // over the turn of the year
}

// wish is a season as the settings ask for it.
type wish struct {
	name   string
	period float64 // 0: of the cadence, by its name
	pairs  int     // -1: as the period has it; 0: levels
	when   *Condition
}

// parseWish reads "year", "week as levels", "13 as harmonics 3", "week when month 6 to 8".
func parseWish(text string) (wish, error) {
	w := wish{pairs: -1}
	bad := fmt.Errorf("%q is no season: say week, year or a number of periods, then \"as levels\" or \"as harmonics 4\", then \"when month 6 "+
		"to 8\" or \"when NAME\" of a driver or event", text)
	head, when, conditional := strings.Cut(text, " when ")
	if conditional {
		c, err := parseCondition(strings.TrimSpace(when))
		if err != nil {
			return w, err
		}
		w.when = c
	}
	fields := strings.Fields(head)
	if len(fields) == 0 {
		return w, bad
	}
	w.name = fields[0]
	if period, err := strconv.ParseFloat(w.name, 64); err == nil {
		if period < 2 {
			return w, fmt.Errorf("a season of %s periods is none: give 2 or more", w.name)
		}
		w.period, w.name = period, "season of "+w.name
	} else if w.name != "day" && w.name != "week" && w.name != "year" {
		return w, bad
	}
	switch rest := strings.Join(fields[1:], " "); {
	case rest == "":
	case rest == "as levels":
		w.pairs = 0
	default:
		if _, err := fmt.Sscanf(rest, "as harmonics %d", &w.pairs); err != nil || w.pairs < 1 || w.pairs > 50 {
			return w, bad
		}
	}
	return w, nil
}

func parseCondition(text string) (*Condition, error) {
	c := &Condition{Text: text}
	if rest, ok := strings.CutPrefix(text, "month "); ok {
		first, last, span := strings.Cut(rest, " to ")
		if !span {
			last = first
		}
		from, errFrom := strconv.Atoi(strings.TrimSpace(first))
		to, errTo := strconv.Atoi(strings.TrimSpace(last))
		if errFrom != nil || errTo != nil || from < 1 || from > 12 || to < 1 || to > 12 {
			return nil, fmt.Errorf("%q are no months: say \"month 6 to 8\", with numbers from 1 to 12", text)
		}
		c.From, c.To = time.Month(from), time.Month(to)
		return c, nil
	}
	if text == "weekend" {
		c.Weekend = true
		return c, nil
	}
	if text == "" {
		return nil, fmt.Errorf("a season's condition is empty: say \"when month 6 to 8\", or name a driver or an event")
	}
	c.Name = text
	return c, nil
}

// seasonNames are those of a cadence's seasons, shortest first.
func seasonNames(u calendar.Unit) []string {
	switch u {
	case calendar.Quarterhour, calendar.Halfhour, calendar.Hour:
		return []string{"day", "week", "year"}
	case calendar.Day:
		return []string{"week", "year"}
	case calendar.Week, calendar.Month, calendar.Quarter:
		return []string{"year"}
	}
	return nil
}

// The bounds of automatic seasons.
const (
	mostLevels = 24 // longest season with a level a place
	mostPairs  = 8
)

// season has free levels where it is short, and harmonics where it is long.
func newSeason(name string, period float64, known int) Season {
	s := Season{Name: name, Period: period}
	if period > mostLevels || period != float64(int(period)) {
		s.Pairs = max(1, min(mostPairs, int(period/4), known/30))
	}
	return s
}

// seasonsOf finds the seasons that a cadence and a length can show, after two rounds, or
// those that are asked for, with a note on each that can't be had.
func seasonsOf(c calendar.Cadence, known int, wishes []wish) (out []Season, notes []string) {
	names := seasonNames(c.Unit)
	if wishes == nil {
		for k, period := range c.Seasons() {
			if k < len(names) && float64(known) >= 2*period {
				out = append(out, newSeason(names[k], period, known))
			}
		}
		return out, nil
	}
	for _, w := range wishes {
		period := w.period
		for k, p := range c.Seasons() {
			if k < len(names) && names[k] == w.name {
				period = p
			}
		}
		switch {
		case period == 0:
			notes = append(notes, fmt.Sprintf("the season of the %s is left out: a series by the %s has none", w.name, c.Unit.Word()))
			continue
		case float64(known) < 1.2*period:
			notes = append(notes, fmt.Sprintf("the season %s is left out: %d known values show no round of %.4g", w.name, known, period))
			continue
		}
		s := newSeason(w.name, period, known)
		s.When = w.when
		switch {
		case w.pairs == 0 && period == float64(int(period)) && int(period) <= known/2:
			s.Pairs = 0
		case w.pairs == 0:
			notes = append(notes, fmt.Sprintf("the season %s has harmonics: %d known values don't carry %.4g levels", w.name, known, period))
		case w.pairs > 0:
			s.Pairs = max(1, min(w.pairs, int(period/2)-1))
		}
		out = append(out, s)
	}
	return out, notes
}

func place(ord int64, m int) int {
	p := int(ord % int64(m))
	if p < 0 {
		p += m
	}
	return p
}
