// Package calendar does the arithmetic of periods: it numbers them, names them,
// finds the spacing of a set of times and says where in a season a period lies.
//
// A period is an ordinal: an int64 that grows by one from a period to the next.
// Times are wall-clock times without a zone, held as seconds since 1970-01-01.
package calendar

import (
	"fmt"
	"strings"
	"time"
)

// Unit is the kind of spacing.
type Unit uint8

// The units, from fine to coarse; Number is a plain running count.
const (
	Number Unit = iota
	Quarterhour
	Halfhour
	Hour
	Day
	Week
	Month
	Quarter
	Year
)

var unitNames = [...]string{"number", "15min", "30min", "hour", "day", "week", "month", "quarter", "year"}

// Cadence is the spacing of a series. WeekStart counts only for weeks. Label is how
// periods are named on output; it is no part of the spacing.
type Cadence struct {
	Unit      Unit
	WeekStart time.Weekday
	Label     Label
}

// Label is the way periods are named.
type Label string

// The labels: by the period's first day or time, by its last day, or by a code.
const (
	LabelStart Label = ""
	LabelEnd   Label = "end"  // 2026-03-31 for March
	LabelCode  Label = "code" // 2026-03, 2026-Q1, 2026-W09
)

// Same says whether two cadences are the same spacing.
func (c Cadence) Same(d Cadence) bool {
	return c.Unit == d.Unit && (c.Unit != Week || c.WeekStart == d.WeekStart)
}

const (
	secondsPerDay = 86400
	// The first of each weekday on or after 1970-01-04, a Sunday, anchors weeks.
	firstSunday = 3
)

// String gives the words that ParseCadence reads: "day", "week", "week from sunday", "15min".
func (c Cadence) String() string {
	if int(c.Unit) >= len(unitNames) {
		return "unknown"
	}
	if c.Unit == Week && c.WeekStart != time.Monday {
		return weekFrom + strings.ToLower(c.WeekStart.String())
	}
	return unitNames[c.Unit]
}

const weekFrom = "week from "

// Code is the form that is kept and hashed, which never changes: "day", "week-mon".
func (c Cadence) Code() string {
	if c.Unit == Week {
		return "week-" + strings.ToLower(c.WeekStart.String()[:3])
	}
	return c.String()
}

// Word is the unit in plain words ("day").
func (u Unit) Word() string {
	switch u {
	case Number:
		return "period"
	case Quarterhour:
		return "quarter-hour"
	case Halfhour:
		return "half-hour"
	}
	return unitNames[u]
}

// Noun is the unit in plain words, for sentences ("28 days").
func (c Cadence) Noun(n int) string {
	word := c.Unit.Word()
	if n != 1 {
		word += "s"
	}
	return fmt.Sprintf("%d %s", n, word)
}

// ParseCadence reads a cadence's words. A plain "week" starts on Monday.
func ParseCadence(s string) (Cadence, error) {
	s = strings.ToLower(strings.TrimSpace(s))
	if s == "week" {
		return Cadence{Unit: Week, WeekStart: time.Monday}, nil
	}
	if day, ok := strings.CutPrefix(s, weekFrom); ok {
		d, err := ParseWeekday(day)
		return Cadence{Unit: Week, WeekStart: d}, err
	}
	for u, name := range unitNames {
		if s == name {
			return Cadence{Unit: Unit(u)}, nil
		}
	}
	return Cadence{}, fmt.Errorf("cadence %q is not known: use one of 15min, 30min, hour, day, week, month, quarter, year, number", s)
}

// ParseWeekday reads a day's name, in full or its first three letters.
func ParseWeekday(s string) (time.Weekday, error) {
	d, ok := weekday(strings.ToLower(strings.TrimSpace(s)))
	if !ok {
		return 0, fmt.Errorf("%q is no weekday: write monday, sunday and so on", s)
	}
	return d, nil
}

// MarshalText gives the code.
func (c Cadence) MarshalText() ([]byte, error) { return []byte(c.Code()), nil }

// UnmarshalText reads the code.
func (c *Cadence) UnmarshalText(b []byte) (err error) {
	text := string(b)
	if day, ok := strings.CutPrefix(text, "week-"); ok {
		text = weekFrom + day
	}
	*c, err = ParseCadence(text)
	return err
}

// span is the length in seconds of the units that have a fixed one.
func (u Unit) span() int64 {
	switch u {
	case Quarterhour:
		return 900
	case Halfhour:
		return 1800
	case Hour:
		return 3600
	case Day:
		return secondsPerDay
	case Week:
		return 7 * secondsPerDay
	}
	return 0
}

