package macho

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"errors"
	"slices"
	"sort"
	"strings"
	"unicode/utf16"

	"regola.example/regola/internal/core/format/literal"
)

// section is a part of a slice that holds names, and what reads it.
type section struct {
	span
	read func(*stream, *Slice, span)
}

// readers are the sections whose names are kept.
var readers = map[string]func(*stream, *Slice, span){
	"__objc_methname":  selectors,
	"__objc_classname": classes,
	"__cstring":        literals,
	"__ustring":        wideLiterals,
}

// names streams through the parts of a slice that hold names, in the file's
// order: names of the code and literals stand in the text segment, the symbol
// table and its strings at the end. What cannot be reached is named in Partial.
func (s *stream) names(sl *Slice) error {
	sort.SliceStable(sl.sections, func(i, j int) bool { return sl.sections[i].offset < sl.sections[j].offset })
	for _, sec := range sl.sections {
		sec.read(s, sl, sec.span)
	}
	sl.sections = nil
	slices.Sort(sl.Literals)
	sl.Literals = slices.Compact(sl.Literals)
	if sl.symbols.size == 0 {
		return nil
	}
	wanted, ok := s.wanted(sl)
	if !ok {
		return nil
	}
	s.symbolNames(sl, wanted)
	return nil
}

func selectors(s *stream, sl *Slice, sp span) {
	if b, ok := s.whole(sl, sp, "method names"); ok {
		for name := range bytes.SplitSeq(b, []byte{0}) {
			if len(name) > 0 && s.keep(sl, name, "method names") {
				sl.Selectors = append(sl.Selectors, string(name))
			}
		}
	}
}

// classes keeps what can be a name: the section also holds the layouts of
// instance variables, which are bytes of another kind.
func classes(s *stream, sl *Slice, sp span) {
	if b, ok := s.whole(sl, sp, "class names"); ok {
		for name := range bytes.SplitSeq(b, []byte{0}) {
			if len(name) > 1 && !bytes.ContainsFunc(name, notOfName) && s.keep(sl, name, "class names") {
				sl.Classes = append(sl.Classes, string(name))
			}
		}
	}
}

// perName is what a name takes beside its bytes: its header, and its place in
// the index that is made of it.
const perName = 64

// keep takes the memory of one name. False means that there is none left: the
// slice's names are then incomplete.
func (s *stream) keep(sl *Slice, name []byte, what string) bool {
	if sl.Partial != "" {
		return false
	}
	if err := s.budget.Keep(len(name) + perName); err != nil {
		sl.Partial = what + ": " + err.Error()
		return false
	}
	return true
}

func notOfName(r rune) bool {
	return r != '_' && r != '$' && r != '.' && (r < '0' || r > '9') && (r < 'A' || r > 'Z') && (r < 'a' || r > 'z')
}

// literals streams C strings and keeps those that are addresses or paths.
func literals(s *stream, sl *Slice, sp span) {
	if !s.reach(sl, sp, "string literals") {
		return
	}
	end, cut := s.pos+sp.size, false
	for s.pos < end {
		b, err := s.r.ReadSlice(0)
		if over := s.pos + int64(len(b)) - end; over > 0 {
			sl.Partial = "a string literal runs out of its section"
			b = b[:int64(len(b))-over]
		}
		s.pos += int64(len(b))
		_, _ = s.sink().Write(b)
		whole := err == nil && !cut
		cut = errors.Is(err, bufio.ErrBufferFull) // a long one goes on in the next piece
		if whole && literal.Worth(b[:len(b)-1]) && s.keep(sl, b, "string literals") {
			sl.Literals = append(sl.Literals, string(b[:len(b)-1]))
		}
		if err != nil && !cut {
			sl.Partial = "the string literals are cut off"
			return
		}
	}
}

// wideLiterals reads the UTF-16 strings that a compiler writes for literals
// with letters beyond ASCII.
func wideLiterals(s *stream, sl *Slice, sp span) {
	b, ok := s.whole(sl, sp, "UTF-16 literals")
	if !ok {
		return
	}
	var unit []uint16
	for ; len(b) >= 2; b = b[2:] {
		if u := binary.LittleEndian.Uint16(b); u != 0 {
			unit = append(unit, u)
			continue
		}
		if text := string(utf16.Decode(unit)); literal.Worth([]byte(text)) {
			sl.Literals = append(sl.Literals, text)
		}
		unit = unit[:0]
	}
}

