// Package picture reads the pictures of icons that lie in packages.
package picture

import (
	"bytes"
	"fmt"
	"image"
	"image/jpeg"

	"golang.org/x/image/webp"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/jpegmeta"
	"regola.example/regola/internal/core/format/pngmeta"
	"regola.example/regola/internal/core/format/webpmeta"
	"regola.example/regola/internal/core/imagehash"
)

// MaxBytes bounds the file of an icon.
const MaxBytes = 8 << 20

// maxPixels bounds what is decoded of it: the largest icon has 1024 pixels a side.
const maxPixels = 1 << 20

// Read fills what the bytes of a picture tell: its kind by content, its size, and
// what its pixels show. Pixels that cannot be decoded are a gap of their own; the
// error says that it is no picture.
func Read(f *facts.IconFile, data []byte) error {
	src, crushed := bytes.NewReader(data), false
	decode := func() (image.Image, error) { return nil, fmt.Errorf("pictures of this kind are not decoded") }
	switch {
	case pngmeta.Is(data):
		info, err := pngmeta.Read(src)
		if err != nil {
			return err
		}
		f.Format, f.Width, f.Height, f.Alpha = "png", int64(info.Width), int64(info.Height), info.Alpha
		// The platform's own form always has the channel: its pixels tell whether the
		// picture was transparent.
		crushed = info.Crushed
		decode = func() (image.Image, error) { return pngmeta.Decode(bytes.NewReader(data), maxPixels) }
	case webpmeta.Is(data):
		info, err := webpmeta.Read(src, src.Size())
		if f.Format = "webp"; err != nil {
			return err
		}
		f.Width, f.Height, f.Alpha = int64(info.Width), int64(info.Height), info.Alpha
		if !info.Animated {
			decode = func() (image.Image, error) { return webp.Decode(bytes.NewReader(data)) }
		}
	case jpegmeta.Is(data):
		info, err := jpegmeta.Read(src, src.Size())
		if f.Format = "jpeg"; err != nil {
			return err
		}
		f.Width, f.Height = int64(info.Width), int64(info.Height)
		decode = func() (image.Image, error) { return jpeg.Decode(bytes.NewReader(data)) }
	default:
		return fmt.Errorf("begins with % x, which is no picture known here", data[:min(4, len(data))])
	}
	var m image.Image
	err := fmt.Errorf("%d x %d pixels are more than are decoded", f.Width, f.Height)
	if f.Width*f.Height <= maxPixels {
		m, err = decode()
	}
	if err != nil {
		fact.Lose(f, &f.Colors, fact.Unread(err.Error()))
		if crushed {
			fact.Lose(f, &f.Alpha, fact.Unread("the picture is in the platform's own form, which always has an alpha channel, and its pixels could not be decoded: "+err.Error()))
		}
		return nil
	}
	n := imagehash.Flat(m)
	if crushed {
		f.Alpha = !opaque(n)
	}
	f.Colors, f.Motif = int64(pngmeta.Colors(n)), imagehash.Of(n)
	return nil
}

// Solid tells whether a picture has no transparent pixel. One that cannot be
// decoded has none that is known.
func Solid(data []byte) bool {
	f := &facts.IconFile{}
	if Read(f, data) != nil || f.Width*f.Height > maxPixels {
		return false
	}
	if !f.Alpha && fact.ReasonOf(f, &f.Alpha) == "" {
		return true
	}
	var m image.Image
	var err error
	if pngmeta.Is(data) {
		m, err = pngmeta.Decode(bytes.NewReader(data), maxPixels)
	} else {
		m, err = webp.Decode(bytes.NewReader(data))
	}
	if err != nil {
		return false
	}
	return opaque(imagehash.Flat(m))
}

// opaque tells whether no pixel shows what lies behind.
func opaque(n *image.NRGBA) bool {
	for i := 3; i < len(n.Pix); i += 4 {
		if n.Pix[i] < 255 {
			return false
		}
	}
	return true
}
