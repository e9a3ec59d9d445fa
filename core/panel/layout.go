package panel

import (
	"fmt"
	"time"

	"paperkettle/core/calendar"
)

// layer lays raw rows on a panel's axis, one series after the other.
type layer struct {
	p          *Panel
	ords       []int64
	rule       Combine // of the measure where rows share a period
	driverRule Combine
	last       int64 // no measure is kept past this period
	cure       string
	faults     []Fault
	seen       []uint32    // the line that a period came from
	counts     [][]float64 // known values combined there, of the measure and each driver
}

// layOut fills s from its raw rows. The measure spans its known values; drivers may
// reach past them.
func (l *layer) layOut(s *Series, raw *rawSeries) {
	first, last, lastRow, firstRow := l.span(raw)
	if first < 0 {
		first, last = 0, -1
	}
	s.First = first
	if l.sharesOrder(raw, last-first+1) {
		from := int(int64(first) - (l.ords[raw.times[0]] - l.p.First))
		s.Values = raw.values[from : from+last-first+1 : from+last-first+1]
		return
	}
	reach := last - first + 1
	if len(raw.drivers) > 0 {
		reach = max(reach, lastRow-first+1)
	}
	s.Values = unknowns(last - first + 1)
	for range raw.drivers {
		s.Drivers = append(s.Drivers, unknowns(max(reach, 0)))
	}
	lo := min(firstRow-first, 0)
	l.clear(max(reach, last-first+1)-lo, 1+len(raw.drivers))
	for j, t := range raw.times {
		if l.ords[t] == leftOut {
			continue
		}
		i := int(l.ords[t]-l.p.First) - first
		if i >= reach {
			continue
		}
		before := l.seen[i-lo]
		if before != 0 && l.rule == Refuse {
			l.faults = append(l.faults, Fault{Line: raw.lineOf(j), Series: s.Key, Problem: fmt.Sprintf(
				"period %s was already given on line %d: %s", l.p.Cadence.Format(l.ords[t]), before, l.cureOf(l.ords[t]))})
			continue
		}
		l.seen[i-lo] = uint32(max(raw.lineOf(j), 1))
		if i < 0 {
			continue
		}
		if i < len(s.Values) && l.ords[t] <= l.last {
			combine(l.rule, &s.Values[i], raw.values[j], &l.counts[0][i-lo])
		}
		for d := range raw.drivers {
			combine(l.driverRule, &s.Drivers[d][i], raw.drivers[d][j], &l.counts[1+d][i-lo])
		}
	}
}

// cureOf is what to do about a period that is there twice. An hour of a Sunday's night may be there twice since
// the clocks went back.
func (l *layer) cureOf(ord int64) string {
	at := time.Unix(l.p.Cadence.Start(ord), 0).UTC()
	if unit := l.p.Cadence.Unit; unit == calendar.Number || unit >= calendar.Day || at.Weekday() != time.Sunday || at.Hour() > 3 {
		return l.cure
	}
	return l.cure + "; if the clocks went back in that night, write times in UTC, or say how duplicates combine, as by their mean"
}

// span is the range of axis indices with a known measure, -1 where there is none,
// and the range of all rows.
func (l *layer) span(raw *rawSeries) (first, last, lastRow, firstRow int) {
	first, last = -1, -1
	for j, t := range raw.times {
		if l.ords[t] == leftOut {
			continue
		}
		i := int(l.ords[t] - l.p.First)
		lastRow, firstRow = max(lastRow, i), min(firstRow, i)
		if !Known(raw.values[j]) || l.ords[t] > l.last {
			continue
		}
		if first < 0 || i < first {
			first = i
		}
		last = max(last, i)
	}
	return first, last, lastRow, firstRow
}

// sharesOrder says whether a dense row's values lie in the axis' own order, so that
// they need not be copied.
func (l *layer) sharesOrder(raw *rawSeries, n int) bool {
	if raw.lines != nil || n <= 0 || l.rule != Refuse || len(raw.drivers) > 0 {
		return false
	}
	start := l.ords[raw.times[0]]
	for j, t := range raw.times {
		if l.ords[t] != start+int64(j) {
			return false
		}
	}
	return true
}

func (l *layer) clear(n, columns int) {
	if cap(l.seen) < n {
		l.seen, l.counts = make([]uint32, n), nil
	}
	l.seen = l.seen[:n]
	clear(l.seen)
	for len(l.counts) < columns {
		l.counts = append(l.counts, make([]float64, cap(l.seen)))
	}
	for _, c := range l.counts[:columns] {
		clear(c[:n])
	}
}

// combine adds a value to those its period has already; n counts the known ones. An
// unknown value leaves the others as they are.
func combine(rule Combine, have *float64, v float64, n *float64) {
	if !Known(v) {
		return
	}
	*n++
	switch {
	case *n == 1 || rule == Last || rule == Refuse:
		*have = v
	case rule == Sum:
		*have += v
	case rule == Mean:
		*have += (v - *have) / *n
	case rule == Max:
		*have = max(*have, v)
	case rule == Min:
		*have = min(*have, v)
	}
}

func unknowns(n int) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = Unknown
	}
	return out
}
