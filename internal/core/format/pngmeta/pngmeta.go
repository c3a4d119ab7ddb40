// Package pngmeta reads what a PNG says of itself in its chunks, and counts a
// few of its colours.
//
// Source of the format: the PNG specification (third edition), chapters on the
// file structure and on IHDR, tRNS and acTL.
package pngmeta

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"io"

	"regola.example/regola/internal/core/format"
)

// Info is what the chunks say.
type Info struct {
	Width, Height int // pixels
	Depth         int // bits a sample
	Alpha         bool
	Crushed       bool // rewritten by the iOS packer
	Palette       bool
	Gray          bool // no colours
	Animated      bool
	Interlaced    bool
	Profile       string // name of the colour profile; sRGB by its own chunk, empty when none is named
}

const signature = "\x89PNG\r\n\x1a\n"

// Is reports whether a file begins like a PNG.
func Is(head []byte) bool { return len(head) >= 8 && string(head[:8]) == signature }

// Read reads chunks up to the pixel data.
func Read(r io.Reader) (Info, error) {
	br := bufio.NewReader(r)
	var head [8]byte
	if _, err := io.ReadFull(br, head[:]); err != nil || !Is(head[:]) {
		return Info{}, format.Damagedf(0, "not a PNG file")
	}
	var info Info
	seen := false
	at := int64(8) // of the next chunk
	for chunks := 0; chunks < 4096; chunks++ {
		if _, err := io.ReadFull(br, head[:]); err != nil {
			return info, format.Damagedf(at, "the PNG is cut off before its pixels")
		}
		length := int64(binary.BigEndian.Uint32(head[:]))
		size, kind := binary.BigEndian.Uint32(head[:]), string(head[4:])
		switch kind {
		case "IHDR", "CgBI": // CgBI stands before IHDR in PNGs that the iOS packer rewrote
			if kind == "CgBI" {
				info.Crushed = true
				break
			}
			var b [13]byte
			if size != 13 {
				return info, format.Damagedf(at, "a PNG header of %d bytes, 13 expected", size)
			}
			if _, err := io.ReadFull(br, b[:]); err != nil {
				return info, format.Damagedf(at, "the PNG is cut off in its header")
			}
			info.Width, info.Height = int(binary.BigEndian.Uint32(b[:])), int(binary.BigEndian.Uint32(b[4:]))
			info.Depth = int(b[8])
			info.Alpha, info.Palette, info.Gray, info.Interlaced = b[9]&4 != 0, b[9] == 3, b[9]&2 == 0, b[12] == 1
			size, seen = 0, true
		case "tRNS":
			info.Alpha = true
		case "acTL":
			info.Animated = true
		case "sRGB":
			info.Profile = "sRGB"
		case "iCCP":
			name, err := br.Peek(int(min(size, 79)))
			if err != nil {
				return info, format.Damagedf(at, "the PNG is cut off in its colour profile")
			}
			name, _, _ = bytes.Cut(name, []byte{0})
			info.Profile = string(name)
		case "IDAT", "IEND":
			if !seen {
				return info, format.Damagedf(at, "the PNG has no header chunk")
			}
			return info, nil
		}
		if _, err := io.CopyN(io.Discard, br, int64(size)+4); err != nil {
			return info, format.Damagedf(at, "the PNG is cut off before its pixels")
		}
		at += 12 + length
	}
	return info, format.TooMuchf(at, "the PNG has too many chunks before its pixels")
}

// Whole follows the chunks of a file to its end without reading them. The error
// tells at which offset it is cut off.
func Whole(r io.ReaderAt, size int64) error {
	var head [8]byte
	at := int64(len(signature))
	for range 1 << 20 {
		if at+12 > size {
			return format.Damagedf(size, "the PNG is cut off: its end chunk (IEND) is missing")
		}
		if _, err := r.ReadAt(head[:], at); err != nil {
			return err
		}
		n := int64(binary.BigEndian.Uint32(head[:]))
		if n > size-at-12 {
			return format.Damagedf(at, "the chunk %q claims %d bytes, and the file ends after %d", head[4:], n, size-at-8)
		}
		if string(head[4:]) == "IEND" {
			return nil
		}
		at += 12 + n
	}
	return format.Damagedf(at, "the PNG has too many chunks")
}
