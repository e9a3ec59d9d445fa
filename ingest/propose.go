package ingest

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// timeNames are names of columns of plain numbers that count periods.
var timeNames = []string{"date", "day", "week", "month", "quarter", "year", "time", "period", "ts", "timestamp", "t"}

// measureNames are usual names of what is forecast.
var measureNames = []string{"sales", "sold", "orders", "units", "quantity", "qty", "demand", "volume", "revenue", "amount", "value", "y"}

// numbered are usual names of columns whose numbers name something.
var numbered = regexp.MustCompile(`(?i)^(shop|store|outlet|branch|site|plant|depot|warehouse|region|item|product|article|sku|customer|client|series|` +
	`code|no|nr|number|id)$|[ _.-](id|no|nr|code|number)$|^(shop|store|item|product|article|customer|series)[ _.-]?(id|no|nr|code|number)$`)

// usualMeasure is the column of numbers with a usual name of a measure; empty where there is none.
func usualMeasure(columns []Column, taken func(string) bool) string {
	for _, col := range columns {
		if col.Kind == "number" && !taken(col.Name) && slices.Contains(measureNames, strings.ToLower(col.Name)) {
			return col.Name
		}
	}
	return ""
}

// proposeMeasures takes, of a table whose series have names, the first column of numbers; of others all, each a series.
func (c Columns) proposeMeasures(columns []Column, taken func(string) bool) (list []string) {
	for _, col := range columns {
		if col.Kind == "number" && !taken(col.Name) && !numbered.MatchString(col.Name) {
			list = append(list, col.Name)
		}
	}
	if len(c.By) > 0 {
		list = list[:min(1, len(list))]
	}
	return list
}

// Propose fills in the parts of columns that were not given: the first column of
// times, one of numbers as the measure, columns of text, and of numbers that name something, as attributes.
func (c Columns) Propose(columns []Column) Columns {
	taken := func(name string) bool {
		return c.isTime(name, columns) || slices.Contains(c.Measures, name) || slices.Contains(c.By, name) || slices.Contains(c.Drivers, name)
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
			c.Time = proposeParts(columns, taken)
		}
		if i < 0 && c.Time == "" {
			i = slices.IndexFunc(columns, func(x Column) bool { return !taken(x.Name) && slices.Contains(timeNames, strings.ToLower(x.Name)) })
		}
		if i >= 0 {
			c.Time = columns[i].Name
		}
	}
	if len(c.Measures) == 0 && c.Wide {
		c.Measures = []string{"value"}
	}
	usual := ""
	if len(c.Measures) == 0 {
		usual = usualMeasure(columns, taken)
	}
	if usual != "" {
		c.Measures = []string{usual}
	}
	if c.By == nil { // before a measure is picked among numbers that may name series
		c.By = c.proposeNames(columns, taken)
	}
	if len(c.Measures) == 0 {
		c.Measures = c.proposeMeasures(columns, taken)
	}
	return c
}

// proposeNames takes columns of text for names of series, and those of numbers that have to tell rows of one time
// apart, or have a usual name.
func (c Columns) proposeNames(columns []Column, taken func(string) bool) (by []string) {
	var told, others []Column
	for _, col := range columns {
		whole := col.isWhole()
		switch {
		case taken(col.Name) || c.Wide && calendarName(col.Name):
		case col.Kind == "text", whole && numbered.MatchString(col.Name):
			told = append(told, col)
		case whole && !partName(col.Name):
			others = append(others, col)
		}
	}
	if len(c.Measures) == 0 && len(others) > 0 { // one has to be it
		others = others[:len(others)-1]
	}
	if !c.Wide {
		if times := slices.DeleteFunc(slices.Clone(columns), func(x Column) bool { return !c.isTime(x.Name, columns) }); len(times) > 0 {
			told = apart(times, told, others)
		}
	}
	for _, col := range columns { // in their order
		if slices.ContainsFunc(told, func(x Column) bool { return x.Name == col.Name }) {
			by = append(by, col.Name)
		}
	}
	return by
}

// partName says that a column's numbers are parts of times, by its name.
func partName(name string) bool {
	return slices.ContainsFunc([]*regexp.Regexp{yearName, quarterName, monthName, weekName, dayName}, func(r *regexp.Regexp) bool {
		return r.MatchString(name)
	})
}

