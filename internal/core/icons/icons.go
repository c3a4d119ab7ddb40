// Package icons makes every icon that packages and store pages need from one
// master. Sizes and safe zones are those of the platforms: the launcher's
// densities, adaptive icons of 108 dp whose middle circle of 66 dp no mask cuts,
// and asset catalogues of one picture of 1024 pixels a look.
package icons

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"math"
	"path"

	xdraw "golang.org/x/image/draw"

	"regola.example/regola/internal/canvas"
	"regola.example/regola/internal/core/imagehash"
	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/place"
)

// Side is the least side of a master, in pixels, and that of the largest icon.
const Side = 1024

// File is one file of the set.
type File struct {
	Path   string // with slashes
	Data   []byte
	Width  int // pixels; 0 for a text
	Height int
	What   string // what it is for
}

// Options are how the set is made.
type Options struct {
	Name       string       // of the resources in an Android package
	Background *color.NRGBA // laid under a transparent master; nil refuses one
}

// densities of launchers, with the side of an icon of 48 dp in pixels.
var densities = []struct {
	name string
	side int
}{{"mdpi", 48}, {"hdpi", 72}, {"xhdpi", 96}, {"xxhdpi", 144}, {"xxxhdpi", 192}}

// Parts of an adaptive icon, in dp.
const (
	layer   = 108
	visible = 72
	safe    = 66
)

// Make draws the set. The problem says why the master does not serve.
func Make(master image.Image, o Options) ([]File, *place.Problem) {
	m, problem := flatten(master, o.Background)
	if problem != nil {
		return nil, problem
	}
	s := &set{master: m, name: o.Name}
	s.look()
	bright := s.front
	if bright == nil {
		bright = s.bright()
	}
	for _, d := range densities {
		side := d.side * layer / 48
		at := "android/res/mipmap-" + d.name + "/" + s.name
		plain, front := s.scaled(d.side), s.foreground(side, bright)
		s.png(at+".png", plain, "launcher, "+d.name)
		s.png(at+"_round.png", masked(plain, canvas.RoundMask(d.side, d.side, float64(d.side)/2)), "round launcher, "+d.name)
		if s.ground == nil { // the lower layer shows the picture
			s.png(at+"_background.png", s.extended(side), "lower layer, "+d.name)
			s.png(at+"_foreground.png", withAlpha{image.NewNRGBA(front.Rect)}, "upper layer, empty, "+d.name)
		} else {
			s.png(at+"_foreground.png", withAlpha{front}, "upper layer, "+d.name)
		}
		s.png(at+"_one_colour.png", withAlpha{white(front)}, "one-colour layer, "+d.name)
	}
	background := "@mipmap/" + s.name + "_background"
	if s.ground != nil {
		background = "@color/" + s.name + "_background"
		s.text("android/res/values/"+s.name+".xml", fmt.Sprintf("<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<resources>\n    <color name=\"%s_background\">#%02X%02X%02X</color>\n</resources>\n",
			s.name, s.ground.R, s.ground.G, s.ground.B), "colour of the lower layer")
	}
	adaptive := fmt.Sprintf(`<?xml version="1.0" encoding="utf-8"?>
<adaptive-icon xmlns:android="http://schemas.android.com/apk/res/android">
    <background android:drawable="%s"/>
    <foreground android:drawable="@mipmap/%s_foreground"/>
    <monochrome android:drawable="@mipmap/%s_one_colour"/>
</adaptive-icon>
`, background, s.name, s.name)
	for _, suffix := range []string{"", "_round"} {
		s.text("android/res/mipmap-anydpi-v26/"+s.name+suffix+".xml", adaptive, "adaptive icon")
	}
	s.png("android/icon.png", withAlpha{s.scaled(512)}, "store page of the Android store")
	s.png("ios/icon.png", s.scaled(Side), "store page of the iOS store, flat")
	const catalog = "ios/Assets.xcassets/AppIcon.appiconset/"
	s.png(catalog+"icon.png", s.scaled(Side), "any look, flat")
	s.png(catalog+"icon-dark.png", s.dark(), "dark look")
	s.png(catalog+"icon-tinted.png", s.tinted(), "tinted look")
	s.text(catalog+"Contents.json", contents, "contents of the icon set")
	s.text("ios/Assets.xcassets/Contents.json", "{\n  \"info\" : { \"author\" : \"regola\", \"version\" : 1 }\n}\n", "contents of the catalogue")
	return s.files, nil
}

// contents lists the looks of an icon set, in the form of asset catalogues.
const contents = `{
  "images" : [
    { "filename" : "icon.png", "idiom" : "universal", "platform" : "ios", "size" : "1024x1024" },
    { "appearances" : [ { "appearance" : "luminosity", "value" : "dark" } ], "filename" : "icon-dark.png", "idiom" : "universal", "platform" : "ios", "size" : "1024x1024" },
    { "appearances" : [ { "appearance" : "luminosity", "value" : "tinted" } ], "filename" : "icon-tinted.png", "idiom" : "universal", "platform" : "ios", "size" : "1024x1024" }
  ],
  "info" : { "author" : "regola", "version" : 1 }
}
`

