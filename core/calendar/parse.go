package calendar

import (
	"errors"
	"fmt"
	"strconv"
	"time"
)

// Style is the way a time is written. A column holds one style.
type Style uint8

// The styles that ParseTime knows.
const (
	NoStyle        Style = iota
	StyleNumber          // 17 or 2026
	StyleMonth           // 2026-03
	StyleQuarter         // 2026-Q1
	StyleDate            // 2026-03-01
	StyleSlashDate       // 2026/03/01
	StyleStamp           // 2026-03-01 14:00 or 2026-03-01T14:00:00
)

// String shows the style by an example.
func (s Style) String() string {
	return [...]string{"none", "17", "2026-03", "2026-Q1", "2026-03-01", "2026/03/01", "2026-03-01 14:00"}[s]
}

var (
	errNotTime = errors.New("is not a time: write 2026-03-01, 2026-03-01 14:00, 2026-03, 2026-Q1 or a plain number")
	errZone    = errors.New("carries a time zone: write local times without one, as 2026-03-01 14:00")
	errTwoWays = errors.New("can be read day first or month first: write the year first, as 2026-03-01")
)

// ParseTime reads one time and says how it was written. The result is in seconds
// since 1970-01-01, or the number itself for StyleNumber. The error's text
// follows the quoted value in a sentence.
func ParseTime(s string) (int64, Style, error) {
	n := len(s)
	switch {
	case n == 0:
		return 0, NoStyle, errors.New("is empty: every row needs its period")
	case n == 10 && s[4] == s[7] && (s[4] == '-' || s[4] == '/'):
		style := StyleDate
		if s[4] == '/' {
			style = StyleSlashDate
		}
		sec, err := date(s)
		return sec, style, err
	case n >= 16 && s[4] == '-' && s[7] == '-' && (s[10] == 'T' || s[10] == ' '):
		sec, err := stamp(s)
		return sec, StyleStamp, err
	case n == 7 && s[4] == '-' && (s[5] == 'Q' || s[5] == 'q'):
		y, ok := digits(s[:4])
		if q := int64(s[6] - '0'); ok && q >= 1 && q <= 4 {
			return Cadence{Unit: Quarter}.Start((y-1970)*4 + q - 1), StyleQuarter, nil
		}
	case n == 7 && s[4] == '-':
		y, ok := digits(s[:4])
		m, ok2 := digits(s[5:])
		if ok && ok2 && m >= 1 && m <= 12 {
			return Cadence{Unit: Month}.Start((y-1970)*12 + m - 1), StyleMonth, nil
		}
	}
	if v, err := strconv.ParseInt(s, 10, 40); err == nil {
		return v, StyleNumber, nil
	}
	if n >= 8 && n <= 10 && (s[1] == '/' || s[2] == '/' || s[2] == '.' || s[2] == '-') {
		return 0, NoStyle, errTwoWays
	}
	return 0, NoStyle, errNotTime
}

func date(s string) (int64, error) {
	y, ok1 := digits(s[:4])
	m, ok2 := digits(s[5:7])
	d, ok3 := digits(s[8:10])
	if !ok1 || !ok2 || !ok3 {
		return 0, errNotTime
	}
	t := time.Date(int(y), time.Month(m), int(d), 0, 0, 0, 0, time.UTC)
	if t.Day() != int(d) || t.Month() != time.Month(m) {
		return 0, fmt.Errorf("is no day of the calendar: month %d, day %d", m, d)
	}
	return t.Unix(), nil
}

func stamp(s string) (int64, error) {
	sec, err := date(s[:10])
	if err != nil {
		return 0, err
	}
	h, ok1 := digits(s[11:13])
	m, ok2 := digits(s[14:16])
	if !ok1 || !ok2 || s[13] != ':' || h > 23 || m > 59 {
		return 0, errNotTime
	}
	sec += h*3600 + m*60
	rest := s[16:]
	if len(rest) >= 3 && rest[0] == ':' {
		v, ok := digits(rest[1:3])
		if !ok || v > 59 {
			return 0, errNotTime
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
	switch {
	case rest == "":
		return sec, nil
	case rest[0] == 'Z' || rest[0] == 'z' || rest[0] == '+' || rest[0] == '-' || rest[0] == ' ':
		return 0, errZone
	}
	return 0, errNotTime
}

func digits(s string) (v int64, ok bool) {
	for i := range len(s) {
		c := s[i] - '0'
		if c > 9 {
			return 0, false
		}
		v = v*10 + int64(c)
	}
	return v, true
}
