// Package elfscan reads what a release check needs of native libraries, in one
// forward pass over a stream: a library of a hundred megabytes is never held.
//
// Source of the format: the System V ABI's chapters on object files, and the
// Android platform's notes on its dynamic linker.
package elfscan

import (
	"bufio"
	"bytes"
	"debug/elf"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"strings"

	"regola.example/regola/internal/core/format"
)

// keep is how many bytes from the start are held: program headers, notes and
// the names of needed libraries stand there. In a large library a long symbol
// table precedes those names, so more is held of one.
const (
	keep      = 2 << 20
	keepLarge = 12 << 20
	large     = 32 << 20
	keepTail  = 256 << 10 // before the section headers, where their names are
)

// File is one native library.
type File struct {
	Bits       int
	Machine    string // arm64, arm, x86, x86_64, riscv64, dsp, or its number
	Shared     bool   // a shared object
	Align      int64  // the smallest alignment of a load segment, in bytes
	Congruent  bool   // every load segment's address and offset agree modulo its alignment
	WriteExec  bool   // a segment is both writable and executable
	TextRel    bool   // code must be rewritten on load
	Needed     []string
	SoName     string
	BuildID    string
	Level      int64    // the platform's API level for which it was built; 0 when it does not say
	Sections   bool     // section headers are there
	Symbols    bool     // a symbol table for linking and debugging is left in
	Debug      int64    // bytes of debugging information
	DebugNames []string // of the sections that hold it, in file order
	NoNames    string   // why Needed and SoName could not be read
	Incomplete string   // what else could not be reached, and why
}

// Is reports whether a file begins like an ELF file.
func Is(head []byte) bool { return bytes.HasPrefix(head, []byte(elf.ELFMAG)) }

type scanner struct {
	r     *bufio.Reader
	head  []byte
	tail  []byte // the bytes before pos, as many as are kept
	pos   int64  // of r
	order binary.ByteOrder
	wide  bool
	loads []elf.Prog64
	far   *farNames
}

// farNames notes names that end in .so while a library passes by, with where they begin: in
// a very large one the names of needed libraries lie behind what is held, and only what
// follows says where.
type farNames struct {
	r     io.Reader
	pos   int64  // of r
	from  int64  // before it nothing is noted
	carry []byte // the end of what passed, as long as a name may be
	found map[uint64]string
}

const (
	longestName = 256
	mostFar     = 1 << 14
)

var nameEnd = []byte(".so\x00")

// Read implements io.Reader.
func (f *farNames) Read(p []byte) (int, error) {
	n, err := f.r.Read(p)
	if f.pos += int64(n); f.pos > f.from {
		f.note(p[:n])
	}
	return n, err
}

func (f *farNames) note(b []byte) {
	b = append(f.carry, b...)
	start := f.pos - int64(len(b)) // of b
	done := len(f.carry) - len(nameEnd) + 1
	for at := max(done, 0); ; {
		i := bytes.Index(b[at:], nameEnd)
		if i < 0 || len(f.found) >= mostFar {
			break
		}
		end := at + i + len(nameEnd) - 1
		if begin := bytes.LastIndexByte(b[:end], 0) + 1; begin > 0 {
			f.found[uint64(start)+uint64(begin)] = string(b[begin:end])
		}
		at = end
	}
	f.carry = append(f.carry[:0], b[max(0, len(b)-longestName):]...)
}

// Scan reads a library from a stream of the given size in bytes.
func Scan(r io.Reader, size int64) (*File, error) {
	held := int64(keep)
	if size >= large {
		held = keepLarge
	}
	far := &farNames{r: r, from: held, found: map[uint64]string{}}
	s := &scanner{r: bufio.NewReaderSize(far, 64<<10), order: binary.LittleEndian, far: far}
	var head bytes.Buffer
	if _, err := io.CopyN(&head, s.r, held); err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	s.head, s.pos = head.Bytes(), int64(head.Len())
	if len(s.head) < 52 || !Is(s.head) {
		return nil, format.Damagedf(0, "not an ELF file")
	}
	if s.head[5] == 2 {
		s.order = binary.BigEndian
	}
	switch elf.Class(s.head[4]) {
	case elf.ELFCLASS64:
		s.wide = true
	case elf.ELFCLASS32:
	default:
		return nil, format.Damagedf(4, "unknown ELF class %d", s.head[4])
	}
	if s.wide && len(s.head) < 64 {
		return nil, format.Damagedf(0, "the ELF header is cut off")
	}
	f := &File{Bits: 32, Congruent: true}
	if s.wide {
		f.Bits = 64
	}
	f.Shared = elf.Type(s.order.Uint16(s.head[16:])) == elf.ET_DYN
	f.Machine = machine(elf.Machine(s.order.Uint16(s.head[18:])))
	dyn, err := s.programs(f)
	if err != nil {
		return nil, err
	}
	s.rest(f, dyn, size)
	return f, nil
}

// machineDSP is the number of a signal processor that phones have beside their
// main processor; package elf does not name it.
const machineDSP elf.Machine = 164

