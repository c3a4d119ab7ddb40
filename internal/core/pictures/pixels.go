package pictures

import (
	"bufio"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"io"
	"os"

	"golang.org/x/image/draw"
	"golang.org/x/image/webp"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/format/pngmeta"
	"regola.example/regola/internal/core/imagehash"
	"regola.example/regola/internal/core/thumb"
)

// Pixels is what only the pixels of a picture show. They are decoded where a
// rule needs them: icons, graphics of the page, and what looks empty.
type Pixels struct {
	fact.Mark   `json:"-"`
	Colors      int64  `json:"colors"`      // distinct ones, counted up to 16; of suspects up to 2
	Transparent bool   `json:"transparent"` // some pixel shows what lies behind
	Corners     bool   `json:"corners"`     // a corner shows what lies behind
	Rounded     bool   `json:"rounded"`     // a square with its corners cut off, on a plain ground
	Framed      bool   `json:"framed"`      // a square within an empty border
	Border      int64  `json:"border"`      // of the empty border, in hundredths of the width
	Motif       string `json:"motif"`       // fingerprint of what it shows
}

// Bounds of what is decoded: pixels of one picture; of all suspects of one call that are
// held whole, and of those that are read row by row; of all icons and graphics of pages.
const (
	maxPixels   = 6 << 20
	maxSuspects = 32 << 20
	maxRows     = 400 << 20
	maxAlone    = 96 << 20
)

// enough is up to how many colours are counted.
const enough = 16

// Decode decodes a picture of at most so many pixels.
func (p *Picture) Decode(r io.Reader, most int64) (image.Image, error) {
	switch n := p.Width * p.Height; {
	case n > most:
		return nil, fmt.Errorf("%d x %d pixels are more than are decoded", p.Width, p.Height)
	case n <= 0:
		return nil, errors.New("it has no pixels")
	}
	switch p.Kind {
	case "png":
		return pngmeta.Decode(r, int(most))
	case "jpeg":
		return jpeg.Decode(r)
	case "webp":
		if p.Animated {
			return nil, errors.New("an animated WebP picture is not decoded")
		}
		return webp.Decode(r)
	case "gif":
		return gif.Decode(r)
	}
	return nil, fmt.Errorf("pictures of the kind %s are not decoded", p.Kind)
}

