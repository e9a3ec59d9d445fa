package jobs_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"paperkettle/core/model"
	"paperkettle/jobs"
	"paperkettle/store"
)

var ctx = context.Background()

// fake is work whose tasks keep audit lines, so that the store shows what was done.
type fake struct {
	store *store.Store
	ref   uint
	tasks int
	do    func(i int) error
	desk  func(ctx context.Context, i int, desk jobs.Desk) error

	basis func(asked int) string

	mu    sync.Mutex
	ended string
	asked int
}

func (f *fake) key(i int) string { return fmt.Sprintf("%d-%d", f.ref, i) }

func (f *fake) Basis() string {
	if f.basis == nil {
		return "fake"
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	f.asked++
	return f.basis(f.asked)
}

func (f *fake) Tasks(ctx context.Context) ([]jobs.Task, error) {
	var done []string
	if err := f.store.Read(ctx).Model(&store.Audit{}).Pluck("object", &done).Error; err != nil {
		return nil, err
	}
	out := make([]jobs.Task, f.tasks)
	for i := range out {
		out[i] = jobs.Task{ID: strconv.Itoa(i), Cores: 1, Made: slices.Contains(done, f.key(i))}
	}
	return out, nil
}

func (f *fake) Do(ctx context.Context, task string, desk jobs.Desk) error {
	i, err := strconv.Atoi(task)
	if err == nil && f.do != nil {
		err = f.do(i)
	}
	if err == nil && f.desk != nil {
		err = f.desk(ctx, i, desk)
	}
	if err != nil {
		return err
	}
	return desk.Hand([]byte(f.key(i)))
}

func (f *fake) Keep(tx *gorm.DB, _ string, result []byte) error {
	return tx.Create(&store.Audit{At: time.Now(), Object: string(result)}).Error
}

func (f *fake) end(how string) error {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.ended += how
	return nil
}

func (f *fake) Finish(*gorm.DB) error  { return f.end("finished") }
func (f *fake) Abandon(*gorm.DB) error { return f.end("abandoned") }

func (f *fake) outcome() string {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.ended
}

// bench is a store and a manager of fake work.
type bench struct {
	t     *testing.T
	store *store.Store
	mu    sync.Mutex // guards work
	work  map[uint]*fake
	m     *jobs.Manager
}

func newBench(t *testing.T, workers int) *bench {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	b := &bench{t: t, store: s, work: map[uint]*fake{}}
	b.m = b.manager(workers)
	t.Cleanup(func() { b.m.Close(); require.NoError(t, s.Close()) })
	return b
}

func (b *bench) manager(workers int) *jobs.Manager {
	return jobs.New(b.store, workers, map[string]jobs.Opener{"fake": func(_ context.Context, ref uint) (jobs.Work, error) {
		b.mu.Lock()
		defer b.mu.Unlock()
		if f := b.work[ref]; f != nil {
			return f, nil
		}
		return nil, errors.New("no such work")
	}})
}

func (b *bench) queue(ref uint, f *fake) uint {
	if f != nil {
		f.store, f.ref = b.store, ref
		b.mu.Lock()
		b.work[ref] = f
		b.mu.Unlock()
	}
	job := store.Job{Kind: "fake", RefID: ref, State: store.Queued, CreatedAt: time.Now()}
	require.NoError(b.t, b.store.Write(ctx, func(tx *gorm.DB) error { return tx.Create(&job).Error }))
	b.m.Wake()
	return job.ID
}

func (b *bench) until(id uint, state string) store.Job {
	b.t.Helper()
	var job store.Job
	require.Eventually(b.t, func() bool {
		require.NoError(b.t, b.store.Read(ctx).First(&job, id).Error)
		return job.State == state
	}, 10*time.Second, time.Millisecond, "waiting for %s, last seen as %+v", state, &job)
	return job
}

func (b *bench) kept() int {
	var n int64
	require.NoError(b.t, b.store.Read(ctx).Model(&store.Audit{}).Count(&n).Error)
	return int(n)
}

func TestJobsRunInTurnAndShowProgress(t *testing.T) {
	b := newBench(t, 2)
	var mu sync.Mutex
	var order []uint
	note := func(ref uint) func(int) error {
		return func(int) error {
			mu.Lock()
			defer mu.Unlock()
			if len(order) == 0 || order[len(order)-1] != ref {
				order = append(order, ref)
			}
			return nil
		}
	}
	first := b.queue(1, &fake{tasks: 20, do: note(1)})
	second := b.queue(2, &fake{tasks: 20, do: note(2)})
	states, stop := b.m.Watch(second)
	defer stop()
	b.m.Start()
	last := -1
	for p := range states {
		assert.GreaterOrEqual(t, p.Job.Done, last, "progress never goes back")
		last = p.Job.Done
		if p.Job.Over() {
			break
		}
	}
	job := b.until(second, store.Done)
	assert.Equal(t, []int{20, 20}, []int{job.Done, job.Total})
	assert.Equal(t, store.Done, b.until(first, store.Done).State)
	assert.Equal(t, []uint{1, 2}, order)
	assert.Equal(t, 40, b.kept())
	assert.Equal(t, "finished", b.work[1].outcome())
}

// A task that fails or breaks down fails its job with the reason, keeps what was done,
// and lets the next job run.
func TestAFailureEndsItsOwnJobOnly(t *testing.T) {
	b := newBench(t, 1)
	failing := b.queue(1, &fake{tasks: 5, do: func(i int) error {
		if i == 3 {
			return errors.New("the third is bad")
		}
		return nil
	}})
	breaking := b.queue(2, &fake{tasks: 1, do: func(int) error { panic("glass") }})
	missing := b.queue(3, nil)
	good := b.queue(4, &fake{tasks: 2})
	b.m.Start()
	assert.Equal(t, "the third is bad", b.until(failing, store.Failed).Error)
	assert.Contains(t, b.until(breaking, store.Failed).Error, "task 0 broke down: glass")
	assert.Equal(t, "no such work", b.until(missing, store.Failed).Error)
	b.until(good, store.Done)
	assert.Equal(t, 3+2, b.kept())
	assert.Equal(t, "abandoned", b.work[1].outcome())
}

// A job that is cancelled keeps what is done; queued again, it does the rest.
func TestCancelKeepsWhatIsDone(t *testing.T) {
	b := newBench(t, 1)
	reached, release := make(chan bool), make(chan bool)
	id := b.queue(1, &fake{tasks: 10, do: func(i int) error {
		if i == 4 {
			reached <- true
			<-release
		}
		return nil
	}})
	waiting := b.queue(2, &fake{tasks: 1})
	b.m.Start()
	<-reached
	require.NoError(t, b.m.Cancel(ctx, waiting))
	b.until(waiting, store.Cancelled)
	require.NoError(t, b.m.Cancel(ctx, id))
	close(release)
	b.until(id, store.Cancelled)
	done := b.kept()
	assert.True(t, done >= 4 && done < 10, "%d of 10 kept", done)

	b.work[1].do = nil
	require.NoError(t, b.store.Write(ctx, func(tx *gorm.DB) error {
		return tx.Model(&store.Job{}).Where("id = ?", id).Update("state", store.Queued).Error
	}))
	b.m.Wake()
	b.until(id, store.Done)
	assert.Equal(t, 10, b.kept(), "nothing twice")
	assert.ErrorIs(t, b.m.Cancel(ctx, 999), store.ErrNotFound)
}

// Closing the manager leaves its job running on the books; the next one goes on with it.
func TestAClosedManagersJobGoesOn(t *testing.T) {
	b := newBench(t, 1)
	reached := make(chan bool, 10)
	id := b.queue(1, &fake{tasks: 6, do: func(int) error {
		reached <- true
		time.Sleep(5 * time.Millisecond)
		return nil
	}})
	b.m.Start()
	<-reached
	b.m.Close()
	job := b.until(id, store.Running)
	assert.False(t, job.Over())
	assert.Less(t, b.kept(), 6)
	b.m = b.manager(2)
	b.m.Start()
	b.until(id, store.Done)
	assert.Equal(t, 6, b.kept())
}

// A cancel that comes at any moment of a job's start ends it, unless it is over first,
// and no later state takes that back.
func TestACancelIsNeverLost(t *testing.T) {
	b := newBench(t, 2)
	b.m.Start()
	for i := range 150 {
		id := b.queue(uint(i+1), &fake{tasks: 3, do: func(int) error {
			time.Sleep(time.Millisecond)
			return nil
		}})
		time.Sleep(time.Duration(i%12) * 100 * time.Microsecond)
		require.NoError(t, b.m.Cancel(ctx, id))
		var job store.Job
		require.Eventually(t, func() bool { return b.store.Read(ctx).First(&job, id).Error == nil && job.Over() }, 5*time.Second, time.Millisecond)
		if job.State == store.Done {
			assert.Equal(t, 3, job.Done, "it was over first")
		} else {
			assert.Equal(t, store.Cancelled, job.State)
		}
	}
}

// A paused job keeps what is done and waits; one that is more urgent takes the place of
// the one at work, which goes on afterwards from where it was.
func TestPausedAndUrgentJobs(t *testing.T) {
	b := newBench(t, 1)
	began, release := make(chan int, 1000), make(chan struct{})
	slow := func(i int) error {
		began <- i
		<-release
		return nil
	}
	first := b.queue(1, &fake{tasks: 500, do: slow})
	b.m.Start()
	<-began
	// Tasks are let go on one by one until something has happened.
	feed := func(happened func() bool) {
		for !happened() {
			select {
			case release <- struct{}{}:
			case <-time.After(time.Millisecond):
			}
		}
	}
	done := make(chan error, 1)
	go func() { done <- b.m.Pause(ctx, first) }()
	feed(func() bool { return len(done) > 0 })
	require.NoError(t, <-done)
	paused := b.until(first, store.Paused)
	assert.Equal(t, b.kept(), paused.Done)
	assert.Empty(t, b.work[1].outcome(), "it is neither finished nor abandoned")

	requeue := func(id uint, priority int) {
		require.NoError(t, b.store.Write(ctx, func(tx *gorm.DB) error {
			return tx.Model(&store.Job{}).Where("id = ?", id).Updates(map[string]any{"state": store.Queued, "priority": priority}).Error
		}))
		b.m.Wake()
	}
	requeue(first, 0)
	b.until(first, store.Running)
	second := b.queue(2, &fake{tasks: 1})
	requeue(second, 3)
	state := func(id uint) string {
		var job store.Job
		require.NoError(t, b.store.Read(ctx).First(&job, id).Error)
		return job.State
	}
	feed(func() bool { return state(second) == store.Done })
	assert.NotEqual(t, store.Done, state(first), "the urgent one went first")
	close(release)
	assert.Equal(t, 500, b.until(first, store.Done).Done)
	assert.Equal(t, 501, b.kept())

	third := b.queue(3, &fake{tasks: 1, do: func(int) error { return nil }})
	b.until(third, store.Done)
	require.NoError(t, b.m.Pause(ctx, third))
	assert.Equal(t, store.Done, b.until(third, store.Done).State, "what is over stays over")
}

// staged is fake work whose odd tasks need all even ones.
type staged struct{ *fake }

func (s staged) Tasks(ctx context.Context) ([]jobs.Task, error) {
	out, err := s.fake.Tasks(ctx)
	for i := range out {
		out[i].Stage = i % 2
	}
	return out, err
}

func TestLaterStagesWaitForEarlierOnes(t *testing.T) {
	b := newBench(t, 2)
	var mu sync.Mutex
	var order []int
	f := &fake{store: b.store, ref: 1, tasks: 20, do: func(i int) error {
		mu.Lock()
		defer mu.Unlock()
		if i%2 == 1 && b.kept() < 10 {
			return fmt.Errorf("task %d began before the first stage was kept", i)
		}
		order = append(order, i)
		return nil
	}}
	b.m = jobs.New(b.store, 2, map[string]jobs.Opener{"staged": func(context.Context, uint) (jobs.Work, error) { return staged{f}, nil }})
	job := store.Job{Kind: "staged", RefID: 1, State: store.Queued, CreatedAt: time.Now()}
	require.NoError(t, b.store.Write(ctx, func(tx *gorm.DB) error { return tx.Create(&job).Error }))
	b.m.Start()
	b.until(job.ID, store.Done)
	require.Len(t, order, 20)
	for _, i := range order[:10] {
		assert.Zero(t, i%2)
	}
}

// A long task tells how far it is, leaves a checkpoint, and goes on from there after a stop.
func TestALongTaskGoesOnFromItsCheckpoint(t *testing.T) {
	b := newBench(t, 1)
	var mu sync.Mutex
	var began []string // what each run found
	reached := make(chan bool, 1)
	f := &fake{tasks: 1, desk: func(ctx context.Context, _ int, desk jobs.Desk) error {
		kept, err := desk.Checkpoint.Load()
		if err != nil {
			return err
		}
		mu.Lock()
		part, err := model.PartOf(desk.Checkpoint, "aside").Load()
		if err != nil {
			return err
		}
		began = append(began, string(kept)+string(part))
		first := len(began) == 1
		mu.Unlock()
		desk.Report(0.5, "half of it")
		if !first {
			return nil
		}
		if err := errors.Join(desk.Checkpoint.Save([]byte("half")), model.PartOf(desk.Checkpoint, "aside").Save([]byte(" and more"))); err != nil {
			return err
		}
		reached <- true
		<-ctx.Done()
		return ctx.Err()
	}}
	id := b.queue(1, f)
	states, stop := b.m.Watch(id)
	b.m.Start()
	<-reached
	for p := range states {
		if p.Note == "half of it" {
			assert.InDelta(t, 0.5, p.Share, 1e-9)
			break
		}
	}
	stop()
	b.m.Close()
	b.m = b.manager(1)
	b.m.Start()
	b.until(id, store.Done)
	assert.Equal(t, []string{"", "half and more"}, began)
	var left int64
	require.NoError(t, b.store.Read(ctx).Model(&store.Checkpoint{}).Count(&left).Error)
	assert.Zero(t, left, "what is done needs no checkpoint")
}

// Cancelling ends a task that is at work, and one that is slow keeps no other from its turn.
func TestASlowTaskHoldsUpNobody(t *testing.T) {
	b := newBench(t, 2)
	slow := make(chan bool)
	id := b.queue(1, &fake{tasks: 30, desk: func(ctx context.Context, i int, _ jobs.Desk) error {
		if i > 0 {
			return nil
		}
		close(slow)
		<-ctx.Done()
		return ctx.Err()
	}})
	b.m.Start()
	<-slow
	require.Eventually(t, func() bool { return b.kept() == 29 }, 10*time.Second, time.Millisecond, "the others go on beside it")
	require.NoError(t, b.m.Cancel(ctx, id))
	assert.Equal(t, 29, b.until(id, store.Cancelled).Done)
}

// An order of another plan, data or program is refused by a worker that has not the same.
func TestOrdersOfAnotherBasis(t *testing.T) {
	b := newBench(t, 1)
	id := b.queue(1, &fake{tasks: 3})
	b.work[1].basis = func(asked int) string { return fmt.Sprint("basis ", asked > 3) }
	b.m.Start()
	assert.Equal(t, jobs.ErrOtherBasis.Error(), b.until(id, store.Failed).Error)
	assert.Zero(t, b.kept())
}
