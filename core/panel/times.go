package panel

import (
	"fmt"
	"math"
	"strings"
	"time"

	"paperkettle/core/calendar"
)

// leftOut marks a time outside the periods that are kept.
const leftOut = int64(math.MinInt64)

// NoTime marks that there is no such time.
const NoTime = int64(math.MinInt64)

// axis is what the raw times became.
type axis struct {
	cadence    calendar.Cadence
	ords       []int64 // a period for each time code
	nextNative int64   // where aggregating: the time after the last raw one
	lastOrd    int64   // and the period that holds the last raw one
}

// resolve reads all times at once: only the whole column tells the order of day
// and month, the cadence, and what the labels stand for.
func (b *Builder) resolve() (axis, []Fault) {
	seconds, faults := b.seconds()
	if len(faults) > 0 {
		return axis{}, faults
	}
	a := axis{ords: make([]int64, len(seconds)), nextNative: NoTime}
	kept := seconds
	if b.opt.From != "" || b.opt.To != "" {
		var err error
		if kept, err = b.keep(seconds); err != nil {
			return a, []Fault{{Problem: err.Error()}}
		}
	}
	if b.opt.Aggregate != Refuse {
		return b.aggregate(a, kept)
	}
	c, end, err := b.cadence(kept)
	if u := b.opt.Usual; err != nil && u != nil && b.opt.Cadence == nil && b.fitsStyle(*u) == nil {
		c, end, err = *u, b.opt.Label == AtEnd || b.opt.Label == "" && endsOf(*u, kept), nil
	}
	if err != nil {
		return a, []Fault{{Problem: "cadence: " + err.Error()}}
	}
	a.cadence = c
	a.cadence.Label = b.label(c, end)
	b.cautionWeeks(c, end)
	for i, sec := range kept {
		if sec == leftOut {
			a.ords[i] = leftOut
			continue
		}
		if b.style == calendar.StyleNumber {
			a.ords[i] = sec
			continue
		}
		ord, exact := ordinal(c, sec, end)
		if !exact {
			faults = append(faults, Fault{Line: b.times[i].line, Value: b.times[i].text, Problem: fmt.Sprintf(
				"is not the start of a %s: its %s starts at %s; write period starts, aggregate, or give another cadence", c.Unit.Word(), c.Unit.Word(),
				c.Format(ord))})
		}
		a.ords[i] = ord
	}
	return a, faults
}

// ordinal is the period that a time names: the one it starts, or the one whose last
// day (or, below a day, end) it is.
func ordinal(c calendar.Cadence, sec int64, end bool) (ord int64, exact bool) {
	if !end || c.Unit == calendar.Number {
		return c.Ordinal(sec)
	}
	if c.Unit >= calendar.Day {
		sec += 86400
	}
	ord, exact = c.Ordinal(sec)
	return ord - 1, exact
}

// seconds turns every reading into wall-clock seconds, or into the plain number.
func (b *Builder) seconds() ([]int64, []Fault) {
	out := make([]int64, len(b.times))
	order, fault := b.dateOrder()
	if fault != nil {
		return nil, []Fault{*fault}
	}
	dates := b.style == calendar.StyleInstant && b.opt.Zone == nil && b.midnights()
	if b.style == calendar.StyleInstant && b.opt.Zone == nil && !dates {
		return nil, []Fault{{Line: b.times[0].line, Value: b.times[0].text,
			Problem: "is an instant with an offset: say into which zone the times go, as UTC or an area's name, or write local times without an offset"}}
	}
	if fault := b.shortMonths(); fault != nil {
		return nil, []Fault{*fault}
	}
	compact, fault := b.compactTimes()
	if fault != nil {
		return nil, []Fault{*fault}
	}
	for i, t := range b.times {
		out[i] = t.reading.Seconds
		switch {
		case dates:
			out[i] = t.reading.Other
		case b.style == calendar.StyleTwoWays && order == MonthFirst:
			out[i] = t.reading.Other
		case b.style == calendar.StyleInstant:
			_, shift := time.Unix(t.reading.Seconds, 0).In(b.opt.Zone).Zone()
			out[i] += int64(shift)
		case compact != nil:
			out[i], _ = compact(t.reading.Seconds)
		}
	}
	return out, nil
}

// midnights says that all instants are midnights of their own clock: the dates that programs write with a clock and
// an offset, which are read as dates from here on.
func (b *Builder) midnights() bool {
	const day = 86400
	for _, t := range b.times {
		if t.reading.Other%day != 0 {
			return false
		}
	}
	b.style = calendar.StyleDate
	first := b.times[0]
	b.cautions = append(b.cautions, fmt.Sprintf("Times like %s are read as dates, as %s: all are midnights of their own clocks. If they are to go "+
		"into another zone, say which.", first.text, isoDay(first.reading.Other)))
	return true
}

