package panel

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"paperkettle/core/calendar"
)

// Options say how rows become a panel.
type Options struct {
	Measure    string
	Attributes []string
	Drivers    []Driver
	Cadence    *calendar.Cadence // found from the times where nil
	Usual      *calendar.Cadence // taken where the times are too few to show one
	FirstDay   bool              // the first day of weeks is given with the cadence; else the dates show it
	DateOrder  DateOrder
	Label      LabelAt
	Zone       *time.Location // where instants with an offset go; needed for them
	Aggregate  Combine        // of the measure, to the given cadence; "" does not aggregate
	Duplicates Combine        // of rows with the same series and period; "" refuses them
	KeepPart   bool           // keep a last period that aggregation finds only partly over
	Gaps       Gaps
	Floor      *float64
	From, To   string // periods before and after are left out
}

// DateOrder says how 03/04/2026 is read.
type DateOrder string

// The orders; empty finds it from the column, or refuses.
const (
	DayFirst   DateOrder = "day-first"
	MonthFirst DateOrder = "month-first"
)

// LabelAt says whether times name a period by its start or its end.
type LabelAt string

// The labels; empty finds the last days of months, quarters and years.
const (
	AtStart LabelAt = "start"
	AtEnd   LabelAt = "end"
)

// Combine makes one value of several.
type Combine string

// The ways to combine.
const (
	Refuse Combine = ""
	Sum    Combine = "sum"
	Mean   Combine = "mean"
	Last   Combine = "last"
	Max    Combine = "max"
	Min    Combine = "min"
)

// ParseCombine reads the word; "refuse" and empty are Refuse.
func ParseCombine(s string) (Combine, error) {
	switch c := Combine(s); c {
	case "refuse":
		return Refuse, nil
	case Refuse, Sum, Mean, Last, Max, Min:
		return c, nil
	}
	return "", fmt.Errorf("%q is not known: use sum, mean, last, max or min", s)
}

// Fault is one thing wrong with the raw rows. Line counts from 1; 0 where the
// fault belongs to no line.
type Fault struct {
	Line    int    `json:"line,omitempty"`
	Column  string `json:"column,omitempty"`
	Value   string `json:"value,omitempty"`
	Series  string `json:"series,omitempty"`
	Problem string `json:"problem"`
	// Readings are the ways in which it can be read, where a word settles it.
	Readings []Reading `json:"readings,omitempty"`
}

// Reading is one of several ways to read a file, by the option that chooses it.
type Reading struct {
	Option string `json:"option"` // date_order, label, cadence or decimal
	Value  string `json:"value"`
	Text   string `json:"text"` // what it comes to, in words
}

func (f Fault) Error() string {
	var b strings.Builder
	if f.Line > 0 {
		fmt.Fprintf(&b, "line %d: ", f.Line)
	}
	if f.Column != "" {
		fmt.Fprintf(&b, "column %q: ", f.Column)
	}
	if f.Value != "" {
		fmt.Fprintf(&b, "%q ", f.Value)
	}
	if f.Series != "" {
		fmt.Fprintf(&b, "series %q: ", f.Series)
	}
	b.WriteString(f.Problem)
	return b.String()
}

// Builder collects raw rows. Its memory grows with the rows by about 16 bytes a
// row, and by 8 for each driver.
type Builder struct {
	opt      Options
	times    []timeEntry
	keys     map[string]int
	series   []rawSeries
	style    calendar.Style
	styleAt  int
	rows     int
	cautions []string
	readings []Reading
}

type timeEntry struct {
	reading calendar.Reading
	line    int
	text    string
}

// rawSeries holds the rows of a series. A dense one, a row of a wide table, shares
// times with its neighbours and has a single line.
type rawSeries struct {
	labels  []string
	times   []int32
	lines   []uint32
	values  []float64
	drivers [][]float64
	line    int
}

// NewBuilder starts a collection.
func NewBuilder(opt Options) *Builder {
	return &Builder{opt: opt, keys: map[string]int{}}
}

// Rows is the number of rows taken so far.
func (b *Builder) Rows() int { return b.rows }

