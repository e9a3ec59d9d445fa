// Package ingest reads files into raw rows and hands them to a panel builder, with
// the line and column of every fault. What it can find out about a file it
// proposes; each proposal can be overruled.
package ingest

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	_ "time/tzdata" // zones must not depend on the machine

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// Columns says which column is what, and how rows become a panel.
type Columns struct {
	Time       string   // or several columns that make a time together, as "Year+Month"
	Codes      *Codes   // what the time column's codes stand for, where it holds codes
	Measures   []string // each of several becomes series of its own
	By         []string // columns that name the series
	Drivers    []string
	KnownAhead []string // those of Drivers whose future is known
	Wide       bool     // a column a period; the measure then names the values
	Cadence    string
	FirstDay   string   // of weeks
	Lacking    []string // those of Drivers that the file may lack
	Usual      string   // the cadence of the dataset that the rows go to
	DateOrder  string   // day-first or month-first
	Label      string   // start or end: what a time names of its period
	Zone       string   // where instants with an offset go
	Aggregate  string   // sum, mean, last, max or min, to Cadence
	Duplicates string   // the same, for rows with the same series and period
	KeepPart   bool     // keep a last aggregated period that is only partly over
	Gaps       string
	Floor      *float64
	Where      map[string]string // keep rows with these values
	From, To   string            // keep periods from and to these
}

// MeasureAttribute is the attribute that tells several measures apart.
const MeasureAttribute = "measure"

// period is the time that a text of the time column stands for.
func (c Columns) period(text string) (string, error) {
	if c.Codes == nil {
		return text, nil
	}
	if day, ok := c.Codes.Days[text]; ok {
		return day, nil
	}
	return "", fmt.Errorf("is no code of %q: add it there, or leave its rows out", c.Codes.Name)
}

// FaultsShown is how many different faults a refusal lists, and linesShown in how many places each;
// the rest are counted.
const (
	FaultsShown = 20
	linesShown  = 5
)

// Refusal says why a file was not loaded.
type Refusal struct {
	File   string
	Faults []panel.Fault // the first FaultsShown that differ
	Again  []Repeats     // of each, where else it is
	Total  int
}

// Repeats are the further places of a fault: what is wrong there is the same, in the same column.
type Repeats struct {
	Lines []int // the first few
	Count int
}

// String tells the further places; it is empty where there are none.
func (r Repeats) String() string {
	if r.Count == 0 {
		return ""
	}
	lines := make([]string, len(r.Lines))
	for i, l := range r.Lines {
		lines[i] = strconv.Itoa(l)
	}
	text := " (the same on line "
	if r.Count > 1 {
		text = " (the same on lines "
	}
	text += strings.Join(lines, ", ")
	if more := r.Count - len(r.Lines); more > 0 {
		text += fmt.Sprintf(" and %d more", more)
	}
	return text + ")"
}

func (r *Refusal) Error() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s was not loaded: ", r.File)
	for i, f := range r.Faults {
		if i > 0 {
			b.WriteString("; ")
		}
		b.WriteString(f.Error() + r.Again[i].String())
	}
	if more := r.More(); more > 0 {
		fmt.Fprintf(&b, "; and %d more", more)
	}
	return b.String()
}

// More is how many faults are neither listed nor like one that is.
func (r *Refusal) More() int {
	told := len(r.Faults)
	for _, a := range r.Again {
		told += a.Count
	}
	return r.Total - told
}

func (r *Refusal) add(f panel.Fault) {
	r.Total++
	for i := range r.Faults {
		if like := &r.Faults[i]; f.Line > 0 && like.Line > 0 && like.Column == f.Column && like.Problem == f.Problem && like.Series == f.Series {
			a := &r.Again[i]
			a.Count++
			if len(a.Lines) < linesShown {
				a.Lines = append(a.Lines, f.Line)
			}
			return
		}
	}
	if len(r.Faults) < FaultsShown {
		f.Value = short(f.Value)
		r.Faults, r.Again = append(r.Faults, f), append(r.Again, Repeats{})
	}
}

