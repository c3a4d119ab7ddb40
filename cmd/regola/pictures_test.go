package main_test

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"image/png"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/seed"
)

// TestHostilePictures runs all commands on pictures that claim, hide or hold more
// than they should: each is reported, nothing hangs.
func TestHostilePictures(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("names and links of this kind do not exist there")
	}
	dir := t.TempDir()
	huge := bytes.Clone(seed.PNG(t, 30, 20, false))
	binary.BigEndian.PutUint32(huge[16:], 30000)
	binary.BigEndian.PutUint32(huge[20:], 30000)
	claims := bytes.Clone(seed.PNG(t, 1290, 2796, false))
	binary.BigEndian.PutUint32(claims[33:], 0x7fffffff) // the chunk of the pixels
	webp := bytes.Clone(seed.WebP(300, 200))
	binary.LittleEndian.PutUint32(webp[4:], 2<<30)
	for name, data := range map[string][]byte{
		"huge.png": huge, "claims.png": claims, "claims.webp": webp, "icon.png": huge, "bomb.gif": seed.GIF(t, 64, 64, 400), "cut.mp4": seed.Film(886, 1920, 600, true)[:700],
		"evil\x1b[31m\u202egnp.png": seed.PNG(t, 3, 2, false), "<script>.png": seed.PNG(t, 1290, 2796, false),
	} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, "shots"), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "shots", name), data, 0o644))
	}
	require.NoError(t, os.Symlink("/etc/hostname", filepath.Join(dir, "shots", "link.png")))
	require.NoError(t, os.Symlink(dir, filepath.Join(dir, "shots", "round")))
	start := time.Now()
	out, stderr, exit := regola(t, dir, "pictures", "--on", on, "shots")
	assert.Equal(t, 1, exit, stderr)
	for _, want := range []string{"30000 x 30000 fits no class", "claims 2147483647 bytes", "it claims 2147483656 bytes", "is animated", "a link, which is not followed", "30000 x 30000 is not the size of the icon"} {
		assert.Contains(t, strings.Join(strings.Fields(out), " "), want)
	}
	assert.NotContains(t, out, "\x1b")
	assert.NotContains(t, out, "\u202e")
	out, stderr, exit = regola(t, dir, "pictures", "--on", on, "shots", "--fix-into", "copies")
	assert.Equal(t, 1, exit, stderr)
	assert.Contains(t, out, "it is a link, which is not followed")
	assert.NoFileExists(t, filepath.Join(dir, "copies", "link.png"))
	assert.NotContains(t, out, "\x1b")
	out, stderr, exit = regola(t, dir, "sheet", "--on", on, "shots", "--out", "sheet")
	assert.Equal(t, 0, exit, stderr)
	assert.Equal(t, "sheet.html\nsheet.png\n", out)
	html, err := os.ReadFile(filepath.Join(dir, "sheet.html"))
	require.NoError(t, err)
	assert.NotContains(t, string(html), "<script>")
	assert.NotContains(t, string(html), "http", "the page needs nothing else")
	assert.Contains(t, string(html), "&lt;script&gt;.png")
	drawn, err := os.Open(filepath.Join(dir, "sheet.png"))
	require.NoError(t, err)
	defer drawn.Close()
	m, err := png.DecodeConfig(drawn)
	require.NoError(t, err)
	assert.Equal(t, 1600, m.Width)
	_, stderr, exit = regola(t, dir, "icons", "shots/huge.png", "--out", "icons")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "at most 4096 a side")
	assert.NoDirExists(t, filepath.Join(dir, "icons"))
	assert.Less(t, time.Since(start), 20*time.Second)
}

// TestIconSet makes icons and finds nothing wrong with those of the store pages.
func TestIconSet(t *testing.T) {
	dir := demo(t)
	out, stderr, exit := regola(t, dir, "icons", "sound/pictures/ios/icon.png", "--out", "set")
	require.Equal(t, 0, exit, stderr)
	golden(t, "icons.txt", out)
	for _, store := range []string{"android", "ios"} {
		data, err := os.ReadFile(filepath.Join(dir, "set", store, "icon.png"))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, "sound", "pictures", store, "icon.png"), data, 0o644))
	}
	out, _, exit = regola(t, dir, "pictures", "--on", on, "sound")
	assert.Equal(t, 0, exit)
	assert.Contains(t, out, "nothing wrong with any")
	_, stderr, exit = regola(t, dir, "icons", "sound/pictures/ios/icon.png", "--out", "set")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "not empty")
	_, stderr, exit = regola(t, dir, "icons", "sound/pictures/android/feature.png", "--out", "other")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "no square")
}

