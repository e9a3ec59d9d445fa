package panel

import (
	"fmt"
	"math"
	"strings"
	"unicode"
)

// leaks finds drivers that copy the measure: their correlation over a series is
// beyond 0.999.
func leaks(p *Panel) []Finding {
	var out []Finding
	for d, info := range p.Drivers {
		f := Finding{Kind: "leaking driver", Grade: "serious",
			Meaning: fmt.Sprintf("has a driver, %s, that copies the measure: it holds the answer, and in use it won't be there; leave it out", info.Name)}
		for i := range p.Series {
			if s := &p.Series[i]; copies(s.Values, s.Drivers[d]) {
				f.Series = append(f.Series, i)
			}
		}
		if len(f.Series) > 0 {
			out = append(out, f)
		}
	}
	return out
}

func copies(y, x []float64) bool {
	n, mx, my, sxx, syy, sxy := 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
	for i := range min(len(y), len(x)) {
		if !Known(y[i]) || !Known(x[i]) {
			continue
		}
		n++
		dx, dy := x[i]-mx, y[i]-my
		mx += dx / n
		my += dy / n
		sxx += dx * (x[i] - mx)
		syy += dy * (y[i] - my)
		sxy += dx * (y[i] - my)
	}
	return n >= 20 && sxx > 0 && syy > 0 && math.Abs(sxy) > 0.999*math.Sqrt(sxx*syy)
}

// mostCompared bounds the pairs of names whose letters are compared.
const mostCompared = 1000

// spellings finds attribute values that differ only in case, blanks or marks, or in
// one letter of a longer name: perhaps one thing under two names.
func spellings(p *Panel) []Finding {
	var out []Finding
	for a := range p.Attributes {
		at := &p.Attributes[a]
		plain := make([]string, len(at.Values))
		first := map[string]int{}
		for i, v := range at.Values {
			plain[i] = squash(v)
			if j, ok := first[plain[i]]; ok {
				out = append(out, twoNames(at, j, i))
			} else {
				first[plain[i]] = i
			}
		}
		for i := range min(len(plain), mostCompared) {
			for j := i + 1; j < min(len(plain), mostCompared); j++ {
				if plain[i] != plain[j] && oneLetterApart(plain[i], plain[j]) {
					out = append(out, twoNames(at, i, j))
				}
			}
		}
	}
	return out
}

func twoNames(at *Attribute, i, j int) Finding {
	f := Finding{Kind: "alike spelling", Grade: "notable",
		Meaning: fmt.Sprintf("has the %s %q or %q, which may be one: mend the spelling in the source, or its history stays cut in two", at.Name,
			at.Values[i], at.Values[j])}
	for s, code := range at.Codes {
		if int(code) == i || int(code) == j {
			f.Series = append(f.Series, s)
		}
	}
	return f
}

func squash(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, s)
}

// longName is the length from which a single letter may be a slip.
const longName = 6

// oneLetterApart says whether two longer names differ by one letter put in, left out
// or exchanged. Digits count names apart.
func oneLetterApart(a, b string) bool {
	if len(a) > len(b) {
		a, b = b, a
	}
	if len(a) < longName || len(b)-len(a) > 1 {
		return false
	}
	i := 0
	for i < len(a) && a[i] == b[i] {
		i++
	}
	rest := a[i:]
	if len(a) == len(b) {
		if i == len(a) {
			return false
		}
		rest = a[i+1:]
	}
	return rest == b[i+1:] && !unicode.IsDigit(rune(b[i])) && (i >= len(a) || !unicode.IsDigit(rune(a[i])))
}
