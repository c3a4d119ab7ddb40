// Package isobmff reads files made of boxes: videos (MP4, MOV, M4V) and stills
// (HEIC, AVIF). Only the boxes that describe are read, never the media.
//
// Source of the format: ISO/IEC 14496-12 (boxes, tracks, fragments), 14496-14
// and -15 (sample entries), 23008-12 (stills); the platform documentation of
// the QuickTime file format.
package isobmff

import (
	"encoding/binary"
	"io"
	"math"

	"regola.example/regola/internal/core/format"
)

// Bounds of one file.
const (
	maxBoxes = 20_000
	maxDepth = 8
	maxBody  = 4 << 20 // bytes of one box that are read
)

// Brand is the major brand of a file, or its first box where old files have no
// brand; ok is false when it does not begin with a box of this format.
func Brand(head []byte) (brand string, ok bool) {
	if len(head) < 12 {
		return "", false
	}
	switch string(head[4:8]) {
	case "ftyp":
		return string(head[8:12]), true
	case "moov", "mdat", "wide", "free", "skip":
		return "qt  ", true
	}
	return "", false
}

// walker goes through boxes, bounded over the whole file.
type walker struct {
	r     io.ReaderAt
	size  int64
	boxes int
}

// box is one box: its kind, and where its body lies.
type box struct {
	kind       string
	start, end int64
}

// each visits the boxes between two offsets.
func (w *walker) each(from, to int64, visit func(b box) error) error {
	var h [16]byte
	for at := from; at < to; {
		if w.boxes++; w.boxes > maxBoxes {
			return format.Damagedf(at, "the file has too many boxes")
		}
		if to-at < 8 {
			if from == 0 {
				return format.Damagedf(at, "the file is cut off in a box's header")
			}
			return nil // padding of a container
		}
		if _, err := w.r.ReadAt(h[:8], at); err != nil {
			return format.Damagedf(at, "the file is cut off in a box's header")
		}
		size, head := int64(binary.BigEndian.Uint32(h[:])), int64(8)
		switch size {
		case 0: // to the end of the file
			size = to - at
		case 1:
			if _, err := w.r.ReadAt(h[8:], at+8); err != nil {
				return format.Damagedf(at, "the file is cut off in a box's header")
			}
			big := binary.BigEndian.Uint64(h[8:])
			if big > math.MaxInt64 {
				return format.Damagedf(at, "the box %q claims too many bytes", h[4:8])
			}
			size, head = int64(big), 16
		}
		if size < head {
			return format.Damagedf(at, "the box %q is smaller than its header", h[4:8])
		}
		if size > to-at {
			return format.Damagedf(at, "the box %q claims %d bytes, and %d are left: the file is cut off", h[4:8], size, to-at)
		}
		if err := visit(box{string(h[4:8]), at + head, at + size}); err != nil {
			return err
		}
		at += size
	}
	return nil
}

// body reads the bytes of a box, up to a bound.
func (w *walker) body(b box) ([]byte, error) {
	n := b.end - b.start
	if n > maxBody {
		return nil, format.Damagedf(b.start, "the box %q is too large to be read", b.kind)
	}
	out := make([]byte, n)
	if _, err := w.r.ReadAt(out, b.start); err != nil && err != io.EOF {
		return nil, format.Damagedf(b.start, "the box %q is cut off", b.kind)
	}
	return out, nil
}

// Still is a picture in boxes.
type Still struct {
	Brand         string
	Width, Height int // as shown
}

// ReadStill reads the size of a HEIC or AVIF picture: that of its largest item,
// turned as the file says.
func ReadStill(r io.ReaderAt, size int64) (*Still, error) {
	var h [12]byte
	if _, err := r.ReadAt(h[:], 0); err != nil {
		return nil, format.Damagedf(0, "the file is cut off in its first box")
	}
	brand, ok := Brand(h[:])
	if !ok {
		return nil, format.Damagedf(0, "this is no file of boxes")
	}
	s, w, turned := &Still{Brand: brand}, &walker{r: r, size: size}, false
	var in func(depth int) func(b box) error
	in = func(depth int) func(b box) error {
		return func(b box) error {
			skip := int64(0)
			switch b.kind {
			case "meta":
				skip = 4
			case "iprp", "ipco":
			case "ispe":
				d, err := w.body(b)
				if err != nil {
					return err
				}
				if len(d) >= 12 {
					if wd, ht := int(binary.BigEndian.Uint32(d[4:])), int(binary.BigEndian.Uint32(d[8:])); wd*ht > s.Width*s.Height && wd < 1<<24 && ht < 1<<24 {
						s.Width, s.Height = wd, ht
					}
				}
				return nil
			case "irot":
				d, err := w.body(b)
				turned = turned || err == nil && len(d) > 0 && d[0]&1 == 1
				return err
			default:
				return nil
			}
			if depth >= maxDepth || b.start+skip > b.end {
				return nil
			}
			return w.each(b.start+skip, b.end, in(depth+1))
		}
	}
	err := w.each(0, size, in(0))
	if err == nil && s.Width == 0 {
		err = format.Damagedf(0, "the file says no size of its picture")
	}
	if turned {
		s.Width, s.Height = s.Height, s.Width
	}
	return s, err
}
