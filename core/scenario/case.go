// Package scenario says what a forecast would be under other values of the drivers and
// events that are known ahead: cases in plain lines, applied to a copy of the panel, and
// compared on the same random futures.
package scenario

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// Case is one set of changes.
type Case struct {
	Name    string   `json:"name"`
	Changes []string `json:"changes,omitempty"`
	Values  []Value  `json:"values,omitempty"`
}

// Value is one driver's value in one period, of one series or, without a key, of all.
type Value struct {
	Series string  `json:"series,omitempty"`
	Period string  `json:"period"`
	Driver string  `json:"driver"`
	Value  float64 `json:"value"`
}

// Apply makes the panel of a case: the drivers and events past the last period as its lines
// say, one after another, and then its values. series are those that are forecast: the
// others are left alone. The panel that it is given stays as it is.
func Apply(p *panel.Panel, series []int, horizon int, c Case) (*panel.Panel, error) {
	w := &work{p: copied(p), horizon: horizon, touched: map[[2]int]bool{}, series: map[int]bool{}}
	for _, s := range series {
		w.series[s] = true
	}
	for i, line := range c.Changes {
		if err := w.change(strings.Join(strings.Fields(line), " ")); err != nil {
			return nil, fmt.Errorf("case %q, change %d, %q: %w", c.Name, i+1, line, err)
		}
	}
	for _, own := range []bool{false, true} { // one series' value goes before one for all
		for i, v := range c.Values {
			if (v.Series != "") != own {
				continue
			}
			if err := w.value(v); err != nil {
				return nil, fmt.Errorf("case %q, value %d: %w", c.Name, i+1, err)
			}
		}
	}
	return w.p, nil
}

// copied shares all but what a case may change.
func copied(p *panel.Panel) *panel.Panel {
	q := *p
	q.Series = slices.Clone(p.Series)
	for i := range q.Series {
		q.Series[i].Drivers = slices.Clone(q.Series[i].Drivers)
	}
	q.Events = slices.Clone(p.Events)
	return &q
}

type work struct {
	p       *panel.Panel
	horizon int
	touched map[[2]int]bool // series and driver that are copied already
	series  map[int]bool    // that are forecast
}

// change reads and carries out one line:
//
//	price +10 % from 2026-03-01 to 2026-03-31 where region=North
//	price = 3.20 in week 12
//	no promotion in 2026-03
//	event Spring Fair on 2026-04-12
func (w *work) change(line string) error {
	line, where, err := cutWhere(line)
	if err != nil {
		return err
	}
	series, err := w.p.Where(where)
	if err != nil {
		return err
	}
	if rest, ok := strings.CutPrefix(line, "event "); ok {
		return w.add(rest, where)
	}
	line, from, to, err := w.cutSpan(line)
	if err != nil {
		return err
	}
	if name, ok := strings.CutPrefix(line, "no "); ok {
		return w.without(strings.TrimSpace(name), series, where, from, to)
	}
	at := w.driver(line)
	if at < 0 {
		return w.noDriver(line)
	}
	op, err := parseOperation(strings.TrimSpace(line[len(w.p.Drivers[at].Name):]))
	if err != nil {
		return err
	}
	return w.set(at, series, from, to, op)
}

// cutWhere takes "where a=b, c=d" off the end of a line.
func cutWhere(line string) (rest string, where map[string]string, err error) {
	rest, list, ok := strings.Cut(line, " where ")
	if !ok {
		return line, nil, nil
	}
	where = map[string]string{}
	for _, pair := range strings.Split(list, ",") {
		name, value, ok := strings.Cut(pair, "=")
		if !ok {
			return "", nil, fmt.Errorf("after where come an attribute and its value, as where region=North")
		}
		where[strings.TrimSpace(name)] = strings.TrimSpace(value)
	}
	return rest, where, nil
}

