package jobs_test

import (
	"context"
	"sync"
	"testing"
	"testing/synctest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/jobs"
)

// tally notes what a queue is told.
type tally struct {
	mu      sync.Mutex
	results []string
	done    []string
	refused []error
}

func (s *tally) Beat(jobs.Order, float64, string) {}

func (s *tally) Show(jobs.Order, []model.Curve) {}

func (s *tally) Result(o jobs.Order, result []byte) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.results = append(s.results, o.Task+string(result))
	return nil
}

func (s *tally) Done(o jobs.Order) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.done = append(s.done, o.Task)
}

func (s *tally) Refused(_ jobs.Order, reason error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.refused = append(s.refused, reason)
}

func TestOrdersComeInTurnAndAreTakenBack(t *testing.T) {
	sink := &tally{}
	q := jobs.NewLocal(num.NewCores(2), sink)
	require.NoError(t, q.Put(jobs.Order{Job: 1, Task: "a"}, jobs.Order{Job: 1, Task: "b"}, jobs.Order{Job: 2, Task: "c"}, jobs.Order{Job: 1, Task: "d"}))
	a, err := q.Take(t.Context())
	require.NoError(t, err)
	b, err := q.Take(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "ab", a.Order().Task+b.Order().Task)
	require.NoError(t, a.Hand([]byte("!")))
	a.Done()
	assert.Equal(t, 1, q.Withdraw(1), "d, which no worker has")
	<-b.Context().Done()
	assert.ErrorIs(t, b.Hand(nil), jobs.ErrWithdrawn)
	b.Refuse(jobs.ErrWithdrawn)
	c, err := q.Take(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "c", c.Order().Task)
	c.Done()
	assert.Equal(t, []string{"a!"}, sink.results)
	assert.Equal(t, []string{"a", "c"}, sink.done)
	assert.Len(t, sink.refused, 1)
}

// A worker waits for orders, and for a core: one that another borrows is waited for too.
func TestWorkersWaitForACore(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		q := jobs.NewLocal(num.NewCores(2), &tally{})
		ctx, cancel := context.WithCancel(t.Context())
		var taken []string
		var mu sync.Mutex
		take := func() {
			l, err := q.Take(ctx)
			if err != nil {
				return
			}
			mu.Lock()
			taken = append(taken, l.Order().Task)
			mu.Unlock()
			<-l.Context().Done()
		}
		for range 3 {
			go take()
		}
		synctest.Wait()
		require.NoError(t, q.Put(jobs.Order{Task: "one"}, jobs.Order{Task: "two"}, jobs.Order{Task: "three"}))
		synctest.Wait()
		assert.Equal(t, []string{"one", "two"}, taken, "the third has no core")
		cancel()
	})
}
