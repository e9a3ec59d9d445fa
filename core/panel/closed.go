package panel

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"paperkettle/core/calendar"
)

// A panel's Closed lines name periods that are known not to happen: the doors are shut. Such
// a period is neither zero nor unknown: nothing is learnt from it, forecast, scored or flagged.
// A line is one of
//
//	sunday               a day of the week
//	november to march    months of the year, or one alone
//	event stocktaking    periods that lie wholly within an event's occasions
//	driver open=0        where a driver has a value; without one, where it is not 0
//	gaps                 periods without a row, and ahead the places in the week, or the year,
//	                     in which the series never sold anything
//
// A line holds for those series alone that hardly ever sold anything in its periods: where
// some are open on Sundays, they stay open. What was sold in a period of a line is kept.

// ClosedGaps is the line that takes what has no row for closed.
const ClosedGaps = "gaps"

// closing is a line made ready.
type closing struct {
	line string
	on   func(p *Panel, series, t int) bool
	gaps bool
}

// ParseClosed says which of the lines can't be read against a panel.
func ParseClosed(p *Panel, lines []string) error {
	for _, line := range lines {
		if _, err := parseClosing(p, line); err != nil {
			return fmt.Errorf("closed %q: %w", line, err)
		}
	}
	return nil
}

// NamesEvent says whether a line closes an event's occasions.
func NamesEvent(line, event string) bool {
	word, rest, _ := strings.Cut(strings.TrimSpace(line), " ")
	return strings.EqualFold(word, "event") && strings.TrimSpace(rest) == event
}

// closings are the lines made ready. One that can't be read was refused when it was given: where
// what it names has gone since, it closes nothing, and the others hold.
func closings(p *Panel) (out []closing) {
	for _, line := range p.Closed {
		if c, err := parseClosing(p, line); err == nil {
			out = append(out, c)
		}
	}
	return out
}

func parseClosing(p *Panel, line string) (closing, error) {
	words := strings.Fields(line)
	c := closing{line: line}
	if len(words) == 0 {
		return c, fmt.Errorf("it says nothing: write a weekday, months, an event, a driver or gaps")
	}
	rest := strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(line), words[0]))
	switch first := strings.ToLower(words[0]); {
	case first == ClosedGaps && len(words) == 1:
		c.gaps = true
		return c, nil
	case first == "event" && rest != "":
		return c, c.event(p, rest)
	case first == "driver" && rest != "":
		return c, c.driver(p, rest)
	case len(words) == 1:
		for d := range 7 {
			if strings.EqualFold(words[0], time.Weekday(d).String()) {
				return c, c.place(p, calendar.ByWeekday, (d+6)%7, (d+6)%7)
			}
		}
		if m := month(words[0]); m >= 0 {
			return c, c.place(p, calendar.ByMonth, m, m)
		}
	case len(words) == 3 && strings.EqualFold(words[1], "to"):
		if from, to := month(words[0]), month(words[2]); from >= 0 && to >= 0 {
			return c, c.place(p, calendar.ByMonth, from, to)
		}
	}
	return c, fmt.Errorf("it is no rule: write a weekday (sunday), months (november to march), event NAME, driver NAME=0 or gaps")
}

// month is the place of a month's name in the year, or -1.
func month(name string) int {
	for m := time.January; m <= time.December; m++ {
		if strings.EqualFold(name, m.String()) {
			return int(m) - 1
		}
	}
	return -1
}

// place closes the places from..to of a cycle, round its end where to lies before from.
func (c *closing) place(p *Panel, by calendar.Position, from, to int) error {
	place, _, err := p.Cadence.Places(by)
	if err != nil {
		return err
	}
	c.on = func(p *Panel, _, t int) bool {
		k := place(p.Ordinal(t))
		if from <= to {
			return from <= k && k <= to
		}
		return k >= from || k <= to
	}
	return nil
}

