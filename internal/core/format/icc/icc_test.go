package icc_test

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"image"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/icc"
	"regola.example/regola/internal/seed"
)

func fixed(v float64) []byte {
	return binary.BigEndian.AppendUint32(nil, uint32(int32(math.Round(v*65536))))
}

// profile writes a profile of three primaries under D50 and one curve.
func profile(primaries [3][3]float64, curve []byte) []byte {
	head := make([]byte, 128)
	copy(head[16:], "RGB XYZ ")
	copy(head[36:], "acsp")
	body := binary.BigEndian.AppendUint32(head, 6)
	at := 132 + 6*12
	var data []byte
	tag := func(name string, value []byte) {
		body = binary.BigEndian.AppendUint32(append(body, name...), uint32(at+len(data)))
		body = binary.BigEndian.AppendUint32(body, uint32(len(value)))
		data = append(data, value...)
	}
	for i, c := range []string{"r", "g", "b"} {
		v := []byte("XYZ \x00\x00\x00\x00")
		for _, x := range primaries[i] {
			v = append(v, fixed(x)...)
		}
		tag(c+"XYZ", v)
		tag(c+"TRC", curve)
	}
	return append(body, data...)
}

func para(kind byte, values ...float64) []byte {
	out := []byte{'p', 'a', 'r', 'a', 0, 0, 0, 0, 0, kind, 0, 0}
	for _, v := range values {
		out = append(out, fixed(v)...)
	}
	return out
}

var (
	gamma22 = []byte{'c', 'u', 'r', 'v', 0, 0, 0, 0, 0, 0, 0, 1, 2, 0x33}
	screen  = para(3, 2.4, 1/1.055, 0.055/1.055, 1/12.92, 0.04045)
	adobe   = [3][3]float64{{0.60974, 0.31111, 0.01947}, {0.20528, 0.62567, 0.06087}, {0.14919, 0.06322, 0.74457}}
	p3      = [3][3]float64{{0.5151, 0.2412, -0.0011}, {0.2919, 0.6922, 0.0419}, {0.1571, 0.0666, 0.7841}}
	srgb    = [3][3]float64{{0.43607, 0.22249, 0.01392}, {0.38515, 0.71687, 0.09708}, {0.14307, 0.06061, 0.71410}}
)

// TestConvert holds colours against values that were worked out by the matrices between the
// two spaces under D65, on paper.
func TestConvert(t *testing.T) {
	for name, c := range map[string]struct {
		profile  []byte
		in, want [3]uint8
	}{
		"wide":           {profile(adobe, gamma22), [3]uint8{100, 150, 200}, [3]uint8{66, 151, 203}},
		"wide, white":    {profile(adobe, gamma22), [3]uint8{255, 255, 255}, [3]uint8{255, 255, 255}},
		"wide, green":    {profile(adobe, gamma22), [3]uint8{0, 255, 0}, [3]uint8{0, 255, 0}}, // more than sRGB has
		"screen":         {profile(p3, screen), [3]uint8{200, 100, 50}, [3]uint8{215, 93, 31}},
		"screen, black":  {profile(p3, screen), [3]uint8{0, 0, 0}, [3]uint8{0, 0, 0}},
		"its own":        {profile(srgb, screen), [3]uint8{200, 100, 50}, [3]uint8{200, 100, 50}},
		"a line":         {profile(srgb, []byte("curv\x00\x00\x00\x00\x00\x00\x00\x00")), [3]uint8{128, 128, 128}, [3]uint8{188, 188, 188}},
		"points":         {profile(srgb, []byte("curv\x00\x00\x00\x00\x00\x00\x00\x03\x00\x00\x40\x00\xff\xff")), [3]uint8{128, 128, 128}, [3]uint8{138, 138, 138}},
		"a power":        {profile(srgb, para(0, 2.2)), [3]uint8{128, 128, 128}, [3]uint8{128, 128, 128}},
		"a cut power":    {profile(srgb, para(1, 2.2, 1, 0)), [3]uint8{128, 128, 128}, [3]uint8{128, 128, 128}},
		"a raised power": {profile(srgb, para(2, 2.2, 1, 0, 0.25)), [3]uint8{0, 0, 0}, [3]uint8{137, 137, 137}},
	} {
		p, err := icc.Parse(c.profile)
		require.NoError(t, err, name)
		m := image.NewNRGBA(image.Rect(0, 0, 2, 1))
		copy(m.Pix, []uint8{c.in[0], c.in[1], c.in[2], 7, c.in[0], c.in[1], c.in[2], 9})
		p.Convert(m)
		for i, v := range m.Pix[:3] {
			assert.InDelta(t, c.want[i], v, 1, "%s: %v", name, m.Pix[:3])
		}
		assert.Equal(t, []uint8{7, 9}, []uint8{m.Pix[3], m.Pix[7]}, "%s: alpha stays", name)
		assert.Equal(t, name == "its own", p.IsSRGB(), name)
	}
}

