package panel

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Carried is a driver whose value of some periods before counts too: cupboards are full in the week after a price was
// cut, and who comes late came by a train that left an hour ago.
type Carried struct {
	Driver string
	Back   int // periods
}

// MostCarried is how many periods back a driver may be carried.
const MostCarried = 1000

// NothingCarried is the word for no driver.
const NothingCarried = "none"

// ParseCarried reads drivers with the periods that each is carried over, as price:1,price:2; or none, which gives nothing.
// They must be known ahead.
func ParseCarried(p *Panel, text string) (out []Carried, err error) {
	if text == "" || text == NothingCarried {
		return nil, nil
	}
	for _, part := range strings.Split(text, ",") {
		name, back, found := cutLast(strings.TrimSpace(part))
		periods, err := strconv.Atoi(back)
		if !found || err != nil || periods < 1 || periods > MostCarried {
			return nil, fmt.Errorf("%q is no driver with the periods that it is carried over: say price:1, from 1 to %d, or %s", part, MostCarried, NothingCarried)
		}
		d := slices.IndexFunc(p.Drivers, func(d Driver) bool { return d.Name == name })
		switch c := (Carried{name, periods}); {
		case d < 0:
			return nil, fmt.Errorf("the dataset has no driver %q: %s", name, listDrivers(p.Drivers))
		case !p.Drivers[d].KnownAhead:
			return nil, fmt.Errorf("the driver %q is not known ahead: drivers_ahead can have it lagged instead", name)
		case !slices.Contains(out, c):
			out = append(out, c)
		}
	}
	return out, nil
}

// cutLast cuts at the last colon: a driver's name may have one.
func cutLast(text string) (name, back string, found bool) {
	at := strings.LastIndex(text, ":")
	if at < 0 {
		return text, "", false
	}
	return text[:at], text[at+1:], true
}

// CarriedText is what ParseCarried reads.
func CarriedText(list []Carried) string {
	if len(list) == 0 {
		return NothingCarried
	}
	parts := make([]string, len(list))
	for i, c := range list {
		parts[i] = fmt.Sprintf("%s:%d", c.Driver, c.Back)
	}
	return strings.Join(parts, ",")
}

// WithCarried is the view with what drivers were some periods before beside what they are, the last of all.
func (v View) WithCarried(list []Carried) View {
	if len(list) == 0 {
		return v
	}
	v = v.forgetting()
	v.carried = list
	return v
}

// carriedNames are what they are called among the view's drivers.
func (v View) carriedNames() []Driver {
	out := make([]Driver, len(v.carried))
	for k, c := range v.carried {
		out[k] = Driver{Name: fmt.Sprintf("%s %s before", c.Driver, v.p.Cadence.Noun(c.Back)), KnownAhead: true}
	}
	return out
}

// carriedOver gives n values of a carried driver, from First on. What it was before the series' first value counts for
// the same as what it was then.
func (s SeriesView) carriedOver(c Carried, n int) []float64 {
	out := make([]float64, n)
	d := slices.IndexFunc(s.v.ownDrivers(), func(d Driver) bool { return d.Name == c.Driver })
	if d < 0 { // by the plan's rules no driver of the view
		for i := range out {
			out[i] = Unknown
		}
		return out
	}
	own := s.Driver(d, n)
	for i := range out {
		out[i] = own[max(0, i-c.Back)]
	}
	return out
}