// whole reads a span of the slice whole, within the bounds.
func (s *stream) whole(sl *Slice, sp span, what string) ([]byte, bool) {
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

// symbol is where a symbol's name stands in the string table.
type symbol struct {
	offset   uint32
	exported bool
}

// wanted streams the symbol table and keeps where the names of imported and
// exported symbols stand, sorted.
func (s *stream) wanted(sl *Slice) ([]symbol, bool) {
	if !s.reach(sl, sl.symbols, "the symbol table") {
		return nil, false
	}
	const typeMask, stab, external, private = 0x0e, 0xe0, 0x01, 0x10
	size := 12
	if sl.Bits == 64 {
		size = 16
	}
	var out []symbol
	locals := 0
	for n := sl.symbols.size / int64(size); n > 0; {
		batch := min(n, 4096)
		b, err := s.take(int(batch) * size)
		if err != nil {
			sl.Partial = "the symbol table: " + err.Error()
			return nil, false
		}
		for ; len(b) > 0; b = b[size:] {
			kind, at := b[4], binary.LittleEndian.Uint32(b)
			switch {
			case kind&stab != 0 || kind&typeMask != 0 && kind&external == 0:
				locals++ // debugging or local symbols
			case kind&typeMask == 0:
				out = append(out, symbol{at, false})
			case kind&private == 0:
				out = append(out, symbol{at, true})
			}
		}
		n -= batch
		if len(out) > maxSymbols {
			sl.Partial = "the symbol table has more than two million names"
			return nil, false
		}
	}
	sl.Stripped = locals == 0
	sort.Slice(out, func(i, j int) bool { return out[i].offset < out[j].offset })
	return out, true
}

// symbolNames streams the string table and picks the names of symbols.
func (s *stream) symbolNames(sl *Slice, symbols []symbol) {
	if !s.reach(sl, sl.strings, "the symbol names") {
		return
	}
	start := s.pos
	end := start + sl.strings.size
	var last string // the name read last; linkers may let others begin inside it
	var lastAt int64
	for i, sym := range symbols {
		if i > 0 && symbols[i-1] == sym {
			continue
		}
		at := start + int64(sym.offset)
		text := ""
		if at < s.pos && i > 0 {
			text = last[min(at-lastAt, int64(len(last))):]
		} else {
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
			text = string(name[:len(name)-1])
			last, lastAt = text, at
		}
		switch {
		case text == "":
		case !s.keep(sl, []byte(text), "symbol names"):
			return
		case sym.exported:
			sl.Exports = append(sl.Exports, text)
		default:
			sl.Imports = append(sl.Imports, text)
		}
	}
}

// SwiftModule is the module in a Swift symbol (_$s, the
// module's length, the module …), or "".
func SwiftModule(symbol string) string {
	rest, ok := strings.CutPrefix(symbol, "_$s")
	if !ok {
		return ""
	}
	n, i := 0, 0
	for i < len(rest) && rest[i] >= '0' && rest[i] <= '9' && n < 1<<16 {
		n, i = 10*n+int(rest[i]-'0'), i+1
	}
	if n == 0 || i+n > len(rest) {
		return ""
	}
	return rest[i : i+n]
}

// SplitName takes apart the name under which a class is registered. One of
// Swift reads _TtC, then module and class, each after its length; any
// other is a single part.
func SplitName(name string) []string {
	rest, ok := strings.CutPrefix(name, "_TtC")
	if !ok {
		return []string{name}
	}
	var parts []string
	for rest = strings.TrimLeft(rest, "C"); rest != ""; {
		n, i := 0, 0
		for i < len(rest) && rest[i] >= '0' && rest[i] <= '9' && n < 1<<16 {
			n, i = 10*n+int(rest[i]-'0'), i+1
		}
		if n == 0 || i+n > len(rest) {
			return []string{name}
		}
		parts, rest = append(parts, rest[i:i+n]), rest[i+n:]
	}
	return parts
}
