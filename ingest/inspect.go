package ingest

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"slices"
	"strings"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// Column is a column of a file with what it seems to hold.
type Column struct {
	Name    string
	Kind    string // time, number, text or empty
	Samples []string
}

// inspectedRows is how many rows are looked at to tell what a column holds.
const inspectedRows = 500

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
	for range inspectedRows {
		record, err := t.Next()
		var bad rowFault
		if errors.As(err, &bad) {
			continue
		}
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
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
			if kind != "empty" && len(c.Samples) < samplesShown && !slices.Contains(c.Samples, field) {
				c.Samples = append(c.Samples, short(field))
			}
		}
	}
	for i := range columns {
		columns[i].Kind = commonKind(kinds[i])
	}
	return columns, nil
}

func kindOf(field string, marks Marks) string {
	v, err := marks.parse(field)
	switch {
	case err == nil && !panel.Known(v):
		return "empty"
	case err == nil:
		return "number"
	case looksLikeTime(field):
		return "time"
	}
	return "text"
}

// commonKind is what all fields are; text where they differ.
func commonKind(n map[string]int) string {
	delete(n, "empty")
	switch len(n) {
	case 0:
		return "empty"
	case 1:
		for kind := range n {
			return kind
		}
	}
	return "text"
}

// timeNames are names of columns of plain numbers that count periods.
var timeNames = []string{"date", "day", "week", "month", "quarter", "year", "time", "period", "ts", "timestamp", "t"}

// measureNames are usual names of what is forecast.
var measureNames = []string{"sales", "sold", "orders", "units", "quantity", "qty", "demand", "volume", "revenue", "amount", "value", "y"}

// proposeMeasure takes the column of numbers with a usual name, else the first one.
func proposeMeasure(columns []Column, taken func(string) bool) string {
	first := ""
	for _, col := range columns {
		if col.Kind != "number" || taken(col.Name) {
			continue
		}
		if slices.Contains(measureNames, strings.ToLower(col.Name)) {
			return col.Name
		}
		if first == "" {
			first = col.Name
		}
	}
	return first
}

// Propose fills in the parts of columns that were not given: the first column of
// times, one of numbers as the measure, columns of text as attributes.
func (c Columns) Propose(columns []Column) Columns {
	taken := func(name string) bool {
		return name == c.Time || slices.Contains(c.Measures, name) || slices.Contains(c.By, name) || slices.Contains(c.Drivers, name)
	}
	if c.Time == "" && !c.Wide {
		periods := 0
		for _, col := range columns {
			if r, err := calendar.ParseTime(col.Name); err == nil && r.Style != calendar.StyleNumber {
				periods++
			}
		}
		c.Wide = periods >= 2 && periods*2 > len(columns)
	}
	if c.Time == "" && !c.Wide {
		i := slices.IndexFunc(columns, func(x Column) bool { return x.Kind == "time" && !taken(x.Name) })
		if i < 0 {
			i = slices.IndexFunc(columns, func(x Column) bool { return !taken(x.Name) && slices.Contains(timeNames, strings.ToLower(x.Name)) })
		}
		if i >= 0 {
			c.Time = columns[i].Name
		}
	}
	if len(c.Measures) == 0 && c.Wide {
		c.Measures = []string{"value"}
	}
	if len(c.Measures) == 0 {
		if m := proposeMeasure(columns, taken); m != "" {
			c.Measures = []string{m}
		}
	}
	if c.By == nil {
		for _, col := range columns {
			if col.Kind == "text" && !taken(col.Name) {
				c.By = append(c.By, col.Name)
			}
		}
	}
	return c
}
