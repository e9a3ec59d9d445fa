// Package panel holds many series on one regular time axis, builds them from raw
// rows, and gives models a view of them that ends at an origin.
package panel

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"paperkettle/core/calendar"
)

// Unknown marks a period without a value.
var Unknown = math.NaN()

// Known says whether a value is there.
func Known(v float64) bool { return v == v }

// Panel is a set of series on one axis. It is read-only once built.
type Panel struct {
	Cadence    calendar.Cadence
	First      int64 // ordinal of the axis' first period
	Length     int   // number of periods, first to last with a known measure
	Measure    string
	Floor      *float64 // no value can lie below it, where given
	Drivers    []Driver
	Attributes []Attribute
	Events     []calendar.Event // known ahead; in order of their names
	Closed     []string         // lines that say which periods are known not to happen
	Series     []Series
	shut       []shut // of WithClosed, by series
	believed   bool   // of WithPastBelieved
}

// Driver names an explanatory column.
type Driver struct {
	Name       string
	KnownAhead bool
	Attached   bool // it came from a table of its own
}

// Attribute is a dictionary-coded column: series i has Values[Codes[i]].
type Attribute struct {
	Name   string
	Values []string
	Codes  []int32
}

// Series is one line of the panel. Values[i] is the measure at axis index
// First+i, NaN where unknown; it starts and ends with a known value, or is empty.
// Drivers[d][i] is driver d at the same index and may reach past Values.
type Series struct {
	Key     string
	First   int
	Values  []float64
	Drivers [][]float64
}

// End is the axis index after the last value.
func (s *Series) End() int { return s.First + len(s.Values) }

// At is the measure at an axis index, NaN outside the series.
func (s *Series) At(i int) float64 {
	if i -= s.First; i >= 0 && i < len(s.Values) {
		return s.Values[i]
	}
	return Unknown
}

// Ordinal turns an axis index into a period.
func (p *Panel) Ordinal(i int) int64 { return p.First + int64(i) }

// Period names the period at an axis index.
func (p *Panel) Period(i int) string { return p.Cadence.Format(p.Ordinal(i)) }

// Label is series i's value of attribute a.
func (p *Panel) Label(a, i int) string {
	at := &p.Attributes[a]
	return at.Values[at.Codes[i]]
}

// Labels are all attribute values of series i, in the attributes' order.
func (p *Panel) Labels(i int) []string {
	out := make([]string, len(p.Attributes))
	for a := range p.Attributes {
		out[a] = p.Label(a, i)
	}
	return out
}

// Find gives the index of the series with a key, or -1.
func (p *Panel) Find(key string) int {
	return slices.IndexFunc(p.Series, func(s Series) bool { return s.Key == key })
}

// AttributeIndex finds an attribute by name.
func (p *Panel) AttributeIndex(name string) (int, error) {
	names := make([]string, len(p.Attributes))
	for i, a := range p.Attributes {
		if a.Name == name {
			return i, nil
		}
		names[i] = a.Name
	}
	if len(names) == 0 {
		return 0, fmt.Errorf("no attribute is called %q: the dataset has a single series and no attributes", name)
	}
	return 0, fmt.Errorf("no attribute is called %q: the dataset has %s", name, strings.Join(names, ", "))
}

// Where lists the series whose attributes match every condition; an empty
// filter matches all.
func (p *Panel) Where(filter map[string]string) ([]int, error) {
	want := make([]int32, len(p.Attributes))
	for i := range want {
		want[i] = -1
	}
	for name, value := range filter {
		a, err := p.AttributeIndex(name)
		if err != nil {
			return nil, err
		}
		code := slices.Index(p.Attributes[a].Values, value)
		if code < 0 {
			return nil, fmt.Errorf("no series has %s %q", name, value)
		}
		want[a] = int32(code)
	}
	var out []int
next:
	for i := range p.Series {
		for a, code := range want {
			if code >= 0 && p.Attributes[a].Codes[i] != code {
				continue next
			}
		}
		out = append(out, i)
	}
	return out, nil
}

// EventsOf lists the events that concern series i.
func (p *Panel) EventsOf(i int) []*calendar.Event {
	var out []*calendar.Event
	for e := range p.Events {
		if p.Holds(&p.Events[e], i) {
			out = append(out, &p.Events[e])
		}
	}
	return out
}

// Holds says whether an event concerns series i.
func (p *Panel) Holds(e *calendar.Event, i int) bool {
	return e.Holds(func(name string) string { return p.labelOf(name, i) })
}

// labelOf is series i's value of an attribute by name; empty where there is none.
func (p *Panel) labelOf(name string, i int) string {
	for a := range p.Attributes {
		if p.Attributes[a].Name == name {
			return p.Label(a, i)
		}
	}
	return ""
}

// WithEvents is the panel with events laid over its own: those of the same name are
// replaced, however they were limited. It says how many were.
func (p *Panel) WithEvents(events []calendar.Event) (*Panel, int) {
	out := *p
	out.Events = slices.Clone(events)
	replaced := 0
	for _, e := range p.Events {
		if slices.ContainsFunc(events, func(x calendar.Event) bool { return x.Name == e.Name }) {
			replaced++
		} else {
			out.Events = append(out.Events, e)
		}
	}
	slices.SortStableFunc(out.Events, func(a, b calendar.Event) int { return strings.Compare(a.Name, b.Name) })
	return &out, replaced
}

// WithPastBelieved is the panel of which every value is learnt from as it was loaded: what looks like a mistake, a
// pause, an end or a change of unit is taken for how the series are.
func (p *Panel) WithPastBelieved() *Panel {
	out := *p
	out.believed = true
	return &out
}

// WithoutEvent is the panel without the events of a name; it says how many there were.
func (p *Panel) WithoutEvent(name string) (*Panel, int) {
	out := *p
	out.Events = slices.DeleteFunc(slices.Clone(p.Events), func(e calendar.Event) bool { return e.Name == name })
	return &out, len(p.Events) - len(out.Events)
}

// KeySeparator joins attribute values into a series key.
const KeySeparator = " / "

// Key joins attribute values. A panel without attributes has one series, "all".
func Key(labels []string) string {
	if len(labels) == 0 {
		return "all"
	}
	return strings.Join(labels, KeySeparator)
}
