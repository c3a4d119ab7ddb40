// Package macho reads what a release check needs of Mach-O executables, thin
// and universal, in one forward pass: a 300 MB binary inside an archive is
// streamed, never held.
//
// Source of the format: the published headers of the Mach-O file format
// (mach-o/loader.h and mach-o/fat.h).
package macho

import (
	"bufio"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"hash"
	"io"
	"math"
	"sort"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
)

// Magic numbers, file types and flags, as in the published headers.
const (
	magic32  = 0xfeedface
	magic64  = 0xfeedfacf
	magicFat = 0xcafebabe
	fat64    = 0xcafebabf

	TypeObject  = 1
	TypeExecute = 2
	TypeDylib   = 6
	TypeBundle  = 8

	flagPIE           = 0x200000
	flagExtensionSafe = 0x2000000
)

// Bounds against hostile files.
const (
	maxSlices    = 32
	maxCommands  = 8 << 20  // bytes of load commands in one slice
	maxSignature = 32 << 20 // bytes of a code signature
	maxNames     = 16 << 20 // bytes of a section of names
	maxSymbols   = 2 << 20  // symbols that are kept of one slice
	maxSections  = 64       // sections with names in one slice
)

// Library is a library that a slice links.
type Library struct {
	Name string
	Weak bool
}

// Slice is one architecture of an executable.
type Slice struct {
	Offset        int64  // in the file, bytes
	CPU           string // arm64, arm64e, armv7, x86_64 …
	Bits          int    // 32 or 64
	FileType      uint32
	Platform      string // ios, ios-simulator, macos …; empty when no command tells
	MinOS         string // least system version, "15.0"
	SDK           string // of the build, "18.2"; empty when no command tells
	Libraries     []Library
	Encrypted     bool // the store's own encryption is on
	Encryptable   bool // there is room for the store's encryption
	PIE           bool
	ExtensionSafe bool     // linked for use in extensions
	HasSigning    bool     // a code-signature command is there; it says nothing of validity
	UUID          string   // of the build, as debugging information names it; upper case, with hyphens
	RPaths        []string // where libraries are looked for

	Text      int64    // bytes of the text segment
	Bitcode   bool     // the compiler's intermediate code is left in
	Swift     bool     // sections of the Swift runtime are there
	Stripped  bool     // the symbol table holds no local symbols of its own
	Imports   []string // undefined symbols, as the symbol table spells them
	Exports   []string // symbols that others can use, as the symbol table spells them
	Classes   []string // names of Objective-C classes, protocols and categories that the code defines
	Selectors []string // names of Objective-C methods that the code defines or sends
	Literals  []string // string literals that are addresses or paths, each once
	Partial   string   // why imports, classes or selectors are incomplete; empty when they are whole

	Signature []byte // the code signature's bytes; nil when there is none or it cannot be reached
	// Pages are the SHA-256 digests of the slice's pages up to the signature, by
	// the size of a page: 4 KiB and 16 KiB, of which signing tools use either.
	// They are taken when asked for.
	Pages map[int64][][]byte

	symbols, strings, signature span
	sections                    []section
}

// span is a range of the slice that is read after the load commands.
type span struct{ offset, size int64 }

// File is a Mach-O file, thin (one slice) or universal.
type File struct {
	Universal   bool
	HeadersOnly bool // nothing behind the load commands was read
	Slices      []Slice
}

// ErrStatic is for a static library: an archive of objects where an executable
// is expected.
var ErrStatic = format.Unsupportedf(0, "a static library, an archive of objects")

const magicStatic = "!<arch>\n"

// Is reports whether a file begins like a Mach-O. The universal magic is also
// that of Java classes, which have a large number where the count of slices
// stands.
func Is(head []byte) bool {
	if len(head) < 8 {
		return false
	}
	switch binary.BigEndian.Uint32(head) {
	case magicFat, fat64:
		return binary.BigEndian.Uint32(head[4:]) <= maxSlices
	}
	switch binary.LittleEndian.Uint32(head) {
	case magic32, magic64:
		return true
	}
	return false
}

// Read reads the headers of all slices from a stream. With digests, every page
// of each slice is digested on the way, for codesign.Verify.
//
// Errors are *format.Damaged, ErrStatic, or what the stream returned.
func Read(r io.Reader, digests bool, b *budget.Budget) (*File, error) {
	return read(&stream{r: bufio.NewReaderSize(r, 64<<10), digests: digests, budget: b})
}