// flatten refuses a master that does not serve, and lays a ground under one that
// is transparent.
func flatten(master image.Image, ground *color.NRGBA) (*image.NRGBA, *place.Problem) {
	b := master.Bounds()
	switch {
	case b.Dx() != b.Dy():
		return nil, &place.Problem{What: fmt.Sprintf("the master has %d x %d pixels, which is no square", b.Dx(), b.Dy()), Fix: "crop it, or fill it up to a square"}
	case b.Dx() < Side:
		return nil, &place.Problem{What: fmt.Sprintf("the master has %d pixels a side; %d are needed", b.Dx(), Side), Fix: "export it again from its drawing; enlarging it makes it blurred"}
	}
	m := imagehash.Flat(master)
	p := pictures.Look(m)
	if p.Transparent && ground == nil {
		return nil, &place.Problem{What: "the master has transparent pixels, and a store icon may have none", Fix: "fill its ground, or name a colour for it: --background '#B5532A'"}
	}
	if p.Transparent {
		n := image.NewNRGBA(m.Rect)
		draw.Draw(n, n.Rect, image.NewUniform(*ground), image.Point{}, draw.Src)
		draw.Draw(n, n.Rect, m, image.Point{}, draw.Over)
		m, p = n, pictures.Look(n)
	}
	switch {
	case p.Rounded:
		return nil, &place.Problem{What: "the corners of the master are rounded already; stores and launchers cut the shape themselves", Fix: "fill the square to its corners"}
	case p.Colors <= 1:
		return nil, &place.Problem{What: "the master is of one colour", Fix: "name the picture of the icon"}
	}
	return m, nil
}

// set is what is being made.
type set struct {
	master *image.NRGBA
	name   string
	ground *color.NRGBA // of the whole master where it is plain; nil where it is not
	front  *image.NRGBA // the master without its ground
	reach  float64      // of the motif from the middle, in shares of the side
	files  []File
}

// look parts ground and motif: a plain ground is one whose corners and most of
// whose edges have one colour.
func (s *set) look() {
	m := s.master
	side := m.Rect.Dx()
	ground, edge, alike := m.NRGBAAt(0, 0), 0, 0
	for i := range side {
		for _, p := range []image.Point{{i, 0}, {i, side - 1}, {0, i}, {side - 1, i}} {
			edge++
			if apart(m.NRGBAAt(p.X, p.Y), ground) < 24 {
				alike++
			}
		}
	}
	if alike*100 < edge*98 {
		return
	}
	s.ground, s.front = &ground, image.NewNRGBA(m.Rect)
	half, furthest := float64(side)/2, 0.0
	for y := range side {
		for x := range side {
			c := m.NRGBAAt(x, y)
			// Smoothed edges are part ground: they become part transparent.
			a := min(255, apart(c, ground)*255/96)
			if a == 0 {
				continue
			}
			s.front.SetNRGBA(x, y, color.NRGBA{R: without(c.R, ground.R, a), G: without(c.G, ground.G, a), B: without(c.B, ground.B, a), A: uint8(a)})
			if a > 127 {
				furthest = max(furthest, math.Hypot(float64(x)-half, float64(y)-half))
			}
		}
	}
	s.reach = furthest / float64(side)
}

// without is a channel of a colour whose share a was laid over a ground.
func without(c, ground uint8, a int) uint8 {
	return uint8(max(0, min(255, (int(c)*255-int(ground)*(255-a))/a)))
}

// apart is how far two colours are from each other, by all channels.
func apart(a, b color.NRGBA) int {
	d := func(x, y uint8) int { return max(int(x)-int(y), int(y)-int(x)) }
	return d(a.R, b.R) + d(a.G, b.G) + d(a.B, b.B)
}

// fit draws a picture into a part of a square, resampled by a cubic filter.
func fit(side int, part image.Rectangle, m *image.NRGBA) *image.NRGBA {
	if m.Rect == image.Rect(0, 0, side, side) && part == m.Rect {
		n := image.NewNRGBA(m.Rect)
		copy(n.Pix, m.Pix)
		return n
	}
	out := image.NewRGBA(image.Rect(0, 0, side, side)) // the form for which there are fast ways
	xdraw.CatmullRom.Scale(out, part, m, m.Rect, draw.Src, nil)
	if out.Opaque() {
		return imagehash.Flat(out)
	}
	n := image.NewNRGBA(out.Rect)
	draw.Draw(n, n.Rect, out, image.Point{}, draw.Src)
	return n
}

// scaled is the master at a size, opaque.
func (s *set) scaled(side int) *image.NRGBA {
	out := fit(side, image.Rect(0, 0, side, side), s.master)
	for i := 3; i < len(out.Pix); i += 4 {
		out.Pix[i] = 255
	}
	return out
}

// foreground draws a motif into a layer of an adaptive icon, so that all of it
// lies in the circle that no mask cuts.
func (s *set) foreground(side int, front *image.NRGBA) *image.NRGBA {
	share := float64(visible) / layer // of the layer's side that the master's takes
	if s.reach > 0 {
		share = min(share, float64(safe)/layer/2/s.reach)
	}
	w := int(math.Round(float64(side) * share))
	at := (side - w) / 2
	return fit(side, image.Rect(at, at, at+w, at+w), front)
}

