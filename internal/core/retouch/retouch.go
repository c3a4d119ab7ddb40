// Package retouch makes copies of pictures of a store page without the faults that need no
// eye: an alpha channel, more than 8 bits, a tag that turns them, colours of another profile
// than sRGB, a name that promises another kind, a kind that the store does not take, a size
// that is that of a class times a whole ratio.
package retouch

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"image/png"
	"slices"
	"strings"

	xdraw "golang.org/x/image/draw"

	"regola.example/regola/internal/core/format/icc"
	"regola.example/regola/internal/core/format/jpegmeta"
	"regola.example/regola/internal/core/imagehash"
	"regola.example/regola/internal/core/pictures"
)

// maxPixels bounds a picture that is decoded: some four times what the largest screen shows.
const maxPixels = 16 << 20

// quality is that of JPEG files that are written anew, of 100.
const quality = 95

// Want is what the stores take in which a picture counts.
type Want struct {
	Formats       []string // kinds; empty for any
	NoAlpha       bool     // an alpha channel is refused
	Alpha         bool     // an alpha channel is asked for, also where every pixel is opaque
	Bytes         int64    // at most; 0 for any
	Width, Height int64    // to be scaled to, in pixels as shown; 0 for no scaling
}

// Result is a copy of a picture.
type Result struct {
	Data []byte   // nil when the file itself is copied
	Kind string   // of the copy: png or jpeg; that of the picture when the file itself is copied
	Done []string // what is different
	Left []string // what could not be done, and why
}

// Picture makes the copy of a picture, whose file holds data. ground is what shows through
// where it is transparent; nil when nobody said.
func Picture(p *pictures.Picture, data []byte, want Want, ground *color.NRGBA) Result {
	out := Result{Kind: p.Kind}
	if p.Film || p.Fault != "" {
		return out
	}
	did := func(format string, args ...any) { out.Done = append(out.Done, fmt.Sprintf(format, args...)) }
	left := func(format string, args ...any) { out.Left = append(out.Left, fmt.Sprintf(format, args...)) }
	taken := func(kind string) bool { return len(want.Formats) == 0 || slices.Contains(want.Formats, kind) }
	if p.Promised != p.Kind && taken(p.Kind) {
		did("named as the %s that it is", strings.ToUpper(p.Kind))
	}
	profile, other := profileOf(p, data)
	pixels := p.Turned || p.Depth > 8 || p.Alpha && want.NoAlpha || !p.Alpha && want.Alpha && taken("png") || !taken(p.Kind) || want.Width > 0 || profile != nil
	switch {
	case p.Animated:
		left("it moves; which of its pictures is meant is for you to say")
		return out
	case p.Colors == "cmyk":
		left("its colours are for print (CMYK); export it again as RGB")
		return out
	case other != nil:
		left("%v; export it again with the profile sRGB", other)
	}
	if !pixels {
		return out
	}
	m, err := decode(p, data)
	if err != nil {
		left("%v", err)
		return out
	}
	if p.Turned {
		did("turned as its tag says, without the tag")
	}
	if p.Depth > 8 {
		did("8 bits a channel")
	}
	if profile != nil {
		profile.Convert(m)
		did("its colours converted to sRGB")
	}
	if p.Alpha && want.NoAlpha {
		switch {
		case m.Opaque():
			did("without the alpha channel, which nothing made use of")
		case ground == nil:
			left("parts of it are transparent; say with --background what stands behind them")
			return out
		default:
			m = flatten(m, *ground)
			did("on the background #%02x%02x%02x, without the alpha channel", ground.R, ground.G, ground.B)
		}
	}
	if want.Width > 0 {
		scaled := image.NewNRGBA(image.Rect(0, 0, int(want.Width), int(want.Height)))
		xdraw.CatmullRom.Scale(scaled, scaled.Rect, m, m.Rect, draw.Src, nil)
		m = scaled
		did("scaled from %d x %d to %d x %d", p.Width, p.Height, want.Width, want.Height)
	}
	out.encode(m, p, want, taken)
	return out
}

