package feature

import (
	"time"

	"paperkettle/core/calendar"
)

// part is a number that the calendar gives a period.
type part struct {
	name        string
	meaning     string
	finest      calendar.Unit // coarsest cadence that has it
	first, last int           // as levels; 0 and 0 for none
	value       func(t time.Time, c calendar.Cadence, ord int64) float64
}

var parts = []part{
	{"index", "number of the period, in rounds of a hundred", calendar.Year, 0, 0,
		func(_ time.Time, _ calendar.Cadence, ord int64) float64 { return float64(ord) / 100 }},
	{"year", "year", calendar.Year, 0, 0, func(t time.Time, _ calendar.Cadence, _ int64) float64 { return float64(t.Year()) }},
	{"half", "half of the year", calendar.Quarter, 1, 2,
		func(t time.Time, _ calendar.Cadence, _ int64) float64 { return float64((int(t.Month())-1)/6 + 1) }},
	{"quarter", "quarter of the year", calendar.Quarter, 1, 4,
		func(t time.Time, _ calendar.Cadence, _ int64) float64 { return float64((int(t.Month())-1)/3 + 1) }},
	{"month", "month of the year", calendar.Month, 1, 12, func(t time.Time, _ calendar.Cadence, _ int64) float64 { return float64(t.Month()) }},
	{"week", "week of the year", calendar.Week, 1, 53,
		func(t time.Time, _ calendar.Cadence, _ int64) float64 { _, w := t.ISOWeek(); return float64(w) }},
	{"day of month", "day of the month", calendar.Day, 1, 31, func(t time.Time, _ calendar.Cadence, _ int64) float64 { return float64(t.Day()) }},
	{"day of week", "day of the week, 1 for Monday", calendar.Day, 1, 7,
		func(t time.Time, _ calendar.Cadence, _ int64) float64 { return float64((int(t.Weekday())+6)%7 + 1) }},
	{"day of year", "day of the year", calendar.Day, 0, 0, func(t time.Time, _ calendar.Cadence, _ int64) float64 { return float64(t.YearDay()) }},
	{"hour", "hour of the day", calendar.Hour, 0, 23, func(t time.Time, _ calendar.Cadence, _ int64) float64 { return float64(t.Hour()) }},
	{"weekend hour", "hour of a Saturday or Sunday, counted from 1; 0 on other days", calendar.Hour, 1, 24,
		func(t time.Time, _ calendar.Cadence, _ int64) float64 {
			if t.Weekday() == time.Saturday || t.Weekday() == time.Sunday {
				return float64(t.Hour() + 1)
			}
			return 0
		}},
	{"working day", "1 from Monday to Friday", calendar.Day, 0, 0, func(t time.Time, _ calendar.Cadence, _ int64) float64 {
		if t.Weekday() == time.Saturday || t.Weekday() == time.Sunday {
			return 0
		}
		return 1
	}},
	{"working days", "days from Monday to Friday in the period", calendar.Year, 0, 0,
		func(t time.Time, c calendar.Cadence, ord int64) float64 { return workingDays(t, c, ord) }},
	{"month end", "days until the month's last", calendar.Day, 0, 0, func(t time.Time, _ calendar.Cadence, _ int64) float64 {
		return float64(time.Date(t.Year(), t.Month()+1, 0, 0, 0, 0, 0, time.UTC).Day() - t.Day())
	}},
}

func workingDays(t time.Time, c calendar.Cadence, ord int64) float64 {
	end := time.Unix(c.Start(ord+1), 0).UTC()
	n := 0.0
	for ; t.Before(end); t = t.AddDate(0, 0, 1) {
		if t.Weekday() != time.Saturday && t.Weekday() != time.Sunday {
			n++
		}
	}
	return n
}

func calendarPart(name string) *part {
	for i := range parts {
		if parts[i].name == name {
			return &parts[i]
		}
	}
	return nil
}

func calendarWords() (out []string) {
	for _, p := range parts[1:] {
		out = append(out, p.name)
	}
	return out
}
