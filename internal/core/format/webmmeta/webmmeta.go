// Package webmmeta reads size and duration of a WebM film.
//
// Source of the format: RFC 8794 (EBML) and RFC 9559 (Matroska).
package webmmeta

import (
	"encoding/binary"
	"io"
	"math"
	"time"

	"regola.example/regola/internal/core/format"
)

// Info is what the head of the file says.
type Info struct {
	Width, Height int
	Duration      time.Duration
}

// Is reports whether a file begins like a WebM.
func Is(head []byte) bool { return len(head) >= 4 && string(head[:4]) == "\x1a\x45\xdf\xa3" }

// head bounds what is read: information and tracks stand before the pictures.
const head = 1 << 20

// Elements that are looked into, and those that are read.
const (
	idSegment, idInfo, idTracks, idTrack, idVideo     = 0x18538067, 0x1549a966, 0x1654ae6b, 0xae, 0xe0
	idScale, idDuration, idWidth, idHeight, idCluster = 0x2ad7b1, 0x4489, 0xb0, 0xba, 0x1f43b675
)

// Read reads the head of a film.
func Read(r io.ReaderAt, size int64) (Info, error) {
	b := make([]byte, min(size, head))
	if n, err := r.ReadAt(b, 0); err != nil && err != io.EOF {
		return Info{}, err
	} else if !Is(b[:n]) {
		return Info{}, format.Damagedf(0, "this is no WebM")
	}
	p := &parser{scale: 1e6}
	p.read(b, 0)
	info := Info{Width: p.width, Height: p.height, Duration: time.Duration(min(p.length*float64(p.scale), 1e18))}
	if info.Width == 0 {
		return info, format.Damagedf(int64(len(b)), "the film says no size of its pictures")
	}
	return info, nil
}

type parser struct {
	scale         uint64 // nanoseconds of a tick
	length        float64
	width, height int
	steps         int
}

// number reads an EBML number of variable length; marked keeps its length bits,
// as ids do.
func number(b []byte, marked bool) (v uint64, n int) {
	if len(b) == 0 || b[0] == 0 {
		return 0, 0
	}
	for n = 1; b[0]>>(8-n) == 0; n++ {
	}
	if n > len(b) {
		return 0, 0
	}
	v = uint64(b[0])
	if !marked {
		v &= 1<<(8-n) - 1
	}
	for _, c := range b[1:n] {
		v = v<<8 | uint64(c)
	}
	return v, n
}

func (p *parser) read(b []byte, depth int) {
	for len(b) > 0 && depth < 6 {
		if p.steps++; p.steps > 100_000 {
			return
		}
		id, n := number(b, true)
		size, m := number(b[min(n, len(b)):], false)
		if n == 0 || m == 0 || id == idCluster {
			return
		}
		b = b[n+m:]
		body := b[:min(size, uint64(len(b)))] // of unknown size, or longer than what was read: to its end
		b = b[len(body):]
		var value uint64
		if len(body) <= 8 {
			for _, c := range body {
				value = value<<8 | uint64(c)
			}
		}
		switch id {
		case idSegment, idInfo, idTracks, idTrack, idVideo:
			p.read(body, depth+1)
		case idScale:
			p.scale = value
		case idDuration:
			switch len(body) {
			case 4:
				p.length = float64(math.Float32frombits(binary.BigEndian.Uint32(body)))
			case 8:
				p.length = math.Float64frombits(binary.BigEndian.Uint64(body))
			}
			if !(p.length > 0) {
				p.length = 0
			}
		case idWidth:
			p.width = int(min(value, 1<<24))
		case idHeight:
			p.height = int(min(value, 1<<24))
		}
	}
}