// encode writes the pixels in the kind of the picture where that is taken.
func (r *Result) encode(m *image.NRGBA, p *pictures.Picture, want Want, taken func(string) bool) {
	var b bytes.Buffer
	var err error
	switch {
	case want.Alpha && taken("png"):
		err = (&png.Encoder{CompressionLevel: png.BestCompression}).Encode(&b, fourChannels{m})
		if r.Kind = "png"; !p.Alpha {
			r.Done = append(r.Done, "saved as PNG with an alpha channel, which the store asks for; every pixel is opaque")
		}
	case p.Kind == "jpeg" && taken("jpeg"):
		err = jpeg.Encode(&b, m, &jpeg.Options{Quality: quality})
		r.Done = append(r.Done, fmt.Sprintf("saved again as JPEG of the quality %d", quality))
	case taken("png"):
		e := png.Encoder{CompressionLevel: png.BestCompression}
		err = e.Encode(&b, m)
		if r.Kind = "png"; p.Kind != "png" {
			r.Done = append(r.Done, "saved as PNG, since "+strings.ToUpper(p.Kind)+" is not written here or not taken")
		}
	case taken("jpeg") && m.Opaque():
		err = jpeg.Encode(&b, m, &jpeg.Options{Quality: quality})
		r.Kind, r.Done = "jpeg", append(r.Done, fmt.Sprintf("saved as JPEG of the quality %d, since %s is not taken", quality, strings.ToUpper(p.Kind)))
	default:
		err = errors.New("the store takes it as " + strings.Join(want.Formats, " or ") + ", which is not written here")
	}
	if err == nil && want.Bytes > 0 && int64(b.Len()) > want.Bytes {
		err = fmt.Errorf("it would have %d bytes; %d are allowed", b.Len(), want.Bytes)
	}
	if err != nil {
		*r = Result{Kind: p.Kind, Left: append(r.Left, err.Error())}
		return
	}
	r.Data = b.Bytes()
}

// fourChannels is a picture that is written with an alpha channel whatever it shows.
type fourChannels struct{ *image.NRGBA }

// Opaque tells the encoder that the channel is needed.
func (fourChannels) Opaque() bool { return false }

// profileOf is the profile from which the colours are converted; nil when they are those of
// sRGB already. The error says why they cannot be.
func profileOf(p *pictures.Picture, data []byte) (*icc.Profile, error) {
	if !p.Profile {
		return nil, nil
	}
	raw, err := icc.Embedded(p.Kind, data)
	if err != nil || raw == nil { // nil: only named, as sRGB is by a chunk of its own
		return nil, err
	}
	profile, err := icc.Parse(raw)
	if err != nil || profile.IsSRGB() {
		return nil, err
	}
	return profile, nil
}

// decode gives the pixels as they are shown, with 8 bits a channel.
func decode(p *pictures.Picture, data []byte) (*image.NRGBA, error) {
	m, err := p.Decode(bytes.NewReader(data), maxPixels)
	if err != nil {
		return nil, err
	}
	n := imagehash.Flat(m)
	if p.Kind == "jpeg" && p.Turned {
		info, err := jpegmeta.Read(bytes.NewReader(data), int64(len(data)))
		if err != nil {
			return nil, err
		}
		n = Turn(n, info.Orientation)
	}
	return n, nil
}

// Turn gives a picture as the orientation tag of Exif, 1 to 8, says that it is shown.
func Turn(m *image.NRGBA, orientation int) *image.NRGBA {
	w, h := m.Rect.Dx(), m.Rect.Dy()
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	if orientation >= 5 {
		out = image.NewNRGBA(image.Rect(0, 0, h, w))
	}
	for y := range h {
		for x := range w {
			tx, ty := x, y
			switch orientation {
			case 2:
				tx = w - 1 - x
			case 3:
				tx, ty = w-1-x, h-1-y
			case 4:
				ty = h - 1 - y
			case 5:
				tx, ty = y, x
			case 6:
				tx, ty = h-1-y, x
			case 7:
				tx, ty = h-1-y, w-1-x
			case 8:
				tx, ty = y, w-1-x
			}
			copy(out.Pix[ty*out.Stride+4*tx:][:4], m.Pix[y*m.Stride+4*x:][:4])
		}
	}
	return out
}

// flatten lays a picture on a ground.
func flatten(m *image.NRGBA, ground color.NRGBA) *image.NRGBA {
	out := image.NewNRGBA(m.Rect)
	draw.Draw(out, out.Rect, image.NewUniform(ground), image.Point{}, draw.Src)
	draw.Draw(out, out.Rect, m, m.Rect.Min, draw.Over)
	return out
}
