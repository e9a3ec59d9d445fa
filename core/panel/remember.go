package panel

import (
	"slices"
	"sync"
)

// memory keeps what was worked out of series, so that it is worked out once.
type memory struct {
	facts    sync.Map
	mu       sync.Mutex
	together []together
}

// fact says what was worked out, and of which values of a series.
type fact struct {
	what     string
	at       int // the series, in the panel
	first, n int
	values   *float64
}

func (s SeriesView) fact(what string) fact {
	return fact{what, s.at, s.First, len(s.Values), &s.Values[0]}
}

// Remembering is the view with a memory of its own, which all that is taken from it shares, until Forget: see Remember.
func (v View) Remembering() View {
	v.memory = &memory{}
	return v
}

// Remembers says whether the view has a memory.
func (v View) Remembers() bool { return v.memory != nil }

// Forget empties the view's memory: whoever holds on to the view need not hold on to that.
func (v View) Forget() {
	if v.memory == nil {
		return
	}
	v.memory.facts.Clear()
	v.memory.mu.Lock()
	v.memory.together = nil
	v.memory.mu.Unlock()
}

// forgetting is the view without what was worked out before, of other drivers.
func (v View) forgetting() View {
	if v.memory != nil {
		v.memory = &memory{}
	}
	return v
}

// Remember is what f works out, which may be known already where the view remembers: f must look at nothing but the
// series, its cadence, drivers and events, must always give the same, and nobody may write to what it gives. what
// names it.
func Remember[T any](s SeriesView, what string, f func() T) T {
	if s.v.memory == nil || s.copied || len(s.Values) == 0 {
		return f()
	}
	key := s.fact(what)
	known, ok := s.v.memory.facts.Load(key)
	if !ok {
		known, _ = s.v.memory.facts.LoadOrStore(key, f())
	}
	return known.(T)
}

// together is what was worked out of several series.
type together struct {
	of    []fact
	value any
}

// RememberAll is Remember of what f works out of several series of a view together; an error is not kept.
func RememberAll[T any](series []SeriesView, what string, f func() (T, error)) (T, error) {
	if len(series) == 0 || series[0].v.memory == nil {
		return f()
	}
	memory, of := series[0].v.memory, make([]fact, len(series))
	for k, s := range series {
		if s.copied || len(s.Values) == 0 {
			return f()
		}
		of[k] = s.fact(what)
	}
	memory.mu.Lock()
	known := slices.IndexFunc(memory.together, func(t together) bool { return slices.Equal(t.of, of) })
	var value T
	if known >= 0 {
		value = memory.together[known].value.(T)
	}
	memory.mu.Unlock()
	if known >= 0 {
		return value, nil
	}
	value, err := f()
	if err == nil {
		memory.mu.Lock()
		memory.together = append(memory.together, together{of, value})
		memory.mu.Unlock()
	}
	return value, err
}
