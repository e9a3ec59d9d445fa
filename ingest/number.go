package ingest

import (
	"errors"
	"math"
	"strconv"
	"strings"

	"paperkettle/core/panel"
)

// Marks are the characters inside numbers. Thousands is 0 where there are none.
type Marks struct {
	Decimal   byte // '.' or ','
	Thousands rune // ',', '.', ' ', no-break space or '
}

var plainMarks = Marks{Decimal: '.'}

// largest is the largest size a value may have: beyond it squares overflow.
const largest = 1e100

var (
	errNumber   = errors.New("is not a number: write 12.5, or leave the field empty where the value is unknown")
	errComma    = errors.New("is not a number here, but it would be with a decimal comma: say that the decimal mark is a comma")
	errInfinite = errors.New("is infinite: leave the field empty where the value is unknown")
	errHuge     = errors.New("is too large: values must lie within 1e100 of zero")
)

// parse reads a value; an empty field, NA, NaN and null are unknown.
func (m Marks) parse(s string) (float64, error) {
	text := s
	if m != plainMarks && strings.ContainsAny(s, ",.' \u00a0\u202f’") {
		text = m.plain(s)
	}
	v, err := strconv.ParseFloat(text, 64)
	if err == nil && !math.IsNaN(v) {
		switch {
		case math.IsInf(v, 0):
			return 0, errInfinite
		case math.Abs(v) > largest:
			return 0, errHuge
		}
		return v, nil
	}
	switch strings.ToLower(strings.TrimSpace(s)) {
	case "", "na", "n/a", "nan", "null":
		return panel.Unknown, nil
	}
	if trimmed := strings.TrimSpace(s); trimmed != s {
		return m.parse(trimmed)
	}
	if errors.Is(err, strconv.ErrRange) {
		return 0, errHuge
	}
	if _, err := strconv.ParseFloat(strings.Replace(s, ",", ".", 1), 64); err == nil && m.Decimal == '.' {
		return 0, errComma
	}
	return 0, errNumber
}

// plain rewrites a number with these marks for strconv; what does not keep to them
// comes back as it is, and fails there.
func (m Marks) plain(s string) string {
	text := strings.TrimSpace(s)
	whole, fraction, cut := strings.Cut(text, string(m.Decimal))
	if m.Thousands != 0 {
		groups := strings.FieldsFunc(whole, func(r rune) bool { return r == m.Thousands || m.Thousands == ' ' && (r == '\u00a0' || r == '\u202f') })
		for i, g := range groups {
			if i > 0 && len(g) != 3 {
				return "?" + s
			}
		}
		whole = strings.Join(groups, "")
	}
	if strings.ContainsAny(whole, ",.") || m.Decimal == ',' && strings.Contains(fraction, ".") {
		return "?" + s
	}
	if !cut {
		return whole
	}
	return whole + "." + fraction
}

func formatNumber(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }
