package jpegmeta_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/jpegmeta"
	"regola.example/regola/internal/seed"
)

// segment makes a segment of a JPEG: its marker, its length, its body.
func segment(marker byte, body string) []byte {
	return append([]byte{0xff, marker, byte((len(body) + 2) >> 8), byte(len(body) + 2)}, body...)
}

// file makes a JPEG of segments, a start of pixels and an end.
func file(segments ...[]byte) []byte {
	out := []byte{0xff, 0xd8}
	for _, s := range segments {
		out = append(out, s...)
	}
	return append(append(out, segment(0xda, "\x01\x01\x00\x00\x3f\x00")...), 1, 2, 3, 0xff, 0xd9)
}

func frame(marker byte, depth, h, w, components byte) []byte {
	body := string([]byte{depth, 0, h, 0, w, components})
	for i := range components {
		body += string([]byte{i + 1, 0x11, 0})
	}
	return segment(marker, body)
}

func TestRead(t *testing.T) {
	exif := func(order, entry string) []byte { return segment(0xe1, "Exif\x00\x00"+order+entry) }
	for name, c := range map[string]struct {
		data []byte
		want jpegmeta.Info
	}{
		"baseline":    {file(frame(0xc0, 8, 20, 30, 3)), jpegmeta.Info{Width: 30, Height: 20, Depth: 8, Components: 3, Orientation: 1}},
		"progressive": {file(frame(0xc2, 8, 20, 30, 3)), jpegmeta.Info{Width: 30, Height: 20, Depth: 8, Components: 3, Orientation: 1, Progressive: true}},
		"gray":        {file(frame(0xc0, 8, 20, 30, 1)), jpegmeta.Info{Width: 30, Height: 20, Depth: 8, Components: 1, Orientation: 1}},
		"cmyk":        {file(frame(0xc0, 8, 20, 30, 4)), jpegmeta.Info{Width: 30, Height: 20, Depth: 8, Components: 4, Orientation: 1}},
		"deep":        {file(frame(0xc1, 12, 20, 30, 3)), jpegmeta.Info{Width: 30, Height: 20, Depth: 12, Components: 3, Orientation: 1}},
		"profile":     {file(segment(0xe2, "ICC_PROFILE\x00\x01\x01abc"), frame(0xc0, 8, 20, 30, 3)), jpegmeta.Info{Width: 30, Height: 20, Depth: 8, Components: 3, Orientation: 1, Profile: true}},
		"fill bytes":  {file([]byte{0xff, 0xff}, frame(0xc0, 8, 20, 30, 3)), jpegmeta.Info{Width: 30, Height: 20, Depth: 8, Components: 3, Orientation: 1}},
		"turned, the least byte first": {file(exif("II*\x00\x08\x00\x00\x00", "\x01\x00\x12\x01\x03\x00\x01\x00\x00\x00\x08\x00\x00\x00\x00\x00\x00\x00"), frame(0xc0, 8, 20, 30, 3)),
			jpegmeta.Info{Width: 30, Height: 20, Depth: 8, Components: 3, Orientation: 8}},
		"an orientation that there is not": {file(exif("MM\x00*\x00\x00\x00\x08", "\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00\x63\x00\x00\x00\x00\x00\x00"), frame(0xc0, 8, 20, 30, 3)),
			jpegmeta.Info{Width: 30, Height: 20, Depth: 8, Components: 3, Orientation: 1}},
		"Exif that leads out of itself": {file(exif("MM\x00*\xff\xff\xff\xf0", ""), frame(0xc0, 8, 20, 30, 3)), jpegmeta.Info{Width: 30, Height: 20, Depth: 8, Components: 3, Orientation: 1}},
	} {
		got, err := jpegmeta.Read(bytes.NewReader(c.data), int64(len(c.data)))
		require.NoError(t, err, name)
		assert.Equal(t, c.want, got, name)
	}
	for want, data := range map[string][]byte{
		"this is no JPEG":            []byte("GIF89a"),
		"a marker was expected here": file(segment(0xe0, "ab"), []byte{0x12, 0x34}),
		"before its pixels":          file(segment(0xe0, "abcd"))[:10],
	} {
		_, err := jpegmeta.Read(bytes.NewReader(data), int64(len(data)))
		var at *format.Damaged
		require.ErrorAs(t, err, &at, want)
		assert.Contains(t, at.What, want)
	}
}

// TestEnd finds a file that is cut off in its pixels: its end is missing.
func TestEnd(t *testing.T) {
	data := seed.JPEG(t, 40, 30, 0)
	_, err := jpegmeta.Read(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	_, err = jpegmeta.Read(bytes.NewReader(data[:len(data)-40]), int64(len(data)-40))
	assert.ErrorContains(t, err, "cut off")
}

func FuzzRead(f *testing.F) {
	f.Add(seed.JPEG(f, 30, 20, 6))
	f.Add(file(frame(0xc2, 8, 20, 30, 3)))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		_, _ = jpegmeta.Read(bytes.NewReader(data), int64(len(data)))
	})
}