// cutSpan takes "from A", "to B" or "in P" off the end of a line, as axis indices; all that
// lies ahead where there is none.
func (w *work) cutSpan(line string) (rest string, from, to int, err error) {
	from, to = w.p.Length, w.p.Length+w.horizon-1
	rest = line
	if head, text, ok := cutLast(rest, " in "); ok {
		from, to, err = w.period(text)
		return head, from, to, err
	}
	if head, text, ok := cutLast(rest, " to "); ok {
		if _, to, err = w.period(text); err != nil {
			return "", 0, 0, err
		}
		rest = head
	}
	if head, text, ok := cutLast(rest, " from "); ok {
		if from, _, err = w.period(text); err != nil {
			return "", 0, 0, err
		}
		rest = head
	}
	if from > to {
		return "", 0, 0, fmt.Errorf("%s comes after %s", w.p.Period(from), w.p.Period(to))
	}
	return rest, from, to, nil
}

func cutLast(text, by string) (before, after string, ok bool) {
	at := strings.LastIndex(text, by)
	if at < 0 {
		return text, "", false
	}
	return strings.TrimSpace(text[:at]), strings.TrimSpace(text[at+len(by):]), true
}

// operation changes a driver's value.
type operation struct {
	kind   byte // '=', '+', '*' or '%'
	amount float64
}

func parseOperation(text string) (op operation, err error) {
	bad := fmt.Errorf("%q is no change: say +10 %%, -5 %%, +0.5, * 1.1 or = 3.2", text)
	plain := strings.ReplaceAll(strings.ReplaceAll(text, " ", ""), "−", "-")
	number := strings.TrimSuffix(plain, "%")
	percent := number != plain
	if number == "" {
		return op, bad
	}
	switch number[0] {
	case '=', '*':
		if op.kind = number[0]; percent {
			return op, bad
		}
		number = number[1:]
	case '+', '-':
		if op.kind = '+'; percent {
			op.kind = '%'
		}
	default:
		return op, bad
	}
	if op.amount, err = strconv.ParseFloat(number, 64); err != nil || math.IsNaN(op.amount) || math.IsInf(op.amount, 0) {
		return op, bad
	}
	return op, nil
}

func (o operation) on(x float64) float64 {
	switch o.kind {
	case '=':
		return o.amount
	case '*':
		return x * o.amount
	case '%':
		return x * (1 + o.amount/100)
	}
	return x + o.amount
}

// driver finds the one that a line starts with; the longest name wins.
func (w *work) driver(line string) (best int) {
	best = -1
	for i, d := range w.p.Drivers {
		if rest, ok := strings.CutPrefix(line, d.Name); ok && (rest == "" || strings.ContainsAny(rest[:1], " +-=*−")) {
			if best < 0 || len(d.Name) > len(w.p.Drivers[best].Name) {
				best = i
			}
		}
	}
	return best
}

func (w *work) noDriver(line string) error {
	var names []string
	for _, d := range w.p.Drivers {
		if d.KnownAhead {
			names = append(names, d.Name)
		}
	}
	if len(names) == 0 {
		return fmt.Errorf("the dataset has no driver that is known ahead: only events can be changed, as \"event NAME on 2026-04-12\" or \"no NAME\"")
	}
	return fmt.Errorf("it starts with no driver's name: those that are known ahead are %s", strings.Join(names, ", "))
}

// set changes a driver's values in a span.
func (w *work) set(d int, series []int, from, to int, op operation) error {
	if !w.p.Drivers[d].KnownAhead {
		return fmt.Errorf("the driver %s is not known ahead: no forecast rests on what it will be", w.p.Drivers[d].Name)
	}
	for _, s := range series {
		if !w.series[s] {
			continue
		}
		values := w.own(s, d, to)
		for i := from; i <= to; i++ {
			at := i - w.p.Series[s].First
			if next := op.on(values[at]); panel.Known(next) {
				values[at] = next
			} else {
				return fmt.Errorf("%s of %s is unknown in %s: give its value with =", w.p.Drivers[d].Name, w.p.Series[s].Key, w.p.Period(i))
			}
		}
	}
	return nil
}

// own is a series' driver, copied and long enough to reach an axis index.
func (w *work) own(s, d, to int) []float64 {
	x := &w.p.Series[s]
	for len(x.Drivers) <= d {
		x.Drivers = append(x.Drivers, nil)
	}
	if id := [2]int{s, d}; !w.touched[id] {
		w.touched[id] = true
		x.Drivers[d] = slices.Clone(x.Drivers[d])
	}
	for len(x.Drivers[d]) <= to-x.First {
		x.Drivers[d] = append(x.Drivers[d], panel.Unknown)
	}
	return x.Drivers[d]
}