func machine(m elf.Machine) string {
	switch m {
	case elf.EM_AARCH64:
		return "arm64"
	case elf.EM_ARM:
		return "arm"
	case elf.EM_386:
		return "x86"
	case elf.EM_X86_64:
		return "x86_64"
	case elf.EM_RISCV:
		return "riscv64"
	case elf.EM_MIPS:
		return "mips"
	case machineDSP:
		return "dsp"
	}
	return fmt.Sprintf("machine-%d", m)
}

// word reads an address-sized number of the header at its two offsets.
func (s *scanner) word(b []byte, at32, at64 int) uint64 {
	if s.wide {
		return s.order.Uint64(b[at64:])
	}
	return uint64(s.order.Uint32(b[at32:]))
}

func (s *scanner) half(at32, at64 int) int {
	if s.wide {
		at32 = at64
	}
	return int(s.order.Uint16(s.head[at32:]))
}

// programs reads the program headers and returns the dynamic segment.
func (s *scanner) programs(f *File) (dyn elf.Prog64, err error) {
	off, size, n := s.word(s.head, 28, 32), s.half(42, 54), s.half(44, 56)
	least := 32
	if s.wide {
		least = 56
	}
	if n == 0 {
		return dyn, nil
	}
	if size < least || off > uint64(len(s.head)) || int64(off)+int64(size)*int64(n) > int64(len(s.head)) {
		return dyn, format.Damagedf(int64(off), "%d program headers of %d bytes do not fit", n, size)
	}
	for i := range n {
		b := s.head[int(off)+i*size:]
		p := elf.Prog64{Type: s.order.Uint32(b)}
		if s.wide {
			p.Flags = s.order.Uint32(b[4:])
		} else {
			p.Flags = s.order.Uint32(b[24:])
		}
		p.Off, p.Vaddr = s.word(b, 4, 8), s.word(b, 8, 16)
		p.Filesz, p.Memsz, p.Align = s.word(b, 16, 32), s.word(b, 20, 40), s.word(b, 28, 48)
		switch elf.ProgType(p.Type) {
		case elf.PT_LOAD:
			s.loads = append(s.loads, p)
			align := int64(min(max(p.Align, 1), 1<<40))
			if f.Align == 0 || align < f.Align {
				f.Align = align
			}
			f.Congruent = f.Congruent && p.Off%uint64(align) == p.Vaddr%uint64(align)
			f.WriteExec = f.WriteExec || p.Flags&3 == 3
		case elf.PT_DYNAMIC:
			dyn = p
		case elf.PT_NOTE:
			s.notes(f, p)
		}
	}
	return dyn, nil
}

// notes looks for the build id, which ties a library to its symbols, and for
// the note of the platform's tools with the level that they built for.
func (s *scanner) notes(f *File, p elf.Prog64) {
	if p.Off+p.Filesz > uint64(len(s.head)) || p.Off+p.Filesz < p.Off {
		return
	}
	b := s.head[p.Off : p.Off+p.Filesz]
	for len(b) >= 12 {
		n, d, typ := s.order.Uint32(b), s.order.Uint32(b[4:]), s.order.Uint32(b[8:])
		name, end := 12+int64(n), 12+(int64(n)+3)&^3+(int64(d)+3)&^3
		desc := 12 + (int64(n)+3)&^3
		if end > int64(len(b)) || desc+int64(d) > int64(len(b)) {
			return
		}
		if typ == 3 && string(b[12:name]) == "GNU\x00" {
			f.BuildID = hex.EncodeToString(b[desc : desc+int64(d)])
		}
		if typ == 1 && d >= 4 && string(b[12:name]) == "Android\x00" {
			f.Level = int64(s.order.Uint32(b[desc:]))
		}
		b = b[end:]
	}
}

// rest goes on behind the head: the dynamic segment and the section headers,
// in the order in which they lie in the file.
func (s *scanner) rest(f *File, dyn elf.Prog64, size int64) {
	if dyn.Filesz > 0 {
		if b := s.span(dyn.Off, dyn.Filesz, 1<<20, "the dynamic section", f); b != nil {
			s.dynamic(f, b)
		}
	}
	off, entry, n := s.word(s.head, 32, 40), s.half(46, 58), s.half(48, 60)
	if n == 0 || off == 0 {
		return
	}
	least := 40
	if s.wide {
		least = 64
	}
	if entry < least || off > uint64(size) {
		f.Incomplete = "the section headers lie outside the file"
		return
	}
	b := s.span(off, uint64(entry)*uint64(n), 16<<20, "the section headers", f)
	if b == nil {
		return
	}
	f.Sections = true
	names := s.sectionNames(b, entry, s.half(50, 62))
	for i := range n {
		h := b[i*entry:]
		typ, flags := elf.SectionType(s.order.Uint32(h[4:])), s.word(h, 8, 8)
		length := s.word(h, 20, 32)
		switch {
		case typ == elf.SHT_SYMTAB:
			f.Symbols = true
		case typ == elf.SHT_PROGBITS && flags&uint64(elf.SHF_ALLOC) == 0:
			name, debug := "", length >= leastDebug && flags&uint64(elf.SHF_STRINGS) == 0
			if at := uint64(s.order.Uint32(h)); at < uint64(len(names)) {
				text, _, _ := bytes.Cut(names[at:], []byte{0})
				name = string(text[:min(len(text), 64)])
				debug = strings.HasPrefix(name, ".debug_") || strings.HasPrefix(name, ".zdebug_")
			}
			if !debug {
				continue
			}
			f.Debug += int64(min(length, uint64(size)))
			if name != "" && len(f.DebugNames) < 32 {
				f.DebugNames = append(f.DebugNames, name)
			}
		}
	}
}

