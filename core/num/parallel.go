package num

import (
	"context"
	"errors"
	"fmt"
	"sync"
)

// Each runs f for every place from 0 to n-1 on some workers. A place that panics is an error,
// and does not keep the others from running.
func Each(ctx context.Context, workers, n int, f func(i int)) error {
	return EachWith(ctx, workers, n, func() struct{} { return struct{}{} }, func(_ struct{}, i int) { f(i) })
}

// EachWith is Each with something that every worker has for itself, such as room to work in.
func EachWith[T any](ctx context.Context, workers, n int, own func() T, f func(own T, i int)) (err error) {
	var mu sync.Mutex
	guarded := func(mine T, i int) {
		defer func() {
			if r := recover(); r != nil {
				mu.Lock()
				err = fmt.Errorf("the method broke down: %v", r)
				mu.Unlock()
			}
		}()
		f(mine, i)
	}
	if workers < 2 || n < 2 {
		mine := own()
		for i := 0; i < n && ctx.Err() == nil; i++ {
			guarded(mine, i)
		}
		return errors.Join(err, ctx.Err())
	}
	next := make(chan int)
	var wg sync.WaitGroup
	for range min(workers, n) {
		wg.Go(func() {
			mine := own()
			for i := range next {
				guarded(mine, i)
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
