package panel

import (
	"fmt"
	"slices"
)

// Gaps says what a period without a row means, between a series' first and last.
type Gaps string

// The meanings of a gap.
const (
	GapsUnknown     Gaps = "unknown"
	GapsZero        Gaps = "zero"
	GapsCarry       Gaps = "carry"
	GapsInterpolate Gaps = "interpolate" // on the straight line between the neighbours
	GapsClosed      Gaps = "closed"      // known not to happen: see Panel.Closed
)

// ParseGaps reads the word; empty is unknown.
func ParseGaps(s string) (Gaps, error) {
	switch g := Gaps(s); g {
	case "":
		return GapsUnknown, nil
	case GapsUnknown, GapsZero, GapsCarry, GapsInterpolate, GapsClosed:
		return g, nil
	}
	return "", fmt.Errorf("gaps %q is not known: use zero, unknown, carry, interpolate or closed", s)
}

// FillGaps gives unknown periods inside each series the meaning of the rule.
func FillGaps(p *Panel, rule Gaps) {
	p.closeGaps(rule)
	if rule == "" || rule == GapsUnknown || rule == GapsClosed {
		return
	}
	shut := p.WithClosed(p.Length - 1)
	for i := range p.Series {
		s := &p.Series[i]
		var closed []int
		for k, v := range s.Values {
			if !Known(v) && shut.IsClosed(i, s.First+k) {
				closed = append(closed, k)
			}
		}
		fillSeries(s.Values, rule)
		for _, k := range closed { // nothing was carried on where nothing could happen
			s.Values[k] = Unknown
		}
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

// closeGaps adds the line of closed gaps, or takes it away.
func (p *Panel) closeGaps(rule Gaps) {
	at := slices.Index(p.Closed, ClosedGaps)
	switch {
	case rule == GapsClosed && at < 0:
		p.Closed = append(slices.Clone(p.Closed), ClosedGaps)
	case rule != GapsClosed && at >= 0:
		p.Closed = slices.Delete(slices.Clone(p.Closed), at, at+1)
	}
}
