// Package jobs runs long work: one job at a time, its tasks on a pool of workers,
// with progress, cancel, and resume after a kill.
//
// A task's result is written once under its key, so a job that starts again does
// only what has no stored result.
package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"gorm.io/gorm"

	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/store"
)

// Progress is a job's state at a moment.
type Progress struct {
	Job  store.Job
	Rate float64 // tasks a second since the start, 0 where unknown
	// Share is how much of the job is done, from 0 to 1, what is half done included; Note says
	// what is being done.
	Share float64
	Note  string
	// Learning is how the losses of what is being learnt for long went so far.
	Learning []model.Curve
}

// Manager takes up jobs, one at a time, puts their tasks in the queue, and keeps what workers
// make of them.
type Manager struct {
	store   *store.Store
	openers map[string]Opener
	workers int
	cores   *num.Cores
	queue   Queue
	crew    sync.WaitGroup
	wake    chan struct{}
	ctx     context.Context
	stop    context.CancelFunc
	idle    chan struct{}

	mu       sync.Mutex
	breathed time.Time // when work paused last
	current  uint
	priority int
	attempt  *attempt // the job at work
	cancel   context.CancelCauseFunc
	live     map[uint]Progress
	watch    map[uint][]chan Progress
}

// New makes a manager; Start sets it going.
func New(s *store.Store, workers int, openers map[string]Opener) *Manager {
	ctx, stop := context.WithCancel(context.Background())
	m := &Manager{store: s, openers: openers, workers: max(1, workers), wake: make(chan struct{}, 1), ctx: ctx, stop: stop,
		idle: make(chan struct{}), live: map[uint]Progress{}, watch: map[uint][]chan Progress{}}
	m.cores = num.NewCores(m.workers)
	m.queue = NewLocal(m.cores, m)
	return m
}

const (
	// breath is how long work pauses for somebody who opens a page, and work how long it goes on then at least.
	breath = 1500 * time.Millisecond
	work   = 2 * time.Second
)

// Breathe has the work in hand pause for a moment, for less than half of the time: who opens a page comes
// first.
func (m *Manager) Breathe() {
	m.mu.Lock()
	defer m.mu.Unlock()
	if now := time.Now(); now.After(m.breathed.Add(breath + work)) {
		m.breathed = now
		time.AfterFunc(breath, m.cores.Rest())
	}
}

// Start runs what is queued, beginning with jobs that a kill cut short.
func (m *Manager) Start() {
	for range m.workers {
		m.crew.Go(m.serve)
	}
	go m.loop()
}

// Close stops after the tasks in hand; the job resumes at the next start.
func (m *Manager) Close() {
	m.stop()
	<-m.idle
	m.crew.Wait()
}

