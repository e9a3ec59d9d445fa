package panel

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"paperkettle/core/calendar"
)

// Gaps says what a period without a row means, between a series' first and last.
type Gaps string

// The meanings of a gap.
const (
	GapsUnknown Gaps = "unknown"
	GapsZero    Gaps = "zero"
	GapsCarry   Gaps = "carry"
)

// ParseGaps reads the word; empty is unknown.
func ParseGaps(s string) (Gaps, error) {
	switch g := Gaps(s); g {
	case "":
		return GapsUnknown, nil
	case GapsUnknown, GapsZero, GapsCarry:
		return g, nil
	}
	return "", fmt.Errorf("gaps %q is not known: use zero, unknown or carry", s)
}

// Options say how rows become a panel.
type Options struct {
	Measure    string
	Attributes []string
	Drivers    []Driver
	Cadence    *calendar.Cadence // found from the times where nil
	Gaps       Gaps
	Floor      *float64
}

// Fault is one thing wrong with the raw rows. Line counts from 1; 0 where the
// fault belongs to no line.
type Fault struct {
	Line    int    `json:"line,omitempty"`
	Column  string `json:"column,omitempty"`
	Value   string `json:"value,omitempty"`
	Series  string `json:"series,omitempty"`
	Problem string `json:"problem"`
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
	opt    Options
	times  []timeEntry
	codes  map[int64]int32
	keys   map[string]int
	series []rawSeries
	style  calendar.Style
	styleAt,
	rows int
}

type timeEntry struct {
	value int64
	line  int
	text  string
}

type rawSeries struct {
	labels  []string
	times   []int32
	lines   []uint32
	values  []float64
	drivers [][]float64
}

// NewBuilder starts a collection.
func NewBuilder(opt Options) *Builder {
	return &Builder{opt: opt, codes: map[int64]int32{}, keys: map[string]int{}}
}

// Rows is the number of rows taken so far.
func (b *Builder) Rows() int { return b.rows }

// SeriesCount is the number of different series so far.
func (b *Builder) SeriesCount() int { return len(b.series) }

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

