package service

import (
	"slices"
	"sync"
)

// lately keeps what was worked out last, by what it was worked out of; it is ready to be used. Those who ask for the same at
// the same time wait for one of them to work it out.
type lately[K comparable, V any] struct {
	mu   sync.Mutex
	last []*worked[K, V] // the oldest first
}

type worked[K comparable, V any] struct {
	of  K
	out func() V
}

// mostLately is how much is kept.
const mostLately = 16

// of gives what work gives, or gave before.
func (l *lately[K, V]) of(key K, work func() V) V { return l.find(key, work).out() }

func (l *lately[K, V]) find(key K, work func() V) *worked[K, V] {
	l.mu.Lock()
	defer l.mu.Unlock()
	w := &worked[K, V]{key, sync.OnceValue(work)}
	if at := slices.IndexFunc(l.last, func(w *worked[K, V]) bool { return w.of == key }); at >= 0 {
		w = l.last[at]
		l.last = slices.Delete(l.last, at, at+1)
	}
	if l.last = append(l.last, w); len(l.last) > mostLately {
		l.last = slices.Delete(l.last, 0, len(l.last)-mostLately)
	}
	return w
}
