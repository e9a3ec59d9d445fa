package calendar

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// Feast is a rule that gives a day in each year.
type Feast struct {
	base  func(year int) time.Time
	shift int                  // days after it
	moved map[time.Weekday]int // days to move by if it falls on a weekday
	text  string
}

var (
	shifted  = regexp.MustCompile(`^(.+?) ?([+-]) ?(\d{1,3})(?: days?)?$`)
	fixedDay = regexp.MustCompile(`^(\d\d)-(\d\d)$`)
	nthDay   = regexp.MustCompile(`^(first|second|third|fourth|last)\s+(\w+)\s+of\s+(\w+)$`)
	nearDay  = regexp.MustCompile(`^(\w+)\s+(before|after|on or before|on or after)\s+(\d\d)-(\d\d)$`)
)

var errNotFeast = errors.New("is no date and no rule: write 2026-05-01, or for every year 12-25, easter, easter+39, orthodox easter-2, " +
	"last monday of may, monday on or before 05-24; with ', sunday to monday' it moves off that day")

// ParseFeast reads a rule for a day of every year:
//
//	12-25                      a fixed day
//	easter, orthodox easter    Sunday of the western or eastern Easter
//	first monday of may        also second, third, fourth, last
//	monday on or before 05-24  also before, after, on or after
//
// each with +N or -N days after it, and with ", sunday to monday" or ", saturday to
// friday" (several apart by commas) for days that are kept on another weekday.
func ParseFeast(s string) (Feast, error) {
	parts := strings.Split(strings.ToLower(strings.Join(strings.Fields(s), " ")), ",")
	f := Feast{text: strings.Join(parts, ",")}
	base := strings.TrimSpace(parts[0])
	var err error
	if f.base, err = feastBase(base); errors.Is(err, errNotFeast) {
		if m := shifted.FindStringSubmatch(base); m != nil {
			f.shift, _ = strconv.Atoi(m[2] + m[3])
			f.base, err = feastBase(m[1])
		}
	}
	if err != nil {
		return f, err
	}
	for _, p := range parts[1:] {
		from, to, ok := strings.Cut(strings.TrimSpace(p), " to ")
		a, okA := weekday(from)
		b, okB := weekday(to)
		if !ok || !okA || !okB {
			return f, fmt.Errorf("%q does not say how a day moves: write 'sunday to monday'", strings.TrimSpace(p))
		}
		if f.moved == nil {
			f.moved = map[time.Weekday]int{}
		}
		// The nearest such weekday; three days ahead at most.
		f.moved[a] = (int(b-a)+10)%7 - 3
	}
	return f, nil
}

func feastBase(s string) (func(int) time.Time, error) {
	switch s {
	case "easter":
		return Easter, nil
	case "orthodox easter":
		return OrthodoxEaster, nil
	}
	if m := fixedDay.FindStringSubmatch(s); m != nil {
		return fixed(m[1], m[2])
	}
	if m := nthDay.FindStringSubmatch(s); m != nil {
		return nth(m[1], m[2], m[3])
	}
	if m := nearDay.FindStringSubmatch(s); m != nil {
		day, ok := weekday(m[1])
		at, err := fixed(m[3], m[4])
		if !ok || err != nil {
			return nil, errNotFeast
		}
		return func(y int) time.Time { return near(at(y), day, m[2]) }, nil
	}
	return nil, errNotFeast
}

// fixed is a day of the year; 02-29 is 03-01 in years without it.
func fixed(month, day string) (func(int) time.Time, error) {
	m, _ := strconv.Atoi(month)
	d, _ := strconv.Atoi(day)
	if t := time.Date(2000, time.Month(m), d, 0, 0, 0, 0, time.UTC); int(t.Month()) != m || t.Day() != d {
		return nil, fmt.Errorf("is no day of the calendar: month %d, day %d", m, d)
	}
	return func(y int) time.Time { return time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC) }, nil
}

func nth(which, day, month string) (func(int) time.Time, error) {
	w, okDay := weekday(day)
	m := monthByName(month)
	if !okDay || m == 0 {
		return nil, errNotFeast
	}
	if which == "last" {
		return func(y int) time.Time {
			return near(time.Date(y, time.Month(m)+1, 0, 0, 0, 0, 0, time.UTC), w, "on or before")
		}, nil
	}
	weeks := map[string]int{"first": 0, "second": 1, "third": 2, "fourth": 3}[which]
	return func(y int) time.Time {
		return near(time.Date(y, time.Month(m), 1+7*weeks, 0, 0, 0, 0, time.UTC), w, "on or after")
	}, nil
}

// near is the weekday nearest to a day on one side of it.
func near(t time.Time, day time.Weekday, side string) time.Time {
	ahead := (int(day-t.Weekday()) + 7) % 7
	switch {
	case side == "after" && ahead == 0:
		ahead = 7
	case side == "before", side == "on or before" && ahead > 0:
		ahead -= 7
	}
	return t.AddDate(0, 0, ahead)
}

func weekday(s string) (time.Weekday, bool) {
	for d := time.Sunday; d <= time.Saturday; d++ {
		if name := strings.ToLower(d.String()); s == name || s == name[:3] {
			return d, true
		}
	}
	return 0, false
}

// In gives the feast's day in a year, in seconds since 1970-01-01.
func (f Feast) In(year int) int64 {
	t := f.base(year).AddDate(0, 0, f.shift)
	return t.AddDate(0, 0, f.moved[t.Weekday()]).Unix()
}

// String is the rule as it was read.
func (f Feast) String() string { return f.text }

// Easter is Easter Sunday of the western churches: the anonymous Gregorian
// algorithm (Nature 13, 1876; Meeus, Astronomical Algorithms, ch. 8).
func Easter(year int) time.Time {
	a, b, c := year%19, year/100, year%100
	d, e := b/4, b%4
	g := (b - (b+8)/25 + 1) / 3
	h := (19*a + b - d - g + 15) % 30
	i, k := c/4, c%4
	l := (32 + 2*e + 2*i - h - k) % 7
	m := (a + 11*h + 22*l) / 451
	n := h + l - 7*m + 114
	return time.Date(year, time.Month(n/31), n%31+1, 0, 0, 0, 0, time.UTC)
}

// OrthodoxEaster is Easter Sunday of the eastern churches, as a Gregorian date:
// Meeus' Julian algorithm (Astronomical Algorithms, ch. 8) and the distance of the
// two calendars.
func OrthodoxEaster(year int) time.Time {
	a, b, c := year%4, year%7, year%19
	d := (19*c + 15) % 30
	e := (2*a + 4*b - d + 34) % 7
	n := d + e + 114
	apart := year/100 - year/400 - 2
	return time.Date(year, time.Month(n/31), n%31+1+apart, 0, 0, 0, 0, time.UTC)
}
