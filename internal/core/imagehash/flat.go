package imagehash

import (
	"image"
	"image/draw"
)

// Flat is a picture as plain bytes of red, green, blue and alpha, not multiplied,
// with its corner at (0, 0): looking at single pixels costs nothing then.
func Flat(m image.Image) *image.NRGBA {
	if n, ok := m.(*image.NRGBA); ok && n.Rect.Min == (image.Point{}) {
		return n
	}
	b := m.Bounds()
	n := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	if p, ok := m.(*image.Paletted); ok { // without a detour over a colour a pixel
		var colors [256][4]byte
		for i, c := range p.Palette {
			one := n.ColorModel().Convert(c)
			r := image.NewNRGBA(image.Rect(0, 0, 1, 1))
			r.Set(0, 0, one)
			copy(colors[i][:], r.Pix)
		}
		for y := range b.Dy() {
			row := p.Pix[y*p.Stride:]
			for x := range b.Dx() {
				copy(n.Pix[y*n.Stride+4*x:], colors[row[x]][:])
			}
		}
		return n
	}
	if opaque, ok := m.(interface{ Opaque() bool }); ok && opaque.Opaque() {
		// An opaque picture is the same multiplied and not; for that form there
		// are fast ways.
		if p, ok := m.(*image.RGBA); ok && p.Rect.Min == (image.Point{}) {
			return &image.NRGBA{Pix: p.Pix, Stride: p.Stride, Rect: p.Rect}
		}
		rgba := &image.RGBA{Pix: n.Pix, Stride: n.Stride, Rect: n.Rect}
		draw.Draw(rgba, n.Rect, m, b.Min, draw.Src)
		return n
	}
	draw.Draw(n, n.Rect, m, b.Min, draw.Src)
	return n
}
