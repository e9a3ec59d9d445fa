package panel

import "fmt"

// Gaps says what a period without a row means, between a series' first and last.
type Gaps string

// The meanings of a gap.
const (
	GapsUnknown     Gaps = "unknown"
	GapsZero        Gaps = "zero"
	GapsCarry       Gaps = "carry"
	GapsInterpolate Gaps = "interpolate" // on the straight line between the neighbours
)

// ParseGaps reads the word; empty is unknown.
func ParseGaps(s string) (Gaps, error) {
	switch g := Gaps(s); g {
	case "":
		return GapsUnknown, nil
	case GapsUnknown, GapsZero, GapsCarry, GapsInterpolate:
		return g, nil
	}
	return "", fmt.Errorf("gaps %q is not known: use zero, unknown, carry or interpolate", s)
}

// FillGaps gives unknown periods inside each series the meaning of the rule.
func FillGaps(p *Panel, rule Gaps) {
	if rule == "" || rule == GapsUnknown {
		return
	}
	for i := range p.Series {
		fillSeries(p.Series[i].Values, rule)
	}
}

// fillSeries relies on a series beginning and ending with a known value.
func fillSeries(values []float64, rule Gaps) {
	for j := 0; j < len(values); j++ {
		if Known(values[j]) {
			continue
		}
		end := j
		for !Known(values[end]) {
			end++
		}
		before, after := values[j-1], values[end]
		for k := j; k < end; k++ {
			switch rule {
			case GapsZero:
				values[k] = 0
			case GapsCarry:
				values[k] = before
			case GapsInterpolate:
				w := float64(k-j+1) / float64(end-j+1)
				values[k] = before + w*(after-before)
			}
		}
		j = end
	}
}
