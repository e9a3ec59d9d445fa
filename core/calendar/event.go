package calendar

import (
	"cmp"
	"slices"
)

// Event is something named that may move a measure whenever it comes: a holiday, a
// promotion, a launch.
type Event struct {
	Name string `json:"name"`
	// Where limits it to series with these attribute values; empty means all.
	Where map[string]string `json:"where,omitempty"`
	// Before and After are the days around each occasion that it may move too.
	Before int `json:"before,omitempty"`
	After  int `json:"after,omitempty"`
	// Occasions are in order of time and do not overlap.
	Occasions []Occasion `json:"occasions"`
}

// Occasion is one time at which an event happens: from Start up to, not including,
// End, in seconds since 1970-01-01 of the wall clock.
type Occasion struct {
	Start int64 `json:"start"`
	End   int64 `json:"end"`
}

// DayOf is the occasion of whole days, both included, given as seconds.
func DayOf(first, last int64) Occasion { return Occasion{first, last + secondsPerDay} }

// Tidy sorts the occasions and joins those that overlap.
func (e *Event) Tidy() {
	slices.SortFunc(e.Occasions, func(a, b Occasion) int {
		return cmp.Or(cmp.Compare(a.Start, b.Start), cmp.Compare(a.End, b.End))
	})
	out := e.Occasions[:0]
	for _, o := range e.Occasions {
		if n := len(out); n > 0 && o.Start < out[n-1].End {
			out[n-1].End = max(out[n-1].End, o.End)
			continue
		}
		out = append(out, o)
	}
	e.Occasions = out
}

// Share is the part of a period, 0 to 1, that lies on the day that is offset days
// away from an occasion: 0 for the occasion itself, -1 for the day before it starts,
// 2 for the second day after it ends. Cadences of plain numbers know no days: 0.
func (e *Event) Share(c Cadence, ord int64, offset int) float64 {
	if c.Unit == Number {
		return 0
	}
	from, to := c.Start(ord), c.Start(ord+1)
	shift := func(o Occasion) Occasion {
		switch d := int64(offset) * secondsPerDay; {
		case offset < 0:
			o.Start, o.End = o.Start+d, o.Start+d+secondsPerDay
		case offset > 0:
			o.Start, o.End = o.End+d-secondsPerDay, o.End+d
		}
		return o
	}
	// Occasions are in order, and so are their shifted days.
	i, _ := slices.BinarySearchFunc(e.Occasions, from, func(o Occasion, t int64) int {
		if shift(o).End <= t {
			return -1
		}
		return 1
	})
	covered := int64(0)
	for ; i < len(e.Occasions); i++ {
		o := shift(e.Occasions[i])
		if o.Start >= to {
			break
		}
		covered += min(o.End, to) - max(o.Start, from)
	}
	return min(1, float64(covered)/float64(to-from))
}

// Within lists the occasions that touch the periods from first to last.
func (e *Event) Within(c Cadence, first, last int64) []Occasion {
	if c.Unit == Number {
		return nil
	}
	from, to := c.Start(first), c.Start(last+1)
	var out []Occasion
	for _, o := range e.Occasions {
		if o.End > from && o.Start < to {
			out = append(out, o)
		}
	}
	return out
}

// Holds says whether the event concerns a series with these attribute values.
func (e *Event) Holds(value func(attribute string) string) bool {
	for a, v := range e.Where {
		if value(a) != v {
			return false
		}
	}
	return true
}
