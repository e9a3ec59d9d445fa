package jobs

import (
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/num"
)

// Work pauses when somebody opens a page, and goes on though pages are opened all the time.
func TestWorkBreathes(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		m := &Manager{cores: num.NewCores(1)}
		time.Sleep(time.Hour)
		piece := func() time.Duration {
			begin := time.Now()
			assert.NoError(t, num.Each(num.WithCores(t.Context(), m.cores), 1, 1, func(int) {}))
			return time.Since(begin)
		}
		assert.Zero(t, piece())
		m.Breathe()
		assert.Equal(t, breath, piece())
		m.Breathe()
		assert.Zero(t, piece(), "it has just paused")

		paused, begin := time.Duration(0), time.Now()
		for range 1000 {
			m.Breathe()
			paused += piece()
			time.Sleep(100 * time.Millisecond)
		}
		assert.Less(t, 2*paused, time.Since(begin), "less than half of the time")
		assert.Positive(t, paused)
	})
}