// TestSheet draws the faulty demo: what is wrong is framed and named.
func TestSheet(t *testing.T) {
	dir := demo(t)
	_, stderr, exit := regola(t, dir, "sheet", "--on", on, "faulty", "--store", "android", "--language", "de", "--dark", "--out", "de")
	require.Equal(t, 0, exit, stderr)
	html, err := os.ReadFile(filepath.Join(dir, "de.html"))
	require.NoError(t, err)
	for _, want := range []string{"Android store · German", "the pictures of phone in German are those of British English", "Führt das Brennbuch", "cut here", "720 x 1280"} {
		assert.Contains(t, string(html), want)
	}
	assert.NotContains(t, string(html), "iOS store ·")
	f, err := os.Open(filepath.Join(dir, "de.png"))
	require.NoError(t, err)
	defer f.Close()
	m, err := png.Decode(f)
	require.NoError(t, err)
	r, g, b, _ := m.At(4, 4).RGBA()
	assert.Less(t, r+g+b, uint32(3*0x3000), "a dark ground")
	_, stderr, exit = regola(t, dir, "sheet", "--on", on, "faulty", "--language", "xx")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, `nothing in the language "xx"`)
}

// TestFixInto makes copies of pictures with mechanical faults: they pass, what was sound is
// the same file, and what needs an eye is said.
func TestFixInto(t *testing.T) {
	dir := t.TempDir()
	files := map[string][]byte{
		"ios/it/watch-422/1.png":     seed.PNG(t, 422, 514, true),   // with an alpha channel
		"ios/it/watch-422/2.png":     seed.PNG(t, 844, 1028, false), // twice the size
		"ios/it/watch-422/3.png":     seed.PNG(t, 422, 514, false),
		"ios/it/watch-422/4.png":     seed.PNG(t, 845, 1028, false), // almost twice
		"android/it/phone/1.png":     seed.JPEG(t, 1080, 1920, 0),
		"android/it/phone/1.jpg":     seed.JPEG(t, 1080, 1920, 6),
		"android/it/phone/2.webp":    seed.WebP(1080, 1920),
		"android/it/phone/notes.txt": []byte("no picture"),
	}
	for name, data := range files {
		file := filepath.Join(dir, "shots", filepath.FromSlash(name))
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, data, 0o644))
	}
	out, stderr, exit := regola(t, dir, "pictures", "shots", "--on", on, "--fix-into", "copies", "--background", "#B5532A", "--format", "json")
	assert.Equal(t, 1, exit, stderr)
	var doc struct {
		Pictures []struct {
			From, File string
			Done, Left []string
		}
		Still []struct{ File, Rule string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &doc))
	got := map[string]string{}
	for _, p := range doc.Pictures {
		got[strings.TrimPrefix(p.From, "shots/")] = p.File + ": " + strings.Join(append(p.Done, p.Left...), "; ")
	}
	assert.Equal(t, map[string]string{
		"ios/it/watch-422/1.png":  "ios/it/watch-422/1.png: on the background #b5532a, without the alpha channel",
		"ios/it/watch-422/2.png":  "ios/it/watch-422/2.png: scaled from 844 x 1028 to 422 x 514",
		"ios/it/watch-422/3.png":  "ios/it/watch-422/3.png: ",
		"ios/it/watch-422/4.png":  "ios/it/watch-422/4.png: ",
		"android/it/phone/1.jpg":  "android/it/phone/1.jpg: turned as its tag says, without the tag; saved again as JPEG of the quality 95",
		"android/it/phone/1.png":  "android/it/phone/1-2.jpg: named as the JPEG that it is", // the other name is taken
		"android/it/phone/2.webp": "android/it/phone/2.webp: it moves; which of its pictures is meant is for you to say",
	}, got)
	same, err := os.ReadFile(filepath.Join(dir, "copies", "ios", "it", "watch-422", "3.png"))
	require.NoError(t, err)
	assert.Equal(t, files["ios/it/watch-422/3.png"], same, "a sound picture is copied byte for byte")
	still := map[string]bool{}
	for _, s := range doc.Still {
		still[s.File+" "+s.Rule] = true
	}
	for _, fixed := range []string{"ios/it/watch-422/1.png common/picture-alpha", "ios/it/watch-422/2.png common/picture-size", "android/it/phone/1.jpg common/picture-turned", "android/it/phone/1-2.jpg common/picture-kind"} {
		assert.NotContains(t, still, fixed)
	}
	for _, left := range []string{"ios/it/watch-422/4.png common/picture-size", "android/it/phone/2.webp common/picture-animated"} {
		assert.Contains(t, still, left)
	}
	_, stderr, exit = regola(t, dir, "pictures", "shots", "--fix-into", "copies")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "not empty", "nothing is overwritten")
}
