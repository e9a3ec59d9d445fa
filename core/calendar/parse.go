package calendar

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// Style is the way a time is written. A column holds one style.
type Style uint8

// The styles that ParseTime knows.
const (
	NoStyle         Style = iota
	StyleNumber           // 17 or 2026; also 20260301 and 202603 where all are such dates
	StyleMonth            // 2026-03
	StyleQuarter          // 2026-Q1
	StyleWeek             // 2026-W09
	StyleDate             // 2026-03-01, 2026/03/01
	StyleTwoWays          // 01/03/2026, 1.3.2026: day first or month first
	StyleNamed            // 1 Mar 2026, March 1, 2026
	StyleNamedMonth       // Mar 2026
	StyleShortMonth       // Mar 26, which could be a day without its year
	StyleStamp            // 2026-03-01 14:00, 2026-03-01T14:00:00
	StyleInstant          // 2026-03-01T14:00Z, with an offset
)

// String shows the style by an example.
func (s Style) String() string {
	return [...]string{"none", "17", "2026-03", "2026-Q1", "2026-W09", "2026-03-01", "01/03/2026", "1 Mar 2026", "Mar 2026", "Mar 26",
		"2026-03-01 14:00", "2026-03-01T14:00Z"}[s]
}

// Reading is one time as read. Seconds are since 1970-01-01 of the wall clock, or
// of UTC for StyleInstant, whose own clock's are in Other, or the number itself for StyleNumber. For StyleTwoWays
// Seconds is the reading with the day first and Other the one with the month first;
// NotTime marks the one that is no date.
type Reading struct {
	Seconds, Other int64
	Style          Style
}

// NotTime marks a reading that is not possible.
const NotTime = int64(-1) << 62

var errNotTime = errors.New("is not a time: write 2026-03-01, 2026-03-01 14:00, 2026-03, 2026-Q1, 2026-W09 or a plain number")

// ParseTime reads one time. The error's text follows the quoted value in a sentence.
func ParseTime(s string) (Reading, error) {
	n := len(s)
	switch {
	case n == 0:
		return Reading{}, errors.New("is empty: every row needs its period")
	case n == 10 && s[4] == s[7] && (s[4] == '-' || s[4] == '/'):
		sec, err := date(s)
		return Reading{sec, 0, StyleDate}, err
	case n >= 16 && s[4] == '-' && s[7] == '-' && (s[10] == 'T' || s[10] == ' '):
		return stamp(s)
	case (n == 7 || n == 6) && s[4] == '-' && (s[5] == 'Q' || s[5] == 'q') || n == 6 && (s[4] == 'Q' || s[4] == 'q'):
		return quarter(s)
	case n >= 7 && n <= 10 && strings.ContainsAny(s[4:6], "Ww"):
		return isoWeek(s)
	case n == 7 && s[4] == '-':
		y, ok := digits(s[:4])
		m, ok2 := digits(s[5:])
		if ok && ok2 && m >= 1 && m <= 12 {
			return Reading{Cadence{Unit: Month}.Start((y-1970)*12 + m - 1), 0, StyleMonth}, nil
		}
	}
	if v, err := strconv.ParseInt(s, 10, 42); err == nil { // up to this century's milliseconds since 1970
		return Reading{v, 0, StyleNumber}, nil
	}
	if m := withClock.FindStringSubmatch(s); m != nil {
		return clocked(m)
	}
	return loose(s)
}

// withClock is a date of any form with a time of the day.
var withClock = regexp.MustCompile(`^(.+?)[ T](\d{1,2}):(\d\d)(?::(\d\d)(?:\.0+)?)?(?: ?([AaPp])[Mm])?$`)

// clocked reads a date that is not written as ISO 8601 has it, with a time of the day.
func clocked(m []string) (Reading, error) {
	r, err := loose(strings.TrimRight(m[1], ", "))
	if err != nil {
		return r, err
	}
	if r.Style != StyleTwoWays && r.Style != StyleNamed {
		return Reading{}, errNotTime
	}
	h, _ := digits(m[2])
	minute, _ := digits(m[3])
	second, _ := digits(m[4])
	if m[5] != "" {
		if h < 1 || h > 12 {
			return Reading{}, errNotTime
		}
		h %= 12
		if strings.EqualFold(m[5], "p") {
			h += 12
		}
	}
	if h > 23 || minute > 59 || second > 59 {
		return Reading{}, errNotTime
	}
	for _, sec := range []*int64{&r.Seconds, &r.Other} {
		if *sec != NotTime {
			*sec += h*3600 + minute*60 + second
		}
	}
	return r, nil
}

