package ingest

import (
	"errors"
	"io"
	"slices"
	"strings"

	"paperkettle/core/panel"
)

// Codes translate the period codes of a house, such as fiscal weeks or running days,
// into dates.
type Codes struct {
	Name string
	// Days gives a code's first day, as 2026-03-01.
	Days map[string]string
}

// mostCodes bounds a table of codes: a code an hour for a century.
const mostCodes = 1 << 20

// ReadCodes reads a calendar table: a row for each day or period, with its code in one
// column and its date in another. A code that stands on several days starts on the
// earliest. The error is a *Refusal where the file is at fault.
func ReadCodes(r io.Reader, file string, form Form, code, date, order string) (map[string]string, error) {
	refusal := &Refusal{File: file}
	first, err := readCodes(r, refusal, form, code, date, order)
	var f panel.Fault
	if errors.As(err, &f) {
		refusal.lead(f)
	} else if err != nil {
		return nil, err
	}
	if refusal.Total == 0 && len(first) == 0 {
		refusal.add(panel.Fault{Problem: "holds no row"})
	}
	if refusal.Total > 0 {
		return nil, refusal
	}
	days := make(map[string]string, len(first))
	for c, sec := range first {
		days[c] = isoDay(sec)
	}
	return days, nil
}

func readCodes(r io.Reader, refusal *Refusal, form Form, code, date, order string) (map[string]int64, error) {
	t, err := open(r, &form)
	if err != nil {
		return nil, err
	}
	defer t.Close()
	at := func(name string) int { return slices.Index(t.Columns(), name) }
	for _, name := range []string{code, date} {
		if at(name) < 0 {
			return nil, panel.Fault{Line: 1, Column: name, Problem: "is not in the header; the columns are " +
				strings.Join(t.Columns()[:min(30, len(t.Columns()))], ", ")}
		}
	}
	first := map[string]int64{}
	for len(first) <= mostCodes {
		record, err := t.Next()
		var bad rowFault
		switch {
		case errors.Is(err, io.EOF):
			return first, nil
		case errors.As(err, &bad):
			refusal.add(bad.Fault)
			continue
		case err != nil:
			return nil, err
		}
		c, text := strings.TrimSpace(record[at(code)]), strings.TrimSpace(record[at(date)])
		sec, err := readDay(text, order)
		switch known, ok := first[c]; {
		case c == "":
			refusal.add(panel.Fault{Line: t.Line(), Column: code, Problem: "is empty: every row needs its code"})
		case err != nil:
			refusal.add(panel.Fault{Line: t.Line(), Column: date, Value: text, Problem: err.Error()})
		case !ok || sec < known:
			first[strings.Clone(c)] = sec
		}
	}
	return nil, fault("holds more than %d codes: it is not a calendar", mostCodes)
}
