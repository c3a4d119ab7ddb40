package pngmeta

import (
	"bytes"
	"compress/flate"
	"compress/zlib"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/png"
	"io"

	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/imagehash"
)

// maxBytes bounds a picture that is decoded.
const maxBytes = 24 << 20

// enough is how many colours are counted: one is a blank picture, two may
// be a drawing.
const enough = 3

// Colors counts the distinct colours of a picture up to 3. All transparent
// pixels count as one.
func Colors(m *image.NRGBA) int {
	seen := map[[4]byte]bool{}
	for i := 0; i+4 <= len(m.Pix); i += 4 {
		c := [4]byte(m.Pix[i:])
		if c[3] == 0 {
			c = [4]byte{}
		}
		if seen[c] = true; len(seen) == enough {
			return enough
		}
	}
	return len(seen)
}

// Decode decodes a picture of at most so many pixels of 8 bits. It also reads the form into which
// the iOS packer rewrites pictures: red and blue swapped, and deflated without a
// header. The error tells why a picture cannot be decoded.
func Decode(r io.Reader, most int) (image.Image, error) {
	data, err := format.ReadAll(r, 0, maxBytes)
	if err != nil {
		return nil, err
	}
	info, err := Read(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	if int64(info.Width)*int64(info.Height)*int64(max(info.Depth, 8)/8) > int64(most) {
		return nil, format.TooMuchf(16, "%d x %d pixels are more than are decoded", info.Width, info.Height)
	}
	if info.Crushed {
		if data, err = plain(data, most); err != nil {
			return nil, err
		}
	}
	picture, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("the picture cannot be decoded: %w", err)
	}
	if info.Crushed {
		n := imagehash.Flat(picture)
		for i := 0; i+4 <= len(n.Pix); i += 4 {
			n.Pix[i], n.Pix[i+2] = n.Pix[i+2], n.Pix[i]
		}
		return n, nil
	}
	return picture, nil
}

// plain rewrites a picture of the iOS packer's form into a PNG: header, pixels,
// end.
func plain(data []byte, most int) ([]byte, error) {
	var head, body bytes.Buffer
	for at := 8; at+12 <= len(data); {
		n := int(binary.BigEndian.Uint32(data[at:]))
		if n < 0 || n > len(data)-at-12 {
			return nil, format.Damagedf(at, "a chunk of the PNG is cut off")
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
	if _, err := io.Copy(w, io.LimitReader(flate.NewReader(&body), 8*int64(most))); err != nil {
		return nil, fmt.Errorf("the picture's pixels cannot be unpacked: %w", err)
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	chunk("IDAT", packed.Bytes())
	chunk("IEND", nil)
	return out, nil
}
