package pictures_test

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/imagehash"
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
		want.Path, want.File, want.Bytes, want.Promised = p.Path, p.File, p.Bytes, want.Kind
		assert.Equal(t, want, *p, name)
	}
	for _, name := range []string{"g.mp4", "parts.mp4"} {
		p := pictures.Read(filepath.Join(dir, name))
		require.Empty(t, p.Fault, name)
		assert.Equal(t, []any{int64(200), int64(300), 1.5, "avc1", int64(100), 4.0}, []any{p.Width, p.Height, p.Seconds, p.Codec, p.CodecProfile, p.CodecLevel}, "turned by a quarter")
		assert.InDelta(t, 30, p.FrameRate, 0.01, name)
		require.Len(t, p.Sound, 1)
		assert.Equal(t, []int64{2, 44100}, []int64{p.Sound[0].Channels, p.Sound[0].Rate})
	}
	p := pictures.Read(filepath.Join(dir, "h.webm"))
	assert.Equal(t, []any{"webm", int64(30), int64(20), 2.5}, []any{p.Kind, p.Width, p.Height, p.Seconds})
}

// TestCut cuts each file short: each is reported.
func TestCut(t *testing.T) {
	for name, data := range media(t) {
		if name == "h.webm" || name == "moving.gif" {
			continue // what describes them stands at their beginning
		}
		p := pictures.Parse(name, bytes.NewReader(data[:len(data)-3]), int64(len(data)-3))
		assert.NotEmpty(t, p.Fault, name)
	}
	dir := write(t, map[string][]byte{"a.png": []byte("hello"), "b.jpg": nil, "c.jpg": seed.PNG(t, 3, 2, false)})
	assert.Contains(t, pictures.Read(filepath.Join(dir, "a.png")).Fault, "no picture")
	assert.Contains(t, pictures.Read(filepath.Join(dir, "b.jpg")).Fault, "empty")
	p := pictures.Read(filepath.Join(dir, "c.jpg"))
	assert.Equal(t, []string{"jpeg", "png"}, []string{p.Promised, p.Kind})
}

func builtIn(t *testing.T) *tables.Set {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	day, err := day.Parse("2026-11-25")
	require.NoError(t, err)
	return set.On(day)
}

func TestClasses(t *testing.T) {
	for _, c := range []struct {
		store, kind, wish string
		w, h              int64
		class, nearest    string
	}{
		{"ios", "png", "", 1290, 2796, "phone-6.9", ""},
		{"ios", "png", "", 2796, 1290, "phone-6.9", ""},
		{"ios", "png", "messages", 2796, 1290, "messages", ""},
		{"ios", "png", "", 2048, 2732, "tablet-13", ""},
		{"ios", "png", "tablet-12.9", 2048, 2732, "tablet-12.9", ""},
		{"ios", "png", "", 422, 514, "watch-422", ""},
		{"ios", "png", "", 514, 422, "", "watch, 416 pixels wide"},
		{"ios", "png", "", 1284, 2770, "", "phone, 6.5 inch, 1284 x 2778: 8 pixels too low"},
		{"ios", "png", "phone-6.9", 1284, 2770, "", "phone, 6.5 inch"},
		{"ios", "png", "icon", 1290, 2796, "", "not the size of the icon of 1024 pixels, 1024 x 1024"},
		{"android", "jpeg", "", 1080, 1920, "phone", ""},
		{"android", "jpeg", "tablet-10", 1080, 1920, "tablet-10", ""},
		{"android", "jpeg", "", 1280, 720, "phone", ""},
		{"android", "jpeg", "banner", 1280, 720, "banner", ""},
		{"android", "jpeg", "", 320, 640, "phone", ""},
		{"android", "jpeg", "", 320, 641, "", "2:1 of the shorter"},
		{"android", "jpeg", "", 319, 600, "", "320 pixels at least"},
		{"android", "png", "", 1024, 500, "feature", ""},
		{"android", "png", "", 512, 512, "icon", ""},
		{"android", "png", "watch", 512, 512, "watch", ""},
	} {
		f := &pictures.Found{Picture: &pictures.Picture{Kind: c.kind, Width: c.w, Height: c.h}, Store: c.store, Wanted: c.wish}
		lib := &pictures.Library{Pictures: []*pictures.Found{f}, Classes: builtIn(t).PictureClasses}
		it := lib.Gallery(c.store, []string{c.store}, "").All[0]
		assert.Equal(t, c.class, it.Class, "%v", c)
		assert.Contains(t, it.Nearest, c.nearest)
	}
}

