package pngmeta

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"errors"
	"io"

	"github.com/klauspost/compress/flate"
)

// OneColor tells whether all pixels of a picture are alike. It unpacks no further
// than to the first that differs. Source: PNG specification, filtering.
func OneColor(r io.Reader) (bool, error) {
	head := make([]byte, 33)
	if _, err := io.ReadFull(r, head); err != nil || !Is(head) || string(head[12:16]) != "IHDR" {
		return false, errors.New("this is no ordinary PNG")
	}
	w := int64(binary.BigEndian.Uint32(head[16:]))
	depth, kind := int64(head[24]), head[25]
	samples := map[byte]int64{0: 1, 2: 3, 3: 1, 4: 2, 6: 4}[kind]
	if samples == 0 || depth < 8 || head[28] != 0 || w <= 0 || w > 1<<20 {
		return false, errors.New("a PNG of this form is not looked through")
	}
	bpp := int(samples * depth / 8)
	// The sum at the end of the zlib stream is not looked at: only the pixels count, and
	// summing them takes as long as unpacking them. Source: RFC 1950.
	packed := bufio.NewReaderSize(&idat{r: r}, 32<<10)
	var form [2]byte
	if _, err := io.ReadFull(packed, form[:]); err != nil || form[0]&0xf != 8 || form[1]&0x20 != 0 || (uint(form[0])<<8|uint(form[1]))%31 != 0 {
		return false, errors.New("the pixels are no zlib stream")
	}
	z := flate.NewReader(packed)
	defer z.Close()
	row, last := make([]byte, 1+int(w)*bpp), make([]byte, int(w)*bpp)
	var first []byte
	zero := make([]byte, len(last))
	for {
		_, err := io.ReadFull(z, row)
		if err == io.EOF {
			return first != nil, nil
		}
		if err != nil {
			return false, err
		}
		pixels := row[1:]
		if row[0] == 2 && first != nil && bytes.Equal(pixels, zero) {
			continue // like the row above, as nearly all rows of an empty picture
		}
		unfilter(row[0], pixels, last, bpp)
		if first == nil {
			first = bytes.Clone(pixels[:bpp])
		}
		// Each pixel equals the one before it, and the first one the first of all.
		if !bytes.Equal(pixels[:bpp], first) || !bytes.Equal(pixels[bpp:], pixels[:len(pixels)-bpp]) {
			return false, nil
		}
		copy(last, pixels)
	}
}

// unfilter undoes the filter of a row.
func unfilter(kind byte, row, above []byte, bpp int) {
	for i := range row {
		var left, upperLeft int
		if i >= bpp {
			left, upperLeft = int(row[i-bpp]), int(above[i-bpp])
		}
		up := int(above[i])
		switch kind {
		case 1:
			row[i] += byte(left)
		case 2:
			row[i] += byte(up)
		case 3:
			row[i] += byte((left + up) / 2)
		case 4:
			p := left + up - upperLeft
			a, b, c := max(p-left, left-p), max(p-up, up-p), max(p-upperLeft, upperLeft-p)
			switch {
			case a <= b && a <= c:
				row[i] += byte(left)
			case b <= c:
				row[i] += byte(up)
			default:
				row[i] += byte(upperLeft)
			}
		}
	}
}

// idat reads the pixels' chunks of a PNG as one stream, from behind its header.
type idat struct {
	r    io.Reader
	left int64 // of the current chunk
	in   bool
}

// Read implements io.Reader.
func (d *idat) Read(b []byte) (int, error) {
	for d.left == 0 {
		if d.in { // the sum
			if _, err := io.CopyN(io.Discard, d.r, 4); err != nil {
				return 0, io.ErrUnexpectedEOF
			}
			d.in = false
		}
		var h [8]byte
		if _, err := io.ReadFull(d.r, h[:]); err != nil {
			return 0, io.EOF
		}
		n := int64(binary.BigEndian.Uint32(h[:]))
		switch string(h[4:]) {
		case "IDAT":
			d.left, d.in = n, true
		case "IEND":
			return 0, io.EOF
		default:
			if _, err := io.CopyN(io.Discard, d.r, n+4); err != nil {
				return 0, io.ErrUnexpectedEOF
			}
		}
	}
	n, err := d.r.Read(b[:min(int64(len(b)), d.left)])
	d.left -= int64(n)
	return n, err
}