func TestParse(t *testing.T) {
	sound := profile(srgb, screen)
	change := func(at int, with string) []byte {
		b := bytes.Clone(sound)
		copy(b[at:], with)
		return b
	}
	for name, b := range map[string][]byte{
		"empty": nil, "cut": sound[:131], "no signature": change(36, "xxxx"), "print": change(16, "CMYK"), "tables": change(20, "Lab "),
		"far tag": change(136, "\x7f\xff\xff\xff"), "many tags": change(128, "\x00\x00\x01\x00"), "no curve": change(132+12, "xTRC"), "no primary": change(132, "xXYZ"),
		"kind of curve": profile(srgb, para(5, 1)), "cut curve": profile(srgb, para(3, 1)), "long curve": profile(srgb, []byte("curv\x00\x00\x00\x00\x00\x00\x01\x00")),
	} {
		_, err := icc.Parse(b)
		assert.Error(t, err, name)
	}
}

func chunk(kind string, body []byte) []byte {
	out := binary.BigEndian.AppendUint32(nil, uint32(len(body)))
	return append(append(append(out, kind...), body...), 0, 0, 0, 0)
}

// TestEmbedded finds profiles where the three formats keep them.
func TestEmbedded(t *testing.T) {
	var packed bytes.Buffer
	z := zlib.NewWriter(&packed)
	_, _ = z.Write([]byte("profile"))
	require.NoError(t, z.Close())
	png := append([]byte("\x89PNG\r\n\x1a\n"), chunk("IHDR", make([]byte, 13))...)
	png = append(png, chunk("iCCP", append([]byte("name\x00\x00"), packed.Bytes()...))...)
	jpeg := []byte("\xff\xd8\xff\xe0\x00\x04ab\xff\xe2\x00\x15ICC_PROFILE\x00\x02\x02file!\xff\xe2\x00\x13ICC_PROFILE\x00\x01\x02pro\xff\xda")
	webp := []byte("RIFF\x00\x00\x00\x00WEBPVP8X\x01\x00\x00\x00a\x00ICCP\x07\x00\x00\x00profile\x00")
	for _, c := range []struct {
		kind    string
		picture []byte
		want    string
	}{
		{"png", png, "profile"}, {"jpeg", jpeg, "profile!"}, {"webp", webp, "profile"},
		{"png", append([]byte("\x89PNG\r\n\x1a\n"), chunk("IDAT", nil)...), ""}, {"jpeg", []byte("\xff\xd8\xff\xda"), ""}, {"webp", webp[:22], ""}, {"gif", webp, ""}, {"webp", webp[:35], ""},
	} {
		got, err := icc.Embedded(c.kind, c.picture)
		require.NoError(t, err)
		assert.Equal(t, c.want, string(got), c.kind)
	}
	_, err := icc.Embedded("png", append([]byte("\x89PNG\r\n\x1a\n"), chunk("iCCP", []byte("name\x00\x00junk"))...))
	assert.Error(t, err)
}

func FuzzEmbedded(f *testing.F) {
	f.Add("png", profile(srgb, screen))
	f.Fuzz(func(t *testing.T, kind string, data []byte) {
		defer seed.Bounds(t, len(data))()
		raw, _ := icc.Embedded(kind, data)
		for _, b := range [][]byte{raw, data} {
			if p, err := icc.Parse(b); err == nil {
				p.IsSRGB()
			}
		}
	})
}