// anchor is the start of the period numbered 0, for units of fixed length.
func (c Cadence) anchor() int64 {
	if c.Unit == Week {
		return (firstSunday + int64(c.WeekStart)) * secondsPerDay
	}
	return 0
}

// Ordinal numbers the period that holds a time (seconds since 1970-01-01), and
// says whether the time is that period's very start. For Number the argument is
// itself the number.
func (c Cadence) Ordinal(sec int64) (ord int64, exact bool) {
	if c.Unit == Number {
		return sec, true
	}
	if w := c.Unit.span(); w > 0 {
		sec -= c.anchor()
		ord = floorDiv(sec, w)
		return ord, ord*w == sec
	}
	t := time.Unix(sec, 0).UTC()
	y, m := int64(t.Year()), int64(t.Month())-1
	switch c.Unit {
	case Month:
		ord = (y-1970)*12 + m
	case Quarter:
		ord = (y-1970)*4 + m/3
	default:
		ord = y
	}
	return ord, c.Start(ord) == sec
}

// Start is the first second of a period; for Number the number itself.
func (c Cadence) Start(ord int64) int64 {
	if c.Unit == Number {
		return ord
	}
	if w := c.Unit.span(); w > 0 {
		return ord*w + c.anchor()
	}
	y, m := ord, int64(0)
	switch c.Unit {
	case Month:
		y, m = 1970+floorDiv(ord, 12), floorMod(ord, 12)
	case Quarter:
		y, m = 1970+floorDiv(ord, 4), floorMod(ord, 4)*3
	}
	return time.Date(int(y), time.Month(m+1), 1, 0, 0, 0, 0, time.UTC).Unix()
}

// Format names a period: 2026-03-01, 2026-03-01 14:00, 2026 (year) or 17 (number).
// Weeks, months and quarters are named as the label says, by default by their first
// day.
func (c Cadence) Format(ord int64) string {
	if name := c.labelled(ord); name != "" {
		return name
	}
	if c.Label == LabelEnd && c.Unit != Number && c.Unit < Day {
		ord++ // named by the time at which it ends
	}
	switch c.Unit {
	case Number, Year:
		return fmt.Sprint(ord)
	case Quarterhour, Halfhour, Hour:
		return time.Unix(c.Start(ord), 0).UTC().Format("2006-01-02 15:04")
	}
	return time.Unix(c.Start(ord), 0).UTC().Format("2006-01-02")
}

// labelled is the name of a day or a longer period by its label; empty where the
// plain name holds.
func (c Cadence) labelled(ord int64) string {
	start := func(ord int64) time.Time { return time.Unix(c.Start(ord), 0).UTC() }
	switch {
	case c.Label == LabelEnd && c.Unit >= Week && c.Unit <= Quarter, c.Label == LabelEnd && c.Unit == Year:
		return start(ord+1).AddDate(0, 0, -1).Format("2006-01-02")
	case c.Label != LabelCode:
	case c.Unit == Month:
		return start(ord).Format("2006-01")
	case c.Unit == Quarter:
		t := start(ord)
		return fmt.Sprintf("%d-Q%d", t.Year(), (int(t.Month())+2)/3)
	case c.Unit == Week && c.WeekStart == time.Monday:
		y, w := start(ord).ISOWeek()
		return fmt.Sprintf("%d-W%02d", y, w)
	}
	return ""
}

// Season is the length in periods of the shortest season the cadence can show:
// a day for quarter-hours to hours, a week for days, a year for weeks to
// quarters; 1 where there is none.
func (c Cadence) Season() int {
	switch c.Unit {
	case Quarterhour:
		return 96
	case Halfhour:
		return 48
	case Hour:
		return 24
	case Day:
		return 7
	case Week:
		return 52
	case Month:
		return 12
	case Quarter:
		return 4
	}
	return 1
}

// Seasons lists, in periods, every season that the cadence can show, the shortest first: a
// day, a week and a year for hours and finer, a week and a year for days, a year for
// weeks to quarters.
func (c Cadence) Seasons() []float64 {
	const daysPerYear = 365.25
	switch c.Unit {
	case Quarterhour, Halfhour, Hour:
		day := float64(c.Season())
		return []float64{day, 7 * day, daysPerYear * day}
	case Day:
		return []float64{7, daysPerYear}
	case Week:
		return []float64{daysPerYear / 7}
	case Month, Quarter:
		return []float64{float64(c.Season())}
	}
	return nil
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b != 0 && (a < 0) != (b < 0) {
		q--
	}
	return q
}

func floorMod(a, b int64) int64 { return a - floorDiv(a, b)*b }