// SeriesCount is the number of different series so far.
func (b *Builder) SeriesCount() int { return len(b.series) }

// Cautions says what Finish left out or assumed, in sentences.
func (b *Builder) Cautions() []string { return b.cautions }

// Readings are the other ways to read what Finish had to take in one of them.
func (b *Builder) Readings() []Reading { return b.readings }

// SeriesCode numbers the series whose attribute values, joined by the zero byte,
// are key. labels is called once for a new series.
func (b *Builder) SeriesCode(key []byte, labels func() []string) int {
	if code, ok := b.keys[string(key)]; ok {
		return code
	}
	code := len(b.series)
	b.keys[string(key)] = code
	s := rawSeries{labels: labels(), drivers: make([][]float64, len(b.opt.Drivers))}
	b.series = append(b.series, s)
	return code
}

// TimeCode numbers a time as written: callers keep the codes of texts they have
// seen. It refuses a second style of writing in the column.
func (b *Builder) TimeCode(text string, line int) (int32, error) {
	reading, err := calendar.ParseTime(text)
	if err != nil {
		return 0, err
	}
	if b.style == calendar.NoStyle {
		b.style, b.styleAt = reading.Style, line
	}
	if reading.Style != b.style {
		return 0, fmt.Errorf("is written like %s, but line %d like %s: write all periods in one form", reading.Style, b.styleAt, b.style)
	}
	b.times = append(b.times, timeEntry{reading, line, strings.Clone(text)})
	return int32(len(b.times) - 1), nil
}

// Add takes one row. drivers holds one value for each driver and is copied.
func (b *Builder) Add(series int, time int32, line int, value float64, drivers []float64) {
	s := &b.series[series]
	s.times = append(s.times, time)
	s.lines = append(s.lines, uint32(line))
	s.values = append(s.values, value)
	for d, v := range drivers {
		s.drivers[d] = append(s.drivers[d], v)
	}
	b.rows++
}

// AddDense takes a whole series at once, a row of a wide table, and owns values.
// times is shared by all series. It is false where the series was given before.
func (b *Builder) AddDense(series int, times []int32, line int, values []float64) (before int, ok bool) {
	s := &b.series[series]
	if s.times != nil {
		return s.line, false
	}
	s.times, s.values, s.line = times, values, line
	b.rows++
	return 0, true
}

// lineOf is the line that row j came from.
func (raw *rawSeries) lineOf(j int) int {
	if raw.lines == nil {
		return raw.line
	}
	return int(raw.lines[j])
}

// Finish builds the regular panel, or lists what is wrong.
func (b *Builder) Finish() (*Panel, []Fault) {
	if b.rows == 0 {
		return nil, []Fault{{Problem: "the file has a header but no rows: there is nothing to load"}}
	}
	if !b.anyKnown() {
		return nil, []Fault{{Column: b.opt.Measure, Problem: "has no known value in any row"}}
	}
	axis, faults := b.resolve()
	if len(faults) > 0 {
		return nil, faults
	}
	p := &Panel{Cadence: axis.cadence, Measure: b.opt.Measure, Drivers: b.opt.Drivers, Floor: b.opt.Floor}
	slices.SortFunc(b.series, func(x, y rawSeries) int { return slices.Compare(x.labels, y.labels) })
	if faults = b.place(p, axis); len(faults) > 0 {
		return nil, faults
	}
	p.Attributes = codeAttributes(b.opt.Attributes, b.series)
	FillGaps(p, b.opt.Gaps)
	return p, nil
}

func (b *Builder) anyKnown() bool {
	return slices.ContainsFunc(b.series, func(s rawSeries) bool { return slices.ContainsFunc(s.values, Known) })
}

// Bounds of a panel, so that one stray year can't ask for all memory: a century of
// quarter-hours, and a thousand cells for each row that was given.
const (
	maxPeriods = 4_000_000
	cellsARow  = 1000
	cellsFree  = 10_000_000
)

