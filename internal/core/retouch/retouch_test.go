package retouch_test

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/retouch"
)

func encoded(t *testing.T, m image.Image) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, m))
	return b.Bytes()
}

// TestPicture makes copies of pictures with one fault each, and reads them again.
func TestPicture(t *testing.T) {
	opaque, clear, deep := image.NewNRGBA(image.Rect(0, 0, 8, 4)), image.NewNRGBA(image.Rect(0, 0, 8, 4)), image.NewNRGBA64(image.Rect(0, 0, 8, 4))
	for i := range 32 {
		opaque.Set(i%8, i/8, color.NRGBA{uint8(8 * i), 100, 50, 255})
		clear.Set(i%8, i/8, color.NRGBA{200, 100, 50, uint8(8 * i)})
		deep.Set(i%8, i/8, color.NRGBA64{0x1234, uint16(2000 * i), 0xffff, 0xffff})
	}
	var photo bytes.Buffer
	require.NoError(t, jpeg.Encode(&photo, opaque, nil))
	exif := "\xff\xe1\x00\x22Exif\x00\x00MM\x00*\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00\x06\x00\x00\x00\x00\x00\x00"
	turned := append([]byte("\xff\xd8"+exif), photo.Bytes()[2:]...)
	withAlpha := encoded(t, clear)
	ground := &color.NRGBA{0, 0, 255, 255}
	both := []string{"png", "jpeg"}
	for name, c := range map[string]struct {
		file  string
		data  []byte
		want  retouch.Want
		gives *color.NRGBA
		kind  string
		done  []string
		left  string
	}{
		"sound":                 {"a.png", encoded(t, opaque), retouch.Want{Formats: both, NoAlpha: true}, nil, "png", nil, ""},
		"transparent, no word":  {"a.png", withAlpha, retouch.Want{Formats: both, NoAlpha: true}, nil, "png", nil, "--background"},
		"transparent, taken":    {"a.png", withAlpha, retouch.Want{Formats: both}, nil, "png", nil, ""},
		"transparent":           {"a.png", withAlpha, retouch.Want{NoAlpha: true}, ground, "png", []string{"#0000ff"}, ""},
		"16 bits":               {"a.png", encoded(t, deep), retouch.Want{}, nil, "png", []string{"8 bits"}, ""},
		"named otherwise":       {"a.png", photo.Bytes(), retouch.Want{Formats: both}, nil, "jpeg", []string{"named as the JPEG"}, ""},
		"not taken":             {"a.jpg", photo.Bytes(), retouch.Want{Formats: []string{"png"}}, nil, "png", []string{"saved as PNG"}, ""},
		"nothing that we write": {"a.png", encoded(t, deep), retouch.Want{Formats: []string{"webp"}}, nil, "png", nil, "webp"},
		"turned":                {"a.jpg", turned, retouch.Want{Formats: both}, nil, "jpeg", []string{"turned", "saved again"}, ""},
		"scaled":                {"a.png", encoded(t, opaque), retouch.Want{Width: 4, Height: 2}, nil, "png", []string{"from 8 x 4 to 4 x 2"}, ""},
		"too large":             {"a.png", encoded(t, deep), retouch.Want{Bytes: 20}, nil, "png", nil, "20 are allowed"},
		"just not too large":    {"a.png", withAlpha, retouch.Want{NoAlpha: true, Bytes: 1 << 10}, ground, "png", []string{"#0000ff"}, ""},
		"alpha asked for":       {"a.png", encoded(t, opaque), retouch.Want{Alpha: true}, nil, "png", []string{"with an alpha channel"}, ""},
		"alpha there":           {"a.png", withAlpha, retouch.Want{Alpha: true}, nil, "png", nil, ""},
		"broken":                {"a.png", withAlpha[:40], retouch.Want{NoAlpha: true}, ground, "png", nil, ""},
	} {
		p := pictures.Parse(c.file, bytes.NewReader(c.data), int64(len(c.data)))
		got := retouch.Picture(p, c.data, c.want, c.gives)
		assert.Equal(t, c.kind, got.Kind, name)
		require.Len(t, got.Done, len(c.done), "%s: %v", name, got.Done)
		for i, d := range c.done {
			assert.Contains(t, got.Done[i], d, name)
		}
		if c.left == "" {
			assert.Empty(t, got.Left, name)
		} else if assert.Len(t, got.Left, 1, name) {
			assert.Contains(t, got.Left[0], c.left, name)
		}
		if got.Data == nil {
			continue
		}
		q := pictures.Parse("x."+got.Kind, bytes.NewReader(got.Data), int64(len(got.Data)))
		assert.Empty(t, q.Fault, name)
		assert.Equal(t, []any{got.Kind, false, int64(8)}, []any{q.Kind, q.Turned, q.Depth}, name)
		if c.want.NoAlpha {
			assert.False(t, q.Alpha, name)
		}
		if c.want.Alpha {
			assert.True(t, q.Alpha, name)
		}
		if c.want.Width > 0 {
			assert.Equal(t, []int64{c.want.Width, c.want.Height}, []int64{q.Width, q.Height}, name)
		} else {
			assert.Equal(t, []int64{p.Width, p.Height}, []int64{q.Width, q.Height}, "%s: as it is shown", name)
		}
	}
	flat, err := png.Decode(bytes.NewReader(retouch.Picture(pictures.Parse("a.png", bytes.NewReader(withAlpha), int64(len(withAlpha))), withAlpha, retouch.Want{NoAlpha: true}, ground).Data))
	require.NoError(t, err)
	r, g, b, _ := flat.At(0, 0).RGBA()
	assert.Equal(t, []uint32{0, 0, 0xffff}, []uint32{r, g, b}, "the ground shows where nothing stands before it")
}

// TestTurn turns a picture of six pixels in all ways, as Exif draws them.
func TestTurn(t *testing.T) {
	m := image.NewNRGBA(image.Rect(0, 0, 3, 2))
	for i := range 6 {
		m.Pix[4*i] = uint8(i + 1)
	}
	for orientation, want := range map[int][][]uint8{
		1: {{1, 2, 3}, {4, 5, 6}}, 2: {{3, 2, 1}, {6, 5, 4}}, 3: {{6, 5, 4}, {3, 2, 1}}, 4: {{4, 5, 6}, {1, 2, 3}},
		5: {{1, 4}, {2, 5}, {3, 6}}, 6: {{4, 1}, {5, 2}, {6, 3}}, 7: {{6, 3}, {5, 2}, {4, 1}}, 8: {{3, 6}, {2, 5}, {1, 4}},
	} {
		n := retouch.Turn(m, orientation)
		var got [][]uint8
		for y := range n.Rect.Dy() {
			var row []uint8
			for x := range n.Rect.Dx() {
				row = append(row, n.Pix[y*n.Stride+4*x])
			}
			got = append(got, row)
		}
		assert.Equal(t, want, got, "orientation %d", orientation)
	}
}
