package ingest

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"paperkettle/core/panel"
)

// Loaded is what a file became.
type Loaded struct {
	Panel    *panel.Panel
	Rows     int
	Form     Form
	Cautions []string
	Readings []panel.Reading // the other ways to read what had to be taken in one
}

// Load reads a table of any form. file names it in messages. The error is a
// *Refusal where the file is at fault.
func Load(ctx context.Context, r io.Reader, file string, form Form, c Columns) (*Loaded, error) {
	return load(ctx, func(_ context.Context, f *Form) (table, error) { return open(r, f) }, file, &form, c)
}

// opener starts the reading of a table and completes what is known of its form.
type opener func(context.Context, *Form) (table, error)

func load(ctx context.Context, from opener, file string, form *Form, c Columns) (*Loaded, error) {
	opt, err := c.Options()
	if err != nil {
		return nil, err
	}
	l := &loader{refusal: &Refusal{File: file}, builder: panel.NewBuilder(opt), columns: c, times: map[string]int32{}, follower: make([]timeText, 1)}
	err = l.read(ctx, from, form)
	var f panel.Fault
	if errors.As(err, &f) {
		l.refusal.lead(f)
	} else if err != nil && !errors.Is(err, errRefused) {
		return nil, err
	}
	if l.refusal.Total > 0 {
		return nil, l.refusal
	}
	rows := l.builder.Rows()
	p, faults := l.builder.Finish()
	for _, f := range faults {
		l.refusal.add(f)
	}
	if l.refusal.Total > 0 {
		return nil, l.refusal
	}
	return &Loaded{p, rows, *form, append(l.builder.Cautions(), l.cautions()...), l.builder.Readings()}, nil
}

// cautions say what was left out of the file, and what it lacks.
func (l *loader) cautions() []string {
	var lacking []string
	for i, d := range l.drivers {
		if d == absent {
			lacking = append(lacking, l.columns.Drivers[i])
		}
	}
	var out []string
	if t, ok := l.table.(interface{ Omitted() []string }); ok {
		out = t.Omitted()
	}
	if len(lacking) > 0 {
		out = append(out, fmt.Sprintf("The file has no column %s: of its periods these drivers stay as they are, or unknown.", strings.Join(lacking, ", ")))
	}
	return out
}

// errRefused says that the refusal holds the reason.
var errRefused = errors.New("refused")

// loader takes the rows of a table to a builder.
type loader struct {
	columns Columns
	refusal *Refusal
	builder *panel.Builder
	table   table
	typed   numberTable
	marks   Marks
	names   []string

	time     []int    // usually one
	parts    []string // their names
	measures []int
	by       []int
	drivers  []int
	filters  []filter

	times     map[string]int32
	follower  []timeText // of each time's code, the time that came after it last
	lastTime  string
	lastCode  int32
	lastKey   []byte
	lastNames []string // the fields that lastKey was made of
	key       []byte
	series    []int // of the last key, one for each measure
	values    []float64
	wideTimes []int32
	wideAt    []int
	units     []unitSeen // by column
}

// absent stands for the place of a driver that the file lacks.
const absent = -1

type timeText struct {
	text string
	code int32
}

type filter struct {
	column int
	value  string
}

func (l *loader) read(ctx context.Context, from opener, form *Form) error {
	t, err := from(ctx, form)
	if err != nil {
		return err
	}
	defer t.Close()
	l.table, l.marks, l.names = t, form.marks, t.Columns()
	l.units = make([]unitSeen, len(l.names))
	l.typed, _ = t.(numberTable)
	if l.marks == (Marks{}) {
		l.marks = plainMarks
	}
	if err := l.header(); err != nil {
		return err
	}
	if picky, ok := t.(pickyTable); ok {
		picky.Only(l.needed())
	}
	row := l.row
	if l.columns.Wide {
		row = l.wideRow
	}
	return l.rows(ctx, row)
}

// needed are the columns that are read.
func (l *loader) needed() []int {
	out := slices.Concat(l.by, l.measures, l.wideAt)
	for _, d := range l.drivers {
		if d != absent {
			out = append(out, d)
		}
	}
	if !l.columns.Wide {
		out = append(out, l.time...)
	}
	for _, f := range l.filters {
		out = append(out, f.column)
	}
	return out
}

// checkEvery is how many rows pass between looks at the context.
const checkEvery = 1 << 14

