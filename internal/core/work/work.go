// Package work spreads work over the cores. It is the one place where the core starts
// goroutines.
package work

import (
	"context"
	"runtime"
	"sync"
	"sync/atomic"
)

// Each calls do for the numbers below n, several at once, in their order of
// start. It returns when all are done; a context that ends keeps further ones
// from starting, and is the error.
func Each(ctx context.Context, n int, do func(i int)) error {
	return EachOf(ctx, n, runtime.GOMAXPROCS(0), do)
}

// EachOf is Each with at most so many at once, for work that holds much memory.
func EachOf(ctx context.Context, n, most int, do func(i int)) error {
	most = min(most, n, runtime.GOMAXPROCS(0))
	if most <= 1 {
		for i := range n {
			if err := ctx.Err(); err != nil {
				return err
			}
			do(i)
		}
		return nil
	}
	var next atomic.Int64
	var wg sync.WaitGroup
	for range most {
		wg.Go(func() {
			for i := int(next.Add(1)) - 1; i < n && ctx.Err() == nil; i = int(next.Add(1)) - 1 {
				do(i)
			}
		})
	}
	wg.Wait()
	return ctx.Err()
}

// Ahead begins to do something beside what is done meanwhile, and gives the function that
// waits for its end.
func Ahead(do func()) (wait func()) {
	done := make(chan struct{})
	go func() {
		defer close(done)
		do()
	}()
	return func() { <-done }
}