// compactTimes says how plain numbers are read that stand for dates: 20260301, 202603, the year and
// week 202609, or a spreadsheet's number of a day; nil where they count periods.
func (b *Builder) compactTimes() (read func(int64) (int64, bool), fault *Fault) {
	for _, c := range []*calendar.Cadence{b.opt.Cadence, b.opt.Usual} {
		if c != nil && c.Unit == calendar.Number {
			return nil, nil
		}
	}
	if b.style != calendar.StyleNumber {
		return nil, nil
	}
	switch {
	case b.all(calendar.CompactDate):
		if b.style = calendar.StyleDate; len(b.times[0].text) == len("202601") {
			b.style = calendar.StyleMonth
		}
		return calendar.CompactDate, nil
	case b.all(yearAndWeek):
		for _, t := range b.times {
			if _, ok := calendar.CompactWeek(t.reading.Seconds); !ok {
				return nil, &Fault{Line: t.line, Value: t.text,
					Problem: "is no week of ISO 8601, as the others are: load a calendar of your weeks as period codes, or say that the cadence is " +
						"number if these are a running count",
					Readings: []Reading{{"cadence", "number", "a running count"}}}
			}
		}
		b.style = calendar.StyleWeek
		b.cautions = append(b.cautions, fmt.Sprintf("Times like %s are read as a year and its week (ISO 8601).", b.times[0].text))
		return calendar.CompactWeek, nil
	case b.all(calendar.SerialDay):
		b.style = calendar.StyleDate
		b.readings = append(b.readings, Reading{"cadence", "number", "a running count"})
		first, _ := calendar.SerialDay(b.times[0].reading.Seconds)
		b.cautions = append(b.cautions, fmt.Sprintf("Times like %s are read as a spreadsheet's numbers of days (%s is %s): if they are a "+
			"running count, say that the cadence is number.", b.times[0].text, b.times[0].text, isoDay(first)))
		return calendar.SerialDay, nil
	case b.all(calendar.Epoch):
		return b.epoch()
	}
	return nil, nil
}

// epoch reads seconds since 1970, which are instants and want a zone.
func (b *Builder) epoch() (read func(int64) (int64, bool), fault *Fault) {
	t := b.times[0]
	first, _ := calendar.Epoch(t.reading.Seconds)
	if b.opt.Zone == nil {
		return nil, &Fault{Line: t.line, Value: t.text,
			Problem: fmt.Sprintf("and all other times may be seconds or milliseconds since 1970 (this one is %s in UTC): say into which zone they go, as "+
				"UTC or an area's name, or that the cadence is number if they are a running count", time.Unix(first, 0).UTC().Format("2006-01-02 15:04")),
			Readings: []Reading{{"zone", "UTC", "seconds since 1970, in UTC"}, {"cadence", "number", "a running count"}}}
	}
	b.style = calendar.StyleStamp
	return func(v int64) (int64, bool) {
		sec, ok := calendar.Epoch(v)
		_, shift := time.Unix(sec, 0).In(b.opt.Zone).Zone()
		return sec + int64(shift), ok
	}, nil
}

// all says whether every number can be read in one way, all of the same length.
func (b *Builder) all(read func(int64) (int64, bool)) bool {
	length := len(b.times[0].text)
	for _, t := range b.times {
		if _, ok := read(t.reading.Seconds); !ok || len(t.text) != length {
			return false
		}
	}
	return true
}

// yearAndWeek takes a number apart into a year and a week that there may be.
func yearAndWeek(v int64) (week int64, ok bool) {
	week = v % 100
	return week, v >= 180001 && v <= 220053 && week >= 1 && week <= 53
}

// shortMonths refuses days without their year: they are written like months with a year of two
// digits, and tell themselves from those by how one follows another.
func (b *Builder) shortMonths() *Fault {
	if b.style != calendar.StyleShortMonth {
		return nil
	}
	days, months := 0, 0
	for i := 1; i < len(b.times); i++ {
		was, is := time.Unix(b.times[i-1].reading.Seconds, 0).UTC(), time.Unix(b.times[i].reading.Seconds, 0).UTC()
		switch {
		case was.Month() == is.Month() && is.Year() == was.Year()+1:
			days++
		case is.Equal(was.AddDate(0, 1, 0)):
			months++
		}
	}
	if days <= months {
		return nil
	}
	t := b.times[0]
	return &Fault{Line: t.line, Value: t.text, Problem: "may be a day without its year, or a month with a year of two digits: write the year in full"}
}

