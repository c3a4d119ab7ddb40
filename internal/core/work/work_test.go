package work

import (
	"context"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestEach(t *testing.T) {
	for _, most := range []int{0, 1, 2, 100} {
		var mu sync.Mutex
		seen := map[int]int{}
		assert.NoError(t, EachOf(t.Context(), 50, most, func(i int) {
			mu.Lock()
			defer mu.Unlock()
			seen[i]++
		}))
		assert.Len(t, seen, 50, "each number")
		for i, n := range seen {
			assert.Equal(t, 1, n, "%d is done once", i)
		}
	}
	assert.NoError(t, Each(t.Context(), 0, func(int) { t.Error("there is nothing to do") }))
}

func TestEachBounds(t *testing.T) {
	var now, most atomic.Int64
	assert.NoError(t, EachOf(t.Context(), 40, 2, func(int) {
		n := now.Add(1)
		for {
			m := most.Load()
			if n <= m || most.CompareAndSwap(m, n) {
				break
			}
		}
		now.Add(-1)
	}))
	assert.LessOrEqual(t, most.Load(), int64(2))
}

func TestEachEnds(t *testing.T) {
	for _, most := range []int{1, 4} {
		ctx, cancel := context.WithCancel(t.Context())
		var n atomic.Int64
		err := EachOf(ctx, 1000, most, func(int) {
			if n.Add(1) == 3 {
				cancel()
			}
		})
		assert.ErrorIs(t, err, context.Canceled)
		assert.Less(t, n.Load(), int64(1000))
		cancel()
	}
}

func TestAhead(t *testing.T) {
	begin, done := make(chan struct{}), false
	wait := Ahead(func() { <-begin; done = true })
	close(begin)
	wait()
	assert.True(t, done)
	wait()
}
