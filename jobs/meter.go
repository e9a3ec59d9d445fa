package jobs

import (
	"runtime"
	"sync"
	"time"
)

// meter measures what tasks take. The first task of each contender runs alone, so that
// the memory it takes is its own.
type meter struct {
	alone sync.RWMutex
	mu    sync.Mutex
	seen  map[int]bool
}

func (m *meter) measure(contender int, run func() error) (took time.Duration, bytes int64, err error) {
	m.mu.Lock()
	first := !m.seen[contender]
	if m.seen == nil {
		m.seen = map[int]bool{}
	}
	m.seen[contender] = true
	m.mu.Unlock()
	if !first {
		m.alone.RLock()
		defer m.alone.RUnlock()
		begin := time.Now()
		err = run()
		return time.Since(begin), 0, err
	}
	m.alone.Lock()
	defer m.alone.Unlock()
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	begin := time.Now()
	err = run()
	took = time.Since(begin)
	runtime.ReadMemStats(&after)
	return took, int64(after.TotalAlloc - before.TotalAlloc), err
}