// without sets a driver to zero, or takes an event's occasions away.
func (w *work) without(name string, series []int, where map[string]string, from, to int) error {
	for d := range w.p.Drivers {
		if w.p.Drivers[d].Name == name {
			return w.set(d, series, from, to, operation{'=', 0})
		}
	}
	if len(where) > 0 {
		return fmt.Errorf("an event is taken away for all series that it concerns: leave where out")
	}
	start, end := w.p.Cadence.Start(w.p.Ordinal(from)), w.p.Cadence.Start(w.p.Ordinal(to)+1)
	found, gone := false, false
	for i := range w.p.Events {
		e := &w.p.Events[i]
		if !strings.EqualFold(e.Name, name) {
			continue
		}
		found = true
		before := len(e.Occasions)
		e.Occasions = slices.DeleteFunc(slices.Clone(e.Occasions), func(o calendar.Occasion) bool { return o.Start < end && o.End > start })
		gone = gone || len(e.Occasions) < before
	}
	switch {
	case !found:
		return fmt.Errorf("neither a driver nor an event is called %q", name)
	case !gone:
		return fmt.Errorf("the event %s does not happen from %s to %s: nothing would change", name, w.p.Period(from), w.p.Period(to))
	}
	return nil
}

// add reads "NAME on A", "NAME on A to B", and adds an occasion.
func (w *work) add(text string, where map[string]string) error {
	name, days, ok := cutLast(text, " on ")
	if !ok {
		return fmt.Errorf("say when, as \"event Spring Fair on 2026-04-12\", or \"on 2026-04-12 to 2026-04-14\"")
	}
	first, last, span := strings.Cut(days, " to ")
	if !span {
		last = first
	}
	from, err := calendar.ParseTime(strings.TrimSpace(first))
	if err != nil {
		return fmt.Errorf("%q %w", first, err)
	}
	to, err := calendar.ParseTime(strings.TrimSpace(last))
	if err != nil {
		return fmt.Errorf("%q %w", last, err)
	}
	occasion := calendar.DayOf(from.Seconds, to.Seconds)
	if occasion.End <= occasion.Start {
		return fmt.Errorf("%s comes after %s", first, last)
	}
	if start := w.p.Cadence.Start(w.p.Ordinal(w.p.Length)); occasion.End <= start {
		return fmt.Errorf("it lies before the forecast, which starts with %s", w.p.Period(w.p.Length))
	}
	for i := range w.p.Events {
		if e := &w.p.Events[i]; strings.EqualFold(e.Name, name) && len(where) == 0 {
			e.Occasions = append(slices.Clone(e.Occasions), occasion)
			e.Tidy()
			return nil
		}
	}
	w.p.Events = append(w.p.Events, calendar.Event{Name: w.spelled(name), Where: where, Occasions: []calendar.Occasion{occasion}})
	return nil
}

// spelled is an event's name as the dataset writes it.
func (w *work) spelled(name string) string {
	for i := range w.p.Events {
		if strings.EqualFold(w.p.Events[i].Name, name) {
			return w.p.Events[i].Name
		}
	}
	return name
}

// value sets one value.
func (w *work) value(v Value) error {
	d := slices.IndexFunc(w.p.Drivers, func(d panel.Driver) bool { return d.Name == v.Driver })
	if d < 0 {
		return w.noDriver(v.Driver)
	}
	series := make([]int, 0, len(w.p.Series))
	if v.Series == "" {
		for i := range w.p.Series {
			series = append(series, i)
		}
	} else if at := w.p.Find(v.Series); at >= 0 {
		series = append(series, at)
	} else {
		return fmt.Errorf("no series is called %q", v.Series)
	}
	from, to, err := w.period(v.Period)
	if err != nil {
		return err
	}
	if math.IsNaN(v.Value) || math.IsInf(v.Value, 0) {
		return fmt.Errorf("%s of %s is no number", v.Driver, v.Period)
	}
	return w.set(d, series, from, to, operation{'=', v.Value})
}