// place lays the raw rows of each series on the axis.
func (b *Builder) place(p *Panel, axis axis) (faults []Fault) {
	lo, hi, known := b.extent(axis.ords)
	if !known {
		return []Fault{{Column: b.opt.Measure, Problem: "has no known value between the periods that are kept"}}
	}
	if b.opt.Aggregate != Refuse {
		hi = b.dropPart(axis, hi)
		if hi < lo {
			return []Fault{{Problem: fmt.Sprintf("the only %s is not over yet: keep it on purpose, or load more", axis.cadence.Unit.Word())}}
		}
	}
	if span := hi - lo + 1; span > maxPeriods || span > (cellsFree+cellsARow*int64(b.cells()))/int64(len(b.series)) {
		return []Fault{{Problem: fmt.Sprintf("the periods run from %s to %s, %d of them for %d series, more than can be held: look for a mistyped year",
			p.Cadence.Format(lo), p.Cadence.Format(hi), span, len(b.series))}}
	}
	p.First, p.Length = lo, int(hi-lo+1)
	p.Series = make([]Series, len(b.series))
	l := layer{p: p, ords: axis.ords, rule: b.opt.Duplicates, last: hi, cure: b.duplicateCure()}
	if b.opt.Aggregate != Refuse {
		l.rule, l.driverRule = b.opt.Aggregate, Mean
	}
	for i := range b.series {
		raw := &b.series[i]
		s := &p.Series[i]
		s.Key = Key(raw.labels)
		l.layOut(s, raw)
		raw.times, raw.lines, raw.values, raw.drivers = nil, nil, nil, nil
	}
	return l.faults
}

// dropPart gives the last period to keep: the one before, where the last is only
// partly over.
func (b *Builder) dropPart(axis axis, hi int64) int64 {
	if axis.nextNative == NoTime || axis.lastOrd != hi {
		return hi
	}
	next, _ := axis.cadence.Ordinal(axis.nextNative)
	if next != hi {
		return hi
	}
	name := axis.cadence.Format(hi)
	if b.opt.KeepPart {
		b.cautions = append(b.cautions, fmt.Sprintf("The last %s, %s, is only partly over and was kept as it is.", axis.cadence.Unit.Word(), name))
		return hi
	}
	b.cautions = append(b.cautions, fmt.Sprintf("The last %s, %s, is only partly over and was left out.", axis.cadence.Unit.Word(), name))
	return hi - 1
}

// cells is the number of values that were given.
func (b *Builder) cells() (n int) {
	for i := range b.series {
		n += len(b.series[i].values)
	}
	return n
}

func (b *Builder) duplicateCure() string {
	if len(b.opt.Attributes) == 0 {
		return "name the columns that tell the series apart, or keep one row for each period"
	}
	return "keep one row for each series and period, name a further column that tells the series apart, or say how duplicates combine"
}

// extent is the range of periods with a known measure.
func (b *Builder) extent(ords []int64) (lo, hi int64, known bool) {
	for i := range b.series {
		raw := &b.series[i]
		for j, t := range raw.times {
			if !Known(raw.values[j]) || ords[t] == leftOut {
				continue
			}
			ord := ords[t]
			if !known {
				lo, hi, known = ord, ord, true
			}
			lo, hi = min(lo, ord), max(hi, ord)
		}
	}
	return lo, hi, known
}

func codeAttributes(names []string, series []rawSeries) []Attribute {
	out := make([]Attribute, len(names))
	for a, name := range names {
		var values []string
		for _, s := range series {
			values = append(values, s.labels[a])
		}
		out[a] = NewAttribute(name, values)
	}
	return out
}

// NewAttribute codes one value for each series, with a sorted dictionary.
func NewAttribute(name string, values []string) Attribute {
	dictionary := slices.Clone(values)
	slices.SortFunc(dictionary, cmp.Compare[string])
	dictionary = slices.Compact(dictionary)
	codes := make([]int32, len(values))
	for i, v := range values {
		at, _ := slices.BinarySearch(dictionary, v)
		codes[i] = int32(at)
	}
	return Attribute{name, dictionary, codes}
}
