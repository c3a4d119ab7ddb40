// Package memory remembers what was computed, within a bound: what was not asked for the
// longest time is forgotten first. It is the one place where results are kept for others.
package memory

import (
	"container/list"
	"sync"
)

// Cache remembers values by their keys. The zero value has no bound. It is safe for use by
// several goroutines.
type Cache[K comparable, V any] struct {
	mu    sync.Mutex
	most  int64
	cost  func(key K, value V) int64
	used  int64
	order list.List // of *entry, the last asked for in front
	by    map[K]*list.Element
}

type entry[K comparable, V any] struct {
	key   K
	once  sync.Once
	value V
	cost  int64
}

// New makes a cache whose values cost at most so much together. Without cost, each value
// costs 1.
func New[K comparable, V any](most int64, cost func(key K, value V) int64) *Cache[K, V] {
	return &Cache[K, V]{most: most, cost: cost}
}

// Of gives the value of a key, which compute makes when it is not remembered. Those who
// ask for one key at the same time wait for one computation.
func (c *Cache[K, V]) Of(key K, compute func() V) V {
	c.mu.Lock()
	e, known := c.find(key)
	if !known {
		e = &entry[K, V]{key: key}
		c.add(e)
	}
	c.mu.Unlock()
	e.once.Do(func() {
		e.value = compute()
		c.charge(e)
	})
	return e.value
}

// Get gives a value that is remembered.
func (c *Cache[K, V]) Get(key K) (value V, ok bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if e, known := c.find(key); known {
		return e.value, true
	}
	return value, false
}

// Put remembers a value, in the place of another one of its key.
func (c *Cache[K, V]) Put(key K, value V) {
	e := &entry[K, V]{key: key, value: value}
	e.once.Do(func() {})
	c.mu.Lock()
	if at := c.by[key]; at != nil {
		c.drop(at)
	}
	c.add(e)
	c.mu.Unlock()
	c.charge(e)
}

// Each calls visit with what is remembered, the last asked for first, until it gives false.
func (c *Cache[K, V]) Each(visit func(key K, value V) bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for at := c.order.Front(); at != nil; at = at.Next() {
		if e := at.Value.(*entry[K, V]); !visit(e.key, e.value) {
			return
		}
	}
}

// find moves an entry to the front.
func (c *Cache[K, V]) find(key K) (*entry[K, V], bool) {
	at := c.by[key]
	if at == nil {
		return nil, false
	}
	c.order.MoveToFront(at)
	return at.Value.(*entry[K, V]), true
}

func (c *Cache[K, V]) add(e *entry[K, V]) {
	if c.by == nil {
		c.by = map[K]*list.Element{}
	}
	c.by[e.key] = c.order.PushFront(e)
}

// charge adds what an entry costs, and forgets others until the bound holds.
func (c *Cache[K, V]) charge(e *entry[K, V]) {
	cost := int64(1)
	if c.cost != nil {
		cost = c.cost(e.key, e.value)
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	at := c.by[e.key]
	if at == nil || at.Value != any(e) {
		return // forgotten meanwhile
	}
	e.cost = cost
	c.used += cost
	for c.most > 0 && c.used > c.most && c.order.Len() > 0 {
		c.drop(c.order.Back())
	}
}

func (c *Cache[K, V]) drop(at *list.Element) {
	e := c.order.Remove(at).(*entry[K, V])
	c.used -= e.cost
	delete(c.by, e.key)
}