func read(s *stream) (*File, error) {
	if s.budget == nil {
		s.budget = budget.New(context.Background(), 0)
	}
	head, err := s.r.Peek(8)
	if err != nil {
		return nil, format.Damagedf(0, "a Mach-O header is cut off after %d bytes", len(head))
	}
	if string(head) == magicStatic {
		return nil, ErrStatic
	}
	if !Is(head) {
		return nil, format.Damagedf(0, "not a Mach-O file: it begins with % x", head[:4])
	}
	f := &File{}
	if m := binary.BigEndian.Uint32(head); m != magicFat && m != fat64 {
		sl, err := s.slice(0)
		if err != nil {
			return nil, err
		}
		f.Slices = []Slice{sl}
		return f, nil
	}
	f.Universal = true
	offsets, err := s.fatHeader()
	if err != nil {
		return nil, err
	}
	// The stream goes forward only; slices are given in the file's order.
	order := make([]int, len(offsets))
	for i := range order {
		order[i] = i
	}
	sort.SliceStable(order, func(i, j int) bool { return offsets[order[i]] < offsets[order[j]] })
	f.Slices = make([]Slice, len(offsets))
	for _, i := range order {
		if err := s.skipTo(offsets[i]); err != nil {
			return nil, err
		}
		if f.Slices[i], err = s.slice(offsets[i]); err != nil {
			return nil, err
		}
	}
	return f, nil
}

// ReadHeaders reads what the load commands of each slice tell: no names, no
// signature, no digests.
func ReadHeaders(r io.Reader, b *budget.Budget) (*File, error) {
	f, err := read(&stream{r: bufio.NewReaderSize(r, 64<<10), headers: true, budget: b})
	if f != nil {
		f.HeadersOnly = true
	}
	return f, err
}

type stream struct {
	budget  *budget.Budget
	headers bool // stop after the load commands
	r       *bufio.Reader
	pos     int64
	digests bool
	pages   *pager
}

// pager digests what the stream passes, page by page.
type pager struct {
	sizes []*paged
	rest  int64 // bytes to the signature
}

// paged is the digests of pages of one size.
type paged struct {
	size int64
	sums [][]byte
	hash hash.Hash
	left int64 // bytes to the end of the page
}

func newPager() *pager {
	p := &pager{rest: math.MaxInt64}
	for _, size := range []int64{4 << 10, 16 << 10} {
		p.sizes = append(p.sizes, &paged{size: size, hash: sha256.New(), left: size})
	}
	return p
}

// Write implements io.Writer.
func (p *pager) Write(b []byte) (int, error) {
	n := len(b)
	b = b[:min(int64(len(b)), p.rest)]
	p.rest -= int64(len(b))
	for _, s := range p.sizes {
		s.write(b, p.rest == 0 && len(b) > 0)
	}
	return n, nil
}

func (s *paged) write(b []byte, last bool) {
	for len(b) > 0 {
		take := min(int64(len(b)), s.left)
		s.hash.Write(b[:take])
		b, s.left = b[take:], s.left-take
		if s.left == 0 {
			s.end()
		}
	}
	if last && s.left < s.size {
		s.end()
	}
}

func (s *paged) end() {
	s.sums = append(s.sums, s.hash.Sum(nil))
	s.hash.Reset()
	s.left = s.size
}

// sink is where passed bytes go.
func (s *stream) sink() io.Writer {
	if s.pages != nil {
		return s.pages
	}
	return io.Discard
}

func (s *stream) take(n int) ([]byte, error) {
	// The buffer grows with what arrives, not with what a header claims.
	var b bytes.Buffer
	got, err := io.CopyN(&b, s.r, int64(n))
	at := s.pos
	s.pos += got
	_, _ = s.sink().Write(b.Bytes())
	if err != nil {
		if errors.Is(err, io.EOF) {
			return nil, format.Damagedf(at, "cut off: %d bytes expected, %d there", n, got)
		}
		return nil, err
	}
	return b.Bytes(), nil
}

func (s *stream) skipTo(offset int64) error {
	if offset < s.pos {
		return format.Damagedf(offset, "slices overlap each other or the header")
	}
	n, err := io.CopyN(s.sink(), s.r, offset-s.pos)
	s.pos += n
	if errors.Is(err, io.EOF) {
		return format.Damagedf(s.pos, "cut off: a slice should begin at byte %#x", offset)
	}
	return err
}

