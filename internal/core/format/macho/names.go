package macho

import (
	"bytes"
	"encoding/binary"
	"sort"
)

// names streams through the parts of a slice that hold names, in the file's
// order: method names stand in the text segment, the symbol table and its
// strings at the end. What cannot be reached is told in Partial.
func (s *stream) names(sl *Slice) error {
	if sl.selectors.size > 0 {
		if b, ok := s.section(sl, sl.selectors, "method names"); ok {
			for _, name := range bytes.Split(b, []byte{0}) {
				if len(name) > 0 {
					sl.Selectors = append(sl.Selectors, string(name))
				}
			}
		}
	}
	if sl.symbols.size == 0 {
		return nil
	}
	wanted, ok := s.undefined(sl)
	if !ok {
		return nil
	}
	s.imported(sl, wanted)
	return nil
}

// section reads a span of the slice whole, within the bounds.
func (s *stream) section(sl *Slice, sp span, what string) ([]byte, bool) {
	if sp.size > maxNames {
		sl.Partial = what + " take more than 16 MiB"
		return nil, false
	}
	if !s.reach(sl, sp, what) {
		return nil, false
	}
	b, err := s.take(int(sp.size))
	if err != nil {
		sl.Partial = what + ": " + err.Error()
		return nil, false
	}
	return b, true
}

func (s *stream) reach(sl *Slice, sp span, what string) bool {
	if err := s.skipTo(sl.Offset + sp.offset); err != nil {
		sl.Partial = what + ": " + err.Error()
		return false
	}
	return true
}

// undefined streams the symbol table and keeps the string offsets of
// undefined symbols, sorted.
func (s *stream) undefined(sl *Slice) ([]uint32, bool) {
	if !s.reach(sl, sl.symbols, "the symbol table") {
		return nil, false
	}
	const typeMask, stab, external = 0x0e, 0xe0, 0x01
	size := 12
	if sl.Bits == 64 {
		size = 16
	}
	var offsets []uint32
	locals := 0
	for n := sl.symbols.size / int64(size); n > 0; {
		batch := min(n, 4096)
		b, err := s.take(int(batch) * size)
		if err != nil {
			sl.Partial = "the symbol table: " + err.Error()
			return nil, false
		}
		for ; len(b) > 0; b = b[size:] {
			switch {
			case b[4]&stab != 0 || b[4]&typeMask != 0 && b[4]&external == 0:
				locals++ // debugging or local symbols
			case b[4]&typeMask == 0:
				offsets = append(offsets, binary.LittleEndian.Uint32(b))
			}
		}
		n -= batch
		if len(offsets) > maxNames/16 {
			sl.Partial = "the symbol table imports more than a million names"
			return nil, false
		}
	}
	sl.Stripped = locals == 0
	sort.Slice(offsets, func(i, j int) bool { return offsets[i] < offsets[j] })
	return offsets, true
}

// imported streams the string table and picks the names at the given offsets.
func (s *stream) imported(sl *Slice, offsets []uint32) {
	if !s.reach(sl, sl.strings, "the symbol names") {
		return
	}
	start, kept := s.pos, 0
	end := start + sl.strings.size
	for i, off := range offsets {
		at := start + int64(off)
		if at < s.pos { // shared tail of a name already read; linkers for iOS write none
			if i > 0 && offsets[i-1] == off {
				continue
			}
			sl.Partial = "the symbol names overlap"
			continue
		}
		if at >= end || s.skipTo(at) != nil {
			sl.Partial = "a symbol name lies outside the string table"
			return
		}
		name, err := s.r.ReadSlice(0)
		s.pos += int64(len(name))
		_, _ = s.sink().Write(name)
		if err != nil || s.pos > end {
			sl.Partial = "a symbol name is cut off"
			return
		}
		if len(name) > 1 {
			sl.Imports = append(sl.Imports, string(name[:len(name)-1]))
		}
		if kept += len(name); kept > maxNames {
			sl.Partial = "the imported names take more than 16 MiB"
			return
		}
	}
}
