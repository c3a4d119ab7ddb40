package isobmff_test

import (
	"bytes"
	"encoding/binary"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/isobmff"
	"regola.example/regola/internal/seed"
)

func read(data []byte) (*isobmff.Video, error) {
	return isobmff.ReadVideo(bytes.NewReader(data), int64(len(data)))
}

func TestReadVideo(t *testing.T) {
	for name, fragments := range map[string]bool{"an index at the end": false, "in fragments": true} {
		v, err := read(seed.Film(1080, 1920, 60, fragments))
		require.NoError(t, err, name)
		assert.Equal(t, []any{1920, 1080, 2 * time.Second, "avc1", 100, 4.0, fragments}, []any{v.Width, v.Height, v.Duration, v.Codec, v.Profile, v.Level, v.Fragmented}, name)
		assert.InDelta(t, 30, v.FrameRate, 0.01, name)
		assert.Equal(t, []isobmff.Audio{{Codec: "mp4a", Channels: 2, Rate: 44100}}, v.Audio, name)
	}
}

// TestLarge reads a box whose length takes 64 bits, and one that goes to the end.
func TestLarge(t *testing.T) {
	film := seed.Film(300, 200, 30, false)
	at := bytes.Index(film, []byte("mdat")) - 4
	body := film[at+8 : at+8+64]
	large := append(bytes.Clone(film[:at]), 0, 0, 0, 1, 'm', 'd', 'a', 't')
	large = append(binary.BigEndian.AppendUint64(large, 16+64), body...)
	large = append(large, film[at+8+64:]...)
	v, err := read(large)
	require.NoError(t, err)
	assert.Equal(t, 200, v.Width)
	last := bytes.Clone(film)
	binary.BigEndian.PutUint32(last[bytes.Index(last, []byte("moov"))-4:], 0)
	v, err = read(last)
	require.NoError(t, err)
	assert.Equal(t, time.Second, v.Duration)
}

func TestFaults(t *testing.T) {
	film := seed.Film(300, 200, 30, false)
	at := bytes.Index(film, []byte("moov")) - 4
	claims := bytes.Clone(film)
	binary.BigEndian.PutUint32(claims[at:], 1<<30)
	small := bytes.Clone(film)
	binary.BigEndian.PutUint32(small[at:], 4)
	for want, data := range map[string][]byte{
		"no index (moov)":         film[:at],
		"":                        claims,
		"smaller than its header": small,
		"no file of boxes":        []byte("this is no film at all"),
		"cut off":                 film[:6],
	} {
		_, err := read(data)
		var at *format.Damaged
		require.ErrorAs(t, err, &at, want)
		assert.Contains(t, at.What, want)
	}
}

func TestReadStill(t *testing.T) {
	data := seed.HEIC(30, 20)
	brand, ok := isobmff.Brand(data)
	assert.True(t, ok)
	assert.Equal(t, "heic", brand)
	s, err := isobmff.ReadStill(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	assert.Equal(t, []int{20, 30}, []int{s.Width, s.Height}, "turned by a quarter")
	_, err = isobmff.ReadStill(bytes.NewReader(data[:40]), 40)
	assert.Error(t, err)
}

func FuzzReadVideo(f *testing.F) {
	f.Add(seed.Film(300, 200, 30, false))
	f.Add(seed.Film(300, 200, 30, true))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		_, _ = read(data)
	})
}

func FuzzReadStill(f *testing.F) {
	f.Add(seed.HEIC(30, 20))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		_, _ = isobmff.ReadStill(bytes.NewReader(data), int64(len(data)))
	})
}
