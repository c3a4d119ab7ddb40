package webpmeta_test

import (
	"bytes"
	"encoding/binary"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/webpmeta"
	"regola.example/regola/internal/seed"
)

// riff makes a file of chunks.
func riff(chunks ...[]byte) []byte {
	body := append([]byte("WEBP"), bytes.Join(chunks, nil)...)
	return append(binary.LittleEndian.AppendUint32([]byte("RIFF"), uint32(len(body))), body...)
}

func chunk(kind, body string) []byte {
	out := append(binary.LittleEndian.AppendUint32([]byte(kind), uint32(len(body))), body...)
	if len(body)%2 == 1 {
		out = append(out, 0)
	}
	return out
}

const (
	lossy    = "\x00\x00\x00\x9d\x01\x2a\xc0\x00\x90\x00abcdef"   // 192 x 144
	lossless = "\x2f\xbf\xc0\x23\x10\x00\x00\x00\x00\x00\x00\x00" // 192 x 144, with alpha
)

func canvas(flags byte, w, h int) []byte {
	return chunk("VP8X", string([]byte{flags, 0, 0, 0, byte(w - 1), byte((w - 1) >> 8), 0, byte(h - 1), byte((h - 1) >> 8), 0}))
}

func TestRead(t *testing.T) {
	for name, c := range map[string]struct {
		data []byte
		want webpmeta.Info
	}{
		"lossy":    {riff(chunk("VP8 ", lossy)), webpmeta.Info{Width: 192, Height: 144}},
		"lossless": {riff(chunk("VP8L", lossless)), webpmeta.Info{Width: 192, Height: 144, Alpha: true, Lossless: true}},
		"extended": {riff(canvas(0x30, 192, 144), chunk("ICCP", "abc"), chunk("ALPH", "x"), chunk("VP8 ", lossy)), webpmeta.Info{Width: 192, Height: 144, Alpha: true, Profile: true}},
		"moving":   {riff(canvas(0x02, 300, 200), chunk("ANIM", "abcdef")), webpmeta.Info{Width: 300, Height: 200, Animated: true}},
	} {
		require.True(t, webpmeta.Is(c.data))
		got, err := webpmeta.Read(bytes.NewReader(c.data), int64(len(c.data)))
		require.NoError(t, err, name)
		assert.Equal(t, c.want, got, name)
	}
}

func TestFaults(t *testing.T) {
	whole := riff(chunk("VP8 ", lossy))
	many := [][]byte{canvas(0, 192, 144)}
	for range 100 {
		many = append(many, chunk("EXIF", "ab"))
	}
	for want, data := range map[string][]byte{
		"this is no WebP":         []byte("RIFF....WAVE"),
		"cut off in its header":   whole[:24],
		"it claims":               append(bytes.Clone(whole[:4]), append([]byte{0xff, 0xff, 0, 0}, whole[8:]...)...),
		"the start of a key":      riff(chunk("VP8 ", "\x00\x00\x00abc\xc0\x00\x90\x00abcdef")),
		"a chunk of pixels":       riff(chunk("EXIF", lossy)),
		"the canvas is 300 x 200": riff(canvas(0, 300, 200), chunk("VP8L", lossless+"abcdefgh")),
		"before its pixels":       riff(canvas(0, 192, 144), chunk("ICCP", "abc")),
		"too many chunks":         riff(many...),
	} {
		_, err := webpmeta.Read(bytes.NewReader(data), int64(len(data)))
		assert.ErrorContains(t, err, want)
	}
}

func FuzzRead(f *testing.F) {
	f.Add(riff(chunk("VP8 ", lossy)))
	f.Add(riff(canvas(0x30, 192, 144), chunk("ICCP", "abc"), chunk("VP8L", lossless)))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		_, _ = webpmeta.Read(bytes.NewReader(data), int64(len(data)))
	})
}
