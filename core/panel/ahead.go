package panel

import (
	"fmt"
	"slices"
	"strings"
)

// Ahead says what a model finds, past the origin, in a driver that is not known ahead.
type Ahead string

// The rules for drivers that are not known ahead.
const (
	// AheadDrop hides the driver altogether: a model that learnt from it could not use
	// what it learnt.
	AheadDrop Ahead = "drop"
	// AheadLag shows, in each period, the value as many periods before as the furthest
	// step lies ahead, so that the whole horizon rests on known values.
	AheadLag Ahead = "lag"
	// AheadForecast repeats the driver's last season past the origin, or its last known
	// value where the cadence has none.
	AheadForecast Ahead = "forecast"
)

// CheckAhead refuses rules for drivers that the panel lacks or that need none.
func CheckAhead(p *Panel, rules map[string]Ahead) error {
	names := make([]string, 0, len(rules))
	for name := range rules {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		i := slices.IndexFunc(p.Drivers, func(d Driver) bool { return d.Name == name })
		switch rule := rules[name]; {
		case i < 0:
			return fmt.Errorf("the dataset has no driver %q: %s", name, listDrivers(p.Drivers))
		case p.Drivers[i].KnownAhead:
			return fmt.Errorf("the driver %q is known ahead: it needs no rule", name)
		case rule != AheadDrop && rule != AheadLag && rule != AheadForecast:
			return fmt.Errorf("%q is no rule for the driver %q: it is drop, lag or forecast", rule, name)
		}
	}
	return nil
}

func listDrivers(drivers []Driver) string {
	if len(drivers) == 0 {
		return "it has none"
	}
	names := make([]string, len(drivers))
	for i, d := range drivers {
		names[i] = d.Name
	}
	return "it has " + strings.Join(names, ", ")
}

// shownDriver is a driver as a view shows it.
type shownDriver struct {
	at   int // in the panel
	rule Ahead
}

// WithAhead is the view under rules for the drivers that are not known ahead; those
// without a rule are dropped. reach is how many periods past the origin are forecast.
func (v View) WithAhead(rules map[string]Ahead, reach int) View {
	v = v.forgetting()
	v.reach = reach
	v.shown = make([]shownDriver, 0, len(v.p.Drivers))
	for i, d := range v.p.Drivers {
		rule := rules[d.Name]
		if d.KnownAhead {
			rule = ""
		} else if rule == "" || rule == AheadDrop {
			continue
		}
		v.shown = append(v.shown, shownDriver{i, rule})
	}
	return v
}

// shownAt is the d-th driver that the view shows.
func (v View) shownAt(d int) shownDriver {
	if v.shown == nil {
		return shownDriver{at: d}
	}
	return v.shown[d]
}

// OwnDrivers is how many drivers the view shows that are the series' own, of the same period; they come first.
func (v View) OwnDrivers() int {
	if v.shown == nil {
		return len(v.p.Drivers)
	}
	return len(v.shown)
}

// Drivers names the explanatory columns that the view shows. A lagged one carries its lag
// in its name; then those of neighbours, and what was before.
func (v View) Drivers() []Driver {
	own := v.ownDrivers()
	if v.neighbours == nil && v.carried == nil {
		return own
	}
	return slices.Concat(own, v.neighbours.names(v.p), v.carriedNames())
}

func (v View) ownDrivers() []Driver {
	if v.shown == nil {
		return v.p.Drivers
	}
	out := make([]Driver, len(v.shown))
	for i, s := range v.shown {
		out[i] = v.p.Drivers[s.at]
		if s.rule == AheadLag {
			out[i].Name = fmt.Sprintf("%s, %s before", out[i].Name, v.p.Cadence.Noun(v.reach))
		}
		out[i].KnownAhead = out[i].KnownAhead || s.rule != ""
	}
	return out
}

// Driver gives n values of the d-th driver of the view, from First on. One that is not
// known ahead is, past the origin, what its rule says, or unknown without one, whatever
// the panel holds. What is unknown before is filled by the view's rules; a series that never
// had a value of the driver has none.
func (s SeriesView) Driver(d, n int) []float64 {
	if k := d - s.v.OwnDrivers(); k >= 0 {
		if beside := s.v.neighbours.Len(); k >= beside {
			return s.carriedOver(s.v.carried[k-beside], n)
		}
		return s.v.neighbours.values(s.v.p, k, s.at, s.First, n)
	}
	shown := s.v.shownAt(d)
	last := s.First + n - 1
	if !s.v.p.Drivers[shown.at].KnownAhead {
		last = s.v.origin
	}
	// A series that has no value yet may begin, in the panel, after the first period that is asked for.
	from := min(s.First, max(s.v.from, s.First-s.offset))
	values := make([]float64, max(s.First+n, s.v.origin+1)-from)
	for i := range values {
		if values[i] = Unknown; from+i <= max(last, s.v.origin) {
			values[i] = s.rawDriver(shown.at, from+i)
		}
	}
	values = s.filled(shown.at, values, from, max(last, s.v.origin))
	out := make([]float64, n)
	for i := range out {
		switch at := s.First + i; {
		case shown.rule == AheadLag:
			out[i] = Unknown
			if at -= s.v.reach; at >= from && at <= s.v.origin {
				out[i] = values[at-from]
			}
		case shown.rule == AheadForecast && at > s.v.origin:
			out[i] = s.repeatedDriver(values[:s.v.origin+1-from], at-from)
		default:
			out[i] = values[at-from]
		}
	}
	return out
}

// rawDriver is the panel's value at an axis index.
func (s SeriesView) rawDriver(d, at int) float64 {
	j := at - s.First + s.offset
	if d >= len(s.drivers) || j < 0 || j >= len(s.drivers[d]) {
		return Unknown
	}
	return s.drivers[d][j]
}

// repeatedDriver is the latest known value of the same place in the season, or else the
// latest of all, of values up to the origin.
func (s SeriesView) repeatedDriver(values []float64, at int) float64 {
	for _, season := range []int{s.v.p.Cadence.Season(), 1} {
		j := at - (at-len(values)+season)/season*season
		for ; j >= 0; j -= season {
			if v := values[j]; Known(v) {
				return v
			}
		}
	}
	return Unknown
}

// AheadCautions says, for each driver that is not known ahead, what contenders see of it.
func AheadCautions(p *Panel, rules map[string]Ahead, reach int) (out []string) {
	for _, d := range p.Drivers {
		if d.KnownAhead {
			continue
		}
		text := fmt.Sprintf("The driver %s is not known ahead: ", d.Name)
		switch rules[d.Name] {
		case AheadLag:
			text += fmt.Sprintf("contenders see what it was %s before.", p.Cadence.Noun(reach))
		case AheadForecast:
			text += "past the origin contenders see its last season repeated, which may be wrong; training sees what it was, so that its effect " +
				"looks surer than it is."
		default:
			text += "no contender sees it. The plan's drivers_ahead can have it lagged or forecast."
		}
		out = append(out, text)
	}
	return out
}
