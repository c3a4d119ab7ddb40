package pictures_test

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"testing"

	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/seed"
	"regola.example/regola/internal/seed/judged"
)

// TestOutcomes holds what is read of pictures and films, of damaged ones, and what stores
// make of them.
func TestOutcomes(t *testing.T) {
	var r seed.Record
	all := media(t)
	for _, name := range []string{"a.png", "c.jpg", "e.webp", "g.mp4", "h.webm", "d.gif", "f.heic"} {
		data := all[name]
		read := func(data []byte) any { return pictures.Parse(name, bytes.NewReader(data), int64(len(data))) }
		r.Whole(name, read(data), nil)
		for n := 0; n < len(data); n += 1 + n/2 {
			r.Change(fmt.Sprint("cut to ", n), read(data[:n]), nil)
		}
		r.Change("other name", pictures.Parse("x.png", bytes.NewReader(data), int64(len(data))), nil)
	}
	set := builtIn(t)
	scan := func(dir string) *pictures.Library {
		lib, err := pictures.Scan(context.Background(), []pictures.Root{{Folder: dir, Shown: "shots"}}, set, []string{"android", "ios"}, pictures.NewMemo())
		require.NoError(t, err)
		return lib
	}
	for _, demo := range []string{"demo/sound/pictures", "demo/faulty/pictures"} {
		lib := scan(judged.Root(demo))
		for _, store := range []string{"android", "ios"} {
			g := lib.Gallery(store, []string{store}, "it")
			r.Whole(demo+" "+store, g, nil)
			r.Change("in German", lib.Gallery(store, []string{store}, "de"), nil)
			for _, s := range g.Sets {
				r.Change("short "+s.Class, s.Short(), nil)
			}
		}
	}
	// Sizes on both sides of each bound of the classes.
	for _, store := range []string{"android", "ios"} {
		for _, kind := range []string{"png", "jpeg", "mp4"} {
			var out []any
			for _, side := range []int64{319, 320, 512, 1023, 1024, 1080, 1284, 1290, 1920, 2778, 2796, 3840, 3841} {
				for _, other := range []int64{500, 512, 640, 720, 1024, 1920, 2000, 2778, 2796, 7680} {
					p := &pictures.Picture{File: fmt.Sprintf("%d-%d", side, other), Kind: kind, Film: kind == "mp4", Width: side, Height: other, Seconds: float64(side) / 64, FrameRate: 30, Bytes: side * other, Promised: kind}
					lib := &pictures.Library{Pictures: []*pictures.Found{{Picture: p, Store: store}}, Classes: set.PictureClasses}
					it := lib.Gallery(store, []string{store}, "").All[0]
					out = append(out, p.File+" "+it.Class+" | "+it.Nearest+" | "+it.Slot)
				}
			}
			r.Whole(store+" "+kind, out, nil)
		}
	}
	seed.Golden(t, "outcomes.txt", r.String())
}

// TestLook holds what is seen of pixels: how many colours, what is plain, what is clear.
func TestLook(t *testing.T) {
	draw := func(w, h int, at func(x, y int) color.NRGBA) *image.NRGBA {
		m := image.NewNRGBA(image.Rect(0, 0, w, h))
		for y := range h {
			for x := range w {
				m.SetNRGBA(x, y, at(x, y))
			}
		}
		return m
	}
	white, red, clear := color.NRGBA{255, 255, 255, 255}, color.NRGBA{200, 10, 10, 255}, color.NRGBA{}
	var r seed.Record
	for _, c := range []struct {
		name string
		m    image.Image
	}{
		{"white", draw(64, 64, func(int, int) color.NRGBA { return white })},
		{"clear", draw(64, 64, func(int, int) color.NRGBA { return clear })},
		{"half", draw(64, 64, func(x, _ int) color.NRGBA { return map[bool]color.NRGBA{true: red, false: white}[x < 32] })},
		{"framed", draw(64, 64, func(x, y int) color.NRGBA {
			return map[bool]color.NRGBA{true: red, false: white}[x > 8 && x < 56 && y > 8 && y < 56]
		})},
		{"corner", draw(64, 64, func(x, y int) color.NRGBA { return map[bool]color.NRGBA{true: red, false: white}[x == 0 && y == 0] })},
		{"nearly", draw(64, 64, func(x, y int) color.NRGBA { return color.NRGBA{255, 255, uint8(250 + (x+y)%5), 255} })},
		{"gradient", draw(64, 64, func(x, y int) color.NRGBA { return color.NRGBA{uint8(4 * x), uint8(4 * y), 0, 255} })},
		{"edge", draw(64, 64, func(x, y int) color.NRGBA { return color.NRGBA{200, 10, 10, uint8(255 - 255*b2i(x == 63))} })},
		{"one pixel", draw(1, 1, func(int, int) color.NRGBA { return red })},
		{"line", draw(64, 1, func(x, _ int) color.NRGBA { return color.NRGBA{uint8(x), 0, 0, 255} })},
	} {
		r.Whole(c.name, pictures.Look(c.m), nil)
	}
	seed.Golden(t, "look.txt", r.String())
}

func b2i(b bool) int {
	if b {
		return 1
	}
	return 0
}
