package pngmeta_test

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/pngmeta"
)

func encode(tb testing.TB, img image.Image) []byte {
	var b bytes.Buffer
	require.NoError(tb, png.Encode(&b, img))
	return b.Bytes()
}

func TestRead(t *testing.T) {
	r := image.Rect(0, 0, 48, 32)
	for name, c := range map[string]struct {
		img  image.Image
		want pngmeta.Info
	}{
		"alpha":         {image.NewNRGBA(r), pngmeta.Info{Width: 48, Height: 32, Depth: 8, Alpha: true}},
		"grey":          {image.NewGray16(r), pngmeta.Info{Width: 48, Height: 32, Depth: 16}},
		"palette":       {image.NewPaletted(r, color.Palette{color.Black, color.White}), pngmeta.Info{Width: 48, Height: 32, Depth: 1, Palette: true}},
		"palette alpha": {image.NewPaletted(r, color.Palette{color.Transparent, color.White}), pngmeta.Info{Width: 48, Height: 32, Depth: 1, Palette: true, Alpha: true}},
	} {
		got, err := pngmeta.Read(bytes.NewReader(encode(t, c.img)))
		require.NoError(t, err, name)
		assert.Equal(t, c.want, got, name)
	}
	_, err := pngmeta.Read(bytes.NewReader(encode(t, image.NewGray(r))[:20]))
	assert.ErrorContains(t, err, "cut off")
}

func FuzzRead(f *testing.F) {
	f.Add(encode(f, image.NewNRGBA(image.Rect(0, 0, 4, 4))))
	f.Fuzz(func(t *testing.T, data []byte) { _, _ = pngmeta.Read(bytes.NewReader(data)) })
}
