// Package ingest reads files into raw rows and hands them to a panel builder, with
// the line and column of every fault.
package ingest

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// Columns says which column is what, and how rows become a panel.
type Columns struct {
	Time       string
	Measure    string
	By         []string
	Drivers    []string
	KnownAhead []string // those of Drivers whose future is known
	Cadence    string
	Gaps       string
	Floor      *float64
}

// FaultsShown is how many faults a refusal lists; the rest are counted.
const FaultsShown = 20

// Refusal says why a file was not loaded.
type Refusal struct {
	File   string
	Faults []panel.Fault // the first FaultsShown
	Total  int
}

func (r *Refusal) Error() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s was not loaded: ", r.File)
	for i, f := range r.Faults {
		if i > 0 {
			b.WriteString("; ")
		}
		b.WriteString(f.Error())
	}
	if more := r.Total - len(r.Faults); more > 0 {
		fmt.Fprintf(&b, "; and %d more", more)
	}
	return b.String()
}

func (r *Refusal) add(f panel.Fault) {
	r.Total++
	if len(r.Faults) < FaultsShown {
		f.Value = short(f.Value)
		r.Faults = append(r.Faults, f)
	}
}

func short(s string) string {
	if len(s) > 60 {
		return strings.ToValidUTF8(s[:57], "") + "..."
	}
	return strings.Clone(s)
}

// Options checks the columns' settings, without a file.
func (c Columns) Options() (panel.Options, error) {
	opt := panel.Options{Measure: c.Measure, Attributes: c.By, Floor: c.Floor}
	if c.Time == "" || c.Measure == "" {
		return opt, errors.New("name the time column and the measure column")
	}
	if c.Cadence != "" {
		cad, err := calendar.ParseCadence(c.Cadence)
		if err != nil {
			return opt, err
		}
		opt.Cadence = &cad
	}
	gaps, err := panel.ParseGaps(c.Gaps)
	if err != nil {
		return opt, err
	}
	opt.Gaps = gaps
	for _, k := range c.KnownAhead {
		if !slices.Contains(c.Drivers, k) {
			return opt, fmt.Errorf("%q is said to be known ahead but is not among the drivers", k)
		}
	}
	for _, d := range c.Drivers {
		opt.Drivers = append(opt.Drivers, panel.Driver{Name: d, KnownAhead: slices.Contains(c.KnownAhead, d)})
	}
	return opt, nil
}

// CSV reads a long comma-separated table: a row an observation. file names it in
// messages. The error is a *Refusal where the file is at fault.
func CSV(ctx context.Context, r io.Reader, file string, c Columns) (p *panel.Panel, rows int, err error) {
	opt, err := c.Options()
	if err != nil {
		return nil, 0, err
	}
	guard := &byteGuard{r: r}
	t := &table{refusal: &Refusal{File: file}, builder: panel.NewBuilder(opt), csv: csv.NewReader(skipMark(guard)), times: map[string]int32{}}
	t.csv.ReuseRecord = true
	t.csv.FieldsPerRecord = -1
	if err := t.header(c); err == nil {
		err = t.read(ctx)
		if err != nil {
			return nil, 0, err
		}
	} else if !errors.Is(err, errRefused) {
		return nil, 0, err
	}
	if guard.err != nil {
		t.refusal.add(*guard.err)
	}
	if t.refusal.Total > 0 {
		return nil, 0, t.refusal
	}
	rows = t.builder.Rows()
	p, faults := t.builder.Finish()
	for _, f := range faults {
		t.refusal.add(f)
	}
	if t.refusal.Total > 0 {
		return nil, 0, t.refusal
	}
	return p, rows, nil
}

// table is a CSV being read.
type table struct {
	csv     *csv.Reader
	refusal *Refusal
	builder *panel.Builder
	names   []string
	time    int
	measure int
	by      []int
	drivers []int

	times    map[string]int32
	lastTime string
	lastCode int32
	lastKey  []byte
	key      []byte
	series   int
	values   []float64
}

var errRefused = errors.New("refused")

func (t *table) refuse(f panel.Fault) error {
	t.refusal.add(f)
	return errRefused
}

func (t *table) header(c Columns) error {
	record, err := t.csv.Read()
	if errors.Is(err, io.EOF) {
		return t.refuse(panel.Fault{Problem: "the file is empty: it needs a header line and rows"})
	}
	if err != nil {
		return t.broken(err)
	}
	for _, name := range record {
		t.names = append(t.names, strings.Clone(strings.TrimSpace(name)))
	}
	for i, name := range t.names {
		if name != "" && slices.Index(t.names, name) != i {
			return t.refuse(panel.Fault{Line: 1, Column: name, Problem: "stands in the header twice: rename one of the two"})
		}
	}
	find := func(name string) int {
		i := slices.Index(t.names, name)
		if i < 0 {
			t.refusal.add(panel.Fault{Line: 1, Column: name, Problem: "is not in the header; " + t.describeHeader()})
		}
		return i
	}
	t.time, t.measure = find(c.Time), find(c.Measure)
	used := map[string]string{c.Time: "the time"}
	claim := func(name, role string) {
		if before, ok := used[name]; ok {
			t.refusal.add(panel.Fault{Line: 1, Column: name, Problem: fmt.Sprintf("is given as %s and as %s: give each column one part", before, role)})
		}
		used[name] = role
	}
	claim(c.Measure, "the measure")
	for _, b := range c.By {
		claim(b, "an attribute")
		t.by = append(t.by, find(b))
	}
	for _, d := range c.Drivers {
		claim(d, "a driver")
		t.drivers = append(t.drivers, find(d))
	}
	t.values = make([]float64, len(t.drivers))
	if t.refusal.Total > 0 {
		return errRefused
	}
	return nil
}

