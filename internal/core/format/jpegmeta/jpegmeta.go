// Package jpegmeta reads what a JPEG says of itself in its segments.
//
// Source of the format: ITU-T T.81 (JPEG), annex B; the Exif specification for
// the orientation; the ICC specification, annex B.4, for profiles.
package jpegmeta

import (
	"encoding/binary"
	"io"
	"strings"

	"regola.example/regola/internal/core/format"
)

// Info is what the segments say.
type Info struct {
	Width, Height int // pixels as stored
	Depth         int // bits a sample
	Components    int // 1 gray, 3 colour, 4 CMYK
	Progressive   bool
	Orientation   int  // of Exif, 1 to 8; 1 when it is not said
	Profile       bool // a colour profile is embedded
}

// Is reports whether a file begins like a JPEG.
func Is(head []byte) bool {
	return len(head) >= 3 && head[0] == 0xff && head[1] == 0xd8 && head[2] == 0xff
}

// maxSegments bounds the segments before the pixels.
const maxSegments = 4096

// Read reads the segments up to the pixels, and looks whether the file has its
// end. What was read stands beside an error.
func Read(r io.ReaderAt, size int64) (Info, error) {
	info := Info{Orientation: 1}
	var b [4]byte
	if _, err := r.ReadAt(b[:3], 0); err != nil || !Is(b[:3]) {
		return info, format.Damagedf(0, "this is no JPEG")
	}
	at := int64(2)
	for range maxSegments {
		if _, err := r.ReadAt(b[:2], at); err != nil {
			return info, format.Damagedf(at, "the JPEG is cut off before its pixels")
		}
		marker := b[1]
		switch {
		case b[0] != 0xff:
			return info, format.Damagedf(at, "a marker was expected here")
		case marker == 0xff: // fill bytes
			at++
			continue
		case marker == 0x01 || marker >= 0xd0 && marker <= 0xd8: // without a length
			at += 2
			continue
		}
		if _, err := r.ReadAt(b[:2], at+2); err != nil {
			return info, format.Damagedf(at, "the JPEG is cut off before its pixels")
		}
		n := int64(binary.BigEndian.Uint16(b[:]))
		if n < 2 || at+2+n > size {
			return info, format.Damagedf(at, "the segment %#x is cut off", marker)
		}
		body := io.NewSectionReader(r, at+4, n-2)
		switch {
		case marker == 0xda: // the pixels
			if info.Width == 0 {
				return info, format.Damagedf(at, "the JPEG has no frame header")
			}
			return info, ended(r, size)
		case marker >= 0xc0 && marker <= 0xcf && marker != 0xc4 && marker != 0xc8 && marker != 0xcc:
			var f [6]byte
			if _, err := io.ReadFull(body, f[:]); err != nil {
				return info, format.Damagedf(at, "the frame header is cut off")
			}
			info.Depth, info.Components = int(f[0]), int(f[5])
			info.Height, info.Width = int(binary.BigEndian.Uint16(f[1:])), int(binary.BigEndian.Uint16(f[3:]))
			info.Progressive = marker == 0xc2 || marker == 0xca
		case marker == 0xe1:
			if o := orientation(body); o > 0 {
				info.Orientation = o
			}
		case marker == 0xe2:
			name := make([]byte, 12)
			io.ReadFull(body, name)
			info.Profile = info.Profile || strings.HasPrefix(string(name), "ICC_PROFILE\x00")
		}
		at += 2 + n
	}
	return info, format.Damagedf(at, "the JPEG has too many segments before its pixels")
}

// ended looks for the marker of the end. Some writers put bytes behind it.
func ended(r io.ReaderAt, size int64) error {
	const tail = 4096
	b := make([]byte, min(size, tail))
	if _, err := r.ReadAt(b, size-int64(len(b))); err != nil && err != io.EOF {
		return err
	}
	if !strings.Contains(string(b), "\xff\xd9") {
		return format.Damagedf(size, "the JPEG is cut off: its end marker is missing")
	}
	return nil
}

// orientation reads the tag 0x0112 of the first directory of Exif; 0 when it is
// not there.
func orientation(body *io.SectionReader) int {
	const most = 64 << 10
	b := make([]byte, min(body.Size(), most))
	if _, err := io.ReadFull(body, b); err != nil || len(b) < 14 || string(b[:6]) != "Exif\x00\x00" {
		return 0
	}
	b = b[6:]
	var order binary.ByteOrder = binary.BigEndian
	switch string(b[:4]) {
	case "II*\x00":
		order = binary.LittleEndian
	case "MM\x00*":
	default:
		return 0
	}
	at := int64(order.Uint32(b[4:]))
	if at < 8 || at+2 > int64(len(b)) {
		return 0
	}
	n := int64(order.Uint16(b[at:]))
	for i := range n {
		e := at + 2 + 12*i
		if e+12 > int64(len(b)) {
			return 0
		}
		if order.Uint16(b[e:]) == 0x0112 {
			if o := int(order.Uint16(b[e+8:])); o >= 1 && o <= 8 {
				return o
			}
			return 0
		}
	}
	return 0
}