// extended is a lower layer of a master without a plain ground: the master in the
// part that is seen, its edges drawn on into what only moves into sight.
func (s *set) extended(side int) image.Image {
	w := side * visible / layer
	at := (side - w) / 2
	in := s.scaled(w)
	out := image.NewNRGBA(image.Rect(0, 0, side, side))
	for y := range side {
		for x := range side {
			out.SetNRGBA(x, y, in.NRGBAAt(max(0, min(w-1, x-at)), max(0, min(w-1, y-at))))
		}
	}
	return out
}

// white is a motif in one colour, by its alpha.
func white(m *image.NRGBA) *image.NRGBA {
	out := image.NewNRGBA(m.Rect)
	for i := 0; i+4 <= len(m.Pix); i += 4 {
		copy(out.Pix[i:], []byte{255, 255, 255, m.Pix[i+3]})
	}
	return out
}

// bright is the brighter part of a master without a plain ground, or its darker
// part where that is less: the part in which the motif is likely to be. The
// threshold is that of Otsu: it parts the brightnesses into the two groups that
// differ most.
func (s *set) bright() *image.NRGBA {
	m := s.master
	var count [256]int
	for i := 0; i+4 <= len(m.Pix); i += 4 {
		count[brightness(m.Pix[i:])]++
	}
	n, sum := len(m.Pix)/4, 0
	for v, c := range count {
		sum += v * c
	}
	best, threshold, below, sumBelow := 0.0, 0, 0, 0
	for v, c := range count {
		below += c
		sumBelow += v * c
		if below == 0 || below == n {
			continue
		}
		d := float64(sumBelow)/float64(below) - float64(sum-sumBelow)/float64(n-below)
		if between := float64(below) * float64(n-below) * d * d; between > best {
			best, threshold = between, v
		}
	}
	out, above := image.NewNRGBA(m.Rect), 0
	for _, c := range count[threshold+1:] {
		above += c
	}
	const soft = 16
	for i := 0; i+4 <= len(m.Pix); i += 4 {
		d := brightness(m.Pix[i:]) - threshold
		if above*2 > n {
			d = -d
		}
		out.Pix[i+3] = uint8(max(0, min(255, (d+soft)*255/(2*soft))))
	}
	if corner := out.Pix[3]; corner > 127 { // the ground was taken for the motif
		for i := 3; i < len(out.Pix); i += 4 {
			out.Pix[i] = 255 - out.Pix[i]
		}
	}
	return out
}

// brightness of a pixel as eyes see it, from 0 to 255. Source: ITU-R BT.601.
func brightness(p []byte) int { return (299*int(p[0]) + 587*int(p[1]) + 114*int(p[2])) / 1000 }

// dark is the look for dark home screens: the motif alone, since the system
// supplies the ground, or the whole picture dimmed.
func (s *set) dark() image.Image {
	if s.front != nil {
		return withAlpha{fit(Side, image.Rect(0, 0, Side, Side), s.front)}
	}
	out := s.scaled(Side)
	for i := 0; i+4 <= len(out.Pix); i += 4 {
		for k := range 3 {
			out.Pix[i+k] = uint8(int(out.Pix[i+k]) * 3 / 4)
		}
	}
	return out
}

// tinted is the look that the system tints: the motif in grey on black, or the
// picture in grey.
func (s *set) tinted() image.Image {
	out := s.scaled(Side)
	var front *image.NRGBA
	if s.front != nil {
		front = fit(Side, out.Rect, s.front)
	}
	for i := 0; i+4 <= len(out.Pix); i += 4 {
		v := brightness(out.Pix[i:])
		if front != nil {
			v = max(96, brightness(front.Pix[i:])) * int(front.Pix[i+3]) / 255
		}
		copy(out.Pix[i:], []byte{uint8(v), uint8(v), uint8(v), 255})
	}
	return out
}

// masked cuts a picture to a mask.
func masked(m *image.NRGBA, mask *image.Alpha) image.Image {
	out := image.NewNRGBA(m.Rect)
	draw.DrawMask(out, out.Rect, m, image.Point{}, mask, image.Point{}, draw.Src)
	return withAlpha{out}
}

// withAlpha keeps the alpha channel of a picture that is opaque.
type withAlpha struct{ *image.NRGBA }

// Opaque implements the interface by which the encoder drops the channel.
func (withAlpha) Opaque() bool { return false }

func (s *set) png(name string, m image.Image, what string) {
	var b bytes.Buffer
	e := png.Encoder{CompressionLevel: png.BestCompression}
	if err := e.Encode(&b, m); err != nil {
		panic("icons: " + err.Error()) // into memory
	}
	s.files = append(s.files, File{path.Clean(name), b.Bytes(), m.Bounds().Dx(), m.Bounds().Dy(), what})
}

func (s *set) text(name, text, what string) {
	s.files = append(s.files, File{Path: path.Clean(name), Data: []byte(text), What: what})
}
