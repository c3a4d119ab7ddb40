// Package thumb makes small copies of pictures by averaging the pixels that fall into
// each pixel of the copy. Rows are taken one after another, so that a large picture need
// not be held whole.
package thumb

import (
	"image"
	"image/color"
	"image/draw"
)

// Box averages a picture of one size into one that is smaller.
type Box struct {
	out    *image.RGBA
	height int      // of the source
	edges  []int    // where each column of the copy begins in the source, and the end
	sums   []uint64 // of the rows that fall into the next row of the copy, and of the last one
	last   []uint64
	y, to  int // the next row of the source, and of the copy
}

// New makes a box for a source of sw by sh pixels and a copy of w by h, which is no
// larger in either direction.
func New(sw, sh, w, h int) *Box {
	b := &Box{out: image.NewRGBA(image.Rect(0, 0, w, h)), height: sh, sums: make([]uint64, 4*w), last: make([]uint64, 4*w)}
	for i := range w + 1 {
		b.edges = append(b.edges, i*sw/w)
	}
	return b
}

// Row takes the next row of the source: red, green, blue and alpha of each pixel, the
// colours not multiplied by alpha.
func (b *Box) Row(pix []byte) {
	for c := range len(b.edges) - 1 {
		var r, g, bl, a uint64
		for p := pix[4*b.edges[c] : 4*b.edges[c+1]]; len(p) >= 4; p = p[4:] {
			if p[3] == 255 {
				r, g, bl, a = r+uint64(p[0]), g+uint64(p[1]), bl+uint64(p[2]), a+255
				continue
			}
			alpha := uint64(p[3])
			r, g, bl, a = r+uint64(p[0])*alpha/255, g+uint64(p[1])*alpha/255, bl+uint64(p[2])*alpha/255, a+alpha
		}
		b.add(c, r, g, bl, a)
	}
	b.end()
}

// RowRGB is Row for a source without alpha: three bytes a pixel.
func (b *Box) RowRGB(pix []byte) {
	for c := range len(b.edges) - 1 {
		var r, g, bl uint64
		for p := pix[3*b.edges[c] : 3*b.edges[c+1]]; len(p) >= 3; p = p[3:] {
			r, g, bl = r+uint64(p[0]), g+uint64(p[1]), bl+uint64(p[2])
		}
		b.add(c, r, g, bl, 255*uint64(b.edges[c+1]-b.edges[c]))
	}
	b.end()
}

// Again takes a row that is like the one before it.
func (b *Box) Again() {
	for i, n := range b.last {
		b.sums[i] += n
	}
	b.end()
}

func (b *Box) add(c int, r, g, bl, a uint64) {
	l, s := b.last[4*c:4*c+4], b.sums[4*c:4*c+4]
	l[0], l[1], l[2], l[3] = r, g, bl, a
	s[0], s[1], s[2], s[3] = s[0]+r, s[1]+g, s[2]+bl, s[3]+a
}

// end ends a row of the source, and one of the copy when it was its last.
func (b *Box) end() {
	h := b.out.Rect.Dy()
	from := b.to * b.height / h
	if b.y++; b.to >= h || b.y < (b.to+1)*b.height/h {
		return
	}
	rows := uint64(b.y - from)
	pix := b.out.Pix[b.to*b.out.Stride:]
	for c := range len(b.edges) - 1 {
		n := rows * uint64(b.edges[c+1]-b.edges[c])
		for k := range 4 {
			pix[4*c+k] = byte((b.sums[4*c+k] + n/2) / n)
		}
	}
	clear(b.sums)
	b.to++
}

// Image is the copy, once every row was taken.
func (b *Box) Image() *image.RGBA { return b.out }

// Of is a copy of a picture that is held whole.
func Of(m image.Image, w, h int) *image.RGBA {
	r := m.Bounds()
	b := New(r.Dx(), r.Dy(), w, h)
	row := image.NewNRGBA(image.Rect(0, 0, r.Dx(), 1))
	for y := r.Min.Y; y < r.Max.Y; y++ {
		switch m := m.(type) {
		case *image.NRGBA:
			at := m.PixOffset(r.Min.X, y)
			b.Row(m.Pix[at : at+4*r.Dx()])
			continue
		case *image.YCbCr:
			for x := range r.Dx() {
				at, c := m.YOffset(r.Min.X+x, y), m.COffset(r.Min.X+x, y)
				row.Pix[4*x], row.Pix[4*x+1], row.Pix[4*x+2] = color.YCbCrToRGB(m.Y[at], m.Cb[c], m.Cr[c])
				row.Pix[4*x+3] = 255
			}
		default:
			draw.Draw(row, row.Rect, m, image.Pt(r.Min.X, y), draw.Src)
		}
		b.Row(row.Pix)
	}
	return b.Image()
}
