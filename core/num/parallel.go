package num

import (
	"context"
	"errors"
	"fmt"
	"sync"
)

// Each runs f for every place from 0 to n-1 on some workers. A place that panics is an error,
// and does not keep the others from running.
func Each(ctx context.Context, workers, n int, f func(i int)) (err error) {
	var mu sync.Mutex
	guarded := func(i int) {
		defer func() {
			if r := recover(); r != nil {
				mu.Lock()
				err = fmt.Errorf("the method broke down: %v", r)
				mu.Unlock()
			}
		}()
		f(i)
	}
	if workers < 2 || n < 2 {
		for i := 0; i < n && ctx.Err() == nil; i++ {
			guarded(i)
		}
		return errors.Join(err, ctx.Err())
	}
	next := make(chan int)
	var wg sync.WaitGroup
	for range min(workers, n) {
		wg.Go(func() {
			for i := range next {
				guarded(i)
			}
		})
	}
	for i := 0; i < n && ctx.Err() == nil; i++ {
		next <- i
	}
	close(next)
	wg.Wait()
	return errors.Join(err, ctx.Err())
}
