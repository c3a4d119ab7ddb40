// Package webpmeta reads what a WebP says of itself in its chunks.
//
// Source of the format: RFC 9649; RFC 6386, section 9.1, for the frame header.
package webpmeta

import (
	"encoding/binary"
	"io"

	"regola.example/regola/internal/core/format"
)

// Info is what the chunks say.
type Info struct {
	Width, Height int
	Lossless      bool
	Alpha         bool
	Animated      bool
	Profile       bool
}

// Is reports whether a file begins like a WebP.
func Is(head []byte) bool {
	return len(head) >= 12 && string(head[:4]) == "RIFF" && string(head[8:12]) == "WEBP"
}

// Read reads the headers of the first chunks, and holds the size that the file
// claims against the one that it has.
func Read(r io.ReaderAt, size int64) (Info, error) {
	var info Info
	var b [30]byte
	n, _ := r.ReadAt(b[:], 0)
	if !Is(b[:n]) {
		return info, format.Damagedf(0, "this is no WebP")
	}
	if n < len(b) {
		return info, format.Damagedf(size, "the WebP is cut off in its header")
	}
	le := binary.LittleEndian
	switch string(b[12:16]) {
	case "VP8 ":
		if b[23] != 0x9d || b[24] != 0x01 || b[25] != 0x2a {
			return info, format.Damagedf(23, "the start of a key frame was expected here")
		}
		info.Width, info.Height = int(le.Uint16(b[26:])&0x3fff), int(le.Uint16(b[28:])&0x3fff)
	case "VP8L":
		if b[20] != 0x2f {
			return info, format.Damagedf(20, "the signature of a lossless picture was expected here")
		}
		v := le.Uint32(b[21:])
		info.Width, info.Height = int(v&0x3fff)+1, int(v>>14&0x3fff)+1
		info.Alpha, info.Lossless = v>>28&1 == 1, true
	case "VP8X":
		flags := b[20]
		info.Alpha, info.Animated, info.Profile = flags&0x10 != 0, flags&0x02 != 0, flags&0x20 != 0
		info.Width = int(le.Uint32(b[24:])&0xffffff) + 1
		info.Height = int(uint32(b[27])|uint32(b[28])<<8|uint32(b[29])<<16) + 1
	default:
		return info, format.Damagedf(12, "a chunk of pixels was expected here, this is %q", b[12:16])
	}
	if string(b[12:16]) == "VP8X" && !info.Animated {
		if err := frame(r, size, info); err != nil {
			return info, err
		}
	}
	if claimed := int64(le.Uint32(b[4:])) + 8; claimed > size {
		return info, format.Damagedf(size, "the WebP is cut off: it claims %d bytes and has %d", claimed, size)
	}
	return info, nil
}

// maxChunks bounds the chunks before the pixels.
const maxChunks = 64

// frame finds the pixels of an extended file and holds their size against that of
// its canvas: who decodes them trusts the canvas.
func frame(r io.ReaderAt, size int64, canvas Info) error {
	var b [18]byte
	le := binary.LittleEndian
	at := int64(30)
	for range maxChunks {
		if n, _ := r.ReadAt(b[:], at); n < len(b) {
			return format.Damagedf(min(at, size), "the WebP is cut off before its pixels")
		}
		var w, h int
		switch string(b[:4]) {
		case "VP8 ":
			w, h = int(le.Uint16(b[14:])&0x3fff), int(le.Uint16(b[16:])&0x3fff)
		case "VP8L":
			v := le.Uint32(b[9:])
			w, h = int(v&0x3fff)+1, int(v>>14&0x3fff)+1
		default:
			n := int64(le.Uint32(b[4:]))
			at += 8 + n + n&1
			continue
		}
		if w != canvas.Width || h != canvas.Height {
			return format.Damagedf(at, "the pixels are %d x %d, the canvas is %d x %d", w, h, canvas.Width, canvas.Height)
		}
		return nil
	}
	return format.Damagedf(at, "the WebP has too many chunks before its pixels")
}
