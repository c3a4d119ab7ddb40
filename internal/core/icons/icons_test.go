package icons_test

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"maps"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/icons"
	"regola.example/regola/internal/core/imagehash"
	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/seed"
)

func drawn(side int, at func(x, y int) color.NRGBA) *image.NRGBA {
	m := image.NewNRGBA(image.Rect(0, 0, side, side))
	for y := range side {
		for x := range side {
			m.SetNRGBA(x, y, at(x*1024/side, y*1024/side))
		}
	}
	return m
}

var clay, cream = color.NRGBA{R: 181, G: 83, B: 42, A: 255}, color.NRGBA{R: 255, G: 244, B: 230, A: 255}

// bar reaches from edge to edge nearly: it must shrink into the safe circle.
func bar(x, y int) color.NRGBA {
	if x > 60 && x < 960 && y > 400 && y < 600 {
		return cream
	}
	return clay
}

func TestMake(t *testing.T) {
	made := &seed.Record{}
	defer func() { seed.Golden(t, "made.txt", made.String()) }()
	masters := map[string]*image.NRGBA{
		"plain ground": drawn(1024, bar),
		"light ground": drawn(1024, func(x, y int) color.NRGBA {
			if bar(x, y) == cream {
				return clay
			}
			return cream
		}),
		"no ground": drawn(1100, func(x, y int) color.NRGBA {
			if (x-512)*(x-512)+(y-512)*(y-512) < 200*200 {
				return cream
			}
			return color.NRGBA{R: uint8(y / 10), G: uint8(x / 10), B: 90, A: 255}
		}),
	}
	for _, name := range slices.Sorted(maps.Keys(masters)) {
		master := masters[name]
		files, problem := icons.Make(master, icons.Options{Name: "kiln"})
		require.Nil(t, problem, name)
		seen := map[string]*image.NRGBA{}
		for _, f := range files {
			if !strings.HasSuffix(f.Path, ".png") {
				assert.NotContains(t, string(f.Data), "%!", f.Path)
				continue
			}
			m, err := png.Decode(bytes.NewReader(f.Data))
			require.NoError(t, err, f.Path)
			assert.Equal(t, image.Pt(f.Width, f.Height), m.Bounds().Size(), f.Path)
			seen[f.Path] = imagehash.Flat(m)
			made.Whole(name+" "+f.Path, fmt.Sprintf("%x", sha256.Sum256(seen[f.Path].Pix)), nil)
			p := pictures.Parse(f.Path, bytes.NewReader(f.Data), int64(len(f.Data)))
			flat := strings.HasPrefix(f.Path, "ios/") && f.Path != "ios/Assets.xcassets/AppIcon.appiconset/icon-dark.png" || strings.HasSuffix(f.Path, "/kiln.png")
			if flat {
				assert.False(t, p.Alpha, f.Path)
			}
		}
		require.NotNil(t, seen["android/res/mipmap-xxxhdpi/kiln_foreground.png"], name)
		for _, part := range []string{"foreground", "one_colour"} {
			m := seen["android/res/mipmap-xxxhdpi/kiln_"+part+".png"]
			require.Equal(t, 432, m.Rect.Dx())
			ink, furthest := 0, 0.0
			for y := range 432 {
				for x := range 432 {
					if m.NRGBAAt(x, y).A > 127 {
						ink++
						furthest = max(furthest, math.Hypot(float64(x)-215.5, float64(y)-215.5))
					}
				}
			}
			assert.LessOrEqual(t, furthest, 132.0+2, "%s: no mask may cut %s", name, part)
			if name == "plain ground" || part == "one_colour" {
				assert.Greater(t, ink, 1000, name+" "+part)
			}
		}
		store := pictures.Look(seen["android/icon.png"])
		assert.False(t, store.Transparent || store.Rounded || store.Framed, name)
		assert.Greater(t, imagehash.Likeness(store.Motif, imagehash.Of(seen["android/res/mipmap-hdpi/kiln.png"])), 80, name)
		assert.Equal(t, name == "no ground", seen["android/res/mipmap-mdpi/kiln_background.png"] != nil)
		tinted := seen["ios/Assets.xcassets/AppIcon.appiconset/icon-tinted.png"].NRGBAAt(512, 512)
		assert.True(t, tinted.R == tinted.G && tinted.G == tinted.B && (tinted.R > 200 || name == "light ground"), name)
	}
}

func TestRefused(t *testing.T) {
	clear := drawn(1024, func(x, y int) color.NRGBA {
		if c := bar(x, y); c == cream {
			return c
		}
		return color.NRGBA{}
	})
	rounded := drawn(1024, func(x, y int) color.NRGBA {
		dx, dy := max(200-x, x-823, 0), max(200-y, y-823, 0)
		if dx*dx+dy*dy > 200*200 {
			return color.NRGBA{R: 255, G: 255, B: 255, A: 255}
		}
		return bar(x, y)
	})
	for want, m := range map[string]image.Image{
		"1000 pixels a side":          drawn(1000, bar),
		"no square":                   image.NewNRGBA(image.Rect(0, 0, 1024, 1025)),
		"transparent pixels":          clear,
		"corners of the master are r": rounded,
		"of one colour":               drawn(1024, func(x, y int) color.NRGBA { return clay }),
	} {
		_, problem := icons.Make(m, icons.Options{Name: "kiln"})
		require.NotNil(t, problem, want)
		assert.Contains(t, problem.What, want)
	}
	_, problem := icons.Make(clear, icons.Options{Name: "kiln", Background: &clay})
	assert.Nil(t, problem)
}
