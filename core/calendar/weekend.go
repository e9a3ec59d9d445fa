package calendar

import (
	"strings"
	"time"
)

// WithinDays says whether each period lies within one day.
func (c Cadence) WithinDays() bool { return c.Unit >= Quarterhour && c.Unit <= Day }

// Weekday is the day of the week that a period begins on.
func (c Cadence) Weekday(ord int64) time.Weekday {
	return time.Weekday(floorMod(c.day(ord)-firstSunday, 7))
}

// day numbers the days on which periods begin.
func (c Cadence) day(ord int64) int64 { return floorDiv(c.Start(ord), secondsPerDay) }

// Weekdays count the days that something came on, by the day of the week.
type Weekdays [7]int

// WeekdaysOf counts the days of n periods from one on; those that periods lie within count once.
func WeekdaysOf(c Cadence, first int64, n int, on func(i int) bool) (seen Weekdays) {
	last := int64(0)
	any := false
	for i := range n {
		if !on(i) {
			continue
		}
		if day := c.day(first + int64(i)); !any || day != last {
			seen[c.Weekday(first+int64(i))]++
			last, any = day, true
		}
	}
	return seen
}

// fewestBeside is how many times a day beside an event must have been seen on weekends, and on working days, to be told
// apart there: what it does is little, and each costs a column.
const fewestBeside = 2

// TellsWeekends says whether what the day so many days away from an event does on weekends can be told from what it does on
// working days: it was seen on both.
func (w Weekdays) TellsWeekends(offset int) bool {
	least := 1
	if offset != 0 {
		least = fewestBeside
	}
	working := 0
	for _, n := range w[time.Monday:time.Saturday] {
		working += n
	}
	return working >= least && w[time.Saturday]+w[time.Sunday] >= least
}

// TellsSundays says whether what it does on Sundays can be told from what it does on Saturdays.
func (w Weekdays) TellsSundays() bool { return w[time.Saturday] > 0 && w[time.Sunday] > 0 }

// AtWeekends parts an event's shares of periods from one on: those of weekends, and half those of Sundays less half those
// of Saturdays.
func AtWeekends(c Cadence, first int64, shares []float64) (weekends, sundays []float64) {
	weekends, sundays = make([]float64, len(shares)), make([]float64, len(shares))
	for i, x := range shares {
		if x == 0 {
			continue
		}
		switch c.Weekday(first + int64(i)) {
		case time.Saturday:
			weekends[i], sundays[i] = x, -x/2
		case time.Sunday:
			weekends[i], sundays[i] = x, x/2
		}
	}
	return weekends, sundays
}

// What an event does on weekends is told beside what it does on working days, and on Sundays beside what it does on
// Saturdays: these follow its name.
const (
	OnWeekend = " on a weekend"
	OnSunday  = " on a Sunday rather than a Saturday"
)

// PerOccasion says what the effect of an event is told of, by its name: an occurrence, or what one on a weekend has
// besides.
func PerOccasion(name string) string {
	switch {
	case strings.HasSuffix(name, OnWeekend):
		return "an occurrence, beside what it has on a working day"
	case strings.HasSuffix(name, OnSunday):
		return "an occurrence, beside what it has on a Saturday"
	}
	return "an occurrence"
}
