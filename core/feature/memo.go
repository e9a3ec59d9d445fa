package feature

import (
	"sync"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// memo keeps the columns of the calendar and what each event is to them, which are the same for every series: all look at
// about the same periods. What it gives must not be written to.
type memo struct {
	mu     sync.Mutex
	spans  map[string]stretch // by the column's name
	shares map[shared]stretch
}

// shared is an event, the days away from it, and the days of the week that count.
type shared struct {
	event  *calendar.Event
	offset int
	days   kind
	rather string
}

type stretch struct {
	from   int64 // period of the first value
	values []float64
}

// spare is how many periods more than asked for are laid out at either end, so that series
// that begin and end about the same time share what is there.
const spare = 400

// calendar is a calendar column of a series' first n periods.
func (r *Recipe) calendar(k int, s panel.SeriesView, n int, parts map[string][]float64) []float64 {
	from, cadence := s.View().Ordinal(s.First), s.View().Cadence()
	if r.memo == nil {
		return calendarColumn(&r.Columns[k], cadence, from, n, parts)
	}
	r.memo.mu.Lock()
	defer r.memo.mu.Unlock()
	if r.memo.spans == nil {
		r.memo.spans = map[string]stretch{}
	}
	return lookUp(r.memo.spans, r.Columns[k].Name, from, n, func(first int64, n int) []float64 {
		return calendarColumn(&r.Columns[k], cadence, first, n, map[string][]float64{})
	})
}

// shares are those of a series' first n periods that lie as many days away from an event as a column says, or what of
// them is at weekends. They must not be written to.
func (r *Recipe) shares(c *Column, e *calendar.Event, s panel.SeriesView, n int) []float64 {
	from, cadence := s.View().Ordinal(s.First), s.View().Cadence()
	lay := func(first int64, n int) []float64 {
		out := eventShares(e, c.Lag, cadence, first, n)
		if c.Kind == kindWeekendEvent {
			return c.atWeekends(cadence, first, out)
		}
		return out
	}
	if r.memo == nil {
		return lay(from, n)
	}
	r.memo.mu.Lock()
	defer r.memo.mu.Unlock()
	if r.memo.shares == nil {
		r.memo.shares = map[shared]stretch{}
	}
	return lookUp(r.memo.shares, shared{e, c.Lag, c.Kind, c.Value}, from, n, lay)
}

// lookUp gives n values from a period on, laying out more of them where not all are there yet.
func lookUp[K comparable](kept map[K]stretch, key K, from int64, n int, lay func(first int64, n int) []float64) []float64 {
	x, ok := kept[key]
	if end := from + int64(n); !ok || from < x.from || end > x.from+int64(len(x.values)) {
		first, last := from-spare, end+spare
		if ok {
			first, last = min(first, x.from), max(last, x.from+int64(len(x.values)))
		}
		x = stretch{first, lay(first, int(last-first))}
		kept[key] = x
	}
	at := int(from - x.from)
	return x.values[at : at+n : at+n]
}
