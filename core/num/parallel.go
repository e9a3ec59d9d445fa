package num

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
)

// Each runs f for every place from 0 to n-1 on some workers. A place that panics is an error,
// and does not keep the others from running.
func Each(ctx context.Context, workers, n int, f func(i int)) error {
	return EachWith(ctx, workers, n, func() struct{} { return struct{}{} }, func(_ struct{}, i int) { f(i) })
}

// EachWith is Each with something that every worker has for itself, such as room to work in. The
// caller is one of the workers; the others work only while one of the context's Cores is free.
func EachWith[T any](ctx context.Context, workers, n int, own func() T, f func(own T, i int)) (err error) {
	var mu sync.Mutex
	guarded := func(mine T, i int) {
		defer func() {
			if r := recover(); r != nil {
				mu.Lock()
				err = fmt.Errorf("the method broke down: %v", r)
				mu.Unlock()
			}
		}()
		f(mine, i)
	}
	var next atomic.Int64
	cores, ended := coresOf(ctx), make(chan struct{})
	take := func() (int, bool) {
		cores.pause(ctx)
		i := int(next.Add(1)) - 1
		return i, i < n && ctx.Err() == nil
	}
	var wg sync.WaitGroup
	for range min(workers, n) - 1 {
		wg.Go(func() {
			var mine T
			made := false
			for cores.borrow(ended) {
				i, ok := take()
				if ok {
					if !made {
						mine, made = own(), true
					}
					guarded(mine, i)
				}
				cores.give()
				if !ok {
					return
				}
			}
		})
	}
	if n > 0 {
		mine := own()
		for i, ok := take(); ok; i, ok = take() {
			guarded(mine, i)
		}
	}
	close(ended)
	wg.Wait()
	return errors.Join(err, ctx.Err())
}

// Cores are the processor cores that work shares: whoever works holds one, and whoever could use
// more borrows those that nobody holds. So no more is under way than there are cores, and none
// is idle while there is work.
type Cores struct {
	free    chan struct{}
	resting atomic.Pointer[chan struct{}] // closed when work goes on; nil while it does
}

// NewCores makes a number of cores.
func NewCores(n int) *Cores {
	c := &Cores{free: make(chan struct{}, max(1, n))}
	for range cap(c.free) {
		c.free <- struct{}{}
	}
	return c
}

// Rest has work pause before its next piece, until end is called. While it rests, another rest changes nothing.
func (c *Cores) Rest() (end func()) {
	over := make(chan struct{})
	if !c.resting.CompareAndSwap(nil, &over) {
		return func() {}
	}
	return sync.OnceFunc(func() {
		c.resting.Store(nil)
		close(over)
	})
}

// pause waits while work rests.
func (c *Cores) pause(ctx context.Context) {
	if c == nil {
		return
	}
	if over := c.resting.Load(); over != nil {
		select {
		case <-*over:
		case <-ctx.Done():
		}
	}
}

// Hold waits for a core.
func (c *Cores) Hold(ctx context.Context) error {
	select {
	case <-c.free:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Give gives a core back.
func (c *Cores) Give() { c.free <- struct{}{} }

// borrow waits for a core until ended; nil cores are without number.
func (c *Cores) borrow(ended <-chan struct{}) bool {
	if c == nil {
		select {
		case <-ended:
			return false
		default:
			return true
		}
	}
	select {
	case <-ended:
		return false
	case <-c.free:
		return true
	}
}

func (c *Cores) give() {
	if c != nil {
		c.free <- struct{}{}
	}
}

type coresKey struct{}

// WithCores is a context whose work shares cores. Its bearer holds one of them.
func WithCores(ctx context.Context, c *Cores) context.Context {
	return context.WithValue(ctx, coresKey{}, c)
}

func coresOf(ctx context.Context) *Cores {
	c, _ := ctx.Value(coresKey{}).(*Cores)
	return c
}
