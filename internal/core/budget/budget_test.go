package budget

import (
	"context"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestSteps(t *testing.T) {
	run := New(t.Context(), 0)
	p := run.Part(10)
	assert.NoError(t, p.Step(partSteps+10*stepsPerByte))
	assert.EqualError(t, p.Step(1), "it takes more work than is allowed for a file of its size: the file is damaged, or made to take it")
	assert.EqualValues(t, runSteps-partSteps-10*stepsPerByte, run.steps.Load(), "the run pays for its parts, not for what they did not get")
	assert.Error(t, run.Part(1<<30).Step(runSteps), "no part passes the bound of the run")
	var none *Budget
	assert.NoError(t, none.Step(1<<40))
	assert.NoError(t, none.Keep(1<<40))
	assert.NoError(t, none.Unpack(1<<40))
	assert.NoError(t, none.Part(0).Step(partSteps))
	none.Hold(1)()
}

func TestKeep(t *testing.T) {
	run := New(t.Context(), 0)
	p := run.Part(1000)
	assert.NoError(t, p.Keep(partKept+1000*keptPerByte))
	assert.ErrorContains(t, p.Keep(1), "more memory")
	// What a part gives back the run has again; the part itself is done.
	p = run.Part(0)
	before := run.kept.Load()
	assert.NoError(t, p.Keep(100))
	assert.Equal(t, before-100, run.kept.Load())
	inner := p.Part(0)
	assert.NoError(t, inner.Keep(7))
	inner.Done()
	assert.Equal(t, before-100, run.kept.Load())
	p.Done()
	assert.Equal(t, before, run.kept.Load())
	p.Done()
	assert.Equal(t, before, run.kept.Load(), "nothing is given back twice")
	assert.Error(t, run.Part(1<<30).Keep(runKept+1))
}

func TestUnpack(t *testing.T) {
	run := New(t.Context(), 3)
	assert.NoError(t, run.Part(0).Unpack(minUnpacked+3*perByte))
	assert.ErrorContains(t, run.Unpack(1), "more than 512 MiB and 16 times")
}

// TestContext ends every reader with the run.
func TestContext(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	p := New(ctx, 1).Part(1)
	assert.Same(t, ctx, p.Context())
	assert.NoError(t, p.Step(1))
	assert.NoError(t, p.Unpack(1))
	cancel()
	assert.ErrorIs(t, p.Step(1), context.Canceled)
	assert.ErrorIs(t, p.Unpack(1), context.Canceled)
	var none *Budget
	assert.NoError(t, none.Context().Err())
}

func TestHold(t *testing.T) {
	run := New(t.Context(), 1)
	first := run.Hold(maxHeld - 1)
	run.Hold(1)()
	var in atomic.Bool
	done := make(chan struct{})
	go func() {
		release := run.Part(1).Hold(2 * maxHeld) // more than all gets in when nobody else is
		in.Store(true)
		release()
		close(done)
	}()
	time.Sleep(20 * time.Millisecond)
	assert.False(t, in.Load(), "it waits while something is held")
	first()
	first() // gives nothing back twice
	<-done
	assert.EqualValues(t, maxHeld, run.held.left)
	assert.EqualValues(t, 40<<20, MaxWhole)
	assert.EqualValues(t, 56<<20, maxHeld)
}