// isWhole says that a column's numbers are whole; a few of its fields may be no numbers, as of codes.
func (c Column) isWhole() bool {
	if c.Kind != "number" || len(c.fields) == 0 {
		return false
	}
	return !slices.ContainsFunc(c.fields, func(field string) bool {
		v, err := plainMarks.parse(field)
		return err == nil && v != math.Trunc(v) && panel.Known(v)
	})
}

func calendarName(name string) bool {
	_, err := calendar.ParseTime(name)
	return err == nil
}

// apart adds to the names of series those of others, from the left, that are needed for no two rows to be of one
// series and time; none where all of them would not do, or where that is so of few rows, which are mistakes rather.
func apart(times, names, others []Column) []Column {
	out := slices.Concat(times, names)
	if mostlyApart*repeats(out) < len(times[0].fields) {
		return names
	}
	for _, col := range others {
		before := repeats(out)
		if before == 0 {
			break
		}
		if with := append(slices.Clone(out), col); repeats(with) < before {
			out = with
		}
	}
	if repeats(out) > 0 {
		return names
	}
	return out[len(times):]
}

// mostlyApart is of how many rows one may be of the same series and time as another by mistake.
const mostlyApart = 3

// repeats is how many rows have the same in all columns as one before.
func repeats(columns []Column) (n int) {
	seen := map[string]bool{}
	for i := range columns[0].fields {
		key := ""
		for _, c := range columns {
			key += c.fields[i] + "\x00"
		}
		if seen[key] {
			n++
		}
		seen[key] = true
	}
	return n
}

// isTime says that a column is that of times, or one of those that make them.
func (c Columns) isTime(name string, columns []Column) bool {
	if name == c.Time || !strings.Contains(c.Time, "+") || slices.ContainsFunc(columns, func(x Column) bool { return x.Name == c.Time }) {
		return name == c.Time && c.Time != ""
	}
	return slices.Contains(timeColumns(c.Time, nil), name)
}

// Part is the part that a column has: time, measure, attribute, driver, or left out.
func (c Columns) Part(name string, columns []Column) string {
	switch {
	case c.isTime(name, columns):
		return "time"
	case slices.Contains(c.Measures, name):
		return "measure"
	case slices.Contains(c.By, name):
		return "attribute"
	case slices.Contains(c.Drivers, name):
		return "driver"
	}
	return "left out"
}

// Complete says whether there are a time and a measure; what it says of a table where there are not tells what its
// columns hold.
func (c Columns) Complete(columns []Column) error {
	if c.Wide || c.Time != "" && len(c.Measures) > 0 {
		return nil
	}
	var held []string
	for _, col := range columns {
		text := fmt.Sprintf("%q holds %s", col.Name, map[string]string{"time": "times", "number": "numbers", "text": "text", "empty": "nothing"}[col.Kind])
		if odd := col.odd(); odd != "" {
			text += fmt.Sprintf(", as %q", odd)
		}
		held = append(held, text)
	}
	lacks := "no column of times"
	if c.Time != "" {
		lacks = "no column of numbers"
	}
	if len(held) > 8 {
		held = append(held[:8], fmt.Sprintf("and %d more columns", len(held)-8))
	}
	return errors.New(lacks + " was found (" + strings.Join(held, "; ") + "): name the time column and the measure column")
}

// Unused are the columns that hold something and have no part.
func (c Columns) Unused(columns []Column) (out []string) {
	for _, col := range columns {
		_, filtered := c.Where[col.Name]
		if c.Part(col.Name, columns) == "left out" && !filtered && col.Kind != "empty" && !(c.Wide && calendarName(col.Name)) {
			out = append(out, col.Name)
		}
	}
	return out
}

// odd is a field of a column of text that may be why it is none of numbers or times.
func (c Column) odd() string {
	if c.Kind != "text" {
		return ""
	}
	for _, field := range c.fields {
		if v, err := plainMarks.parse(field); field != "" && (err != nil || !panel.Known(v)) && !looksLikeTime(field) {
			return short(field)
		}
	}
	return ""
}
