package ingest

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/teambition/rrule-go"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// vevent is one event of a calendar file, as RFC 5545 has it.
type vevent struct {
	name, uid string
	line      int
	start     moment
	length    int64 // seconds
	cancelled bool
	replaces  *moment // the occasion of its UID that it stands for
	rules     []string
	extra     []moment
	left      map[int64]bool // starts that are left out
}

// moment is a time as written: a day, a wall clock's time, or an instant turned into
// the wall clock's.
type moment struct {
	sec   int64
	isDay bool
}

func (e *eventReader) calendar(r io.Reader) error {
	text, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	if len(text) >= eventBytes {
		return fault("the calendar is larger than %d MB: it is not read", eventBytes>>20)
	}
	if i := bytes.IndexByte(text, 0); i >= 0 {
		return panel.Fault{Line: 1 + bytes.Count(text[:i], []byte("\n")), Problem: "holds a NUL byte, so it is no calendar"}
	}
	cal, err := ics.ParseCalendarWithOptions(bytes.NewReader(bytes.TrimPrefix(text, []byte{0xEF, 0xBB, 0xBF})),
		ics.WithUnknownPropertyHandler(ics.AcceptUnknownPropertyHandler))
	if err != nil {
		return fault("is no calendar that can be read (%v): export it anew, or give a CSV with the columns event and date", err)
	}
	lines := eventLines(text)
	var all []*vevent
	moved := map[string]map[int64]bool{}
	for i, ev := range cal.Events() {
		v, err := e.event(ev)
		v.line = lines[min(i, len(lines)-1)]
		var f panel.Fault
		if errors.As(err, &f) {
			f.Line = v.line
			e.refusal.add(f)
			continue
		}
		if v.replaces != nil {
			if moved[v.uid] == nil {
				moved[v.uid] = map[int64]bool{}
			}
			moved[v.uid][v.replaces.sec] = true
		}
		all = append(all, v)
	}
	for _, v := range all {
		if !v.cancelled {
			e.expand(v, moved[v.uid])
		}
	}
	return nil
}

// eventLines are the lines at which the events begin; there is at least one.
func eventLines(text []byte) []int {
	var out []int
	for i, line := range bytes.Split(text, []byte("\n")) {
		if strings.EqualFold(strings.TrimSpace(string(line)), "BEGIN:VEVENT") {
			out = append(out, i+1)
		}
	}
	return append(out, 0)
}

func (e *eventReader) event(ev *ics.VEvent) (*vevent, error) {
	v := &vevent{left: map[int64]bool{}}
	text := func(p ics.ComponentProperty) string {
		if got := ev.GetProperty(p); got != nil {
			return strings.TrimSpace(got.Value)
		}
		return ""
	}
	v.name, v.uid = text(ics.ComponentPropertySummary), text(ics.ComponentPropertyUniqueId)
	v.cancelled = strings.EqualFold(text(ics.ComponentPropertyStatus), "CANCELLED")
	if v.name == "" && !v.cancelled {
		return v, panel.Fault{Column: "SUMMARY", Problem: "is missing: every event needs a name"}
	}
	start := ev.GetProperty(ics.ComponentPropertyDtStart)
	if start == nil {
		return v, panel.Fault{Column: "DTSTART", Problem: fmt.Sprintf("is missing from the event %q", short(v.name))}
	}
	var err error
	if v.start, err = e.moment(start, start.Value); err != nil {
		return v, err
	}
	if err := e.howLong(ev, v); err != nil {
		return v, err
	}
	if p := ev.GetProperty(ics.ComponentPropertyRecurrenceId); p != nil {
		m, err := e.moment(p, p.Value)
		if err != nil {
			return v, err
		}
		v.replaces = &m
	}
	for _, p := range ev.GetProperties(ics.ComponentPropertyExdate) {
		for _, s := range strings.Split(p.Value, ",") {
			m, err := e.moment(p, s)
			if err != nil {
				return v, err
			}
			v.left[m.sec] = true
		}
	}
	for _, p := range ev.GetProperties(ics.ComponentPropertyRdate) {
		for _, s := range strings.Split(p.Value, ",") {
			s, _, _ = strings.Cut(s, "/")
			m, err := e.moment(p, s)
			if err != nil {
				return v, err
			}
			v.extra = append(v.extra, m)
		}
	}
	for _, p := range ev.GetProperties(ics.ComponentPropertyRrule) {
		v.rules = append(v.rules, p.Value)
	}
	return v, e.checkRules(v)
}

