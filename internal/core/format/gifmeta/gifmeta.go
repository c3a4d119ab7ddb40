// Package gifmeta reads what a GIF says of itself.
//
// Source of the format: the GIF89a specification.
package gifmeta

import (
	"bufio"
	"encoding/binary"
	"io"

	"regola.example/regola/internal/core/format"
)

// Info is what the blocks say.
type Info struct {
	Width, Height int
	Animated      bool // more than one picture
	Transparent   bool // a colour is transparent
}

// Is reports whether a file begins like a GIF.
func Is(head []byte) bool {
	return len(head) >= 6 && (string(head[:6]) == "GIF87a" || string(head[:6]) == "GIF89a")
}

// Read reads the blocks up to the second picture or the end.
func Read(r io.Reader) (Info, error) {
	var info Info
	br, at := bufio.NewReader(r), int64(0)
	var b [13]byte
	take := func(n int) bool {
		got, err := io.ReadFull(br, b[:n])
		at += int64(got)
		return err == nil
	}
	skip := func(n int64) bool {
		got, err := io.CopyN(io.Discard, br, n)
		at += got
		return err == nil
	}
	cut := func() (Info, error) { return info, format.Damagedf(at, "the GIF is cut off") }
	if !take(13) || !Is(b[:]) {
		return info, format.Damagedf(0, "this is no GIF")
	}
	info.Width, info.Height = int(binary.LittleEndian.Uint16(b[6:])), int(binary.LittleEndian.Uint16(b[8:]))
	table := func(flags byte) int64 {
		if flags&0x80 == 0 {
			return 0
		}
		return 3 << (flags&7 + 1)
	}
	if !skip(table(b[10])) {
		return cut()
	}
	blocks := func() bool { // data in blocks of up to 255 bytes, ended by an empty one
		for {
			if !take(1) {
				return false
			}
			if b[0] == 0 {
				return true
			}
			if !skip(int64(b[0])) {
				return false
			}
		}
	}
	for pictures := 0; ; {
		if !take(1) {
			return cut()
		}
		switch b[0] {
		case 0x3b:
			return info, nil
		case 0x21:
			if !take(1) {
				return cut()
			}
			if b[0] == 0xf9 { // graphic control: size, flags, delay, colour, end
				if !take(6) {
					return cut()
				}
				info.Transparent = info.Transparent || b[1]&1 == 1
				continue
			}
			if !blocks() {
				return cut()
			}
		case 0x2c:
			if pictures++; pictures > 1 {
				info.Animated = true
				return info, nil
			}
			if !take(9) || !skip(table(b[8])+1) || !blocks() {
				return cut()
			}
		default:
			return info, format.Damagedf(at-1, "a block was expected here")
		}
	}
}