// TimeCode numbers a time. It refuses a second style of writing in the column.
func (b *Builder) TimeCode(text string, line int) (int32, error) {
	value, style, err := calendar.ParseTime(text)
	if err != nil {
		return 0, err
	}
	if b.style == calendar.NoStyle {
		b.style, b.styleAt = style, line
	}
	if style != b.style {
		return 0, fmt.Errorf("is written like %s, but line %d like %s: write all periods in one form", style, b.styleAt, b.style)
	}
	code, ok := b.codes[value]
	if !ok {
		code = int32(len(b.times))
		b.codes[value] = code
		b.times = append(b.times, timeEntry{value, line, strings.Clone(text)})
	}
	return code, nil
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

// Finish builds the regular panel, or lists what is wrong.
func (b *Builder) Finish() (*Panel, []Fault) {
	if b.rows == 0 {
		return nil, []Fault{{Problem: "the file has a header but no rows: there is nothing to load"}}
	}
	cadence, err := b.cadence()
	if err != nil {
		return nil, []Fault{{Problem: "cadence: " + err.Error()}}
	}
	ords, faults := b.ordinals(cadence)
	if len(faults) > 0 {
		return nil, faults
	}
	p := &Panel{Cadence: cadence, Measure: b.opt.Measure, Drivers: b.opt.Drivers, Floor: b.opt.Floor}
	slices.SortFunc(b.series, func(x, y rawSeries) int { return slices.Compare(x.labels, y.labels) })
	if faults = b.place(p, ords); len(faults) > 0 {
		return nil, faults
	}
	p.Attributes = codeAttributes(b.opt.Attributes, b.series)
	FillGaps(p, b.opt.Gaps)
	return p, nil
}

func (b *Builder) cadence() (calendar.Cadence, error) {
	if c := b.opt.Cadence; c != nil {
		numbers := c.Unit == calendar.Number || c.Unit == calendar.Year
		if b.style == calendar.StyleNumber && !numbers {
			return *c, fmt.Errorf("the periods are plain numbers, which can't be read as a %s: leave the cadence out or write dates", c.Unit.Word())
		}
		if b.style != calendar.StyleNumber && c.Unit == calendar.Number {
			return *c, fmt.Errorf("the periods are written like %s, not as plain numbers", b.style)
		}
		return *c, nil
	}
	times := make([]int64, len(b.times))
	for i, t := range b.times {
		times[i] = t.value
	}
	if b.style == calendar.StyleNumber {
		return calendar.InferNumbers(times)
	}
	return calendar.Infer(times)
}

func (b *Builder) ordinals(c calendar.Cadence) ([]int64, []Fault) {
	ords := make([]int64, len(b.times))
	var faults []Fault
	for i, t := range b.times {
		if b.style == calendar.StyleNumber {
			ords[i] = t.value
			continue
		}
		ord, exact := c.Ordinal(t.value)
		if !exact {
			faults = append(faults, Fault{Line: t.line, Value: t.text, Problem: fmt.Sprintf(
				"is not the start of a %s: its %s starts at %s; write period starts or give another cadence", c.Unit.Word(), c.Unit.Word(), c.Format(ord))})
		}
		ords[i] = ord
	}
	return ords, faults
}

// maxCells bounds the panel, so that one stray year can't ask for all memory.
const maxCells = 2_000_000_000

// place lays the raw rows of each series on the axis.
func (b *Builder) place(p *Panel, ords []int64) (faults []Fault) {
	lo, hi, known := b.extent(ords)
	if !known {
		return []Fault{{Column: b.opt.Measure, Problem: "has no known value in any row"}}
	}
	if span := hi - lo + 1; span > maxCells/int64(len(b.series)) || span > 50_000_000 {
		return []Fault{{Problem: fmt.Sprintf("the periods run from %s to %s, %d of them for %d series, more than can be held: look for a mistyped year",
			p.Cadence.Format(lo), p.Cadence.Format(hi), span, len(b.series))}}
	}
	p.First, p.Length = lo, int(hi-lo+1)
	p.Series = make([]Series, len(b.series))
	var lines []uint32
	for i := range b.series {
		raw := &b.series[i]
		s := &p.Series[i]
		s.Key = Key(raw.labels)
		faults = append(faults, raw.layOut(s, p, ords, &lines, b.duplicateCure())...)
		raw.times, raw.lines, raw.values, raw.drivers = nil, nil, nil, nil
	}
	return faults
}

func (b *Builder) duplicateCure() string {
	if len(b.opt.Attributes) == 0 {
		return "name the columns that tell the series apart, or keep one row for each period"
	}
	return "keep one row for each series and period, or name a further column that tells the series apart"
}

// extent is the range of periods with a known measure.
func (b *Builder) extent(ords []int64) (lo, hi int64, known bool) {
	for i := range b.series {
		raw := &b.series[i]
		for j, t := range raw.times {
			if !Known(raw.values[j]) {
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

func (raw *rawSeries) layOut(s *Series, p *Panel, ords []int64, scratch *[]uint32, cure string) (faults []Fault) {
	// The measure spans its known values; drivers may reach past them.
	first, last, lastRow := -1, -1, 0
	for j, t := range raw.times {
		i := int(ords[t] - p.First)
		lastRow = max(lastRow, i)
		if !Known(raw.values[j]) {
			continue
		}
		if first < 0 || i < first {
			first = i
		}
		last = max(last, i)
	}
	if first < 0 {
		first, last = 0, -1
	}
	reach := max(lastRow, last) - first + 1
	if reach < 0 || len(raw.drivers) == 0 {
		reach = last - first + 1
	}
	s.First = first
	s.Values = unknowns(last - first + 1)
	for range raw.drivers {
		s.Drivers = append(s.Drivers, unknowns(reach))
	}
	lo := 0
	for _, t := range raw.times {
		lo = min(lo, int(ords[t]-p.First)-first)
	}
	size := reach - lo + 1
	seen := *scratch
	if cap(seen) < size {
		seen = make([]uint32, size)
		*scratch = seen
	}
	seen = seen[:size]
	clear(seen)
	for j, t := range raw.times {
		i := int(ords[t]-p.First) - first
		if i >= reach {
			continue
		}
		if before := seen[i-lo]; before != 0 {
			faults = append(faults, Fault{Line: int(raw.lines[j]), Series: s.Key, Problem: fmt.Sprintf(
				"period %s was already given on line %d: %s", p.Cadence.Format(ords[t]), before, cure)})
			continue
		}
		seen[i-lo] = raw.lines[j]
		if i < 0 {
			continue
		}
		if i < len(s.Values) {
			s.Values[i] = raw.values[j]
		}
		for d := range raw.drivers {
			s.Drivers[d][i] = raw.drivers[d][j]
		}
	}
	return faults
}

func unknowns(n int) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = Unknown
	}
	return out
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

// FillGaps gives unknown periods inside each series the meaning of the rule.
func FillGaps(p *Panel, rule Gaps) {
	if rule == "" || rule == GapsUnknown {
		return
	}
	for i := range p.Series {
		values := p.Series[i].Values
		for j, v := range values {
			switch {
			case Known(v):
			case rule == GapsZero:
				values[j] = 0
			case j > 0:
				values[j] = values[j-1]
			}
		}
	}
}
