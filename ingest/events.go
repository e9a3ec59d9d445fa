package ingest

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// EventOptions say what a file of events leaves out.
type EventOptions struct {
	Where         map[string]string // attribute values that all the file's events are limited to
	Before, After int               // days around, where the file says none
	From, To      int64             // recurrences are written out from and up to these seconds
	Attributes    []string          // columns that may limit an event
	Zone          *time.Location    // where instants go; needed for them
	WholeDays     bool              // an event takes all of the days it touches
	DateOrder     string            // day-first or month-first
}

// Limits of a file of events.
const (
	eventBytes     = 64 << 20
	mostOccasions  = 100_000
	mostDaysAround = 366
)

// Events reads events from a calendar file (iCalendar, RFC 5545) or from a table with
// the columns event, date, until, days, before, after and any of the attributes. file
// names it in messages. The error is a *Refusal where the file is at fault.
func Events(r io.Reader, file string, form Form, o EventOptions) ([]calendar.Event, error) {
	e := &eventReader{o: o, refusal: &Refusal{File: file}, index: map[string]int{}}
	err := e.read(io.LimitReader(r, eventBytes), form)
	var f panel.Fault
	if errors.As(err, &f) {
		e.refusal.lead(f)
	} else if err != nil {
		return nil, err
	}
	if e.refusal.Total == 0 && len(e.events) == 0 {
		e.refusal.add(panel.Fault{Problem: fmt.Sprintf("holds no event between %s and %s", isoDay(o.From), isoDay(o.To))})
	}
	if e.refusal.Total > 0 {
		return nil, e.refusal
	}
	for i := range e.events {
		e.events[i].Tidy()
	}
	return e.events, nil
}

func isoDay(sec int64) string { return time.Unix(sec, 0).UTC().Format(time.DateOnly) }

type eventReader struct {
	o       EventOptions
	refusal *Refusal
	events  []calendar.Event
	index   map[string]int // by name, limits and days around
	count   int
}

func (e *eventReader) read(r io.Reader, form Form) error {
	b := bufio.NewReaderSize(r, sampleSize)
	head, _ := b.Peek(64)
	if bytes.HasPrefix(bytes.ToUpper(bytes.TrimPrefix(head, []byte{0xEF, 0xBB, 0xBF})), []byte("BEGIN:VCALENDAR")) {
		return e.calendar(b)
	}
	return e.table(b, form)
}

// add notes an occasion of an event. It is false once there are too many.
func (e *eventReader) add(like calendar.Event, o calendar.Occasion) bool {
	if e.count++; e.count > mostOccasions {
		if e.count == mostOccasions+1 {
			e.refusal.add(panel.Fault{Problem: fmt.Sprintf("gives more than %d occasions: leave out what no series can feel", mostOccasions)})
		}
		return false
	}
	if e.o.WholeDays {
		o.Start = dayStart(o.Start)
		o.End = dayStart(o.End + 86399)
	}
	if o.End <= e.o.From || o.Start > e.o.To {
		return true
	}
	key := fmt.Sprintf("%q %d %d", like.Name, like.Before, like.After)
	for _, a := range slices.Sorted(maps.Keys(like.Where)) {
		key += fmt.Sprintf(" %q=%q", a, like.Where[a])
	}
	at, ok := e.index[key]
	if !ok {
		at = len(e.events)
		e.index[key] = at
		e.events = append(e.events, like)
	}
	e.events[at].Occasions = append(e.events[at].Occasions, o)
	return true
}

func dayStart(sec int64) int64 { return sec - ((sec%86400)+86400)%86400 }

// The columns of a table of events.
var eventColumns = []string{"event", "date", "until", "days", "before", "after"}

// eventRow is a row of a table of events.
type eventRow struct {
	e      *eventReader
	at     map[string]int
	record []string
	line   int
	failed bool
}

func (e *eventReader) table(r io.Reader, form Form) error {
	t, err := open(r, &form)
	if err != nil {
		return err
	}
	defer t.Close()
	row := eventRow{e: e, at: map[string]int{}}
	for i, name := range t.Columns() {
		plain := strings.ToLower(strings.TrimSpace(name))
		switch {
		case slices.Contains(eventColumns, plain):
			row.at[plain] = i
		case slices.Contains(e.o.Attributes, name):
			row.at[name] = i
		default:
			return panel.Fault{Line: 1, Column: name, Problem: "is no column of events: they are " +
				strings.Join(append(slices.Clone(eventColumns), e.o.Attributes...), ", ")}
		}
	}
	for _, need := range eventColumns[:2] {
		if _, ok := row.at[need]; !ok {
			return panel.Fault{Line: 1, Column: need, Problem: "is missing: a table of events has at least the columns event and date"}
		}
	}
	for {
		row.record, err = t.Next()
		var bad rowFault
		switch {
		case errors.Is(err, io.EOF):
			return nil
		case errors.As(err, &bad):
			e.refusal.add(bad.Fault)
			continue
		case err != nil:
			return err
		}
		row.line, row.failed = t.Line(), false
		row.read()
	}
}

