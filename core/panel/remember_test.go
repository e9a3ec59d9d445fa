package panel_test

import (
	"errors"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/panel"
)

// counting sums a series' values and first driver up, and counts how often it had to.
type counting struct {
	mu    sync.Mutex
	times int
}

func (c *counting) sum(s panel.SeriesView) float64 {
	return panel.Remember(s, "sum", func() float64 {
		c.mu.Lock()
		defer c.mu.Unlock()
		c.times++
		sum := 0.0
		for _, v := range append(s.Driver(0, len(s.Values)), s.Values...) {
			sum += v
		}
		return sum
	})
}

func priced() *panel.Panel {
	return &panel.Panel{Length: 5, Drivers: []panel.Driver{{Name: "price", KnownAhead: true}},
		Series: []panel.Series{{Key: "a", Values: []float64{1, 2, 3, 4, 5}, Drivers: [][]float64{{10, panel.Unknown, 30, 40, 50}}},
			{Key: "b", Values: []float64{7, 8, 9}, Drivers: [][]float64{{0, 0, 0}}}}}
}

// What is worked out of a series is worked out once, wherever its view is taken from: and anew of an earlier origin, of
// other values, and under other rules for drivers.
func TestRemembering(t *testing.T) {
	v := panel.NewView(priced(), []int{0, 1}, 0, 4).
		WithFillings(panel.Fillings{"price": {Rule: panel.FillValue, Value: 20}})
	c := &counting{}
	c.sum(v.Series(0))
	c.sum(v.Series(0))
	assert.Equal(t, 2, c.times, "by itself a view remembers nothing")

	v, c = v.Remembering(), &counting{}
	whole := c.sum(v.Series(0))
	var wait sync.WaitGroup
	for range 4 {
		wait.Go(func() { assert.Equal(t, whole, c.sum(v.Pick([]int{1, 0}).Series(1))) })
	}
	wait.Wait()
	assert.Equal(t, 1, c.times)
	assert.NotEqual(t, whole, c.sum(v.Before(3).Series(0)), "an earlier origin")
	assert.NotEqual(t, whole, c.sum(v.Without(map[int][]int{0: {2}}).Series(0)), "without a value")
	assert.NotEqual(t, whole, c.sum(v.WithFillings(panel.Fillings{"price": {Rule: panel.FillValue, Value: 0}}).Series(0)), "another rule")
	assert.Equal(t, 4, c.times)
	assert.Equal(t, whole, c.sum(v.Series(0)), "still known")
	assert.Equal(t, 4, c.times)
	c.sum(v.Series(1))
	c.sum(v.Series(1))
	assert.Equal(t, 6, c.times, "one that ended is filled up anew each time, and not kept")
	v.Forget()
	assert.Equal(t, whole, c.sum(v.Series(0)))
	assert.Equal(t, 7, c.times)
}

// What several series tell is known by all of them, in their order; an error is not kept.
func TestRememberingTogether(t *testing.T) {
	v := panel.NewView(priced(), []int{0, 1}, 0, 2).Remembering()
	times := 0
	ask := func(v panel.View, err error) (int, error) {
		series := make([]panel.SeriesView, v.Len())
		for i := range series {
			series[i] = v.Series(i)
		}
		return panel.RememberAll(series, "first", func() (int, error) {
			times++
			return int(series[0].Values[0]), err
		})
	}
	_, err := ask(v, errors.New("not now"))
	require.Error(t, err)
	for _, c := range []struct {
		places       []int
		first, times int
	}{{[]int{0, 1}, 1, 2}, {[]int{0, 1}, 1, 2}, {[]int{1, 0}, 7, 3}, {[]int{0}, 1, 4}, {[]int{0, 1}, 1, 4}} {
		got, err := ask(v.Pick(c.places), nil)
		require.NoError(t, err)
		assert.Equal(t, c.first, got)
		assert.Equal(t, c.times, times)
	}
}
