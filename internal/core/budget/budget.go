// Package budget bounds what one run may take from a stranger's file: work,
// memory, and bytes unpacked. A reader that has spent its share ends with an
// error; everything else goes on.
//
// What a reader may take follows from the bytes it was given, never from a
// number that the file claims: a file of a kilobyte is not worth a second of
// work. On top of that the whole run has bounds, which no number of small
// parts can pass.
package budget

import (
	"context"
	"fmt"
	"sync"
	"sync/atomic"
)

// Bounds of a run over one package, in bytes.
const (
	MaxWhole = 40 << 20 // of one file that is held whole
	maxHeld  = 56 << 20 // of files that are held whole at one time

	minUnpacked = 512 << 20 // that may be unpacked of the smallest package
	perByte     = 16        // and further ones for each byte of the package
)

// Shares: a start, a rate for each byte that a reader is given, and the bound
// of the run. A step is a turn of a loop; memory is in bytes.
const (
	partSteps, stepsPerByte, runSteps = 2_000_000, 200, 300_000_000
	partKept, keptPerByte, runKept    = 2 << 20, 16, 64 << 20
)

// Spent is the error of a reader that has used up its share.
type Spent struct{ What string }

// Error says what was used up.
func (s *Spent) Error() string {
	return "it takes more " + s.What + " than is allowed for a file of its size: the file is damaged, or made to take it"
}

// Budget is the share of one part of a run, or the run itself.
type Budget struct {
	up          *Budget
	steps, kept atomic.Int64
	taken       atomic.Int64 // of the run's memory, by this part
	unpacked    atomic.Int64 // of the run
	held        *gate        // of the run
	ctx         context.Context
}

// New is the budget of a run over a package of so many bytes. It is spent when the
// context ends: then every reader ends, too.
func New(ctx context.Context, size int64) *Budget {
	b := &Budget{held: newGate(maxHeld), ctx: ctx}
	b.steps.Store(runSteps)
	b.kept.Store(runKept)
	b.unpacked.Store(minUnpacked + perByte*size)
	return b
}

// Part is the share of a reader that is given so many bytes. A nil budget
// gives a share of a run of its own.
func (b *Budget) Part(bytes int) *Budget {
	if b == nil {
		b = New(context.Background(), int64(bytes))
	}
	p := &Budget{up: b}
	p.steps.Store(partSteps + stepsPerByte*int64(bytes))
	p.kept.Store(partKept + keptPerByte*int64(bytes))
	return p
}

// Context is that of the run.
func (b *Budget) Context() context.Context {
	if b == nil {
		return context.Background()
	}
	return b.run().ctx
}

// run is the budget of the whole run.
func (b *Budget) run() *Budget {
	for b.up != nil {
		b = b.up
	}
	return b
}

// Step takes n units of work. It is safe for use by several goroutines, as all
// methods are.
func (b *Budget) Step(n int) error {
	for p := b; p != nil; p = p.up {
		if p.steps.Add(-int64(n)) < 0 {
			return &Spent{"work"}
		}
	}
	if b == nil {
		return nil
	}
	return b.run().ctx.Err()
}

// Keep takes n bytes of memory for what a reader makes of its file.
func (b *Budget) Keep(n int) error {
	for p := b; p != nil; p = p.up {
		if p.kept.Add(-int64(n)) < 0 {
			return &Spent{"memory"}
		}
		p.taken.Add(int64(n))
	}
	return nil
}

// Done gives the memory of a part back to its run, when what was made is no
// longer needed.
func (b *Budget) Done() {
	n := b.taken.Swap(0)
	for p := b.up; p != nil; p = p.up {
		p.kept.Add(n)
		p.taken.Add(-n)
	}
}

// Unpack takes n bytes that were unpacked.
func (b *Budget) Unpack(n int) error {
	if b == nil {
		return nil
	}
	if err := b.run().ctx.Err(); err != nil {
		return err
	}
	if b.run().unpacked.Add(-int64(n)) < 0 {
		return fmt.Errorf("more than %d MiB and %d times the size of the package were unpacked: its contents are out of proportion", minUnpacked>>20, perByte)
	}
	return nil
}

// Hold waits until n bytes of a file may be held whole, and gives the function
// that lets them go.
func (b *Budget) Hold(n int64) (release func()) {
	if b == nil {
		return func() {}
	}
	g := b.run().held
	g.take(n)
	return sync.OnceFunc(func() { g.give(n) })
}

// gate lets so many bytes in at one time. One that asks for more than all gets
// in when nobody else is.
type gate struct {
	mu   sync.Mutex
	free *sync.Cond
	left int64
	all  int64
}

func newGate(n int64) *gate {
	g := &gate{left: n, all: n}
	g.free = sync.NewCond(&g.mu)
	return g
}

func (g *gate) take(n int64) {
	g.mu.Lock()
	defer g.mu.Unlock()
	for g.left < min(n, g.all) {
		g.free.Wait()
	}
	g.left -= n
}

func (g *gate) give(n int64) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.left += n
	g.free.Broadcast()
}
