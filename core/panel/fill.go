package panel

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
)

// Filling says what stands for a driver's value where it is unknown.
type Filling struct {
	Rule  FillRule
	Value float64 // of FillValue
}

// FillRule is a way to stand in for an unknown value of a driver.
type FillRule string

// The ways. The empty one is as the driver's own values have it: its usual state where that
// is nearer to the next value than the last one is, or where it is a switch (two states, one of them 0 or often gone to and fro between); 0 where
// it counts something and the measure is 0 whenever it is unknown; and else the last known
// value.
const (
	FillAuto   FillRule = ""
	FillHold   FillRule = "hold"   // the last known value, or before any the first
	FillUsual  FillRule = "usual"  // the median of what was known up to the origin
	FillValue  FillRule = "value"  // a number
	FillRefuse FillRule = "refuse" // nothing: a plan with such a hole is refused
)

// ParseFilling reads hold, usual, refuse or a number.
func ParseFilling(text string) (Filling, error) {
	switch rule := FillRule(text); rule {
	case FillAuto, FillHold, FillUsual, FillRefuse:
		return Filling{Rule: rule}, nil
	}
	v, err := strconv.ParseFloat(text, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return Filling{}, fmt.Errorf("%q is no rule for unknown values of a driver: it is hold, usual, refuse or a number", text)
	}
	return Filling{FillValue, v}, nil
}

// Fillings are rules by the drivers' names; those it does not name are filled as their own
// values have it.
type Fillings map[string]Filling

// ParseFillings reads rules by driver and refuses drivers that the panel lacks.
func ParseFillings(p *Panel, rules map[string]string) (Fillings, error) {
	out := make(Fillings, len(rules))
	for name, text := range rules {
		if !slices.ContainsFunc(p.Drivers, func(d Driver) bool { return d.Name == name }) {
			return nil, fmt.Errorf("the dataset has no driver %q: %s", name, listDrivers(p.Drivers))
		}
		f, err := ParseFilling(text)
		if err != nil {
			return nil, fmt.Errorf("the driver %s: %w", name, err)
		}
		out[name] = f
	}
	return out, nil
}

// WithFillings is the view under rules for unknown values of drivers.
func (v View) WithFillings(f Fillings) View {
	v = v.forgetting()
	v.fillings = f
	return v
}

// filled puts what the rule says in place of values of the panel's d-th driver that are unknown or not
// believed, given from an axis index on; nothing past last is looked at, or filled.
func (s SeriesView) filled(d int, values []float64, from, last int) []float64 {
	end := max(0, min(len(values), last-from+1))
	f := s.v.fillings[s.v.p.Drivers[d].Name]
	seen := values[:max(0, min(end, s.v.origin-from+1))] // what the rule is found by
	f.doubt(values[:end], len(seen))
	if CountKnown(values[:end]) == end {
		return values
	}
	if CountKnown(seen) == 0 {
		seen = values[:end]
	}
	if f.Rule == FillAuto {
		f = s.usualFilling(seen, from)
	}
	switch f.Rule {
	case FillValue:
		fillWith(values[:end], f.Value)
	case FillUsual:
		fillWith(values[:end], median(seen))
	case FillHold:
		hold(values[:end])
	}
	return values
}

func fillWith(values []float64, with float64) {
	for i, v := range values {
		if !Known(v) {
			values[i] = with
		}
	}
}

func hold(values []float64) {
	first := slices.IndexFunc(values, Known)
	if first < 0 {
		return
	}
	last := values[first]
	for i, v := range values {
		if Known(v) {
			last = v
		} else {
			values[i] = last
		}
	}
}

func median(values []float64) float64 {
	known := slices.DeleteFunc(slices.Clone(values), func(v float64) bool { return !Known(v) })
	if len(known) == 0 {
		return Unknown
	}
	slices.Sort(known)
	return known[(len(known)-1)/2] // one of the values: of a switch, one of its states
}

// fewestTold is how many values tell how a driver goes on.
const fewestTold = 4