func (c *closing) event(p *Panel, name string) error {
	if !slices.ContainsFunc(p.Events, func(e calendar.Event) bool { return e.Name == name }) {
		return fmt.Errorf("the dataset has no event called %q: load it first", name)
	}
	c.on = func(p *Panel, series, t int) bool {
		share := 0.0
		for i := range p.Events {
			if e := &p.Events[i]; e.Name == name && p.Holds(e, series) {
				share += e.Share(p.Cadence, p.Ordinal(t), 0)
			}
		}
		return share > 0.999
	}
	return nil
}

func (c *closing) driver(p *Panel, text string) error {
	name, value, given := strings.Cut(text, "=")
	name = strings.TrimSpace(name)
	want := 0.0
	if given {
		var err error
		if want, err = strconv.ParseFloat(strings.TrimSpace(value), 64); err != nil {
			return fmt.Errorf("%q is no number", value)
		}
	}
	d := slices.IndexFunc(p.Drivers, func(d Driver) bool { return d.Name == name })
	switch {
	case d < 0:
		return fmt.Errorf("the dataset has no driver called %q", name)
	case !p.Drivers[d].KnownAhead:
		return fmt.Errorf("the driver %s is not known ahead: it can't say which periods to come are closed", name)
	}
	c.on = func(p *Panel, series, t int) bool {
		s := &p.Series[series]
		at := t - s.First
		if d >= len(s.Drivers) || at < 0 || at >= len(s.Drivers[d]) || !Known(s.Drivers[d][at]) {
			return false
		}
		return (s.Drivers[d][at] == want) == given
	}
	return nil
}

// WithClosed is the panel as a plan sees it whose first origin is given: zeros of closed
// periods are unknown, and IsClosed tells which periods are closed. Which lines hold for a
// series is told by what lies up to the origin. A panel without lines is given back as it is.
func (p *Panel) WithClosed(origin int) *Panel {
	if len(p.Closed) == 0 {
		return p
	}
	rules := closings(p)
	out := *p
	out.Series = slices.Clone(p.Series)
	out.shut = make([]shut, len(p.Series))
	for i := range p.Series {
		out.shut[i] = p.shutOf(rules, i, origin)
		if len(out.shut[i].rules) > 0 {
			out.Series[i].Values = out.mask(i)
		}
	}
	return &out
}

// shut is what is closed of a series.
type shut struct{ rules []closing }

const (
	// hardly is the share of a line's periods below which a series may have sold something
	// for the line to hold.
	hardly = 0.1
	// roundsTold is how often a place of the season must have come by without a sale to be
	// taken for closed.
	roundsTold = 6
	// byChance is how likely an open place may be to see no sale.
	byChance = 1e-4
)

func (p *Panel) shutOf(rules []closing, i, origin int) (out shut) {
	s := &p.Series[i]
	last := min(s.End()-1, origin)
	for _, c := range rules {
		if c.gaps {
			places := p.neverSold(i, origin)
			if n := int64(len(places)); slices.Contains(places, true) {
				c.on = func(p *Panel, _, t int) bool { return places[mod(p.Ordinal(t), n)] }
				out.rules = append(out.rules, c)
			}
			continue
		}
		periods, sold := 0, 0
		for t := s.First; t <= last; t++ {
			if c.on(p, i, t) {
				periods++
				if v := s.At(t); Known(v) && v != 0 {
					sold++
				}
			}
		}
		if float64(sold) <= hardly*float64(periods) {
			out.rules = append(out.rules, c)
		}
	}
	return out
}

