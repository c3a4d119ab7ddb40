package pngmeta

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"io"

	"github.com/klauspost/compress/flate"

	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/thumb"
)

// OneColor tells whether all pixels of a picture are alike. It unpacks no further
// than to the first that differs. Source: PNG specification, filtering.
func OneColor(r io.Reader) (bool, error) {
	p, err := openRows(r)
	if err != nil {
		return false, err
	}
	defer p.Close()
	var first []byte
	for {
		pixels, same, err := p.next()
		if err == io.EOF {
			return first != nil, nil
		}
		if err != nil {
			return false, err
		}
		if same {
			continue // like the row above, as nearly all rows of an empty picture
		}
		if first == nil {
			first = bytes.Clone(pixels[:p.bpp])
		}
		// Each pixel equals the one before it, and the first one the first of all.
		if !bytes.Equal(pixels[:p.bpp], first) || !bytes.Equal(pixels[p.bpp:], pixels[:len(pixels)-p.bpp]) {
			return false, nil
		}
	}
}

// ErrForm is the error of a picture whose rows cannot be read one after another: one
// that is interlaced, of fewer than 8 bits, or in the form of the iOS packer.
var ErrForm = format.Unsupportedf(8, "a PNG of this form is not read by rows")

// Shrink makes a copy of a picture that is no larger than w by h pixels, row by row.
// The picture has at most so many pixels.
func Shrink(r io.Reader, w, h int, most int64) (*image.RGBA, error) {
	p, err := openRows(r)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	if int64(p.width)*int64(p.height) > most {
		return nil, format.TooMuchf(16, "%d x %d pixels are more than are decoded", p.width, p.height)
	}
	if p.kind == 3 || p.clear { // a palette, or a colour that is transparent
		return nil, ErrForm
	}
	b := thumb.New(p.width, p.height, min(w, p.width), min(h, p.height))
	line := make([]byte, 4*p.width)
	step := p.bpp / p.samples // bytes of a sample, the first of which counts
	for range p.height {
		pixels, same, err := p.next()
		if err != nil {
			return nil, fmt.Errorf("the picture cannot be decoded: %w", err)
		}
		if same {
			b.Again()
			continue
		}
		if p.kind == 2 && step == 1 {
			b.RowRGB(pixels)
			continue
		}
		if p.kind == 6 && step == 1 {
			b.Row(pixels)
			continue
		}
		for x := range p.width {
			px, to := pixels[x*p.bpp:], line[4*x:]
			switch p.kind {
			case 0, 4:
				to[0], to[1], to[2], to[3] = px[0], px[0], px[0], 255
			default:
				to[0], to[1], to[2], to[3] = px[0], px[step], px[2*step], 255
			}
			if p.kind == 4 {
				to[3] = px[step]
			} else if p.kind == 6 {
				to[3] = px[3*step]
			}
		}
		b.Row(line)
	}
	return b.Image(), nil
}

// rows reads the pixels of a PNG row by row.
type rows struct {
	width, height int
	kind          byte // of colours, as the header says
	samples       int  // of a pixel
	bpp           int  // bytes of a pixel
	clear         bool // one colour is transparent
	z             io.ReadCloser
	row, last     []byte
	zero          []byte
	begun         bool
}

func openRows(r io.Reader) (*rows, error) {
	head := make([]byte, 33)
	if _, err := io.ReadFull(r, head); err != nil || !Is(head) || string(head[12:16]) != "IHDR" {
		return nil, ErrForm
	}
	w, h := int64(binary.BigEndian.Uint32(head[16:])), int64(binary.BigEndian.Uint32(head[20:]))
	depth, kind := int64(head[24]), head[25]
	samples := map[byte]int64{0: 1, 2: 3, 3: 1, 4: 2, 6: 4}[kind]
	if samples == 0 || depth < 8 || head[28] != 0 || w <= 0 || h <= 0 || w > 1<<20 || h > 1<<31 {
		return nil, ErrForm
	}
	p := &rows{width: int(w), height: int(h), kind: kind, samples: int(samples), bpp: int(samples * depth / 8)}
	// The sum at the end of the zlib stream is not looked at: only the pixels count, and
	// summing them takes as long as unpacking them. Source: RFC 1950.
	chunks := &idat{r: r}
	packed := bufio.NewReaderSize(chunks, 32<<10)
	var form [2]byte
	if _, err := io.ReadFull(packed, form[:]); err != nil || form[0]&0xf != 8 || form[1]&0x20 != 0 || (uint(form[0])<<8|uint(form[1]))%31 != 0 {
		return nil, format.Damagedf(33, "the pixels are no zlib stream")
	}
	p.clear = chunks.clear
	p.z = flate.NewReader(packed)
	p.row, p.last = make([]byte, 1+p.width*p.bpp), make([]byte, p.width*p.bpp)
	p.zero = make([]byte, len(p.last))
	return p, nil
}

// Close implements io.Closer.
func (p *rows) Close() error { return p.z.Close() }

// next gives the next row, which holds until the next call; same says that it is known
// to be like the one before it. The error is io.EOF behind the last one.
func (p *rows) next() (pixels []byte, same bool, err error) {
	if _, err := io.ReadFull(p.z, p.row); err != nil {
		return nil, false, err
	}
	if p.begun && (p.row[0] == 2 && bytes.Equal(p.row[1:], p.zero) || p.row[0] == 0 && bytes.Equal(p.row[1:], p.last)) {
		return p.last, true, nil
	}
	p.begun = true
	unfilter(p.row[0], p.row[1:], p.last, p.bpp)
	copy(p.last, p.row[1:])
	return p.last, false, nil
}

// unfilter undoes the filter of a row.
func unfilter(kind byte, row, above []byte, bpp int) {
	switch kind {
	case 1:
		for i := bpp; i < len(row); i++ {
			row[i] += row[i-bpp]
		}
	case 2:
		for i, up := range above[:len(row)] {
			row[i] += up
		}
	case 3:
		for i := range row {
			left := 0
			if i >= bpp {
				left = int(row[i-bpp])
			}
			row[i] += byte((left + int(above[i])) / 2)
		}
	case 4:
		for i := range row {
			var left, upperLeft int
			if i >= bpp {
				left, upperLeft = int(row[i-bpp]), int(above[i-bpp])
			}
			up := int(above[i])
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
	r     io.Reader
	left  int64 // of the current chunk
	in    bool
	clear bool // a chunk says which colour is transparent
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
			d.clear = d.clear || string(h[4:]) == "tRNS"
			if _, err := io.CopyN(io.Discard, d.r, n+4); err != nil {
				return 0, io.ErrUnexpectedEOF
			}
		}
	}
	n, err := d.r.Read(b[:min(int64(len(b)), d.left)])
	d.left -= int64(n)
	return n, err
}
