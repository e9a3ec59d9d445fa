package ingest

import (
	"errors"
	"math"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

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
	errDash     = errors.New("is a dash, which can stand for zero or for a value that is unknown: write 0, or leave the field empty")
	errHuge     = errors.New("is too large: values must lie within 1e100 of zero")
)

// parse reads a value; an empty field, NA, NaN and null are unknown.
func (m Marks) parse(s string) (float64, error) {
	v, _, err := m.read(s)
	return v, err
}

// read reads a value as people write it too: with a sign of its currency or of per cent, which it gives, in brackets
// for less than zero, or with its minus behind.
func (m Marks) read(s string) (v float64, unit string, err error) {
	text := s
	if m != plainMarks && strings.ContainsAny(s, ",.' \u00a0\u202f’") {
		text = m.plain(s)
	}
	v, err = strconv.ParseFloat(text, 64)
	if err == nil && !math.IsNaN(v) {
		switch {
		case math.IsInf(v, 0):
			return 0, "", errInfinite
		case math.Abs(v) > largest:
			return 0, "", errHuge
		}
		return v, "", nil
	}
	if isNothing(s) {
		return panel.Unknown, "", nil
	}
	if trimmed := strings.TrimSpace(s); trimmed != s {
		return m.read(trimmed)
	}
	if errors.Is(err, strconv.ErrRange) {
		return 0, "", errHuge
	}
	if plain, unit, ok := bare(s); ok {
		if v, _, err := m.read(plain); err == nil && panel.Known(v) {
			return v, unit, nil
		}
	}
	if strings.Trim(s, "-–—") == "" {
		return 0, "", errDash
	}
	if _, err := strconv.ParseFloat(strings.Replace(s, ",", ".", 1), 64); err == nil && m.Decimal == '.' {
		return 0, "", errComma
	}
	return 0, "", errNumber
}

// isNothing says that a field has no value.
func isNothing(s string) bool {
	switch strings.ToLower(strings.TrimSpace(s)) {
	case "", "na", "n/a", "#n/a", "nan", "null", "none", ".", "..", "?":
		return true
	}
	return false
}

// bare takes the sign of a currency or of per cent off a number, and writes one in brackets, or with its minus
// behind, with it in front; ok is false where there is nothing of that.
func bare(s string) (plain, unit string, ok bool) {
	plain = strings.TrimSpace(s)
	minus := ""
	if inner, cut := strings.CutPrefix(plain, "("); cut {
		if plain, cut = strings.CutSuffix(inner, ")"); !cut || strings.ContainsAny(plain, "()") {
			return s, "", false
		}
		minus = "-"
	}
	if rest, cut := strings.CutSuffix(plain, "-"); cut && rest != "" && minus == "" {
		plain, minus = rest, "-"
	} else if rest, cut := strings.CutPrefix(plain, "-"); cut && minus == "" {
		plain, minus = rest, "-"
	}
	if first, size := utf8.DecodeRuneInString(plain); unicode.Is(unicode.Sc, first) {
		plain, unit = plain[size:], string(first)
	} else if last, size := utf8.DecodeLastRuneInString(plain); last == '%' || unicode.Is(unicode.Sc, last) {
		plain, unit = plain[:len(plain)-size], string(last)
	}
	plain = strings.TrimSpace(plain)
	if rest, cut := strings.CutPrefix(plain, "-"); cut && minus == "" {
		plain, minus = rest, "-"
	}
	if plain == "" || !unicode.IsDigit(rune(plain[0])) && plain[0] != '.' && plain[0] != ',' {
		return s, "", false
	}
	plain = minus + plain
	return plain, unit, plain != strings.TrimSpace(s)
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
