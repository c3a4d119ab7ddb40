package webmmeta_test

import (
	"bytes"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/webmmeta"
	"regola.example/regola/internal/seed"
)

func TestRead(t *testing.T) {
	data := seed.WebM(30, 20)
	require.True(t, webmmeta.Is(data))
	got, err := webmmeta.Read(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	assert.Equal(t, webmmeta.Info{Width: 30, Height: 20, Duration: 2500 * time.Millisecond}, got)
	// A segment whose length is not known, as programs write that record live.
	live := bytes.Replace(data, []byte("\x18\x53\x80\x67"), []byte("\x18\x53\x80\x67\xff"), 1)
	live = append(live[:bytes.Index(live, []byte("\x67\xff"))+2], live[bytes.Index(live, []byte("\x67\xff"))+3:]...)
	got, err = webmmeta.Read(bytes.NewReader(live), int64(len(live)))
	require.NoError(t, err)
	assert.Equal(t, 30, got.Width)
}

// TestCut cuts the head everywhere: nothing hangs, and a size that was not read is
// an error.
func TestCut(t *testing.T) {
	data := seed.WebM(30, 20)
	for n := 4; n < len(data)-3; n++ {
		info, err := webmmeta.Read(bytes.NewReader(data[:n]), int64(n))
		assert.True(t, err != nil || info.Width > 0, n)
	}
}

func FuzzRead(f *testing.F) {
	f.Add(seed.WebM(30, 20))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		_, _ = webmmeta.Read(bytes.NewReader(data), int64(len(data)))
	})
}
