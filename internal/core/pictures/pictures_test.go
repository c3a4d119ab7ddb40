package pictures_test

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/seed"
	"regola.example/regola/rulebooks"
)

// media are one file of each kind.
func media(tb testing.TB) map[string][]byte {
	return map[string][]byte{
		"a.png": seed.PNG(tb, 30, 20, true), "b.png": seed.PNG(tb, 30, 20, false), "c.jpg": seed.JPEG(tb, 30, 20, 0), "turned.jpg": seed.JPEG(tb, 30, 20, 6),
		"d.gif": seed.GIF(tb, 30, 20, 1), "moving.gif": seed.GIF(tb, 30, 20, 2), "e.webp": seed.WebP(300, 200), "f.heic": seed.HEIC(30, 20),
		"g.mp4": seed.Film(300, 200, 45, false), "parts.mp4": seed.Film(300, 200, 45, true), "h.webm": seed.WebM(30, 20),
	}
}

func write(t *testing.T, files map[string][]byte) string {
	dir := t.TempDir()
	for name, data := range files {
		file := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, data, 0o644))
	}
	return dir
}

func TestRead(t *testing.T) {
	dir := write(t, media(t))
	for name, want := range map[string]pictures.Picture{
		"a.png":      {Kind: "png", Width: 30, Height: 20, Depth: 8, Colors: "rgb", Alpha: true},
		"b.png":      {Kind: "png", Width: 30, Height: 20, Depth: 8, Colors: "rgb"},
		"c.jpg":      {Kind: "jpeg", Width: 30, Height: 20, Depth: 8, Colors: "ycbcr"},
		"turned.jpg": {Kind: "jpeg", Width: 20, Height: 30, Depth: 8, Colors: "ycbcr", Turned: true},
		"d.gif":      {Kind: "gif", Width: 30, Height: 20, Colors: "palette"},
		"moving.gif": {Kind: "gif", Width: 30, Height: 20, Colors: "palette", Animated: true},
		"e.webp":     {Kind: "webp", Width: 300, Height: 200, Alpha: true, Animated: true},
		"f.heic":     {Kind: "heic", Width: 20, Height: 30},
	} {
		p := pictures.Read(filepath.Join(dir, name))
		want.File, want.Bytes = p.File, p.Bytes
		assert.Equal(t, want, *p, name)
	}
	for _, name := range []string{"g.mp4", "parts.mp4"} {
		p := pictures.Read(filepath.Join(dir, name))
		require.Empty(t, p.Fault, name)
		assert.Equal(t, []int{200, 300}, []int{p.Width, p.Height}, "turned by a quarter")
		assert.Equal(t, 1500*time.Millisecond, p.Film.Duration, name)
		assert.InDelta(t, 30, p.Film.FrameRate, 0.01, name)
		assert.Equal(t, []string{"avc1", "100 4.0"}, []string{p.Film.Codec, p.Film.Profile})
		require.Len(t, p.Film.Audio, 1)
		assert.Equal(t, []int{2, 44100}, []int{p.Film.Audio[0].Channels, p.Film.Audio[0].Rate})
	}
	p := pictures.Read(filepath.Join(dir, "h.webm"))
	assert.Equal(t, []any{"webm", 30, 20, 2500 * time.Millisecond}, []any{p.Kind, p.Width, p.Height, p.Film.Duration})
}

// TestCut cuts each file short: each is told.
func TestCut(t *testing.T) {
	for name, data := range media(t) {
		if name == "h.webm" || name == "moving.gif" {
			continue // what describes them stands at their beginning
		}
		dir := write(t, map[string][]byte{name: data[:len(data)-3]})
		p := pictures.Read(filepath.Join(dir, name))
		assert.NotEmpty(t, p.Fault, name)
	}
	dir := write(t, map[string][]byte{"a.png": []byte("hello"), "b.jpg": nil, "c.jpg": seed.PNG(t, 3, 2, false)})
	assert.Contains(t, pictures.Read(filepath.Join(dir, "a.png")).Fault, "no picture")
	assert.Contains(t, pictures.Read(filepath.Join(dir, "b.jpg")).Fault, "empty")
	assert.Contains(t, pictures.Read(filepath.Join(dir, "c.jpg")).Fault, "the name says jpeg, the content is png")
}