func quarter(s string) (Reading, error) {
	y, ok := digits(s[:4])
	if q := int64(s[len(s)-1] - '0'); ok && q >= 1 && q <= 4 {
		return Reading{Cadence{Unit: Quarter}.Start((y-1970)*4 + q - 1), 0, StyleQuarter}, nil
	}
	return Reading{}, errNotTime
}

// isoWeek reads 2026-W09, 2026W09 and 2026-W09-1 (ISO 8601): the week's Monday.
func isoWeek(s string) (Reading, error) {
	plain := strings.ReplaceAll(s, "-", "")
	if len(plain) == 8 && plain[7] == '1' {
		plain = plain[:7]
	}
	if len(plain) != 7 || plain[4] != 'W' && plain[4] != 'w' {
		return Reading{}, errNotTime
	}
	y, ok1 := digits(plain[:4])
	w, ok2 := digits(plain[5:7])
	if !ok1 || !ok2 || w < 1 || w > 53 {
		return Reading{}, errNotTime
	}
	// The week that holds 4 January is the first.
	fourth := time.Date(int(y), 1, 4, 0, 0, 0, 0, time.UTC)
	monday := fourth.AddDate(0, 0, -(int(fourth.Weekday())+6)%7+7*int(w-1))
	if got, week := monday.ISOWeek(); got != int(y) || week != int(w) {
		return Reading{}, fmt.Errorf("is no week of the calendar: %d has 52", y)
	}
	return Reading{monday.Unix(), 0, StyleWeek}, nil
}

func date(s string) (int64, error) {
	y, ok1 := digits(s[:4])
	m, ok2 := digits(s[5:7])
	d, ok3 := digits(s[8:10])
	if !ok1 || !ok2 || !ok3 {
		return 0, errNotTime
	}
	sec, ok := civil(y, m, d)
	if !ok {
		return 0, fmt.Errorf("is no day of the calendar: month %d, day %d", m, d)
	}
	return sec, nil
}

// civil is the start of a day, if there is such a day.
func civil(y, m, d int64) (int64, bool) {
	t := time.Date(int(y), time.Month(m), int(d), 0, 0, 0, 0, time.UTC)
	return t.Unix(), t.Day() == int(d) && t.Month() == time.Month(m)
}

func stamp(s string) (Reading, error) {
	sec, err := date(s[:10])
	if err != nil {
		return Reading{}, err
	}
	h, ok1 := digits(s[11:13])
	m, ok2 := digits(s[14:16])
	if !ok1 || !ok2 || s[13] != ':' || h > 23 || m > 59 {
		return Reading{}, errNotTime
	}
	sec += h*3600 + m*60
	rest := s[16:]
	if len(rest) >= 3 && rest[0] == ':' {
		v, ok := digits(rest[1:3])
		if !ok || v > 59 {
			return Reading{}, errNotTime
		}
		sec, rest = sec+v, rest[3:]
		if len(rest) > 0 && rest[0] == '.' {
			i := 1
			for i < len(rest) && rest[i] == '0' {
				i++
			}
			rest = rest[i:]
		}
	}
	if rest == "" {
		return Reading{sec, 0, StyleStamp}, nil
	}
	shift, ok := offset(strings.TrimPrefix(rest, " "))
	if !ok {
		return Reading{}, errNotTime
	}
	return Reading{sec - shift, sec, StyleInstant}, nil
}

// offset reads Z, +01:00, +0100 or +01 as seconds east of UTC.
func offset(s string) (int64, bool) {
	if s == "Z" || s == "z" || s == "UTC" {
		return 0, true
	}
	if len(s) < 3 || s[0] != '+' && s[0] != '-' {
		return 0, false
	}
	h, ok := digits(s[1:3])
	rest := strings.TrimPrefix(s[3:], ":")
	m := int64(0)
	if ok && rest != "" {
		if len(rest) != 2 {
			return 0, false
		}
		m, ok = digits(rest)
	}
	if !ok || h > 14 || m > 59 {
		return 0, false
	}
	total := h*3600 + m*60
	if s[0] == '-' {
		total = -total
	}
	return total, true
}