func (r *eventRow) text(column string) string {
	i, ok := r.at[column]
	if !ok {
		return ""
	}
	return strings.TrimSpace(r.record[i])
}

func (r *eventRow) fault(column, problem string) {
	r.failed = true
	r.e.refusal.add(panel.Fault{Line: r.line, Column: column, Value: r.text(column), Problem: problem})
}

// whole reads a number of days, or what holds where the field is empty.
func (r *eventRow) whole(column string, low, otherwise int) int {
	text := r.text(column)
	if text == "" {
		return otherwise
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < low || n > mostDaysAround {
		r.fault(column, fmt.Sprintf("is not a whole number of days from %d to %d", low, mostDaysAround))
	}
	return n
}

func (r *eventRow) read() {
	ev := calendar.Event{Name: r.text("event"), Before: r.whole("before", 0, r.e.o.Before), After: r.whole("after", 0, r.e.o.After),
		Where: maps.Clone(r.e.o.Where)}
	if ev.Name == "" {
		r.fault("event", "is empty: every event needs a name, shared by its occasions")
	}
	for _, a := range r.e.o.Attributes {
		if v := r.text(a); v != "" {
			if ev.Where == nil {
				ev.Where = map[string]string{}
			}
			ev.Where[a] = v
		}
	}
	days := int64(r.whole("days", 1, 1))
	if r.text("days") != "" && r.text("until") != "" {
		r.fault("until", "and days both say how long the event lasts: give one of them")
	}
	if feast, err := calendar.ParseFeast(r.text("date")); err == nil {
		r.everyYear(ev, feast, days)
		return
	}
	first, ok := r.day("date")
	last := first + (days-1)*86400
	if r.text("until") != "" && ok {
		if last, ok = r.day("until"); ok && last < first {
			r.fault("until", "is before the event's date")
		}
	}
	if !r.failed {
		r.e.add(ev, calendar.DayOf(first, last))
	}
}

func (r *eventRow) everyYear(ev calendar.Event, feast calendar.Feast, days int64) {
	if r.text("until") != "" {
		r.fault("until", "does not go with a rule for every year: say how many days it lasts in the column days")
	}
	if r.failed {
		return
	}
	year := func(sec int64) int { return time.Unix(sec, 0).UTC().Year() }
	for y := year(r.e.o.From) - 1; y <= year(r.e.o.To)+1; y++ {
		first := feast.In(y)
		r.e.add(ev, calendar.DayOf(first, first+(days-1)*86400))
	}
}

// day reads a date in any of its forms.
func (r *eventRow) day(column string) (int64, bool) {
	sec, err := readDay(r.text(column), r.e.o.DateOrder)
	if err == nil {
		return sec, true
	}
	if _, feast := calendar.ParseFeast(r.text(column)); column == "date" && feast != nil && !errors.As(err, new(twoDays)) {
		err = feast
	}
	r.fault(column, err.Error())
	return 0, false
}

// twoDays says that a date can be read two ways.
type twoDays struct{ error }

// readDay reads the day of a date in any form, in seconds since 1970-01-01.
func readDay(text, order string) (int64, error) {
	got, err := calendar.ParseTime(text)
	day, compact := calendar.CompactDate(got.Seconds)
	switch {
	case err != nil:
		return 0, err
	case got.Style == calendar.StyleNumber && compact:
		return day, nil
	case got.Style == calendar.StyleNumber:
		return 0, errors.New("is not a date: write 2026-05-01")
	case got.Style != calendar.StyleTwoWays:
		return dayStart(got.Seconds), nil
	case got.Seconds == calendar.NotTime || order == string(panel.MonthFirst) && got.Other != calendar.NotTime:
		return got.Other, nil
	case got.Other == calendar.NotTime || got.Other == got.Seconds || order == string(panel.DayFirst):
		return got.Seconds, nil
	}
	return 0, twoDays{fmt.Errorf("is %s with the day first and %s with the month first: say which by the date order", isoDay(got.Seconds),
		isoDay(got.Other))}
}
