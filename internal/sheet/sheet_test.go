package sheet_test

import (
	"bytes"
	"context"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/seed"
	"regola.example/regola/internal/sheet"
	"regola.example/regola/rulebooks"
)

// pages scans files and puts their sheet together.
func pages(t *testing.T, files map[string][]byte, only string) (*sheet.Sheet, error) {
	dir := t.TempDir()
	for name, data := range files {
		file := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, data, 0o644))
	}
	on, err := day.Parse("2026-11-25")
	require.NoError(t, err)
	r, err := run.New(rulebooks.BuiltIn, run.Options{Options: check.Options{Day: on}})
	require.NoError(t, err)
	lib, err := r.Scan(context.Background(), []pictures.Root{{Folder: dir, Shown: "shots"}})
	require.NoError(t, err)
	hung, err := r.Pictures(context.Background(), lib, "it")
	require.NoError(t, err)
	return sheet.New(context.Background(), hung, nil, nil, only)
}

// TestSheet puts every picture where it belongs, with its faults, and draws it.
func TestSheet(t *testing.T) {
	shot := seed.PNG(t, 640, 960, false)
	s, err := pages(t, map[string][]byte{
		"ios/it/1.png": shot, "ios/it/2.png": seed.PNG(t, 640, 1136, true), "ios/it/odd.png": seed.PNG(t, 641, 960, false), "ios/it/film.mp4": seed.Film(886, 1920, 600, false),
		"ios/de/1.png": shot, "android/icon.png": seed.PNG(t, 512, 512, false), "android/feature.png": seed.PNG(t, 1024, 500, false), "android/cut.png": shot[:60],
	}, "")
	require.NoError(t, err)
	require.Len(t, s.Pages, 3)
	android, it, de := s.Pages[0], s.Pages[1], s.Pages[2]
	require.NotNil(t, android.Icon)
	assert.Len(t, android.Wide, 1)
	require.Len(t, android.Stray, 1)
	assert.Contains(t, android.Stray[0].Why, "the file ends after")
	assert.Contains(t, android.Wrong[0].Say, "no screenshot")
	assert.True(t, it.Default)
	assert.Equal(t, "Italian", it.Name)
	require.Len(t, it.Rows, 3)
	assert.Equal(t, []string{"phone-4", "phone-3.5", "preview-phone-6.9"}, []string{it.Rows[0].Class, it.Rows[1].Class, it.Rows[2].Class})
	assert.Equal(t, "blocked", it.Rows[0].Shots[0].Wrong[0].Impact, "an alpha channel, before the empty picture")
	assert.Nil(t, it.Rows[2].Shots[0].Image)
	assert.Equal(t, "film, 20.0 seconds", it.Rows[2].Shots[0].Why)
	require.Len(t, it.Stray, 1)
	assert.Equal(t, "German", de.Name)
	for _, th := range []sheet.Theme{sheet.Light, sheet.Dark} {
		var b bytes.Buffer
		require.NoError(t, sheet.PNG(&b, s, th))
		m, err := png.Decode(&b)
		require.NoError(t, err)
		assert.Equal(t, 1600, m.Bounds().Dx())
		assert.Greater(t, m.Bounds().Dy(), 1200)
	}
	var html strings.Builder
	require.NoError(t, sheet.HTML(&html, s))
	assert.Equal(t, 3, strings.Count(html.String(), `<section class="page">`))
	assert.Equal(t, 1, strings.Count(html.String(), "▶"))
	assert.NotContains(t, html.String(), "ZgotmplZ", "no part was turned away by the template")
	assert.Equal(t, strings.Count(html.String(), `src="data:image/`), strings.Count(html.String(), "src="), "all pictures are inside")
}

// TestBounds refuses what would not be a sheet any more.
func TestBounds(t *testing.T) {
	files := map[string][]byte{}
	small := seed.PNG(t, 640, 960, false)
	for i := range 410 {
		files["ios/it/"+string(rune('a'+i%26))+strings.Repeat("x", i/26)+".png"] = small[:70]
	}
	_, err := pages(t, files, "")
	var many sheet.TooMany
	require.ErrorAs(t, err, &many)
	assert.Equal(t, 410, many.N)
	parts := []*sheet.Page{}
	whole := &sheet.Sheet{Title: "x"}
	for range 90 {
		shots := []*sheet.Shot{{Item: &pictures.Item{Picture: pictures.Picture{Width: 10, Height: 20}}, Why: "none"}}
		whole.Pages = append(whole.Pages, &sheet.Page{Store: "s", Rows: []*sheet.Row{{What: "phone", Shots: shots}}})
	}
	split := whole.ByHeight()
	assert.Greater(t, len(split), 1, "one picture would be too high")
	for _, s := range split {
		parts = append(parts, s.Pages...)
	}
	assert.NoError(t, sheet.PNG(io.Discard, split[len(split)-1], sheet.Light))
	assert.Equal(t, whole.Pages, parts, "each page is in one of them, in order")
	assert.ErrorIs(t, sheet.PNG(io.Discard, whole, sheet.Light), sheet.ErrHigh)
	s, err := pages(t, map[string][]byte{"ios/it/1.png": small}, "de")
	require.NoError(t, err)
	assert.Empty(t, s.Pages)
}