func (l *loader) rows(ctx context.Context, row func([]string)) error {
	for n := 1; ; n++ {
		record, err := l.table.Next()
		var bad rowFault
		switch {
		case errors.Is(err, io.EOF):
			return nil
		case errors.As(err, &bad):
			l.refusal.add(bad.Fault)
			continue
		case err != nil:
			return err
		}
		if l.keeps(record) {
			row(record)
		}
		if n%checkEvery == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
	}
}

func (l *loader) keeps(record []string) bool {
	for _, f := range l.filters {
		if strings.TrimSpace(record[f.column]) != f.value {
			return false
		}
	}
	return true
}

func (l *loader) find(name string) int {
	i := slices.Index(l.names, name)
	if i < 0 {
		l.refusal.add(panel.Fault{Line: 1, Column: name, Problem: "is not in the header; " + l.describeHeader()})
	}
	return i
}

func (l *loader) header() error {
	for i, name := range l.names {
		if name != "" && slices.Index(l.names, name) != i {
			l.refusal.add(panel.Fault{Line: 1, Column: name, Problem: "stands in the header twice: rename one of the two"})
			return errRefused
		}
	}
	used := map[string]string{}
	claim := func(name, role string) int {
		if before, ok := used[name]; ok {
			l.refusal.add(panel.Fault{Line: 1, Column: name, Problem: fmt.Sprintf("is given as %s and as %s: give each column one part", before, role)})
		}
		used[name] = role
		return l.find(name)
	}
	for _, b := range l.columns.By {
		l.by = append(l.by, claim(b, "an attribute"))
	}
	for name, value := range l.columns.Where {
		l.filters = append(l.filters, filter{l.find(name), value})
	}
	if l.columns.Wide {
		l.wideHeader()
	} else {
		l.parts = timeColumns(l.columns.Time, l.names)
		for _, name := range l.parts {
			l.time = append(l.time, claim(name, "the time"))
		}
		if len(l.parts) > 3 {
			l.refusal.add(panel.Fault{Column: l.columns.Time, Problem: "is of more than three columns: name a year's and those of its month and day, " +
				"or of its quarter or week"})
		}
		for _, m := range l.columns.Measures {
			l.measures = append(l.measures, claim(m, "the measure"))
		}
		for _, d := range l.columns.Drivers {
			if slices.Contains(l.columns.Lacking, d) && !slices.Contains(l.names, d) {
				l.drivers = append(l.drivers, absent)
				continue
			}
			l.drivers = append(l.drivers, claim(d, "a driver"))
		}
	}
	l.values, l.lastNames = make([]float64, len(l.drivers)), make([]string, len(l.by))
	l.series = make([]int, max(1, len(l.measures)))
	if l.refusal.Total > 0 {
		return errRefused
	}
	return nil
}

func (l *loader) describeHeader() string {
	if len(l.names) == 1 && strings.ContainsAny(l.names[0], ",;\t|") {
		return fmt.Sprintf("the header is the single field %q: say what stands between fields", short(l.names[0]))
	}
	shown := l.names
	rest := ""
	if len(shown) > 30 {
		shown, rest = shown[:30], fmt.Sprintf(" and %d more", len(shown)-30)
	}
	text := "the columns are " + strings.Join(shown, ", ") + rest
	for _, n := range l.names {
		if _, err := strconv.ParseFloat(n, 64); err == nil {
			return text + "; this first line looks like data: does the file lack a header?"
		}
	}
	return text
}

func (l *loader) row(record []string) {
	line := l.table.Line()
	code, ok := l.timeCode(l.timeOf(record), line)
	for i, d := range l.drivers {
		if d == absent {
			l.values[i] = panel.Unknown
			continue
		}
		v, good := l.number(record, d, line)
		l.values[i] = v
		ok = ok && good
	}
	for k, m := range l.measures {
		v, good := l.number(record, m, line)
		if ok && good && l.refusal.Total == 0 {
			if k == 0 {
				l.findSeries(record)
			}
			l.builder.Add(l.series[k], code, line, v, l.values)
		}
	}
}

// timeOf is a row's time, of one column or joined from several.
func (l *loader) timeOf(record []string) string {
	if len(l.time) == 1 {
		return strings.TrimSpace(record[l.time[0]])
	}
	fields := make([]string, len(l.time))
	for k, i := range l.time {
		fields[k] = strings.TrimSpace(record[i])
	}
	return joined(l.parts, fields)
}

