package jobs

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"gorm.io/gorm"

	"paperkettle/core/model"
	"paperkettle/store"
)

// attempt is a job at work.
type attempt struct {
	m    *Manager
	work Work
	fail context.CancelCauseFunc
	open sync.WaitGroup // orders and writes that have not ended

	mu      sync.Mutex // guards what follows
	job     *store.Job
	began   time.Time
	before  float64            // share that was done then
	partly  map[string]float64 // of the tasks in hand, by their identity
	note    string
	curves  []model.Curve // as shown last
	shown   string        // by which task
	told    time.Time
	checked map[string]bool // tasks that have a checkpoint
}

// attend runs the tasks that have no results yet and waits until these are durable.
func (m *Manager) attend(ctx context.Context, job *store.Job, w Work) error {
	tasks, err := w.Tasks(ctx)
	if err != nil {
		return err
	}
	job.State, job.Total, job.Done = store.Running, len(tasks), 0
	var stages [][]Task
	for _, t := range tasks {
		if t.Made {
			job.Done++
			continue
		}
		for len(stages) <= t.Stage {
			stages = append(stages, nil)
		}
		stages[t.Stage] = append(stages[t.Stage], t)
	}
	if err := m.take(ctx, job); err != nil {
		return err
	}
	ctx, fail := context.WithCancelCause(ctx)
	defer fail(nil)
	a := &attempt{m: m, work: w, fail: fail, job: job, began: time.Now(), partly: map[string]float64{}, checked: map[string]bool{}}
	a.before = a.share()
	m.mu.Lock()
	m.attempt = a
	m.mu.Unlock()
	defer func() {
		m.mu.Lock()
		m.attempt = nil
		m.mu.Unlock()
	}()
	m.publish(a.progress())
	for _, stage := range stages {
		if err := a.run(ctx, stage); err != nil {
			return err
		}
	}
	if c, ok := w.(Closer); ok {
		return c.Close(ctx)
	}
	return nil
}

// take marks a job as running, unless it was cancelled since the queue was read.
func (m *Manager) take(ctx context.Context, job *store.Job) error {
	if job.StartedAt == nil {
		now := time.Now().UTC()
		job.StartedAt = &now
	}
	started := *job
	return m.store.Write(ctx, func(tx *gorm.DB) error {
		var now store.Job
		if err := tx.First(&now, job.ID).Error; err != nil {
			return err
		}
		if now.Over() {
			return errTaken
		}
		return tx.Save(&started).Error
	})
}

// run has tasks done that need nothing of each other, and waits until their results are durable.
func (a *attempt) run(ctx context.Context, tasks []Task) error {
	orders := make([]Order, len(tasks))
	for i, t := range tasks {
		orders[i] = Order{Job: a.job.ID, Kind: a.job.Kind, Ref: a.job.RefID, Task: t.ID, Basis: a.work.Basis(), Cores: t.Cores}
	}
	a.open.Add(len(orders))
	if err := a.m.queue.Put(orders...); err != nil {
		a.open.Add(-len(orders))
		return err
	}
	ended := make(chan struct{})
	go func() {
		a.open.Wait()
		close(ended)
	}()
	select {
	case <-ended:
	case <-ctx.Done():
		a.open.Add(-a.m.queue.Withdraw(a.job.ID))
		<-ended
	}
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	return nil
}

// share is how much of the job is done.
func (a *attempt) share() float64 {
	done := float64(a.job.Done)
	for _, part := range a.partly {
		done += part
	}
	return done / float64(max(1, a.job.Total))
}

func (a *attempt) progress() Progress {
	p := Progress{Job: *a.job, Share: a.share(), Note: a.note, Learning: a.curves}
	if since := time.Since(a.began).Seconds(); p.Share > a.before {
		p.Rate = (p.Share - a.before) * float64(a.job.Total) / max(since, 1e-3)
	}
	return p
}

// oftenTold is how often the progress within tasks is published.
const oftenTold = 200 * time.Millisecond