// Open decodes the picture's file, of at most so many pixels.
func (p *Picture) Open(most int64) (image.Image, error) {
	f, err := os.Open(p.Path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return p.Decode(f, most)
}

// Small is a copy of the picture that is no wider and no higher than side, in pixels; the
// picture has at most so many.
func (p *Picture) Small(side int, most int64) (image.Image, error) {
	w, h := fit(p.Width, side, p.Width, p.Height), fit(p.Height, side, p.Width, p.Height)
	if p.Kind == "png" && 2*int64(side) <= max(p.Width, p.Height) && w > 0 && h > 0 {
		f, err := os.Open(p.Path)
		if err != nil {
			return nil, err
		}
		m, err := pngmeta.Shrink(bufio.NewReaderSize(f, 64<<10), w, h, most)
		f.Close()
		if err == nil {
			return m, nil
		}
		if !errors.Is(err, pngmeta.ErrForm) {
			return nil, err
		}
	}
	m, err := p.Open(most)
	if err != nil {
		return nil, err
	}
	b := m.Bounds()
	n := max(b.Dx(), b.Dy())
	if n <= side {
		return m, nil
	}
	w, h = fit(int64(b.Dx()), side, int64(b.Dx()), int64(b.Dy())), fit(int64(b.Dy()), side, int64(b.Dx()), int64(b.Dy()))
	if n >= 2*side {
		return thumb.Of(m, w, h), nil
	}
	small := image.NewRGBA(image.Rect(0, 0, w, h))
	draw.BiLinear.Scale(small, small.Rect, m, b, draw.Src, nil)
	return small, nil
}

// fit is a length of a picture of w by h when its longer side becomes side.
func fit(n int64, side int, w, h int64) int {
	longer := max(w, h, 1)
	return int(max(1, (n*int64(side)+longer/2)/longer))
}

// Look finds what the pixels of a picture show.
func Look(picture image.Image) *Pixels {
	m := imagehash.Flat(picture)
	p := &Pixels{Motif: imagehash.Of(m)}
	w, h := m.Rect.Dx(), m.Rect.Dy()
	at := func(x, y int) color.NRGBA {
		i := y*m.Stride + 4*x
		return color.NRGBA{R: m.Pix[i], G: m.Pix[i+1], B: m.Pix[i+2], A: m.Pix[i+3]}
	}
	ground := at(0, 0)
	plain := true // all corners look alike
	for _, c := range []color.NRGBA{ground, at(w-1, 0), at(0, h-1), at(w-1, h-1)} {
		p.Corners = p.Corners || c.A < 255
		plain = plain && alike(c, ground)
	}
	seen := map[color.NRGBA]bool{}
	box := image.Rectangle{Min: image.Pt(w, h)} // of what is not ground
	for y := range h {
		row := m.Pix[y*m.Stride : y*m.Stride+4*w]
		for x := 0; x < w; {
			c, from, raw := at(x, y), x, binary.NativeEndian.Uint32(row[4*x:])
			for x < w && binary.NativeEndian.Uint32(row[4*x:]) == raw { // pixels in a row are mostly alike
				x++
			}
			p.Transparent = p.Transparent || c.A < 255
			if !alike(c, ground) {
				box.Min.X, box.Max.X = min(box.Min.X, from), max(box.Max.X, x)
				box.Min.Y, box.Max.Y = min(box.Min.Y, y), max(box.Max.Y, y+1)
			}
			if len(seen) < enough {
				if c.A == 0 {
					c = color.NRGBA{}
				}
				seen[c] = true
			}
		}
	}
	p.Colors = int64(len(seen))
	if !plain || box.Dx() <= 0 || box.Dx()*2 < w || box.Dy()*2 < h {
		return p
	}
	p.Border = int64(min(box.Min.X, w-box.Max.X, box.Min.Y, h-box.Max.Y) * 100 / w)
	// A square, also one with round corners, lies along its box for most of
	// each side; a circle and a drawing touch it here and there.
	if !straight(box, func(x, y int) bool { return !alike(at(x, y), ground) }) {
		return p
	}
	if p.Framed = p.Border > 0; !p.Framed {
		// The ground shows in the corners only, and is cut by a curve.
		p.Rounded = !alike(at(w/2, 1), ground) && alike(at(w/40, w/40), ground)
	}
	return p
}

// straight tells whether more than half of each side of a box is filled, just
// within it: edges are smoothed.
func straight(b image.Rectangle, filled func(x, y int) bool) bool {
	in := max(1, b.Dx()/128)
	var n [4]int
	for x := b.Min.X; x < b.Max.X; x++ {
		if filled(x, b.Min.Y+in) {
			n[0]++
		}
		if filled(x, b.Max.Y-1-in) {
			n[1]++
		}
	}
	for y := b.Min.Y; y < b.Max.Y; y++ {
		if filled(b.Min.X+in, y) {
			n[2]++
		}
		if filled(b.Max.X-1-in, y) {
			n[3]++
		}
	}
	return n[0]*2 > b.Dx() && n[1]*2 > b.Dx() && n[2]*2 > b.Dy() && n[3]*2 > b.Dy()
}

// alike tells whether two colours look alike; all that are transparent do.
func alike(a, b color.NRGBA) bool {
	if a.A < 16 && b.A < 16 {
		return true
	}
	d := func(x, y uint8) int { return max(int(x)-int(y), int(y)-int(x)) }
	return d(a.R, b.R)+d(a.G, b.G)+d(a.B, b.B)+d(a.A, b.A) <= 24
}
