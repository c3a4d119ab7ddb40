package picture_test

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/artifact/picture"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/seed"
)

// TestAlpha tells by the pixels whether a picture in the platform's own form is
// transparent: the form itself always has the channel.
func TestAlpha(t *testing.T) {
	draw := func(side int, corner color.Color) []byte {
		m := image.NewNRGBA(image.Rect(0, 0, side, side))
		for i := range m.Pix {
			m.Pix[i] = 0xff
		}
		m.Set(0, 0, corner)
		m.Set(1, 1, color.NRGBA{200, 10, 10, 255})
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, m))
		return b.Bytes()
	}
	solid, clear := draw(120, color.White), draw(120, color.NRGBA{0, 0, 0, 254})
	for name, c := range map[string]struct {
		data         []byte
		alpha, solid bool
	}{
		"plain, opaque": {solid, false, true}, "plain, one pixel shows": {clear, true, false},
		"packed, opaque": {seed.Packed(solid), false, true}, "packed, one pixel shows": {seed.Packed(clear), true, false},
	} {
		f := &facts.IconFile{}
		require.NoError(t, picture.Read(f, c.data), name)
		assert.Empty(t, f.Unread("alpha"), name)
		assert.Equal(t, c.alpha, f.Alpha, name)
		assert.EqualValues(t, 3, f.Colors+boolInt(!c.alpha), name)
		assert.Equal(t, c.solid, picture.Solid(c.data), name)
	}
	// What cannot be decoded is not known.
	packed := seed.Packed(clear)
	for name, data := range map[string][]byte{"torn": packed[:len(packed)-40], "too large": seed.Packed(draw(1025, color.White))} {
		f := &facts.IconFile{}
		require.NoError(t, picture.Read(f, data), name)
		assert.Contains(t, f.Unread("alpha"), "could not be decoded", name)
		assert.False(t, picture.Solid(data), name)
	}
	assert.Error(t, picture.Read(&facts.IconFile{}, []byte("GIF89a")))
}

func boolInt(b bool) int64 {
	if b {
		return 1
	}
	return 0
}