func (l *loader) timeCode(text string, line int) (int32, bool) {
	if text == l.lastTime && text != "" {
		return l.lastCode, true
	}
	// In most tables the same time follows as last time.
	if next := l.follower[l.lastCode]; next.text == text && text != "" {
		l.lastTime, l.lastCode = next.text, next.code
		return next.code, true
	}
	before := l.lastCode
	code, ok := l.times[text]
	if !ok {
		period, err := l.columns.period(text)
		if err == nil {
			code, err = l.builder.TimeCode(period, line)
		}
		if err != nil {
			problem := err.Error()
			if l.columns.Codes == nil && text != "" && !strings.ContainsAny(text, "0123456789") {
				problem += "; or take the line out where it is no row of the table, as one of totals"
			}
			l.refusal.add(panel.Fault{Line: line, Column: l.columns.Time, Value: text, Problem: problem})
			return 0, false
		}
		text = strings.Clone(text)
		l.times[text] = code
		l.follower = append(l.follower, timeText{})
	}
	l.follower[before] = timeText{text, code}
	l.lastTime, l.lastCode = text, code
	return code, true
}

// sameNames says whether a row names the same series as the last, by its raw fields,
// and remembers them. Tables of text give new strings with every row: only those that
// keep theirs gain.
func (l *loader) sameNames(record []string) bool {
	if l.typed == nil || l.lastKey == nil {
		return false
	}
	same := true
	for k, b := range l.by {
		if same = same && l.lastNames[k] == record[b]; !same {
			l.lastNames[k] = record[b]
		}
	}
	return same
}

// findSeries sets the series of a row, one for each measure.
func (l *loader) findSeries(record []string) {
	if l.sameNames(record) {
		return
	}
	l.key = l.key[:0]
	for _, b := range l.by {
		l.key = append(l.key, strings.TrimSpace(record[b])...)
		l.key = append(l.key, 0)
	}
	if l.builder.SeriesCount() > 0 && bytes.Equal(l.key, l.lastKey) {
		return
	}
	l.lastKey = append(l.lastKey[:0], l.key...)
	measures := l.columns.Measures
	for k := range l.series {
		key := l.key
		if len(measures) > 1 {
			key = append(key, measures[k]...)
		}
		l.series[k] = l.builder.SeriesCode(key, func() []string {
			labels := l.labels(record)
			if len(measures) > 1 {
				labels = append(labels, measures[k])
			}
			return labels
		})
	}
}

func (l *loader) labels(record []string) []string {
	labels := make([]string, 0, len(l.by)+1)
	for _, b := range l.by {
		label := strings.Clone(strings.TrimSpace(record[b]))
		if !utf8.ValidString(label) {
			l.refusal.add(panel.Fault{Line: l.table.Line(), Column: l.names[b], Value: label,
				Problem: "is not UTF-8 text: say the file's encoding, or save it as CSV in UTF-8"})
		}
		labels = append(labels, label)
	}
	return labels
}

// wideHeader takes every column that is a time for a period. The others must be
// named, or they are left out.
func (l *loader) wideHeader() {
	for i, name := range l.names {
		if slices.Contains(l.by, i) || name == "" {
			continue
		}
		period, err := l.columns.period(name)
		if err != nil {
			continue
		}
		code, err := l.builder.TimeCode(period, 1)
		if err != nil {
			continue
		}
		l.wideTimes = append(l.wideTimes, code)
		l.wideAt = append(l.wideAt, i)
	}
	if len(l.wideTimes) < 2 {
		l.refusal.add(panel.Fault{Line: 1, Problem: "fewer than two column names are times of one form, so the table is not a wide one; " +
			l.describeHeader()})
	}
}

func (l *loader) wideRow(record []string) {
	line := l.table.Line()
	values := make([]float64, len(l.wideAt))
	ok := true
	for j, i := range l.wideAt {
		v, good := l.number(record, i, line)
		values[j] = v
		ok = ok && good
	}
	if !ok || l.refusal.Total > 0 {
		return
	}
	l.lastKey = nil
	l.findSeries(record)
	if before, ok := l.builder.AddDense(l.series[0], l.wideTimes, line, values); !ok {
		l.refusal.add(panel.Fault{Line: line, Series: panel.Key(l.labels(record)),
			Problem: fmt.Sprintf("was already given on line %d: keep one row for each series, or name a further column that tells the series apart", before)})
	}
}