// usualFilling finds the rule in the driver's own values, and in the measure where the driver
// is unknown.
func (s SeriesView) usualFilling(seen []float64, from int) Filling {
	if s.countsNothing(seen, from) {
		return Filling{Rule: FillValue}
	}
	usual := median(seen)
	var byLast, byUsual float64
	states, told, changes := map[float64]bool{}, 0, 0
	last := Unknown
	for _, v := range seen {
		if !Known(v) {
			continue
		}
		if len(states) < 3 {
			states[v] = true
		}
		if Known(last) {
			byLast, byUsual, told = byLast+math.Abs(v-last), byUsual+math.Abs(v-usual), told+1
			if v != last {
				changes++
			}
		}
		last = v
	}
	if told >= fewestTold && (len(states) == 2 && (states[0] || changes > 2) || byUsual < byLast) {
		return Filling{Rule: FillUsual}
	}
	return Filling{Rule: FillHold}
}

// countsNothing says that the driver counts something, down to one or none, and that the
// measure was 0 in nearly every period in which the driver is unknown: nothing was there to
// be counted.
func (s SeriesView) countsNothing(seen []float64, from int) bool {
	zeros, holes, low := 0, 0, math.Inf(1)
	for i, v := range seen {
		if Known(v) {
			if v < 0 || v != math.Trunc(v) {
				return false
			}
			low = min(low, v)
			continue
		}
		if at := from + i - s.First; at >= 0 && at < len(s.Values) && Known(s.Values[at]) {
			holes++
			if s.Values[at] == 0 {
				zeros++
			}
		}
	}
	return holes > 0 && 10*zeros >= 9*holes && low <= 1
}

// Holes counts what is filled of a driver.
type Holes struct {
	Driver string
	Values int // unknown ones
	Series int // that have any
	At     int // axis index of the first, of the series Of
	Of     int
}

// FindHoles counts the unknown values of each driver that is known ahead, over a span of axis
// indices, for each of the series that ever have a value of it; alone counts those in periods
// whose measure is known.
func FindHoles(p *Panel, series []int, from, to int, alone bool) []Holes {
	var out []Holes
	for d, driver := range p.Drivers {
		if !driver.KnownAhead {
			continue
		}
		h := Holes{Driver: driver.Name}
		for _, s := range series {
			x := &p.Series[s]
			if d >= len(x.Drivers) || CountKnown(x.Drivers[d]) == 0 {
				continue
			}
			n := 0
			for i := max(from, x.First); i <= to; i++ {
				at := i - x.First
				if at < len(x.Drivers[d]) && Known(x.Drivers[d][at]) || alone && !Known(x.At(i)) || p.IsClosed(s, i) {
					continue
				}
				if h.Values+n == 0 {
					h.At, h.Of = i, s
				}
				n++
			}
			if n > 0 {
				h.Values, h.Series = h.Values+n, h.Series+1
			}
		}
		if h.Values > 0 {
			out = append(out, h)
		}
	}
	return out
}

// words say how a rule fills.
func (f Filling) words() string {
	switch f.Rule {
	case FillHold:
		return "by the last known value"
	case FillUsual:
		return "by the usual value"
	case FillValue:
		return fmt.Sprintf("by %g", f.Value)
	}
	return "by the last known value, or the usual one where that is nearer as a rule"
}

// Caution says what was filled, and how.
func (h Holes) Caution(where string, f Fillings) string {
	return fmt.Sprintf("The driver %s is unknown in %d %s of %d series: filled %s, as the plan's driver_gaps has it.", h.Driver, h.Values,
		where, h.Series, f[h.Driver].words())
}

// CheckHoles refuses a hole in a driver whose rule is to refuse it.
func CheckHoles(p *Panel, holes []Holes, f Fillings) error {
	var errs []error
	for _, h := range holes {
		if f[h.Driver].Rule == FillRefuse {
			errs = append(errs, fmt.Errorf("the driver %s is unknown in %d periods of %d series, for one at %s of %s, and driver_gaps refuses "+
				"that: load its values, or say hold, usual or a number", h.Driver, h.Values, h.Series, p.Period(h.At), p.Series[h.Of].Key))
		}
	}
	return errors.Join(errs...)
}