// loose reads dates of three parts in other orders, and months by name.
func loose(s string) (Reading, error) {
	parts := strings.FieldsFunc(s, func(r rune) bool { return r == '/' || r == '.' || r == '-' || r == ' ' || r == ',' })
	if len(parts) == 4 && isWeekday(parts[0]) { // which the date says too
		parts = parts[1:]
	}
	month := int64(0)
	var numbers []int64
	for _, p := range parts {
		if v, ok := digits(p); ok && len(p) <= 4 {
			numbers = append(numbers, v)
		} else if m := monthByName(p); m > 0 && month == 0 {
			month = m
		} else {
			return Reading{}, errNotTime
		}
	}
	switch {
	case month > 0 && len(numbers) == 1 && numbers[0] >= 1000:
		sec, _ := civil(numbers[0], month, 1)
		return Reading{sec, 0, StyleNamedMonth}, nil
	case month > 0 && len(numbers) == 1 && numbers[0] < 100:
		sec, _ := civil(fullYear(numbers[0]), month, 1)
		return Reading{sec, 0, StyleShortMonth}, nil
	case month > 0 && len(numbers) == 2:
		d, y := numbers[0], numbers[1]
		if d >= 1000 {
			d, y = y, d
		}
		if sec, ok := civil(fullYear(y), month, d); ok {
			return Reading{sec, 0, StyleNamed}, nil
		}
	case month == 0 && len(numbers) == 3 && numbers[0] < 100:
		y := fullYear(numbers[2])
		r := Reading{NotTime, NotTime, StyleTwoWays}
		if sec, ok := civil(y, numbers[1], numbers[0]); ok {
			r.Seconds = sec
		}
		if sec, ok := civil(y, numbers[0], numbers[1]); ok {
			r.Other = sec
		}
		if r.Seconds != NotTime || r.Other != NotTime {
			return r, nil
		}
		return Reading{}, errors.New("is no day of the calendar, day first or month first")
	}
	return Reading{}, errNotTime
}

// fullYear reads a year of two digits as the one from 1970 to 2069.
func fullYear(y int64) int64 {
	switch {
	case y < 70:
		return 2000 + y
	case y < 100:
		return 1900 + y
	}
	return y
}

func monthByName(s string) int64 {
	s = strings.ToLower(s)
	for m := time.January; m <= time.December; m++ {
		if name := strings.ToLower(m.String()); s == name || s == name[:3] || m == time.September && s == "sept" {
			return int64(m)
		}
	}
	return 0
}

func isWeekday(s string) bool {
	for d := time.Sunday; d <= time.Saturday; d++ {
		if name := d.String(); strings.EqualFold(s, name) || strings.EqualFold(s, name[:3]) {
			return true
		}
	}
	return false
}

// CompactDate reads the number 20260301 as a day and 202603 as a month; ok is false
// for any other number.
func CompactDate(v int64) (sec int64, ok bool) {
	switch {
	case v >= 18000101 && v <= 22001231:
		return civil(v/10000, v/100%100, v%100)
	case v >= 180001 && v <= 220012:
		return civil(v/100, v%100, 1)
	}
	return 0, false
}

// CompactWeek reads the number 202401 as the first week of 2024 (ISO 8601); ok is false for any
// other number.
func CompactWeek(v int64) (sec int64, ok bool) {
	if v < 180001 || v > 220053 {
		return 0, false
	}
	r, err := isoWeek(fmt.Sprintf("%dW%02d", v/100, v%100))
	return r.Seconds, err == nil
}

// The day numbers of spreadsheets from 2000 to 2099, which count from the last day but one of 1899.
const (
	firstSerial, lastSerial = 36526, 73050
	serialOfEpoch           = 25569
)

// SerialDay reads a spreadsheet's number of a day of this century; ok is false for any other number.
func SerialDay(v int64) (sec int64, ok bool) {
	return (v - serialOfEpoch) * secondsPerDay, v >= firstSerial && v <= lastSerial
}

// Epoch reads a number of seconds, or of milliseconds, since 1970 from 1990 to 2099, as systems keep instants; ok is
// false for any other number.
func Epoch(v int64) (sec int64, ok bool) {
	const first, last = 631152000, 4102444800
	if v >= 1000*first && v%1000 == 0 {
		v /= 1000
	}
	return v, v >= first && v < last
}

func digits(s string) (v int64, ok bool) {
	for i := range len(s) {
		c := s[i] - '0'
		if c > 9 {
			return 0, false
		}
		v = v*10 + int64(c)
	}
	return v, len(s) > 0
}