// at gives the attempt that an order belongs to; nil where it is over.
func (m *Manager) at(o Order) *attempt {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.attempt == nil || m.attempt.job.ID != o.Job {
		return nil
	}
	return m.attempt
}

// Beat notes how far a task is.
func (m *Manager) Beat(o Order, done float64, note string) {
	a := m.at(o)
	if a == nil {
		return
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	a.partly[o.Task] = max(a.partly[o.Task], min(1, done))
	if note != "" {
		a.note = note
	}
	if now := time.Now(); now.Sub(a.told) >= oftenTold {
		a.told = now
		m.publish(a.progress())
	}
}

// Show notes how losses went so far in a task.
func (m *Manager) Show(o Order, curves []model.Curve) {
	a := m.at(o)
	if a == nil {
		return
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	a.curves, a.shown = curves, o.Task
	m.publish(a.progress())
}

// Result keeps what a task made.
func (m *Manager) Result(o Order, result []byte) error {
	a := m.at(o)
	if a == nil {
		return ErrWithdrawn
	}
	return a.write(func(tx *gorm.DB) error { return a.work.Keep(tx, o.Task, result) }, func() {})
}

// write queues a write; then is called once it is durable.
func (a *attempt) write(run func(tx *gorm.DB) error, then func()) error {
	a.open.Add(1)
	err := a.m.store.WriteLater(a.m.ctx, run, func(err error) {
		if err != nil {
			a.fail(err)
		} else {
			then()
		}
		a.open.Done()
	})
	if err != nil {
		a.open.Done()
	}
	return err
}

// Done counts a task once all that it handed in is durable: writes are done in turn.
func (m *Manager) Done(o Order) {
	a := m.at(o)
	if a == nil {
		return
	}
	defer a.open.Done()
	a.mu.Lock()
	checked := a.checked[o.Task]
	a.mu.Unlock()
	run := func(*gorm.DB) error { return nil }
	if checked {
		run = func(tx *gorm.DB) error { return forget(tx, o.Job, o.Task) }
	}
	err := a.write(run, func() {
		a.mu.Lock()
		defer a.mu.Unlock()
		a.job.Done++
		delete(a.partly, o.Task)
		if a.shown == o.Task {
			a.curves, a.shown = nil, ""
		}
		m.publish(a.progress())
	})
	if err != nil {
		a.fail(err)
	}
}

// Refused fails the job, unless its order was withdrawn.
func (m *Manager) Refused(o Order, reason error) {
	a := m.at(o)
	if a == nil {
		return
	}
	defer a.open.Done()
	a.mu.Lock()
	delete(a.partly, o.Task)
	a.mu.Unlock()
	if !errors.Is(reason, ErrWithdrawn) {
		a.fail(reason)
		a.open.Add(-m.queue.Withdraw(o.Job)) // at once, before another is taken
	}
}

// serve does orders, one after another.
func (m *Manager) serve() {
	for {
		lease, err := m.queue.Take(m.ctx)
		if err != nil {
			return
		}
		switch err := m.do(lease); {
		case err == nil:
			lease.Done() // also where it was withdrawn meanwhile: it is all there
		case lease.Context().Err() != nil:
			lease.Refuse(fmt.Errorf("%w: %w", ErrWithdrawn, context.Cause(lease.Context())))
		default:
			lease.Refuse(err)
		}
	}
}

// do does an order. A panic is its error: it must not take the service down.
func (m *Manager) do(lease Lease) (err error) {
	o := lease.Order()
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("task %s broke down: %v", o.Task, r)
		}
	}()
	a := m.at(o)
	if a == nil {
		return ErrWithdrawn
	}
	if a.work.Basis() != o.Basis {
		return ErrOtherBasis
	}
	check := checkpoint{ctx: lease.Context(), store: m.store, job: o.Job, task: o.Task, saved: func() {
		a.mu.Lock()
		defer a.mu.Unlock()
		a.checked[o.Task] = true
	}}
	return a.work.Do(lease.Context(), o.Task, Desk{Hand: lease.Hand, Report: lease.Beat, Show: lease.Show, Checkpoint: check})
}
