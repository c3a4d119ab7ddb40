package imagehash

import (
	"image"
	"image/color"
	"testing"

	"github.com/stretchr/testify/assert"
)

// drawn is a picture with a disc on a ground.
func drawn(side, radius int, disc, ground color.NRGBA) *image.NRGBA {
	m := image.NewNRGBA(image.Rect(0, 0, side, side))
	for y := range side {
		for x := range side {
			dx, dy := x-side/2, y-side/2
			c := ground
			if dx*dx+dy*dy < radius*radius {
				c = disc
			}
			m.SetNRGBA(x, y, c)
		}
	}
	return m
}

func TestOf(t *testing.T) {
	red, white, clear := color.NRGBA{R: 255, A: 255}, color.NRGBA{R: 255, G: 255, B: 255, A: 255}, color.NRGBA{}
	one := Of(drawn(120, 30, red, white))
	assert.Len(t, one, 192)
	assert.Equal(t, "fff", one[:3], "its corner")
	assert.Equal(t, "f00", one[3*(8*4+4):3*(8*4+4)+3], "its middle")
	assert.Equal(t, one, Of(drawn(120, 30, red, clear)), "what is transparent counts as white")
	assert.Greater(t, Likeness(one, Of(drawn(480, 120, red, white))), 95, "the same, larger")
	assert.Less(t, Likeness(one, Of(drawn(120, 30, color.NRGBA{B: 255, A: 255}, color.NRGBA{A: 255}))), 40)
	assert.Equal(t, 100, Likeness(one, one))
	assert.Zero(t, Likeness(one, "fff"))
	assert.Zero(t, Likeness("", ""))
	assert.True(t, Same(one, Of(drawn(240, 60, red, white))), "the same, larger")
	assert.True(t, Same("012"+one[3:], "123"+one[3:]), "a step lighter")
	assert.False(t, Same("012"+one[3:], "032"+one[3:]), "two steps")
	assert.False(t, Same(one, Of(drawn(120, 20, red, white))), "a smaller disc")
	assert.False(t, Same("fff", "fff"))
	assert.Empty(t, Of(image.NewNRGBA(image.Rect(0, 0, 0, 0))))
	assert.Len(t, Of(drawn(2, 1, red, white)), 192, "a picture smaller than the grid")
	// Half of the cells differ wholly: nothing of the places, half of the colours.
	black, half := Of(drawn(96, 0, red, color.NRGBA{A: 255})), image.NewNRGBA(image.Rect(0, 0, 96, 96))
	for i := range half.Pix {
		half.Pix[i] = 255
		if i%4 != 3 && i/half.Stride < 48 {
			half.Pix[i] = 0
		}
	}
	assert.Equal(t, 50, Likeness(black, Of(half)))
}

func TestFlat(t *testing.T) {
	c := color.NRGBA{R: 10, G: 200, B: 30, A: 255}
	at := image.Rect(3, 4, 9, 8)
	for name, m := range map[string]interface {
		image.Image
		Set(x, y int, c color.Color)
	}{"nrgba": image.NewNRGBA(at), "rgba": image.NewRGBA(at), "paletted": image.NewPaletted(at, color.Palette{color.Transparent, c}), "deep": image.NewNRGBA64(at)} {
		m.Set(5, 6, c)
		n := Flat(m)
		assert.Equal(t, image.Rect(0, 0, 6, 4), n.Rect, name)
		assert.Equal(t, c, n.NRGBAAt(2, 2), name)
		assert.Zero(t, n.NRGBAAt(0, 0).A, name)
	}
	whole := image.NewRGBA(image.Rect(0, 0, 2, 2))
	for i := range whole.Pix {
		whole.Pix[i] = 255
	}
	assert.Equal(t, whole.Pix, Flat(whole).Pix)
	same := image.NewNRGBA(image.Rect(0, 0, 2, 2))
	assert.Same(t, same, Flat(same))
	gray := image.NewGray(image.Rect(1, 1, 3, 3))
	gray.SetGray(2, 2, color.Gray{Y: 77})
	assert.Equal(t, color.NRGBA{77, 77, 77, 255}, Flat(gray).NRGBAAt(1, 1))
}