// TestScan sorts a folder: folders bind to store, language and class, numbers
// count by their value, and what is over the bound is named.
func TestScan(t *testing.T) {
	shot, other := seed.PNG(t, 640, 960, false), seed.PNG(t, 960, 640, false)
	files := map[string][]byte{"ios/it/phone-4/1.png": shot, "de/x.txt": nil, ".hidden/1.png": shot, "android/feature.png": seed.PNG(t, 1024, 500, true),
		"ios/fr/1.png": shot, "ios/fr/2.png": other, "ios/raw/3.png": other}
	for _, n := range []string{"1", "2", "3", "4", "5", "6", "7", "8", "9", "10", "11"} {
		files["ios/de_DE/"+n+".png"] = shot
	}
	dir := write(t, files)
	require.NoError(t, os.Symlink("/etc/passwd", filepath.Join(dir, "ios", "link.png")))
	lib, err := pictures.Scan(context.Background(), []pictures.Root{{Folder: dir, Shown: "shots"}}, builtIn(t), []string{"android", "ios"}, pictures.NewMemo())
	require.NoError(t, err)
	require.Len(t, lib.Pictures, 17)
	android := lib.Gallery("android", []string{"android"}, "de-DE")
	require.Len(t, android.All, 1)
	assert.Equal(t, []any{"feature", "feature", "de-DE", true}, []any{android.All[0].Class, android.All[0].Wanted, android.All[0].Language, android.All[0].Alpha})
	require.NotNil(t, android.All[0].Pixels)
	assert.Equal(t, int64(1), android.All[0].Pixels.Colors)
	g := lib.Gallery("ios", []string{"ios"}, "DE-de")
	require.Len(t, g.Sets, 3)
	de := g.Sets[0]
	assert.Equal(t, []string{"DE-de", "phone-3.5"}, []string{de.Language, de.Class})
	assert.Equal(t, []string{"shots/ios/de_DE/11.png", "shots/ios/raw/3.png"}, de.Over, "2 comes before 10; a picture without a language is in the default one")
	assert.Equal(t, "shots/ios/de_DE/1.png", de.Items[3].Duplicate)
	assert.Equal(t, []any{"fr", true, int64(1)}, []any{g.Sets[1].Language, g.Sets[1].LikeDefault, g.Sets[1].Portrait})
	assert.Equal(t, []any{"phone-4", "phone-3.5"}, []any{g.Sets[2].Items[0].Wanted, g.Sets[2].Class}, "a folder is a wish; the pixels decide")
	link := g.All[slices.IndexFunc(g.All, func(it *pictures.Item) bool { return it.File == "shots/ios/link.png" })]
	assert.Contains(t, link.Fault, "link")
	assert.True(t, g.Sets[0].Items[0].Suspect, "one colour takes few bytes")
	assert.Equal(t, int64(1), g.Sets[0].Items[0].Pixels.Colors)
}

// TestUnsaid holds that what a film does not say is not known, and never small.
func TestUnsaid(t *testing.T) {
	classes := builtIn(t).PictureClasses
	item := func(p *pictures.Picture) *pictures.Item {
		lib := &pictures.Library{Pictures: []*pictures.Found{{Picture: p, Store: "ios"}}, Classes: classes}
		return lib.Gallery("ios", []string{"ios"}, "").All[0]
	}
	silent := item(&pictures.Picture{Kind: "mp4", Film: true, Width: 886, Height: 1920, Codec: "avc1"})
	for _, field := range []string{"seconds", "frame_rate", "codec_profile", "codec_level"} {
		assert.NotEmpty(t, silent.Unread(field), field)
	}
	said := item(&pictures.Picture{Kind: "mp4", Film: true, Width: 886, Height: 1920, Codec: "avc1", Seconds: 20, FrameRate: 30, CodecProfile: 100, CodecLevel: 4})
	assert.Empty(t, said.Unread("frame_rate")+said.Unread("seconds")+said.Unread("codec_profile"))
}

// TestPixels distinguishes shapes of icons.
func TestPixels(t *testing.T) {
	red, white := color.NRGBA{R: 200, A: 255}, color.NRGBA{R: 255, G: 255, B: 255, A: 255}
	draw := func(ground color.NRGBA, filled func(x, y int) bool) *pictures.Pixels {
		m := image.NewNRGBA(image.Rect(0, 0, 256, 256))
		for y := range 256 {
			for x := range 256 {
				if m.SetNRGBA(x, y, ground); filled(x, y) {
					m.SetNRGBA(x, y, red)
				}
			}
		}
		return pictures.Look(m)
	}
	round := func(from, to, r int) func(x, y int) bool {
		return func(x, y int) bool {
			dx, dy := max(from+r-x, x-(to-1-r), 0), max(from+r-y, y-(to-1-r), 0)
			return x >= from && x < to && y >= from && y < to && dx*dx+dy*dy <= r*r
		}
	}
	for name, c := range map[string]struct {
		p                        *pictures.Pixels
		rounded, framed, corners bool
	}{
		"full":              {draw(red, round(40, 80, 3)), false, false, false},
		"motif on a ground": {draw(white, round(60, 190, 65)), false, false, false},
		"rounded on white":  {draw(white, round(0, 256, 50)), true, false, false},
		"rounded, clear":    {draw(color.NRGBA{}, round(0, 256, 50)), true, false, true},
		"circle":            {draw(color.NRGBA{}, round(0, 256, 128)), false, false, true},
		"framed":            {draw(white, round(24, 232, 30)), false, true, false},
	} {
		assert.Equal(t, []bool{c.rounded, c.framed, c.corners}, []bool{c.p.Rounded, c.p.Framed, c.p.Corners}, name)
	}
	assert.Equal(t, int64(9), draw(white, round(24, 232, 30)).Border)
	a, b := draw(white, round(60, 190, 65)), draw(white, round(50, 200, 75))
	assert.Greater(t, imagehash.Likeness(a.Motif, b.Motif), 70, "drawn larger")
	assert.Less(t, imagehash.Likeness(a.Motif, draw(color.NRGBA{B: 200, A: 255}, func(x, y int) bool { return false }).Motif), 40)
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
