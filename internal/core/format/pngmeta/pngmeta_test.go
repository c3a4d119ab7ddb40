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
	"regola.example/regola/internal/core/imagehash"
	"regola.example/regola/internal/seed"
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
		"grey":          {image.NewGray16(r), pngmeta.Info{Width: 48, Height: 32, Depth: 16, Gray: true}},
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

// colors counts the colours of a picture of at most a million pixels.
func colors(data []byte) (int, error) {
	m, err := pngmeta.Decode(bytes.NewReader(data), 1<<20)
	if err != nil {
		return 0, err
	}
	return pngmeta.Colors(imagehash.Flat(m)), nil
}

func TestColors(t *testing.T) {
	picture := func(colors ...color.Color) []byte {
		m := image.NewNRGBA(image.Rect(0, 0, 8, 8))
		for i := range 64 {
			m.Set(i%8, i/8, colors[i%len(colors)])
		}
		return encode(t, m)
	}
	half := color.NRGBA{R: 9, A: 128}
	for name, c := range map[string]struct {
		colors []color.Color
		want   int
	}{
		"one": {[]color.Color{half}, 1}, "two": {[]color.Color{half, color.NRGBA{A: 255}}, 2},
		"transparent": {[]color.Color{color.Transparent, color.NRGBA{R: 9}}, 1},
		"many":        {[]color.Color{half, color.White, color.Black, color.NRGBA{G: 7, A: 255}}, 3},
	} {
		one, err := pngmeta.OneColor(bytes.NewReader(picture(c.colors...)))
		require.NoError(t, err, name)
		assert.Equal(t, c.want == 1 && name != "transparent", one, name)
		for form, data := range map[string][]byte{"png": picture(c.colors...), "packed": seed.Packed(picture(c.colors...))} {
			n, err := colors(data)
			require.NoError(t, err, name+" "+form)
			assert.Equal(t, c.want, n, name+" "+form)
		}
	}
	data := seed.Packed(picture(half, color.White))
	for _, torn := range [][]byte{data[:len(data)-30], data[:60], nil} {
		_, err := colors(torn)
		assert.Error(t, err)
	}
	_, err := colors(encode(t, image.NewGray(image.Rect(0, 0, 2000, 2000))))
	assert.ErrorContains(t, err, "more than are decoded")
}

func FuzzColors(f *testing.F) {
	data := encode(f, image.NewNRGBA(image.Rect(0, 0, 4, 4)))
	f.Add(data)
	f.Add(seed.Packed(data))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		one, err := pngmeta.OneColor(bytes.NewReader(data))
		if n, e := colors(data); err == nil && e == nil && one && n != 1 {
			t.Fatal("one colour, and more than one")
		}
		if n, err := colors(data); err == nil && n == 0 {
			t.Fatal("a picture without colours")
		}
	})
}

func FuzzRead(f *testing.F) {
	f.Add(encode(f, image.NewNRGBA(image.Rect(0, 0, 4, 4))))
	f.Fuzz(func(t *testing.T, data []byte) { _, _ = pngmeta.Read(bytes.NewReader(data)) })
}