func (t *table) describeHeader() string {
	if len(t.names) == 1 && strings.ContainsAny(t.names[0], ";\t|") {
		return fmt.Sprintf("the header is the single field %q: separate fields by commas", short(t.names[0]))
	}
	shown := t.names
	rest := ""
	if len(shown) > 30 {
		shown, rest = shown[:30], fmt.Sprintf(" and %d more", len(shown)-30)
	}
	text := "the columns are " + strings.Join(shown, ", ") + rest
	for _, n := range t.names {
		if _, err := strconv.ParseFloat(n, 64); err == nil {
			return text + "; this first line looks like data: does the file lack a header?"
		}
	}
	return text
}

// checkEvery is how many rows pass between looks at the context.
const checkEvery = 1 << 16

func (t *table) read(ctx context.Context) error {
	for n := 1; ; n++ {
		record, err := t.csv.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			if err := t.broken(err); !errors.Is(err, errRefused) {
				return err
			}
			return nil
		}
		if len(record) != len(t.names) {
			line, _ := t.csv.FieldPos(0)
			t.refusal.add(panel.Fault{Line: line, Problem: fmt.Sprintf("has %d fields and the header %d: a comma may be missing, or a text with a comma may lack its quotes", len(record), len(t.names))})
			continue
		}
		t.row(record)
		if n%checkEvery == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
	}
}

// broken turns an error of the CSV reader into a fault; other errors (of the
// network or the disk) pass through.
func (t *table) broken(err error) error {
	var p *csv.ParseError
	if !errors.As(err, &p) {
		if errors.Is(err, errNUL) {
			return errRefused // the guard has the fault
		}
		return err
	}
	problem := "the line can't be read: " + p.Err.Error()
	switch {
	case errors.Is(p.Err, csv.ErrQuote) && p.Line > p.StartLine:
		return t.refuse(panel.Fault{Line: p.StartLine, Problem: "a quote opened on this line is not properly closed: close it, or double it inside the text"})
	case errors.Is(p.Err, csv.ErrQuote):
		problem = "a quote is not closed, or text follows a closing quote: close it, or double it inside the text"
	case errors.Is(p.Err, csv.ErrBareQuote):
		problem = "a quote stands inside a field that does not begin with one: quote the whole field and double the quote"
	}
	return t.refuse(panel.Fault{Line: p.Line, Problem: problem})
}

func (t *table) row(record []string) {
	line, _ := t.csv.FieldPos(0)
	code, ok := t.timeCode(strings.TrimSpace(record[t.time]), line)
	value, err := parseNumber(record[t.measure])
	if err != nil {
		t.refusal.add(panel.Fault{Line: line, Column: t.names[t.measure], Value: record[t.measure], Problem: err.Error()})
		ok = false
	}
	for i, d := range t.drivers {
		if t.values[i], err = parseNumber(record[d]); err != nil {
			t.refusal.add(panel.Fault{Line: line, Column: t.names[d], Value: record[d], Problem: err.Error()})
			ok = false
		}
	}
	if ok && t.refusal.Total == 0 {
		t.builder.Add(t.seriesCode(record), code, line, value, t.values)
	}
}

func (t *table) timeCode(text string, line int) (int32, bool) {
	if text == t.lastTime && text != "" {
		return t.lastCode, true
	}
	code, ok := t.times[text]
	if !ok {
		var err error
		if code, err = t.builder.TimeCode(text, line); err != nil {
			t.refusal.add(panel.Fault{Line: line, Column: t.names[t.time], Value: text, Problem: err.Error()})
			return 0, false
		}
		text = strings.Clone(text)
		t.times[text] = code
	}
	t.lastTime, t.lastCode = text, code
	return code, true
}

func (t *table) seriesCode(record []string) int {
	t.key = t.key[:0]
	for _, b := range t.by {
		t.key = append(t.key, strings.TrimSpace(record[b])...)
		t.key = append(t.key, 0)
	}
	if t.builder.SeriesCount() > 0 && bytes.Equal(t.key, t.lastKey) {
		return t.series
	}
	t.series = t.builder.SeriesCode(t.key, func() []string {
		labels := make([]string, len(t.by))
		for i, b := range t.by {
			labels[i] = strings.Clone(strings.TrimSpace(record[b]))
			if !utf8.ValidString(labels[i]) {
				line, _ := t.csv.FieldPos(b)
				t.refusal.add(panel.Fault{Line: line, Column: t.names[b], Value: labels[i], Problem: "is not UTF-8 text: save the file as CSV in UTF-8"})
			}
		}
		return labels
	})
	t.lastKey = append(t.lastKey[:0], t.key...)
	return t.series
}

// largest is the largest size a value may have: beyond it squares overflow.
const largest = 1e100

var (
	errNumber   = errors.New("is not a number: write 12.5, or leave the field empty where the value is unknown")
	errInfinite = errors.New("is infinite: leave the field empty where the value is unknown")
	errHuge     = errors.New("is too large: values must lie within 1e100 of zero")
)

// parseNumber reads a value; an empty field, NA, NaN and null are unknown.
func parseNumber(s string) (float64, error) {
	v, err := strconv.ParseFloat(s, 64)
	if err == nil && !math.IsNaN(v) {
		switch {
		case math.IsInf(v, 0):
			return 0, errInfinite
		case math.Abs(v) > largest:
			return 0, errHuge
		}
		return v, nil
	}
	switch strings.ToLower(strings.TrimSpace(s)) {
	case "", "na", "n/a", "nan", "null":
		return panel.Unknown, nil
	}
	if trimmed := strings.TrimSpace(s); trimmed != s {
		return parseNumber(trimmed)
	}
	if errors.Is(err, strconv.ErrRange) {
		return 0, errHuge
	}
	return 0, errNumber
}
