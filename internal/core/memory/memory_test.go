package memory

import (
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestCache(t *testing.T) {
	c := New[string, int](3, nil)
	n := 0
	of := func(key string) int { return c.Of(key, func() int { n++; return len(key) }) }
	assert.Equal(t, []int{1, 2, 3, 1}, []int{of("a"), of("bb"), of("ccc"), of("a")})
	assert.Equal(t, 3, n, "nothing is computed twice")
	of("dddd") // bb was not asked for the longest time
	_, ok := c.Get("bb")
	assert.False(t, ok)
	v, ok := c.Get("a")
	assert.True(t, ok)
	assert.Equal(t, 1, v)
	var keys []string
	c.Each(func(key string, _ int) bool { keys = append(keys, key); return true })
	assert.Equal(t, []string{"a", "dddd", "ccc"}, keys)
	c.Each(func(key string, _ int) bool { keys = []string{key}; return false })
	assert.Equal(t, []string{"a"}, keys)
	c.Put("a", 9)
	assert.Equal(t, 9, of("a"))
	c.Put("e", 5)
	c.Put("e", 6)
	v, _ = c.Get("e")
	assert.Equal(t, 6, v)
	assert.EqualValues(t, 3, c.used)
}

func TestCost(t *testing.T) {
	c := New(10, func(key string, _ int) int64 { return int64(len(key)) })
	c.Put("aaaa", 1)
	c.Put("bbbb", 2)
	c.Put("cc", 3)
	assert.EqualValues(t, 10, c.used, "the bound itself is allowed")
	c.Put("d", 4)
	_, ok := c.Get("aaaa")
	assert.False(t, ok)
	assert.EqualValues(t, 7, c.used)
	c.Put("eeeeeeeeeeeee", 5) // alone over the bound
	assert.Zero(t, c.used)
	var none Cache[int, int]
	for i := range 1000 {
		none.Put(i, i)
	}
	v, ok := none.Get(0)
	assert.True(t, ok, "the zero value forgets nothing")
	assert.Zero(t, v)
}

func TestTogether(t *testing.T) {
	c := New[int, int](1000, nil)
	var computed atomic.Int64
	var wg sync.WaitGroup
	for range 8 {
		wg.Go(func() {
			for i := range 100 {
				assert.Equal(t, 2*i, c.Of(i, func() int { computed.Add(1); return 2 * i }))
			}
		})
	}
	wg.Wait()
	assert.EqualValues(t, 100, computed.Load())
}