// lead puts the fault that ended the reading before the others.
func (r *Refusal) lead(f panel.Fault) {
	r.Total++
	f.Value = short(f.Value)
	keep := min(len(r.Faults), FaultsShown-1)
	r.Faults, r.Again = append([]panel.Fault{f}, r.Faults[:keep]...), append([]Repeats{{}}, r.Again[:keep]...)
}

func short(s string) string {
	if len(s) > 60 {
		return strings.ToValidUTF8(s[:57], "") + "..."
	}
	return strings.Clone(s)
}

// exported are the names of an export's own columns, besides the attributes.
var exported = regexp.MustCompile(`^(contender|window|origin|step|period|actual|forecast|closed|mase_scale|rmsse_scale|(low|high)[0-9.]+)$`)

// Options checks the columns' settings, without a file.
func (c Columns) Options() (panel.Options, error) {
	measures := c.Measures
	opt := panel.Options{Attributes: c.By, Floor: c.Floor, KeepPart: c.KeepPart, From: c.From, To: c.To}
	if len(measures) == 0 || c.Time == "" && !c.Wide {
		return opt, errors.New("name the time column and the measure column")
	}
	for _, name := range c.By {
		if exported.MatchString(name) {
			return opt, fmt.Errorf("an attribute can't be called %q: exports have a column of that name; rename the column in the file, or in the query", name)
		}
	}
	opt.Measure = measures[0]
	if len(measures) > 1 {
		opt.Measure = "value"
		opt.Attributes = append(slices.Clone(c.By), MeasureAttribute)
	}
	if c.Wide && (c.Time != "" || len(measures) > 1 || len(c.Drivers) > 0) {
		return opt, errors.New("a wide table has a column a period: it takes no time column, one measure (the name of its values) and no drivers")
	}
	if c.Cadence != "" {
		cad, err := calendar.ParseCadence(c.Cadence)
		if err != nil {
			return opt, err
		}
		opt.Cadence = &cad
		opt.FirstDay = strings.Contains(c.Cadence, " ")
	}
	if c.FirstDay != "" {
		day, err := calendar.ParseWeekday(c.FirstDay)
		if err != nil {
			return opt, fmt.Errorf("first day: %w", err)
		}
		if opt.Cadence != nil && opt.Cadence.Unit != calendar.Week {
			return opt, fmt.Errorf("the first day is that of weeks, and the cadence is %s: leave one of the two out", opt.Cadence)
		}
		opt.Cadence, opt.FirstDay = &calendar.Cadence{Unit: calendar.Week, WeekStart: day}, true
	}
	if c.Usual != "" {
		cad, err := calendar.ParseCadence(c.Usual)
		if err != nil {
			return opt, err
		}
		opt.Usual = &cad
	}
	var err error
	if opt.Gaps, err = panel.ParseGaps(c.Gaps); err != nil {
		return opt, err
	}
	if opt.Aggregate, err = panel.ParseCombine(c.Aggregate); err != nil {
		return opt, fmt.Errorf("aggregate: %w", err)
	}
	if opt.Duplicates, err = panel.ParseCombine(c.Duplicates); err != nil {
		return opt, fmt.Errorf("duplicates: %w, or refuse", err)
	}
	if opt.Aggregate != panel.Refuse && opt.Cadence == nil {
		return opt, errors.New("aggregating needs the cadence to aggregate to: give it")
	}
	if opt.DateOrder = panel.DateOrder(c.DateOrder); opt.DateOrder != "" && opt.DateOrder != panel.DayFirst && opt.DateOrder != panel.MonthFirst {
		return opt, fmt.Errorf("date order %q is not known: use day-first or month-first", c.DateOrder)
	}
	if opt.Label = panel.LabelAt(c.Label); opt.Label != "" && opt.Label != panel.AtStart && opt.Label != panel.AtEnd {
		return opt, fmt.Errorf("label %q is not known: use start or end", c.Label)
	}
	if c.Zone != "" {
		if opt.Zone, err = time.LoadLocation(c.Zone); err != nil {
			return opt, fmt.Errorf("zone %q is not known: write UTC or an area's name such as Europe/Lisbon", c.Zone)
		}
	}
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