func (s *stream) fatHeader() ([]int64, error) {
	h, err := s.take(8)
	if err != nil {
		return nil, err
	}
	be := binary.BigEndian
	wide, n := be.Uint32(h) == fat64, int(be.Uint32(h[4:]))
	if n == 0 {
		return nil, format.Damagedf(4, "a universal file without slices")
	}
	var offsets []int64
	for range n {
		size := 20
		if wide {
			size = 32
		}
		a, err := s.take(size)
		if err != nil {
			return nil, err
		}
		off := uint64(be.Uint32(a[8:]))
		if wide {
			off = be.Uint64(a[8:])
		}
		if off > 1<<40 {
			return nil, format.Damagedf(s.pos, "a slice claims to begin at byte %#x", off)
		}
		offsets = append(offsets, int64(off))
	}
	return offsets, nil
}

func (s *stream) slice(base int64) (Slice, error) {
	sl := Slice{Offset: base}
	s.pages = nil
	if s.digests {
		// Where the signature begins is known after the load commands, which
		// lie within the bytes that are let pass first.
		s.pages = newPager()
	}
	h, err := s.take(28)
	if err != nil {
		return sl, err
	}
	le := binary.LittleEndian
	switch le.Uint32(h) {
	case magic64:
		sl.Bits = 64
		if _, err := s.take(4); err != nil {
			return sl, err
		}
	case magic32:
		sl.Bits = 32
	default:
		if string(h[:8]) == magicStatic {
			return sl, ErrStatic
		}
		return sl, format.Damagedf(base, "a slice does not begin with a Mach-O header")
	}
	sl.CPU = cpuName(le.Uint32(h[4:]), le.Uint32(h[8:]))
	sl.FileType = le.Uint32(h[12:])
	sl.PIE = le.Uint32(h[24:])&flagPIE != 0
	sl.ExtensionSafe = le.Uint32(h[24:])&flagExtensionSafe != 0
	count, size := le.Uint32(h[16:]), le.Uint32(h[20:])
	if size > maxCommands {
		return sl, format.Damagedf(base+20, "load commands of %d bytes, more than any linker writes", size)
	}
	start := s.pos
	cmds, err := s.take(int(size))
	if err != nil {
		return sl, err
	}
	for i := range count {
		if len(cmds) < 8 {
			return sl, format.Damagedf(s.pos, "load command %d of %d is cut off", i+1, count)
		}
		n := le.Uint32(cmds[4:])
		if n < 8 || int64(n) > int64(len(cmds)) {
			return sl, format.Damagedf(start+int64(size)-int64(len(cmds)), "load command %d claims %d bytes", i+1, n)
		}
		if err := s.budget.Keep(64); err != nil {
			return sl, err
		}
		c := command{LoadCommand(le.Uint32(cmds)), cmds[:n], start + int64(size) - int64(len(cmds))}
		if err := sl.command(c); err != nil {
			return sl, err
		}
		cmds = cmds[n:]
	}
	if s.headers {
		return sl, nil
	}
	if s.pages != nil {
		passed := s.pos - base
		s.pages.rest = max(0, sl.signature.offset-passed)
		if sl.signature.size == 0 {
			s.pages = nil
		}
	}
	if err := s.names(&sl); err != nil {
		return sl, err
	}
	s.codeSignature(&sl)
	return sl, nil
}

// codeSignature takes the signature's bytes, which stand at the slice's end.
func (s *stream) codeSignature(sl *Slice) {
	if sl.signature.size == 0 || sl.signature.size > maxSignature || s.skipTo(sl.Offset+sl.signature.offset) != nil {
		return
	}
	pages := s.pages
	s.pages = nil
	if b, err := s.take(int(sl.signature.size)); err == nil {
		sl.Signature = b
	}
	if pages != nil {
		sl.Pages = map[int64][][]byte{}
		for _, p := range pages.sizes {
			sl.Pages[p.size] = p.sums
		}
	}
}

func cpuName(cpu, sub uint32) string {
	switch cpu {
	case 7:
		return "i386"
	case 0x01000007:
		return "x86_64"
	case 12:
		switch sub & 0xffffff {
		case 6:
			return "armv6"
		case 9:
			return "armv7"
		case 11:
			return "armv7s"
		case 12:
			return "armv7k"
		}
		return "arm"
	case 0x0100000c:
		if sub&0xffffff == 2 {
			return "arm64e"
		}
		return "arm64"
	case 0x0200000c:
		return "arm64_32"
	}
	return fmt.Sprintf("cpu-%#x", cpu)
}