// leastDebug is the size from which contents that are never loaded are taken
// for debugging information where the sections' names are out of reach: notes
// of the compiler and links to a debug file are smaller.
const leastDebug = 4096

// sectionNames finds the table of the sections' names, if it lies in what is
// held. headers are the section headers, index that of the table's own.
func (s *scanner) sectionNames(headers []byte, entry, index int) []byte {
	if (index+1)*entry > len(headers) {
		return nil
	}
	h := headers[index*entry:]
	off, length := s.word(h, 16, 24), s.word(h, 20, 32)
	if off+length < off {
		return nil
	}
	if off+length <= uint64(len(s.head)) {
		return s.head[off : off+length]
	}
	// pos is behind the section headers now, or still behind the head.
	first := uint64(s.pos) - uint64(len(s.tail))
	if off >= first && off+length <= uint64(s.pos) {
		return s.tail[off-first : off-first+length]
	}
	return nil
}

// advance reads n bytes of the stream and keeps the last of them.
func (s *scanner) advance(n int64) error {
	buf := make([]byte, min(n, 64<<10))
	for n > 0 {
		m, err := io.ReadFull(s.r, buf[:min(n, int64(len(buf)))])
		s.pos, n = s.pos+int64(m), n-int64(m)
		if n < keepTail {
			s.tail = append(s.tail, buf[:m]...)
			if over := len(s.tail) - keepTail; over > 0 {
				s.tail = append(s.tail[:0], s.tail[over:]...)
			}
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// span gives bytes of the file, from the head or further on in the stream.
func (s *scanner) span(off, n, most uint64, what string, f *File) []byte {
	if n > most || off+n < off {
		f.Incomplete = what + " take more bytes than is sound"
		return nil
	}
	if off+n <= uint64(len(s.head)) {
		return s.head[off : off+n]
	}
	var b bytes.Buffer
	if off < uint64(len(s.head)) {
		b.Write(s.head[off:])
	} else if skip := int64(off) - s.pos; skip < 0 {
		f.Incomplete = what + " stand before what was read already"
		return nil
	} else if err := s.advance(skip); err != nil {
		f.Incomplete = what + " are cut off"
		return nil
	}
	m, err := io.CopyN(&b, s.r, int64(n)-int64(b.Len()))
	s.pos += m
	if over := len(s.tail) + b.Len() - 2*keepTail; over > 0 && over < len(s.tail) {
		s.tail = s.tail[over:]
	}
	s.tail = append(s.tail, b.Bytes()...)
	if err != nil {
		f.Incomplete = what + " are cut off"
		return nil
	}
	return b.Bytes()
}

func (s *scanner) dynamic(f *File, b []byte) {
	step := 8
	if s.wide {
		step = 16
	}
	var needed []uint64
	var strtab, soname uint64
	hasName := false
	for ; len(b) >= step; b = b[step:] {
		tag, val := s.word(b, 0, 0), s.word(b, 4, 8)
		if elf.DynTag(tag) == elf.DT_NULL {
			break
		}
		switch elf.DynTag(tag) {
		case elf.DT_NEEDED:
			if len(needed) < 4096 {
				needed = append(needed, val)
			}
		case elf.DT_STRTAB:
			strtab = val
		case elf.DT_SONAME:
			soname, hasName = val, true
		case elf.DT_TEXTREL:
			f.TextRel = true
		case elf.DT_FLAGS:
			f.TextRel = f.TextRel || val&uint64(elf.DF_TEXTREL) != 0
		}
	}
	at, ok := s.fileOffset(strtab)
	if !ok {
		if len(needed) > 0 {
			f.NoNames = "the names of needed libraries lie beyond what is held"
		}
		return
	}
	name := func(i uint64) string {
		if at+i >= uint64(len(s.head)) || at+i < at {
			n, ok := s.far.found[at+i]
			if !ok {
				f.NoNames = "the names of needed libraries lie beyond what is held"
			}
			return n
		}
		n, _, _ := bytes.Cut(s.head[at+i:], []byte{0})
		return string(n[:min(len(n), 256)])
	}
	for _, i := range needed {
		if n := name(i); n != "" {
			f.Needed = append(f.Needed, n)
		}
	}
	if hasName {
		f.SoName = name(soname)
	}
}

// fileOffset finds where an address stands in the file.
func (s *scanner) fileOffset(addr uint64) (uint64, bool) {
	for _, p := range s.loads {
		if addr >= p.Vaddr && addr-p.Vaddr < p.Filesz {
			return addr - p.Vaddr + p.Off, true
		}
	}
	return 0, false
}
