package thumb_test

import (
	"image"
	"image/color"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/thumb"
)

// TestOf averages: whole blocks exactly, uneven ones without leaving a pixel out, and
// transparent pixels without their colour.
func TestOf(t *testing.T) {
	m := image.NewNRGBA(image.Rect(3, 5, 7, 9))
	for y := 5; y < 9; y++ {
		for x := 3; x < 7; x++ {
			m.SetNRGBA(x, y, color.NRGBA{R: uint8(40 * (x - 3)), G: uint8(20 * (y - 5)), B: 200, A: 255})
		}
	}
	small := thumb.Of(m, 2, 2)
	assert.Equal(t, color.RGBA{20, 10, 200, 255}, small.RGBAAt(0, 0))
	assert.Equal(t, color.RGBA{100, 50, 200, 255}, small.RGBAAt(1, 1))
	assert.Equal(t, color.RGBA{60, 30, 200, 255}, thumb.Of(m, 1, 1).RGBAAt(0, 0))
	assert.Equal(t, color.RGBA{40, 60, 200, 255}, thumb.Of(m, 4, 4).RGBAAt(1, 3))
	uneven := thumb.Of(m, 3, 3) // columns of one, one and two
	assert.Equal(t, color.RGBA{0, 0, 200, 255}, uneven.RGBAAt(0, 0))
	assert.Equal(t, color.RGBA{40, 20, 200, 255}, uneven.RGBAAt(1, 1))
	assert.Equal(t, color.RGBA{100, 50, 200, 255}, uneven.RGBAAt(2, 2))

	clear := image.NewNRGBA(image.Rect(0, 0, 2, 1))
	clear.SetNRGBA(0, 0, color.NRGBA{255, 0, 0, 255})
	clear.SetNRGBA(1, 0, color.NRGBA{0, 255, 0, 0})
	assert.Equal(t, color.RGBA{128, 0, 0, 128}, thumb.Of(clear, 1, 1).RGBAAt(0, 0))

	for _, other := range []image.Image{image.NewYCbCr(image.Rect(0, 0, 5, 3), image.YCbCrSubsampleRatio420), image.NewGray(image.Rect(0, 0, 5, 3)), image.NewPaletted(image.Rect(0, 0, 5, 3), color.Palette{color.White, color.Black})} {
		want := color.RGBAModel.Convert(other.At(0, 0))
		got := thumb.Of(other, 2, 2)
		for y := range 2 {
			for x := range 2 {
				assert.Equal(t, want, got.RGBAAt(x, y), "%T", other)
			}
		}
	}
}

func TestRowRGB(t *testing.T) {
	b := thumb.New(4, 2, 2, 1)
	b.RowRGB([]byte{0, 0, 0, 10, 20, 30, 255, 255, 255, 255, 255, 255})
	b.RowRGB([]byte{0, 0, 0, 10, 20, 30, 0, 0, 0, 0, 0, 0})
	assert.Equal(t, []byte{5, 10, 15, 255, 128, 128, 128, 255}, b.Image().Pix)
	b = thumb.New(1, 3, 1, 1)
	b.RowRGB([]byte{30, 60, 90})
	b.Again()
	b.RowRGB([]byte{0, 0, 0})
	assert.Equal(t, []byte{20, 40, 60, 255}, b.Image().Pix)
}
