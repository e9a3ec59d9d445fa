package scenario

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"paperkettle/core/calendar"
)

// period finds the periods ahead that a text names: a date, a month, a week or a quarter as
// files write them, a month's name, "week 12" or "step 3".
func (w *work) period(text string) (from, to int, err error) {
	first, last := w.p.Length, w.p.Length+w.horizon-1
	if word, number, ok := strings.Cut(text, " "); ok && (word == "step" || word == "week") {
		n, err := strconv.Atoi(strings.TrimSpace(number))
		if err != nil {
			return 0, 0, fmt.Errorf("%q is no number of a %s", number, word)
		}
		if word == "step" {
			if n < 1 || n > w.horizon {
				return 0, 0, fmt.Errorf("step %d does not lie within the %d steps ahead", n, w.horizon)
			}
			return first + n - 1, first + n - 1, nil
		}
		return w.matching(text, func(t time.Time) bool { _, week := t.ISOWeek(); return week == n })
	}
	if m := monthNamed(text); m > 0 {
		return w.matching(text, func(t time.Time) bool { return t.Month() == m })
	}
	r, err := calendar.ParseTime(text)
	if err != nil {
		return 0, 0, fmt.Errorf("%q %w", text, err)
	}
	start, end := w.p.Cadence.Start(w.p.Ordinal(first)), w.p.Cadence.Start(w.p.Ordinal(last)+1)
	lower, upper := r.Seconds, r.Seconds+1
	switch r.Style {
	case calendar.StyleNumber:
		if w.p.Cadence.Unit != calendar.Number {
			return 0, 0, fmt.Errorf("%q is no date: write it as %s", text, w.p.Period(first))
		}
		at := int(r.Seconds - w.p.First)
		if at < first || at > last {
			return 0, 0, w.outside(text)
		}
		return at, at, nil
	case calendar.StyleMonth:
		t := time.Unix(r.Seconds, 0).UTC()
		upper = t.AddDate(0, 1, 0).Unix()
	case calendar.StyleQuarter:
		t := time.Unix(r.Seconds, 0).UTC()
		upper = t.AddDate(0, 3, 0).Unix()
	case calendar.StyleWeek:
		upper = r.Seconds + 7*24*3600
	}
	if upper <= start || lower >= end {
		return 0, 0, w.outside(text)
	}
	a, _ := w.p.Cadence.Ordinal(max(lower, start))
	b, _ := w.p.Cadence.Ordinal(min(upper, end) - 1)
	return int(a - w.p.First), int(b - w.p.First), nil
}

func (w *work) outside(text string) error {
	return fmt.Errorf("%s does not lie ahead: the forecast runs from %s to %s", text, w.p.Period(w.p.Length), w.p.Period(w.p.Length+w.horizon-1))
}

// matching gives the first run of periods ahead that hold a condition.
func (w *work) matching(text string, holds func(time.Time) bool) (from, to int, err error) {
	from = -1
	for i := w.p.Length; i < w.p.Length+w.horizon; i++ {
		in := holds(time.Unix(w.p.Cadence.Start(w.p.Ordinal(i)), 0).UTC())
		switch {
		case in && from < 0:
			from, to = i, i
		case in && to == i-1:
			to = i
		case from >= 0 && !in:
			return from, to, nil
		}
	}
	if from < 0 {
		return 0, 0, w.outside(text)
	}
	return from, to, nil
}

func monthNamed(text string) time.Month {
	for m := time.January; m <= time.December; m++ {
		if strings.EqualFold(text, m.String()) || len(text) == 3 && strings.EqualFold(text, m.String()[:3]) {
			return m
		}
	}
	return 0
}