// dateOrder finds from the whole column whether the day or the month comes first. A
// column that fits both is refused, with the two readings.
func (b *Builder) dateOrder() (DateOrder, *Fault) {
	if b.style != calendar.StyleTwoWays {
		return "", nil
	}
	var noDay, noMonth *timeEntry // times that can't be read day first, month first
	for i := range b.times {
		t := &b.times[i]
		if t.reading.Seconds == calendar.NotTime && noDay == nil {
			noDay = t
		}
		if t.reading.Other == calendar.NotTime && noMonth == nil {
			noMonth = t
		}
	}
	order := b.opt.DateOrder
	switch {
	case noDay != nil && noMonth != nil:
		return "", &Fault{Line: noDay.line, Value: noDay.text,
			Problem: fmt.Sprintf("has the month first, and %q on line %d has the day first: write all dates one way", noMonth.text, noMonth.line)}
	case order == "" && noDay != nil:
		return MonthFirst, nil
	case order == "" && noMonth != nil:
		return DayFirst, nil
	case order == DayFirst && noDay != nil:
		return "", &Fault{Line: noDay.line, Value: noDay.text, Problem: "can't be read day first: it has the month first"}
	case order == MonthFirst && noMonth != nil:
		return "", &Fault{Line: noMonth.line, Value: noMonth.text, Problem: "can't be read month first: it has the day first"}
	case order == "":
		t := b.times[0]
		return "", &Fault{Line: t.line, Value: t.text, Problem: fmt.Sprintf("and all other dates can be read day first (%s) or month first "+
			"(%s): say which", isoDay(t.reading.Seconds), isoDay(t.reading.Other)),
			Readings: []Reading{{"date_order", string(DayFirst), "day first: " + isoDay(t.reading.Seconds)},
				{"date_order", string(MonthFirst), "month first: " + isoDay(t.reading.Other)}}}
	}
	return order, nil
}

func isoDay(sec int64) string { return time.Unix(sec, 0).UTC().Format("2006-01-02") }

// keep marks the times outside From..To as left out.
func (b *Builder) keep(seconds []int64) ([]int64, error) {
	low, high := int64(math.MinInt64), int64(math.MaxInt64)
	for _, bound := range []struct {
		text string
		to   *int64
	}{{b.opt.From, &low}, {b.opt.To, &high}} {
		if bound.text == "" {
			continue
		}
		r, err := calendar.ParseTime(bound.text)
		if err != nil || r.Style == calendar.StyleTwoWays || r.Style == calendar.StyleInstant ||
			(r.Style == calendar.StyleNumber) != (b.style == calendar.StyleNumber) {
			return nil, fmt.Errorf("the bound %q can't be compared with the column's times: write it like %s", bound.text,
				strings.Replace(b.style.String(), "01/03/2026", "2026-03-01", 1))
		}
		*bound.to = r.Seconds
	}
	out := make([]int64, len(seconds))
	for i, sec := range seconds {
		out[i] = sec
		if sec < low || sec > high {
			out[i] = leftOut
		}
	}
	return out, nil
}

// distinct copies the times that are kept.
func distinct(seconds []int64) []int64 {
	out := make([]int64, 0, len(seconds))
	for _, s := range seconds {
		if s != leftOut {
			out = append(out, s)
		}
	}
	return out
}

// cadence is the given one or the one the times show, and whether they name periods
// by their end.
func (b *Builder) cadence(seconds []int64) (c calendar.Cadence, end bool, err error) {
	end = b.opt.Label == AtEnd
	if b.opt.Cadence != nil {
		c = *b.opt.Cadence
		if c.Unit == calendar.Week && !b.opt.FirstDay {
			c = firstDay(c, distinct(seconds), end)
		}
		return c, end || b.opt.Label == "" && endsOf(c, seconds), b.fitsStyle(c)
	}
	times := distinct(seconds)
	switch {
	case b.style == calendar.StyleNumber:
		c, err = calendar.InferNumbers(times)
		return c, false, err
	case end:
		for i := range times {
			times[i] += 86400
		}
		c, err = calendar.Infer(times)
		if err == nil && c.Unit < calendar.Day {
			err = fmt.Errorf("the times name periods of less than a day by their end: give the cadence")
		}
		return c, true, err
	}
	if c, err = calendar.Infer(times); err == nil || b.opt.Label == AtStart {
		return c, false, err
	}
	// Not starts of anything: perhaps the last days of months, quarters or years.
	ends := distinct(seconds)
	for i := range ends {
		ends[i] += 86400
	}
	if byEnd, endErr := calendar.Infer(ends); endErr == nil && byEnd.Unit >= calendar.Month {
		return byEnd, true, nil
	}
	return c, false, err
}

