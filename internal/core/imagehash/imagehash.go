// Package imagehash compares what pictures show, whatever their size and mask: an
// icon of a package with that of a store page.
package imagehash

import (
	"image"
	"strconv"
)

// grid is the side of the small picture that a fingerprint is.
const grid = 8

// Of makes the fingerprint of a picture: its middle, which no mask of an icon
// cuts, in 8 by 8 cells, line by line, three hexadecimal digits each for red,
// green and blue. Transparent parts count as white. The picture is one of Flat.
func Of(m *image.NRGBA) string {
	b := m.Bounds()
	// The outer sixth is what masks, margins and shadows take.
	b = image.Rect(b.Min.X+b.Dx()/6, b.Min.Y+b.Dy()/6, b.Max.X-b.Dx()/6, b.Max.Y-b.Dy()/6)
	if b.Empty() {
		return ""
	}
	out := make([]byte, 0, grid*grid*3)
	for i := range grid * grid {
		x, y := i%grid, i/grid
		cell := image.Rect(b.Min.X+x*b.Dx()/grid, b.Min.Y+y*b.Dy()/grid, b.Min.X+(x+1)*b.Dx()/grid, b.Min.Y+(y+1)*b.Dy()/grid)
		cell.Max.X, cell.Max.Y = max(cell.Max.X, cell.Min.X+1), max(cell.Max.Y, cell.Min.Y+1)
		for _, v := range mean(m, cell) {
			out = strconv.AppendInt(out, int64(v/16), 16)
		}
	}
	return string(out)
}

// mean is the mean colour of a part, of at most 64 samples or so.
func mean(m *image.NRGBA, r image.Rectangle) (c [3]int) {
	n, stepX, stepY := 0, max(1, r.Dx()/8), max(1, r.Dy()/8)
	for y := r.Min.Y; y < r.Max.Y; y += stepY {
		for x := r.Min.X; x < r.Max.X; x += stepX {
			p := m.Pix[m.PixOffset(x, y):]
			a := int(p[3])
			for i := range c {
				c[i] += (int(p[i])*a + 255*(255-a)) / 255
			}
			n++
		}
	}
	for i := range c {
		c[i] /= n
	}
	return c
}

// Same tells whether two fingerprints are of one picture, saved anew perhaps in another size or
// form, which moves a cell by one step. It is false for what is no fingerprint.
func Same(a, b string) bool {
	if len(a) != grid*grid*3 || len(b) != len(a) {
		return false
	}
	for i := range len(a) {
		if x, y := digit(a[i]), digit(b[i]); max(x-y, y-x) > 1 {
			return false
		}
	}
	return true
}

// Likeness is how far two fingerprints show the same, from 0 to 100: the better
// of what the places and what the colours have in common. A motif that is drawn
// larger keeps its colours, one that is tinted keeps its places. It is 0 for what
// is no fingerprint.
func Likeness(a, b string) int {
	if len(a) != grid*grid*3 || len(b) != len(a) {
		return 0
	}
	apart := 0
	var colors [2][4 * 4 * 4]int
	for i := 0; i < len(a); i += 3 {
		var at [2]int
		for k := range 3 {
			x, y := digit(a[i+k]), digit(b[i+k])
			apart += max(x-y, y-x)
			at[0], at[1] = at[0]*4+x/4, at[1]*4+y/4
		}
		colors[0][at[0]]++
		colors[1][at[1]]++
	}
	shared := 0
	for i := range colors[0] {
		shared += min(colors[0][i], colors[1][i])
	}
	// Two pictures that have nothing in common differ by six of sixteen steps in
	// the mean.
	return max(100-min(100, apart*100/(len(a)*6)), shared*100/(grid*grid))
}

func digit(c byte) int {
	n, err := strconv.ParseUint(string(c), 16, 8)
	if err != nil {
		return 0
	}
	return int(n)
}
