package num_test

import (
	"context"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/num"
)

// However many tasks and helpers there are, no more work at once than there are cores, and all
// cores work while there is something to do.
func TestNoMoreWorkThanCores(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		const cores, tasks, places = 3, 5, 40
		c := num.NewCores(cores)
		ctx := num.WithCores(t.Context(), c)
		var now, most, did atomic.Int64
		work := func(int) {
			n := now.Add(1)
			for m := most.Load(); n > m && !most.CompareAndSwap(m, n); m = most.Load() {
			}
			time.Sleep(time.Second) // of the test's own clock
			now.Add(-1)
			did.Add(1)
		}
		begin := time.Now()
		var wg sync.WaitGroup
		for range tasks {
			wg.Go(func() {
				assert.NoError(t, c.Hold(ctx))
				defer c.Give()
				assert.NoError(t, num.Each(ctx, 8, places, work))
			})
		}
		wg.Wait()
		assert.EqualValues(t, cores, most.Load())
		assert.EqualValues(t, tasks*places, did.Load())
		assert.Less(t, time.Since(begin), (tasks*places/cores+5)*time.Second, "no core is idle")
	})
}

// While work rests no piece begins; then all are done. Who gives up in between does not wait for the end.
func TestWorkRests(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		c := num.NewCores(2)
		var did atomic.Int64
		all := func(ctx context.Context) error {
			return num.Each(num.WithCores(ctx, c), 2, 10, func(int) {
				time.Sleep(time.Second)
				did.Add(1)
			})
		}
		ended := make(chan error, 1)
		go func() { ended <- all(t.Context()) }()
		time.Sleep(1500 * time.Millisecond)
		end := c.Rest()
		c.Rest()() // a second changes nothing
		time.Sleep(time.Hour)
		had := did.Load()
		assert.Less(t, had, int64(10))
		assert.Empty(t, ended)
		end()
		end()
		require.NoError(t, <-ended)
		assert.EqualValues(t, 10, did.Load())

		defer c.Rest()()
		ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
		defer cancel()
		assert.ErrorIs(t, all(ctx), context.DeadlineExceeded)
		assert.EqualValues(t, 10, did.Load())
	})
}

func TestEachWithoutEnd(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	var did atomic.Int64
	err := num.Each(ctx, 4, 1000, func(i int) {
		if did.Add(1) == 10 {
			cancel()
		}
	})
	require.ErrorIs(t, err, context.Canceled)
	assert.Less(t, did.Load(), int64(20))
	err = num.Each(t.Context(), 3, 5, func(i int) {
		if i == 2 {
			panic("glass")
		}
		did.Add(1)
	})
	assert.ErrorContains(t, err, "glass")
}