func classes(t *testing.T) []*tables.PictureClass {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	return set.PictureClasses
}

func TestFits(t *testing.T) {
	for _, c := range []struct {
		p         pictures.Picture
		fit, near string
	}{
		{pictures.Picture{Kind: "png", Width: 1290, Height: 2796}, "ios/phone-6.9", ""},
		{pictures.Picture{Kind: "png", Width: 2796, Height: 1290}, "ios/phone-6.9", ""},
		{pictures.Picture{Kind: "png", Width: 422, Height: 514}, "ios/watch-422", ""},
		{pictures.Picture{Kind: "png", Width: 514, Height: 422}, "", "watch, 416 pixels wide"},
		{pictures.Picture{Kind: "png", Width: 1284, Height: 2770}, "", "phone, 6.5 inch, 1284 x 2778: 8 pixels too low"},
		{pictures.Picture{Kind: "jpeg", Width: 1080, Height: 1920}, "android/phone", ""},
		{pictures.Picture{Kind: "jpeg", Width: 320, Height: 640}, "android/phone", ""},
		{pictures.Picture{Kind: "jpeg", Width: 320, Height: 641}, "", "2:1 of the shorter"},
		{pictures.Picture{Kind: "jpeg", Width: 319, Height: 600}, "", "320 pixels at least"},
		{pictures.Picture{Kind: "png", Width: 1024, Height: 500}, "android/feature", ""},
	} {
		store := "android"
		if len(c.fit) > 3 && c.fit[:3] == "ios" || c.near != "" && c.p.Kind == "png" {
			store = "ios"
		}
		var of []*tables.PictureClass
		for _, k := range classes(t) {
			if k.Store == store {
				of = append(of, k)
			}
		}
		got := ""
		if f := c.p.Fits(of); len(f) > 0 {
			got = store + "/" + f[0].Class.ID
		}
		assert.Equal(t, c.fit, got)
		if c.near != "" {
			assert.Contains(t, c.p.Nearest(of), c.near)
		}
	}
}

// TestScan sorts a folder: folders bind to store, language and class, numbers
// count by their value, and what is over the bound is named.
func TestScan(t *testing.T) {
	shot := seed.PNG(t, 640, 960, false)
	files := map[string][]byte{"ios/it/phone-4/1.png": shot, "de/x.txt": nil, ".hidden/1.png": shot, "android/feature.png": seed.PNG(t, 1024, 500, true)}
	for _, n := range []string{"1", "2", "3", "4", "5", "6", "7", "8", "9", "10", "11"} {
		files["ios/de/"+n+".png"] = shot
	}
	entries, err := pictures.Scan(context.Background(), []string{write(t, files)}, classes(t), []string{"android", "ios"})
	require.NoError(t, err)
	require.Len(t, entries, 13)
	sets := pictures.Sort(entries, classes(t), []string{"android", "ios"})
	require.Len(t, sets, 3)
	assert.Equal(t, []string{"it has an alpha channel; save it flat"}, sets[0].Pictures[0].Fits("android")[0].Faults)
	de := sets[1]
	assert.Equal(t, []string{"ios", "de", "phone-3.5"}, []string{de.Store, de.Language, de.Class.ID})
	require.Len(t, de.Over(), 1)
	assert.Equal(t, "ios/de/11.png", de.Over()[0].Path, "2 comes before 10")
	assert.Equal(t, "phone-4", sets[2].Pictures[0].Wish)
	assert.Equal(t, "phone-3.5", sets[2].Class.ID, "a folder is a wish; the pixels decide")
}

func FuzzRead(f *testing.F) {
	for name, data := range media(f) {
		f.Add(data, filepath.Ext(name))
	}
	f.Fuzz(func(t *testing.T, data []byte, ext string) {
		defer seed.Bounds(t, len(data))()
		pictures.Parse("x"+ext, bytes.NewReader(data), int64(len(data)))
	})
}