// howLong reads the length from the end or the duration; an event without either
// takes its day.
func (e *eventReader) howLong(ev *ics.VEvent, v *vevent) error {
	v.length = 86400
	if !v.start.isDay {
		v.length = dayStart(v.start.sec) + 86400 - v.start.sec
	}
	if p := ev.GetProperty(ics.ComponentPropertyDtEnd); p != nil {
		end, err := e.moment(p, p.Value)
		if err != nil {
			return err
		}
		if v.length = end.sec - v.start.sec; v.length < 0 || v.length == 0 && v.start.isDay {
			return panel.Fault{Column: "DTEND", Value: p.Value,
				Problem: fmt.Sprintf("is not after the start of the event %q; the end is the first day on which it is over", short(v.name))}
		}
	} else if p := ev.GetProperty(ics.ComponentPropertyDuration); p != nil {
		n, ok := icalDuration(p.Value)
		if !ok {
			return panel.Fault{Column: "DURATION", Value: p.Value, Problem: "is not a duration: write P2D or PT3H"}
		}
		v.length = n
	}
	v.length = max(1, v.length)
	if v.length > 5*366*86400 {
		return panel.Fault{Column: "DTEND", Problem: fmt.Sprintf("makes the event %q last more than five years", short(v.name))}
	}
	return nil
}

var durationText = regexp.MustCompile(`^\+?P(?:(\d{1,4})W)?(?:(\d{1,5})D)?(?:T(?:(\d{1,5})H)?(?:(\d{1,6})M)?(?:(\d{1,7})S)?)?$`)

func icalDuration(s string) (sec int64, ok bool) {
	m := durationText.FindStringSubmatch(strings.ToUpper(strings.TrimSpace(s)))
	if m == nil {
		return 0, false
	}
	for i, unit := range []int64{7 * 86400, 86400, 3600, 60, 1} {
		n, _ := strconv.ParseInt("0"+m[i+1], 10, 64)
		sec += n * unit
	}
	return sec, sec > 0
}

// moment reads 20260501, 20260501T100000 or, as an instant, 20260501T100000Z. A time
// with a zone of its own is taken as that zone's wall clock shows it.
func (e *eventReader) moment(p *ics.IANAProperty, s string) (moment, error) {
	s = strings.TrimSpace(s)
	if t, err := time.Parse("20060102", s); err == nil {
		return moment{t.Unix(), true}, nil
	}
	if t, err := time.Parse("20060102T150405", s); err == nil {
		return moment{sec: t.Unix()}, nil
	}
	if t, err := time.Parse("20060102T150405Z", s); err == nil {
		if e.o.Zone == nil {
			return moment{}, panel.Fault{Column: p.IANAToken, Value: s,
				Problem: "is an instant in UTC: say into which zone the calendar's times go, as UTC or an area's name"}
		}
		_, offset := t.In(e.o.Zone).Zone()
		return moment{sec: t.Unix() + int64(offset)}, nil
	}
	return moment{}, panel.Fault{Column: p.IANAToken, Value: s,
		Problem: "is not a day or a time of the calendar: it is written 20260501 or 20260501T100000"}
}

func (e *eventReader) checkRules(v *vevent) error {
	for _, rule := range v.rules {
		o, err := rrule.StrToROption(rule)
		if err != nil {
			return panel.Fault{Column: "RRULE", Value: rule, Problem: fmt.Sprintf("is no recurrence that can be read (%v)", err)}
		}
		if o.Freq > rrule.DAILY {
			return panel.Fault{Column: "RRULE", Value: rule, Problem: "recurs more than once a day: an event is daily at the most"}
		}
	}
	return nil
}

// expand writes an event's occasions out, without those left out or moved.
func (e *eventReader) expand(v *vevent, moved map[int64]bool) {
	like := calendar.Event{Name: v.name, Before: e.o.Before, After: e.o.After, Where: e.o.Where}
	if v.replaces != nil {
		moved = nil // it is itself what was moved
	}
	put := func(sec int64) bool {
		if v.left[sec] || moved[sec] || v.left[dayStart(sec)] && v.start.isDay {
			return true
		}
		return e.add(like, calendar.Occasion{Start: sec, End: sec + v.length})
	}
	put(v.start.sec) // it counts even where the rules leave it out
	for _, m := range v.extra {
		put(m.sec)
	}
	for _, rule := range v.rules {
		o, err := rrule.StrToROption(rule)
		if err != nil {
			continue // checkRules has said so
		}
		o.Dtstart = time.Unix(v.start.sec, 0).UTC()
		// Without an end the search for an impossible day would run to the year 9999.
		if last := time.Unix(e.o.To, 0).UTC(); o.Until.IsZero() || o.Until.After(last) {
			o.Until = last
		}
		r, err := rrule.NewRRule(*o)
		if err != nil {
			e.refusal.add(panel.Fault{Line: v.line, Column: "RRULE", Value: rule, Problem: fmt.Sprintf("is no recurrence that can be read (%v)", err)})
			return
		}
		next := r.Iterator()
		for t, ok := next(); ok; t, ok = next() {
			if !put(t.Unix()) {
				return
			}
		}
	}
}
