package service

import (
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
)

// What many ask for at once is worked out once; what was not asked for in a long time, once more.
func TestWhatWasWorkedOutLatelyIsKept(t *testing.T) {
	var l lately[int, int]
	var made atomic.Int32
	double := func(k int) int { return l.of(k, func() int { made.Add(1); return 2 * k }) }
	var group sync.WaitGroup
	for range 50 {
		group.Go(func() { assert.Equal(t, 14, double(7)) })
	}
	group.Wait()
	assert.EqualValues(t, 1, made.Load())
	for k := range mostLately - 1 {
		assert.Equal(t, 200+2*k, double(100+k))
	}
	assert.Equal(t, 14, double(7))
	assert.EqualValues(t, mostLately, made.Load(), "still kept")
	double(200)
	double(7)
	double(100)
	assert.EqualValues(t, mostLately+2, made.Load(), "of all the one asked for the longest ago was dropped")
	assert.Len(t, l.last, mostLately)
}