// neverSold are the places of the week, or of the year, in which a series sold nothing of late.
func (p *Panel) neverSold(i, origin int) []bool {
	n := weekOrYear(p.Cadence)
	if n == 0 {
		return nil
	}
	s := &p.Series[i]
	last := min(s.End()-1, origin)
	rounds := roundsTold
	if p.Cadence.Unit >= calendar.Month {
		rounds = 3
	}
	if last-s.First+1 < rounds*n {
		return nil
	}
	// Of days and hours the last year tells, for doors change their hours.
	periods, sold := make([]float64, n), make([]float64, n)
	for t := max(s.First, last-max(rounds, 52)*n+1); t <= last; t++ {
		k := mod(p.Ordinal(t), int64(n))
		periods[k]++
		if v := s.At(t); Known(v) && v != 0 {
			sold[k]++
		}
	}
	open, busy := 0.0, 0.0
	for k := range sold {
		if sold[k] > 0 {
			open, busy = open+periods[k], busy+sold[k]
		}
	}
	out := make([]bool, n)
	for k := range out {
		// A series that seldom sells misses a weekday by chance.
		out[k] = sold[k] == 0 && open > 0 && math.Pow(1-busy/open, periods[k]) < byChance
	}
	return out
}

// ClosedPlaces names the places of the week, or the year, in which a series never sells
// anything and that no line of the panel has for closed yet; none where it never sells at all.
func (p *Panel) ClosedPlaces(i int) (out []string) {
	n := weekOrYear(p.Cadence)
	never := p.neverSold(i, p.Length-1)
	if n == 0 || !slices.Contains(never, true) {
		return nil
	}
	s := &p.Series[i]
	for k := range min(n, len(s.Values)) {
		t := s.End() - 1 - k
		if place := mod(p.Ordinal(t), int64(n)); never[place] && !p.IsClosed(i, t) {
			out = append(out, p.placeName(t))
		}
	}
	slices.SortFunc(out, func(a, b string) int { return placeOrder(a) - placeOrder(b) })
	return out
}

// placeName says where in the week, or the year, a period lies, as a line names it.
func (p *Panel) placeName(t int) string {
	start := time.Unix(p.Cadence.Start(p.Ordinal(t)), 0).UTC()
	switch p.Cadence.Unit {
	case calendar.Day:
		return strings.ToLower(start.Weekday().String())
	case calendar.Month:
		return strings.ToLower(start.Month().String())
	}
	return ClosedGaps // hours have no line of their own
}

// placeOrder sorts weekdays from Monday on, and months from January.
func placeOrder(name string) int {
	for d := range 7 {
		if strings.EqualFold(name, time.Weekday((d+1)%7).String()) {
			return d
		}
	}
	return month(name)
}

// weekOrYear is the length of the cycle in which doors are open and shut, in periods; 0 where
// the cadence knows none.
func weekOrYear(c calendar.Cadence) int {
	switch c.Unit {
	case calendar.Day:
		return 7
	case calendar.Month:
		return 12
	case calendar.Quarter, calendar.Year, calendar.Week, calendar.Number:
		return 0
	}
	return 7 * c.Season()
}

func mod(a, n int64) int { return int(((a % n) + n) % n) }

// mask gives a series' values with zeros of closed periods unknown.
func (p *Panel) mask(i int) []float64 {
	s := &p.Series[i]
	out := slices.Clone(s.Values)
	for k, v := range out {
		if v == 0 && p.IsClosed(i, s.First+k) {
			out[k] = Unknown
		}
	}
	return out
}

// IsClosed says whether a period, past or ahead, is closed for a series by the panel's lines.
// It is false for every panel that did not come from WithClosed.
func (p *Panel) IsClosed(series, t int) bool {
	if p.shut == nil {
		return false
	}
	for _, c := range p.shut[series].rules {
		if c.on(p, series, t) {
			return true
		}
	}
	return false
}

// HasClosed says whether any period can be closed.
func (p *Panel) HasClosed() bool { return p.shut != nil }

// ClosedSeries counts, for each line, the series for which it holds.
func (p *Panel) ClosedSeries() map[string]int {
	out := map[string]int{}
	for _, line := range p.Closed {
		out[line] = 0
	}
	for _, s := range p.shut {
		for _, c := range s.rules {
			out[c.line]++
		}
	}
	return out
}