// Wake tells the manager that a job was queued. One that is more urgent than the one at
// work takes its place; what is done of that stays.
func (m *Manager) Wake() {
	select {
	case m.wake <- struct{}{}:
	default:
	}
	var top store.Job
	if err := m.store.Read(m.ctx).Where("state = ?", store.Queued).Order("priority DESC, id").First(&top).Error; err != nil {
		return
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.current != 0 && top.Priority > m.priority {
		m.cancel(errYields)
	}
}

func (m *Manager) loop() {
	defer close(m.idle)
	for m.ctx.Err() == nil {
		var job store.Job
		err := m.store.Read(m.ctx).Where("state IN ?", []string{store.Running,
			store.Queued}).Order("priority DESC, state = 'running' DESC, id").First(&job).Error
		if err == nil {
			m.run(job)
			continue
		}
		if !errors.Is(err, store.ErrNotFound) && m.ctx.Err() == nil {
			slog.Error("reading the job queue", "error", err)
		}
		select {
		case <-m.wake:
		case <-time.After(5 * time.Second):
		case <-m.ctx.Done():
		}
	}
}

var (
	errCancelled = errors.New("cancelled")
	errPaused    = errors.New("paused")
	errYields    = errors.New("yields to a more urgent job")
	errTaken     = errors.New("taken out of the queue before it began")
)

func (m *Manager) run(job store.Job) {
	ctx, cancel := context.WithCancelCause(m.ctx)
	defer cancel(nil)
	m.mu.Lock()
	m.current, m.priority, m.cancel = job.ID, job.Priority, cancel
	m.mu.Unlock()
	work, err := m.open(ctx, job)
	if err == nil {
		err = m.attend(ctx, &job, work)
	}
	m.mu.Lock()
	m.current, m.cancel = 0, nil
	m.mu.Unlock()
	if errors.Is(err, errTaken) {
		return
	}
	cause := context.Cause(ctx)
	if m.ctx.Err() != nil && !errors.Is(cause, errCancelled) && !errors.Is(cause, errPaused) {
		return // shutting down: the job stays running and resumes
	}
	switch {
	case err != nil && errors.Is(cause, errPaused):
		m.lay(job, store.Paused)
		return
	case err != nil && errors.Is(cause, errYields):
		m.lay(job, store.Queued)
		return
	case errors.Is(context.Cause(ctx), errCancelled):
		job.State = store.Cancelled
	case err != nil:
		job.State, job.Error = store.Failed, err.Error()
	default:
		job.State = store.Done
	}
	m.finish(job, work)
}

func (m *Manager) open(ctx context.Context, job store.Job) (Work, error) {
	open, ok := m.openers[job.Kind]
	if !ok {
		return nil, fmt.Errorf("no work of the kind %q is known", job.Kind)
	}
	return open(ctx, job.RefID)
}

func (m *Manager) finish(job store.Job, work Work) {
	// From here on the record tells the state. It must not be outlived by a live one:
	// as soon as the record says that the job is over, it may be queued again.
	m.mu.Lock()
	delete(m.live, job.ID)
	m.mu.Unlock()
	now := time.Now().UTC()
	job.FinishedAt = &now
	save := func(j store.Job, close func(*gorm.DB) error) error {
		return m.store.Write(context.Background(), func(tx *gorm.DB) error {
			var now store.Job
			if err := tx.First(&now, j.ID).Error; err != nil || now.Over() {
				return err // cancelled before it began, or removed with its dataset
			}
			if work != nil && close != nil {
				if err := close(tx); err != nil {
					return err
				}
			}
			if j.State == store.Done {
				if err := forget(tx, j.ID, ""); err != nil {
					return err
				}
			}
			return tx.Save(&j).Error
		})
	}
	var err error
	if job.State == store.Done {
		if err = save(job, work.Finish); err != nil {
			job.State, job.Error = store.Failed, err.Error()
		}
	}
	if job.State != store.Done {
		var abandon func(*gorm.DB) error
		if work != nil {
			abandon = work.Abandon
		}
		if err = save(job, abandon); err != nil {
			slog.Error("closing a job", "job", job.ID, "error", err)
		}
	}
	m.publish(Progress{Job: job})
}

// lay puts a job that was at work aside: paused, or back in the queue.
func (m *Manager) lay(job store.Job, state string) {
	m.mu.Lock()
	delete(m.live, job.ID)
	m.mu.Unlock()
	job.State = state
	if err := m.store.Write(context.Background(), func(tx *gorm.DB) error {
		return tx.Model(&store.Job{}).Where("id = ? AND state IN ?", job.ID,
			[]string{store.Running, store.Queued}).Updates(map[string]any{"state": state, "done": job.Done}).Error
	}); err != nil {
		slog.Error("putting a job aside", "job", job.ID, "error", err)
	}
	m.publish(Progress{Job: job})
}

// Pause puts a job aside until it is queued again; what is done stays.
func (m *Manager) Pause(ctx context.Context, id uint) error {
	m.mu.Lock()
	if m.current == id {
		m.cancel(errPaused)
		m.mu.Unlock()
		return m.until(ctx, id, func(j store.Job) bool { return j.State == store.Paused || j.Over() })
	}
	m.mu.Unlock()
	return m.store.Write(ctx, func(tx *gorm.DB) error {
		return tx.Model(&store.Job{}).Where("id = ? AND state = ?", id, store.Queued).Update("state", store.Paused).Error
	})
}

// until waits for a job's record to say something.
func (m *Manager) until(ctx context.Context, id uint, said func(store.Job) bool) error {
	for {
		var job store.Job
		if err := m.store.Read(ctx).First(&job, id).Error; err != nil || said(job) {
			return err
		}
		select {
		case <-time.After(5 * time.Millisecond):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// Cancel stops a job; what is done stays. A job that is over is left as it is.
func (m *Manager) Cancel(ctx context.Context, id uint) error {
	for {
		if m.cancelCurrent(id) {
			return nil
		}
		job, err := m.cancelQueued(ctx, id)
		if err != nil || job.Over() {
			return err
		}
		// It is being taken up or finished at this very moment: look again.
		select {
		case <-time.After(time.Millisecond):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

func (m *Manager) cancelCurrent(id uint) bool {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.current != id {
		return false
	}
	m.cancel(errCancelled)
	if a := m.attempt; a != nil && a.job.ID == id {
		a.open.Add(-m.queue.Withdraw(id)) // at once: no worker takes another of its tasks
	}
	return true
}

// cancelQueued takes a job out of the queue and gives its record.
func (m *Manager) cancelQueued(ctx context.Context, id uint) (store.Job, error) {
	now := time.Now().UTC()
	var job store.Job
	taken := false
	err := m.store.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.First(&job, id).Error; err != nil || job.State != store.Queued && job.State != store.Paused {
			return err
		}
		taken = true
		job.State, job.FinishedAt = store.Cancelled, &now
		return tx.Save(&job).Error
	})
	if err == nil && taken {
		m.publish(Progress{Job: job})
	}
	return job, err
}

// Progress is a job's present state.
func (m *Manager) Progress(ctx context.Context, id uint) (Progress, error) {
	m.mu.Lock()
	p, ok := m.live[id]
	m.mu.Unlock()
	if ok {
		return p, nil
	}
	var job store.Job
	err := m.store.Read(ctx).First(&job, id).Error
	return Progress{Job: job}, err
}

// Watch gives each new state of a job, the newest only where the reader is slow,
// until stop is called. A state that is over may be of a run before: ask Progress.
func (m *Manager) Watch(id uint) (states <-chan Progress, stop func()) {
	ch := make(chan Progress, 1)
	m.mu.Lock()
	m.watch[id] = append(m.watch[id], ch)
	m.mu.Unlock()
	return ch, func() {
		m.mu.Lock()
		defer m.mu.Unlock()
		for i, c := range m.watch[id] {
			if c == ch {
				m.watch[id] = append(m.watch[id][:i], m.watch[id][i+1:]...)
				break
			}
		}
		if len(m.watch[id]) == 0 {
			delete(m.watch, id)
		}
	}
}

func (m *Manager) publish(p Progress) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if p.Job.State == store.Running {
		m.live[p.Job.ID] = p
	}
	for _, ch := range m.watch[p.Job.ID] {
		select {
		case <-ch: // the reader is slow: replace the state it has not taken
		default:
		}
		ch <- p
	}
}
