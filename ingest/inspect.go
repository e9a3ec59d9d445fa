package ingest

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"slices"
	"strings"

	"paperkettle/core/panel"
)

// Column is a column of a file with what it seems to hold.
type Column struct {
	Name    string
	Kind    string // time, number, text or empty
	Samples []string
	fields  []string // of the rows that were looked at, cut short; none where the table has very many columns
}

// inspectedRows is how many rows are looked at to tell what a column holds.
const inspectedRows = 500

// mostTold is of up to how many columns the fields are kept: beyond, a table is a wide one, or has to be explained.
const mostTold = 256

// samplesShown is how many different values of a column are shown.
const samplesShown = 5

// Inspect looks at a file's first rows: how it is written, and what its columns
// hold. rest gives the whole file again, as long as what was read fits the memory
// that a look may take.
func Inspect(r io.Reader, file string, form Form) (_ Form, _ []Column, rest io.Reader, _ error) {
	seen := &bytes.Buffer{}
	tee := bufio.NewReaderSize(io.TeeReader(r, seen), sampleSize)
	t, err := open(tee, &form)
	rest = io.MultiReader(seen, r)
	if err == nil {
		defer t.Close()
		var columns []Column
		if columns, err = look(t, form.marks); err == nil {
			return form, columns, rest, nil
		}
	}
	var f panel.Fault
	if errors.As(err, &f) {
		refusal := &Refusal{File: file}
		refusal.add(f)
		err = refusal
	}
	return form, nil, rest, err
}

func look(t table, marks Marks) ([]Column, error) {
	if marks == (Marks{}) {
		marks = plainMarks
	}
	columns := make([]Column, len(t.Columns()))
	kinds := make([]map[string]int, len(columns))
	for i, name := range t.Columns() {
		columns[i].Name = name
		kinds[i] = map[string]int{}
	}
	typed, _ := t.(numberTable)
	var first *rowFault
	seen := 0
	for range inspectedRows {
		record, err := t.Next()
		var bad rowFault
		if errors.As(err, &bad) {
			if first == nil {
				first = &bad
			}
			continue
		}
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		seen++
		for i, field := range record {
			field = strings.TrimSpace(field)
			if typed != nil {
				if v, ok := typed.Number(i); ok && panel.Known(v) {
					field = formatNumber(v)
				}
			}
			kind := kindOf(field, marks)
			kinds[i][kind]++
			c := &columns[i]
			if len(columns) <= mostTold {
				c.fields = append(c.fields, short(field))
			}
			if kind != "empty" && len(c.Samples) < samplesShown && !slices.Contains(c.Samples, field) {
				c.Samples = append(c.Samples, short(field))
			}
		}
	}
	if seen == 0 && first != nil {
		return nil, first.Fault
	}
	for i := range columns {
		columns[i].Kind = commonKind(kinds[i])
	}
	return columns, unheaded(columns)
}

// unheaded refuses a table whose first line is a row like the others.
func unheaded(columns []Column) error {
	times, numbers := 0, 0
	for _, c := range columns {
		if looksLikeTime(c.Name) {
			if times++; c.Kind != "time" {
				return nil
			}
		}
		if v, err := plainMarks.parse(c.Name); err == nil && panel.Known(v) && c.Kind == "number" {
			numbers++
		}
	}
	if times != 1 || numbers == 0 {
		return nil // in a wide table several are times
	}
	return panel.Fault{Line: 1, Problem: "looks like a row and not like names of columns: put a line above it that names them, as \"date,shop,sales\""}
}

func kindOf(field string, marks Marks) string {
	v, err := marks.parse(field)
	switch {
	case err == nil && !panel.Known(v), errors.Is(err, errDash):
		return "empty"
	case err == nil:
		return "number"
	case looksLikeTime(field):
		return "time"
	}
	return "text"
}

// commonKind is what all fields are, or nearly all: what the few others are is for the load to say, line by line. It
// is text where they differ.
func commonKind(n map[string]int) string {
	delete(n, "empty")
	all := 0
	for _, count := range n {
		all += count
	}
	for _, kind := range []string{"number", "time"} {
		if nearlyAll*n[kind] >= (nearlyAll-1)*all && n[kind] > 0 {
			return kind
		}
	}
	if all == 0 {
		return "empty"
	}
	return "text"
}

// nearlyAll is of how many fields one may be of another kind.
const nearlyAll = 20
