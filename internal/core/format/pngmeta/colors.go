package pngmeta

import (
	"bytes"
	"compress/flate"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"image/color"
	"image/png"
	"io"
)

// Bounds of pictures whose colours are counted.
const (
	maxPixels = 1 << 20
	maxBytes  = 8 << 20
)

// enough is how many colours are counted: one is a blank picture, two may
// be a drawing.
const enough = 3

// Colors counts the distinct colours of a picture up to 3. All transparent
// pixels count as one. It also reads the form into which the iOS packer
// rewrites pictures: red and blue swapped, and deflated without a header,
// neither of which changes the count. The error tells why a picture cannot be
// decoded.
func Colors(r io.Reader) (int, error) {
	data, err := io.ReadAll(io.LimitReader(r, maxBytes+1))
	if err != nil {
		return 0, err
	}
	if len(data) > maxBytes {
		return 0, errors.New("the picture is too large to count its colours")
	}
	info, err := Read(bytes.NewReader(data))
	if err != nil {
		return 0, err
	}
	if int64(info.Width)*int64(info.Height) > maxPixels {
		return 0, errors.New("the picture is too large to count its colours")
	}
	if bytes.Contains(data[:min(len(data), 32)], []byte("CgBI")) {
		if data, err = plain(data); err != nil {
			return 0, err
		}
	}
	picture, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		return 0, fmt.Errorf("the picture cannot be decoded: %w", err)
	}
	seen := map[color.NRGBA]bool{}
	b := picture.Bounds()
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			c := color.NRGBAModel.Convert(picture.At(x, y)).(color.NRGBA)
			if c.A == 0 {
				c = color.NRGBA{}
			}
			if seen[c] = true; len(seen) == enough {
				return enough, nil
			}
		}
	}
	return len(seen), nil
}

// plain rewrites a picture of the iOS packer's form into a PNG: header, pixels,
// end.
func plain(data []byte) ([]byte, error) {
	var head, body bytes.Buffer
	for at := 8; at+12 <= len(data); {
		n := int(binary.BigEndian.Uint32(data[at:]))
		if n < 0 || n > len(data)-at-12 {
			return nil, errors.New("a chunk of the PNG is cut off")
		}
		switch string(data[at+4 : at+8]) {
		case "IHDR":
			head.Write(data[at+8 : at+8+n])
		case "IDAT":
			body.Write(data[at+8 : at+8+n])
		}
		at += 12 + n
	}
	out := []byte(signature)
	chunk := func(kind string, body []byte) {
		out = binary.BigEndian.AppendUint32(out, uint32(len(body)))
		named := append([]byte(kind), body...)
		out = binary.BigEndian.AppendUint32(append(out, named...), crc32.ChecksumIEEE(named))
	}
	chunk("IHDR", head.Bytes())
	var packed bytes.Buffer
	w := zlib.NewWriter(&packed)
	// Four bytes a pixel and one a line; a bound for what the stream may claim.
	if _, err := io.Copy(w, io.LimitReader(flate.NewReader(&body), 8*maxPixels)); err != nil {
		return nil, fmt.Errorf("the picture's pixels cannot be unpacked: %w", err)
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	chunk("IDAT", packed.Bytes())
	chunk("IEND", nil)
	return out, nil
}
