package pngmeta_test

import (
	"bytes"
	"image"
	"image/color"
	"testing"

	"regola.example/regola/internal/core/format/pngmeta"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	gray := image.NewGray16(image.Rect(0, 0, 5, 3))
	gray.SetGray16(2, 1, color.Gray16{Y: 0x8001})
	clear := image.NewNRGBA(image.Rect(0, 0, 9, 7))
	for i := range clear.Pix {
		clear.Pix[i] = byte(i * i)
	}
	few := image.NewPaletted(image.Rect(0, 0, 6, 4), color.Palette{color.White, color.Black, color.RGBA{R: 200, A: 90}})
	few.SetColorIndex(3, 3, 2)
	deep, solid := image.NewNRGBA64(image.Rect(0, 0, 4, 3)), image.NewRGBA(image.Rect(0, 0, 5, 4))
	for i := range deep.Pix {
		deep.Pix[i] = byte(i * 37)
	}
	for i := range solid.Pix {
		solid.Pix[i] = byte(i*11) | byte(i%4/3*255)
	}
	seed.Outcomes(t, map[string][]byte{
		"gray": encode(t, gray), "clear": encode(t, clear), "few": encode(t, few), "deep": encode(t, deep), "solid": encode(t, solid), "packed": seed.Packed(encode(t, clear)), "made": seed.PNG(t, 8, 8, true),
	}, func(data []byte) (any, error) {
		head, err := pngmeta.Read(bytes.NewReader(data))
		if err != nil {
			return nil, err
		}
		n, nErr := colors(data)
		one, oneErr := pngmeta.OneColor(bytes.NewReader(data))
		small, smallErr := pngmeta.Shrink(bytes.NewReader(data), 3, 2, 400)
		return []any{head, n, nErr, one, oneErr, small, smallErr}, nil
	})
}
