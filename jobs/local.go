package jobs

import (
	"context"
	"slices"
	"sync"

	"paperkettle/core/model"
	"paperkettle/core/num"
)

// local is the queue of workers within this process. Orders come out in the order in which they
// were put, each once there is a core for it. A task that can use more than one borrows those
// that nobody holds.
type local struct {
	cores *num.Cores
	sink  Sink

	mu      sync.Mutex
	changed *sync.Cond
	waiting []Order
	taken   []*localLease
}

// NewLocal makes a queue for some cores.
func NewLocal(cores *num.Cores, sink Sink) Queue {
	q := &local{cores: cores, sink: sink}
	q.changed = sync.NewCond(&q.mu)
	return q
}

func (q *local) Put(orders ...Order) error {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.waiting = append(q.waiting, orders...)
	q.changed.Broadcast()
	return nil
}

func (q *local) Take(ctx context.Context) (Lease, error) {
	if err := q.cores.Hold(ctx); err != nil {
		return nil, err
	}
	for {
		if l := q.first(ctx); l != nil {
			return l, nil
		}
		q.cores.Give() // or those who could use it would wait with us
		if err := q.wait(ctx); err != nil {
			return nil, err
		}
		if err := q.cores.Hold(ctx); err != nil {
			return nil, err
		}
	}
}

// first takes the first order; nil where there is none.
func (q *local) first(ctx context.Context) *localLease {
	q.mu.Lock()
	defer q.mu.Unlock()
	if len(q.waiting) == 0 {
		return nil
	}
	l := &localLease{q: q, order: q.waiting[0]}
	l.ctx, l.end = context.WithCancelCause(num.WithCores(ctx, q.cores))
	q.waiting = q.waiting[1:]
	q.taken = append(q.taken, l)
	return l
}

// wait waits until there are orders.
func (q *local) wait(ctx context.Context) error {
	stop := context.AfterFunc(ctx, func() {
		q.mu.Lock() // or the one that is about to wait would miss it
		defer q.mu.Unlock()
		q.changed.Broadcast()
	})
	defer stop()
	q.mu.Lock()
	defer q.mu.Unlock()
	for len(q.waiting) == 0 && ctx.Err() == nil {
		q.changed.Wait()
	}
	return ctx.Err()
}

func (q *local) Withdraw(job uint) (untaken int) {
	q.mu.Lock()
	defer q.mu.Unlock()
	before := len(q.waiting)
	q.waiting = slices.DeleteFunc(q.waiting, func(o Order) bool { return o.Job == job })
	for _, l := range q.taken {
		if l.order.Job == job {
			l.end(ErrWithdrawn)
		}
	}
	q.changed.Broadcast()
	return before - len(q.waiting)
}

// give takes a lease back.
func (q *local) give(l *localLease) {
	q.mu.Lock()
	defer q.mu.Unlock()
	l.end(nil)
	q.taken = slices.DeleteFunc(q.taken, func(x *localLease) bool { return x == l })
	q.cores.Give()
}

type localLease struct {
	q     *local
	order Order
	ctx   context.Context
	end   context.CancelCauseFunc
}

func (l *localLease) Order() Order              { return l.order }
func (l *localLease) Context() context.Context  { return l.ctx }
func (l *localLease) Show(curves []model.Curve) { l.q.sink.Show(l.order, curves) }

func (l *localLease) Beat(done float64, note string) { l.q.sink.Beat(l.order, done, note) }

func (l *localLease) Hand(result []byte) error {
	if l.ctx.Err() != nil {
		return context.Cause(l.ctx)
	}
	return l.q.sink.Result(l.order, result)
}

func (l *localLease) Done() {
	l.q.give(l)
	l.q.sink.Done(l.order)
}

func (l *localLease) Refuse(reason error) {
	l.q.give(l)
	l.q.sink.Refused(l.order, reason)
}