// firstDay takes the first day of weeks from the dates, where all fall on the same day of the
// week: their first day, or their last one.
func firstDay(c calendar.Cadence, times []int64, end bool) calendar.Cadence {
	for i, sec := range times {
		day := time.Unix(sec, 0).UTC().Weekday()
		if end {
			day = (day + 1) % 7
		}
		if i > 0 && day != c.WeekStart || sec%86400 != 0 {
			return calendar.Cadence{Unit: calendar.Week, WeekStart: time.Monday}
		}
		c.WeekStart = day
	}
	return c
}

// cautionWeeks says how weeks were read whose dates may as well be their last days.
func (b *Builder) cautionWeeks(c calendar.Cadence, end bool) {
	u := b.opt.Usual
	if c.Unit != calendar.Week || c.WeekStart == time.Monday || end || b.opt.Label != "" || b.opt.FirstDay || u != nil && u.Same(c) {
		return
	}
	b.readings = append(b.readings, Reading{"label", string(AtStart), fmt.Sprintf("weeks from %s to %s", c.WeekStart, (c.WeekStart+6)%7)},
		Reading{"label", string(AtEnd), fmt.Sprintf("weeks from %s to %s", (c.WeekStart+1)%7, c.WeekStart)})
	b.cautions = append(b.cautions, fmt.Sprintf("All dates are %ss: they are taken for the first days of their weeks, to the %s after. If "+
		"they are the last days, say that times name the end of their period.", c.WeekStart, (c.WeekStart+6)%7))
}

// endsOf says whether the times are the last days of a given cadence's periods, and
// not their starts.
func endsOf(c calendar.Cadence, seconds []int64) bool {
	if c.Unit < calendar.Week {
		return false
	}
	for _, sec := range seconds {
		if sec == leftOut {
			continue
		}
		if _, start := c.Ordinal(sec); start {
			return false
		}
		if _, end := ordinal(c, sec, true); !end {
			return false
		}
	}
	return true
}

func (b *Builder) fitsStyle(c calendar.Cadence) error {
	numbers := c.Unit == calendar.Number || c.Unit == calendar.Year
	if b.style == calendar.StyleNumber && !numbers {
		return fmt.Errorf("the periods are plain numbers, which can't be read as a %s: leave the cadence out or write dates", c.Unit.Word())
	}
	if b.style != calendar.StyleNumber && c.Unit == calendar.Number {
		return fmt.Errorf("the periods are written like %s, not as plain numbers", b.style)
	}
	return nil
}

// label is how the periods are named on output: as they came.
func (b *Builder) label(c calendar.Cadence, end bool) calendar.Label {
	switch {
	case end:
		return calendar.LabelEnd
	case b.style == calendar.StyleMonth && c.Unit == calendar.Month, b.style == calendar.StyleNamedMonth && c.Unit == calendar.Month,
		b.style == calendar.StyleShortMonth && c.Unit == calendar.Month,
		b.style == calendar.StyleQuarter && c.Unit == calendar.Quarter, b.style == calendar.StyleWeek && c.Unit == calendar.Week:
		return calendar.LabelCode
	}
	return calendar.LabelStart
}

// aggregate puts each time into the period of the given cadence that holds it.
func (b *Builder) aggregate(a axis, seconds []int64) (axis, []Fault) {
	if b.opt.Cadence == nil {
		return a, []Fault{{Problem: "aggregating needs the cadence to aggregate to: give it"}}
	}
	if err := b.fitsStyle(*b.opt.Cadence); err != nil || b.style == calendar.StyleNumber {
		return a, []Fault{{Problem: "plain numbers can't be aggregated: write dates"}}
	}
	a.cadence = *b.opt.Cadence
	first, last := int64(math.MaxInt64), NoTime
	for i, sec := range seconds {
		a.ords[i] = leftOut
		if sec != leftOut {
			a.ords[i], _ = a.cadence.Ordinal(sec)
		}
	}
	for _, s := range b.series {
		for j, t := range s.times {
			if Known(s.values[j]) && seconds[t] != leftOut {
				first, last = min(first, seconds[t]), max(last, seconds[t])
			}
		}
	}
	if native, err := calendar.Infer(distinct(seconds)); err == nil && last != NoTime {
		ord, _ := native.Ordinal(last)
		a.nextNative = native.Start(ord + 1)
		a.lastOrd, _ = a.cadence.Ordinal(last)
		if firstOrd, _ := a.cadence.Ordinal(first); a.cadence.Start(firstOrd) < first {
			b.cautions = append(b.cautions, fmt.Sprintf("The first %s, %s, begins before the first row, so its value may be that of a part: leave "+
				"it out by a later start if it is.", a.cadence.Unit.Word(), a.cadence.Format(firstOrd)))
		}
	}
	return a, nil
}
