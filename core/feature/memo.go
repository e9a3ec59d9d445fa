package feature

import (
	"sync"

	"paperkettle/core/panel"
)

// memo keeps the columns of the calendar, which are the same for every series: all look at
// about the same periods. What it gives must not be written to.
type memo struct {
	mu    sync.Mutex
	spans map[string]stretch // by the column's name
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
	x, ok := r.memo.spans[r.Columns[k].Name]
	if end := from + int64(n); !ok || from < x.from || end > x.from+int64(len(x.values)) {
		first, last := from-spare, end+spare
		if ok {
			first, last = min(first, x.from), max(last, x.from+int64(len(x.values)))
		}
		x = stretch{first, calendarColumn(&r.Columns[k], cadence, first, int(last-first), map[string][]float64{})}
		if r.memo.spans == nil {
			r.memo.spans = map[string]stretch{}
		}
		r.memo.spans[r.Columns[k].Name] = x
	}
	at := int(from - x.from)
	return x.values[at : at+n : at+n]
}
