package feature

import (
	"fmt"
	"math"
	"time"

	"paperkettle/core/calendar"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Rows gives the rows of one series: for an origin and a step, a number for each column.
type Rows struct {
	recipe *Recipe
	y      []float64 // of the series, on whatever scale it is learnt on
	ahead  [][]float64
	fixed  []float64
	sums   []float64 // of the known sizes up to and with each value
	counts []float64
	groups *Groups
	group  []string // of each column, where it has one
	first  int      // axis index of y[0]
	early  bool     // lags that reach before y[0] read it
}

// Lay prepares the rows of a series over its own values and horizon periods past them. y are
// the values on the scale that is learnt on; groups may be nil where no column is of a group.
func (r *Recipe) Lay(s panel.SeriesView, y []float64, horizon int, groups *Groups) (*Rows, error) {
	x := &Rows{recipe: r, y: y, groups: groups, first: s.First, ahead: make([][]float64, len(r.Columns)),
		fixed: make([]float64, len(r.Columns)), group: make([]string, len(r.Columns))}
	n := len(y) + horizon
	drivers, parts := map[int][]float64{}, map[string][]float64{}
	for k := range r.Columns {
		c := &r.Columns[k]
		switch c.Kind {
		case kindDriver:
			raw, ok := drivers[c.Place]
			if !ok {
				if c.Place >= len(s.View().Drivers()) {
					return nil, fmt.Errorf("the driver %s is not at hand", c.Name2)
				}
				raw = s.Driver(c.Place, n)
				drivers[c.Place] = raw
			}
			for _, t := range c.Steps {
				raw = t.apply(raw)
			}
			x.ahead[k] = raw
		case kindEvent, kindWeekendEvent, kindSince, kindUntil:
			x.ahead[k] = r.event(c, s, n)
		case kindCalendar, kindHarmonic:
			x.ahead[k] = r.calendar(k, s, n, parts)
		case kindAttribute:
			x.fixed[k] = fixedColumn(c, s)
		case kindScale:
			x.sum()
		case kindGroup:
			x.group[k] = label(s, c.Name2)
		}
	}
	return x, nil
}

// ReachBack lets lags that reach before the first value read that one instead of nothing.
func (x *Rows) ReachBack() { x.early = true }

// lagged is the value at a place up to an origin.
func (x *Rows) lagged(past []float64, i int) float64 {
	if i < 0 && x.early {
		i = 0
	}
	if i < 0 || i >= len(past) {
		return panel.Unknown
	}
	return past[i]
}

func label(s panel.SeriesView, attribute string) string {
	for i, name := range s.View().Attributes() {
		if name == attribute {
			return s.Labels[i]
		}
	}
	return ""
}

func fixedColumn(c *Column, s panel.SeriesView) float64 {
	if label(s, c.Name2) == c.Value {
		return 1
	}
	return 0
}

// calendarColumn is a column of the calendar; values keeps what each part of it is, for all
// the levels of a part look at the same.
func calendarColumn(c *Column, cadence calendar.Cadence, from int64, n int, values map[string][]float64) []float64 {
	out := make([]float64, n)
	if c.Kind == kindHarmonic {
		for i := range out {
			ord := from + int64(i)
			angle := 2 * math.Pi * math.Mod(float64(c.Lag)*float64(ord), c.Period) / c.Period
			out[i] = [...]float64{math.Sin(angle), math.Cos(angle)}[c.Place]
		}
		return out
	}
	whole := values[c.Name2]
	if whole == nil {
		part := calendarPart(c.Name2)
		whole = make([]float64, n)
		for i := range whole {
			ord := from + int64(i)
			whole[i] = part.value(time.Unix(cadence.Start(ord), 0).UTC(), cadence, ord)
		}
		values[c.Name2] = whole
	}
	if c.Lag < 0 {
		return whole
	}
	for i, v := range whole { // one level
		if v == float64(c.Lag) {
			out[i] = 1
		}
	}
	return out
}

// event is an event's column of a series' first n periods: all that carry its name count.
func (r *Recipe) event(c *Column, s panel.SeriesView, n int) []float64 {
	events := named(s.Events(), c.Name2)
	if len(events) == 1 && (c.Kind == kindEvent || c.Kind == kindWeekendEvent) {
		return r.shares(c, events[0], s, n)
	}
	out := make([]float64, n)
	all := &Column{Kind: kindEvent, Lag: c.Lag} // on all days of the week
	for _, e := range events {
		for i, share := range r.shares(all, e, s, n) {
			out[i] = max(out[i], share)
		}
	}
	switch c.Kind {
	case kindSince:
		return distance(out, false)
	case kindUntil:
		return distance(out, true)
	case kindWeekendEvent:
		return c.atWeekends(s.View().Cadence(), s.View().Ordinal(s.First), out)
	}
	return out
}

// named are the events that carry a name.
func named(events []*calendar.Event, name string) (out []*calendar.Event) {
	for _, e := range events {
		if e.Name == name {
			out = append(out, e)
		}
	}
	return out
}

// atWeekends is the part of an event's shares that a column of its weekends takes.
func (c *Column) atWeekends(cadence calendar.Cadence, first int64, shares []float64) []float64 {
	weekends, sundays := calendar.AtWeekends(cadence, first, shares)
	if c.Value == rather {
		return sundays
	}
	return weekends
}

// eventShares are those of n periods from one on that lie so many days away from an event.
func eventShares(e *calendar.Event, offset int, cadence calendar.Cadence, start int64, n int) []float64 {
	const day = 24 * 3600
	reach := int64(max(offset, -offset)+1) * day
	out := make([]float64, n)
	for _, o := range e.Occasions {
		from, _ := cadence.Ordinal(o.Start - reach)
		to, _ := cadence.Ordinal(o.End + reach)
		for i := max(0, int(from-start)); i <= min(n-1, int(to-start)); i++ {
			out[i] = max(out[i], e.Share(cadence, start+int64(i), offset))
		}
	}
	return out
}

// distance counts the periods since the last above zero, or until the next. Occasions past
// the last period laid out are not seen: periods until them count as far.
func distance(x []float64, until bool) []float64 {
	out := make([]float64, len(x))
	far := float64(nearest)
	for k := range x {
		i := k
		if until {
			i = len(x) - 1 - k
		}
		if far = min(far+1, nearest); x[i] > 0 {
			far = 0
		}
		out[i] = far
	}
	return out
}

// sum prepares the running mean size.
func (x *Rows) sum() {
	if x.sums != nil {
		return
	}
	x.sums, x.counts = make([]float64, len(x.y)), make([]float64, len(x.y))
	s, n := 0.0, 0.0
	for i, v := range x.y {
		if panel.Known(v) {
			s, n = s+math.Abs(v), n+1
		}
		x.sums[i], x.counts[i] = s, n
	}
}

// ShareCalendar takes the calendar's columns of other rows over where they are of the same
// periods: they are the same numbers, kept once.
func (x *Rows) ShareCalendar(with *Rows) {
	if x.first != with.first {
		return
	}
	for k := range x.recipe.Columns {
		if kind := x.recipe.Columns[k].Kind; (kind == kindCalendar || kind == kindHarmonic) && len(x.ahead[k]) == len(with.ahead[k]) {
			x.ahead[k] = with.ahead[k]
		}
	}
}

// Len is how many values the series has.
func (x *Rows) Len() int { return len(x.y) }

// Fill puts the columns for a step past an origin, both counted on the series' own values,
// into out; unknown where there is nothing. Values after the origin are never looked at.
func (x *Rows) Fill(origin, step int, out []float64) { x.fill(x.y[:origin+1], step, out) }

// FillAhead puts columns that are known ahead, or fixed, at an index of the series' own.
func (x *Rows) FillAhead(at int, out []float64) { x.fill(x.y[:0], at+1, out) }

// Ahead gives a column that is known ahead, or fixed, over the series' own first n periods, which must not be written to:
// what FillAhead puts there row by row.
func (x *Rows) Ahead(k, n int) []float64 {
	if column := x.ahead[k]; len(column) >= n {
		return column[:n:n]
	}
	out := make([]float64, n)
	for t := range out {
		out[t] = x.value(k, x.y[:0], t+1)
	}
	return out
}

// FillPath is Fill for a path: past are the values up to an origin that may lie beyond what
// is known, the last ones drawn.
func (x *Rows) FillPath(past []float64, step int, out []float64) { x.fill(past, step, out) }

func (x *Rows) fill(past []float64, step int, out []float64) {
	for k := range x.recipe.Columns {
		out[k] = x.value(k, past, step)
	}
}

// value is a column's for a step past the last of some values.
func (x *Rows) value(k int, past []float64, step int) float64 {
	origin := len(past) - 1
	c := &x.recipe.Columns[k]
	switch c.Kind {
	case kindLag:
		return x.lagged(past, origin+1-c.Lag)
	case kindSeasonLag:
		m := x.recipe.Season
		return x.lagged(past, origin+step-m*((step+m-1)/m+c.Lag-1))
	case kindDifference:
		return x.lagged(past, origin) - x.lagged(past, origin-c.Lag)
	case kindMean:
		return mean(past[max(0, origin+1-c.Width):], c.Width)
	case kindSpread:
		return windowed("spread", past[max(0, origin+1-c.Width):], c.Width, 0)
	case kindQuantile:
		return windowed("quantile", past[max(0, origin+1-c.Width):], c.Width, c.Share)
	case kindScale:
		i := min(origin, len(x.sums)-1)
		return x.sums[i] / x.counts[i]
	case kindGroup:
		return x.groups.mean(c.Name2, x.group[k], x.first+min(origin, len(x.y)-1), c.Width)
	case kindAttribute:
		return x.fixed[k]
	}
	if i := origin + step; i < len(x.ahead[k]) {
		return x.ahead[k][i]
	}
	return panel.Unknown
}

// mean of a window; unknown where less than half of it is known.
func mean(x []float64, width int) float64 {
	s, n := 0.0, 0.0
	for _, v := range x {
		if panel.Known(v) {
			s, n = s+v, n+1
		}
	}
	if 2*n < float64(width) {
		return panel.Unknown
	}
	return s / n
}

// Groups holds the mean of like series, each divided by its size up to the origin that it is
// learnt at, period by period.
type Groups struct {
	From  int // axis index of the first mean
	Means map[string]map[string][]float64
}

// GroupsOf averages the series of a view over each attribute that a recipe asks for. Nothing
// past the view's origin is in it.
func (r *Recipe) GroupsOf(v panel.View) *Groups {
	g := &Groups{From: v.From(), Means: map[string]map[string][]float64{}}
	n := v.Origin() - v.From() + 1
	counts := map[string]map[string][]float64{}
	for k := range r.Columns {
		if c := &r.Columns[k]; c.Kind == kindGroup {
			g.Means[c.Name2], counts[c.Name2] = map[string][]float64{}, map[string][]float64{}
		}
	}
	if len(g.Means) == 0 {
		return g
	}
	for i := range v.Len() {
		s := v.Series(i)
		size := num.MeanSize(s.Values)
		for name, groups := range g.Means {
			of := label(s, name)
			if groups[of] == nil {
				groups[of], counts[name][of] = make([]float64, n), make([]float64, n)
			}
			for j, y := range s.Values {
				if panel.Known(y) {
					groups[of][s.First-g.From+j] += y / size
					counts[name][of][s.First-g.From+j]++
				}
			}
		}
	}
	for name, groups := range g.Means {
		for of, sums := range groups {
			for j, c := range counts[name][of] {
				sums[j] /= c // unknown where no series is known
			}
		}
	}
	return g
}

func (g *Groups) mean(attribute, of string, at, width int) float64 {
	list := g.Means[attribute][of]
	i := at - g.From + 1
	if i < 1 || i > len(list) {
		i = max(0, min(i, len(list)))
	}
	return mean(list[max(0, i-width):i], width)
}

// Missing finds the first column that should be known ahead and is not, among the periods
// from an index to another of the series' own, and gives the driver's name and the index.
func (x *Rows) Missing(from, to int, used func(column int) bool) (name string, at int, missing bool) {
	for i := from; i < to; i++ {
		for k := range x.recipe.Columns {
			if c := &x.recipe.Columns[k]; c.Kind == kindDriver && used(k) && i < len(x.ahead[k]) && !panel.Known(x.ahead[k][i]) {
				return c.Name2, i, true
			}
		}
	}
	return "", 0, false
}

// IsDriver says that the column is of a driver, and IsEvent that it is of an event.
func (c *Column) IsDriver() bool { return c.Kind == kindDriver }

// IsEvent says that the column is of an event.
func (c *Column) IsEvent() bool {
	return c.Kind == kindEvent || c.Kind == kindWeekendEvent || c.Kind == kindSince || c.Kind == kindUntil
}

// OfGroup says that the column is a mean over like series.
func (c *Column) OfGroup() bool { return c.Kind == kindGroup }

// Counts says that the column counts periods since or until an event.
func (c *Column) Counts() bool { return c.Kind == kindSince || c.Kind == kindUntil }

// Logged says that the column is the plain logarithm of a driver.
func (c *Column) Logged() bool {
	return c.Kind == kindDriver && len(c.Steps) == 1 && c.Steps[0].Kind == "log" && c.Steps[0].Amount == 0
}

// Reach is how many values up to the origin the column needs.
func (c *Column) Reach(season int) int {
	switch c.Kind {
	case kindSeasonLag:
		return c.Lag * season
	case kindLag:
		return c.Lag
	case kindDifference:
		return c.Lag + 1
	case kindMean, kindSpread, kindQuantile:
		return (c.Width + 1) / 2
	}
	return 1
}
