package gifmeta_test

import (
	"bytes"
	"image"
	"image/color"
	"image/gif"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/gifmeta"
	"regola.example/regola/internal/seed"
)

func TestRead(t *testing.T) {
	var clear bytes.Buffer
	require.NoError(t, gif.Encode(&clear, image.NewPaletted(image.Rect(0, 0, 8, 4), color.Palette{color.Transparent, color.White}), nil))
	for name, c := range map[string]struct {
		data []byte
		want gifmeta.Info
	}{
		"still":       {seed.GIF(t, 30, 20, 1), gifmeta.Info{Width: 30, Height: 20}},
		"moving":      {seed.GIF(t, 30, 20, 3), gifmeta.Info{Width: 30, Height: 20, Animated: true}},
		"transparent": {clear.Bytes(), gifmeta.Info{Width: 8, Height: 4, Transparent: true}},
	} {
		require.True(t, gifmeta.Is(c.data))
		got, err := gifmeta.Read(bytes.NewReader(c.data))
		require.NoError(t, err, name)
		assert.Equal(t, c.want, got, name)
	}
}

// TestCut cuts a still picture everywhere: each is reported, and what was read
// before is kept.
func TestCut(t *testing.T) {
	data := seed.GIF(t, 30, 20, 1)
	for n := range len(data) - 1 {
		info, err := gifmeta.Read(bytes.NewReader(data[:n]))
		assert.Error(t, err, n)
		if n > 13 {
			assert.Equal(t, 30, info.Width, n)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add(seed.GIF(f, 30, 20, 2))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		_, _ = gifmeta.Read(bytes.NewReader(data))
	})
}
