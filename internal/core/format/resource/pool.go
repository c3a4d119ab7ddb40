package resource

import (
	"encoding/binary"
	"unicode/utf16"
	"unicode/utf8"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
)

// Pool is a string pool. Strings are decoded when asked for, since a table can
// hold more than a hundred thousand and a reader needs few.
type Pool struct {
	offsets []byte // 4 bytes a string
	strings []byte
	utf8    bool
	decoded map[uint32]string // by offset: many names are asked for again and again
	budget  *budget.Budget    // of the file: strings of a hostile one overlap
	err     error
}

// ParsePool reads a string pool chunk.
func ParsePool(c Chunk, b *budget.Budget) (*Pool, error) {
	if c.Type != ChunkStringPool {
		return nil, format.Damagedf(c.Offset, "expected a string pool, found chunk type %#04x", c.Type)
	}
	if len(c.Header) < 28 {
		return nil, format.Damagedf(c.Offset, "string pool header of %d bytes, 28 expected", len(c.Header))
	}
	le := binary.LittleEndian
	count, flags, start := le.Uint32(c.Header[8:]), le.Uint32(c.Header[16:]), le.Uint32(c.Header[20:])
	if int64(count)*4 > int64(len(c.Body())) {
		return nil, format.Damagedf(c.Offset, "string pool claims %d strings, more than fit", count)
	}
	p := &Pool{offsets: c.Body()[:count*4], utf8: flags&0x100 != 0, decoded: make(map[uint32]string)}
	if count > 0 {
		if int64(start) > int64(len(c.Data)) {
			return nil, format.Damagedf(c.Offset, "string data starts outside the pool")
		}
		p.strings = c.Data[start:]
	}
	if p.budget = b; b == nil {
		p.budget = b.Part(len(c.Data))
	}
	return p, nil
}

// Len is the number of strings.
func (p *Pool) Len() int {
	if p == nil {
		return 0
	}
	return len(p.offsets) / 4
}

// String is the i-th string; ok is false when there is none or its bytes are
// damaged. Index 0xffffffff means "no string" in the format and gives false.
func (p *Pool) String(i uint32) (s string, ok bool) {
	if p == nil || int64(i) >= int64(p.Len()) {
		return "", false
	}
	at := binary.LittleEndian.Uint32(p.offsets[i*4:])
	if int64(at) >= int64(len(p.strings)) {
		return "", false
	}
	if s, ok := p.decoded[at]; ok {
		return s, true
	}
	if p.err != nil {
		return "", false
	}
	b := p.strings[at:]
	if p.utf8 {
		s, ok = utf8String(b)
	} else {
		s, ok = utf16String(b)
	}
	const entry = 64 // bytes that the map takes for it
	if p.err = p.budget.Keep(len(s) + entry); p.err != nil {
		return "", false
	}
	if ok {
		p.decoded[at] = s
	}
	return s, ok
}

// Err is why strings were not decoded any more; nil when all were that were
// asked for.
func (p *Pool) Err() error {
	if p == nil {
		return nil
	}
	return p.err
}

// utf8String reads a length in UTF-16 units, a length in bytes, then the
// bytes. Each length takes one byte, or two when its top bit is set.
func utf8String(b []byte) (string, bool) {
	_, n := length8(b)
	if n == 0 {
		return "", false
	}
	size, m := length8(b[n:])
	if m == 0 || size > len(b)-n-m {
		return "", false
	}
	raw := b[n+m : n+m+size]
	if !utf8.Valid(raw) {
		return fromModifiedUTF8(raw), true
	}
	return string(raw), true
}

func length8(b []byte) (length, n int) {
	switch {
	case len(b) < 1:
		return 0, 0
	case b[0]&0x80 == 0:
		return int(b[0]), 1
	case len(b) < 2:
		return 0, 0
	}
	return int(b[0]&0x7f)<<8 | int(b[1]), 2
}

// fromModifiedUTF8 fixes strings in which characters beyond the basic plane
// stand as two encoded surrogates, as some packers write them.
func fromModifiedUTF8(b []byte) string {
	var units []uint16
	for len(b) > 0 {
		switch {
		case b[0] < 0x80:
			units = append(units, uint16(b[0]))
			b = b[1:]
		case b[0]&0xe0 == 0xc0 && len(b) > 1:
			units = append(units, uint16(b[0]&0x1f)<<6|uint16(b[1]&0x3f))
			b = b[2:]
		case b[0]&0xf0 == 0xe0 && len(b) > 2:
			units = append(units, uint16(b[0]&0x0f)<<12|uint16(b[1]&0x3f)<<6|uint16(b[2]&0x3f))
			b = b[3:]
		default:
			units = append(units, utf8.RuneError)
			b = b[1:]
		}
	}
	return string(utf16.Decode(units))
}

func utf16String(b []byte) (string, bool) {
	if len(b) < 2 {
		return "", false
	}
	le := binary.LittleEndian
	size, n := int64(le.Uint16(b)), 2
	if size&0x8000 != 0 {
		if len(b) < 4 {
			return "", false
		}
		size, n = (size&0x7fff)<<16|int64(le.Uint16(b[2:])), 4
	}
	if size*2 > int64(len(b)-n) {
		return "", false
	}
	units := make([]uint16, size)
	for i := range units {
		units[i] = le.Uint16(b[n+2*i:])
	}
	return string(utf16.Decode(units)), true
}
