// Package zipscan reads the directory of a ZIP archive and remembers what a
// signer, an aligner and an installer care about: where each entry's bytes
// begin, how they are stored, and every oddity that a lenient reader would
// pass over in silence.
//
// Source of the format: the published ZIP application note (APPNOTE, sections
// 4.3 to 4.5).
package zipscan

import (
	"bufio"
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"hash"
	"hash/crc32"
	"io"
	"io/fs"
	"slices"
	"strings"
	"sync"

	"github.com/klauspost/compress/flate"

	"regola.example/regola/internal/core/format"
)

// Bounds against hostile archives. They are far above what any store accepts.
const (
	MaxEntries   = 128 << 10
	MaxTotal     = 64 << 30 // bytes that an archive may claim to hold, inflated
	maxDirectory = 32 << 20 // bytes of the central directory
)

// Methods of compression.
const (
	Stored   = 0
	Deflated = 8
)

const (
	sigLocal    = 0x04034b50
	sigCentral  = 0x02014b50
	sigEnd      = 0x06054b50
	sigEnd64    = 0x06064b50
	sigLocate64 = 0x07064b50

	flagEncrypted  = 1 << 0
	flagDescriptor = 1 << 3
)

// Entry is one entry of the central directory, whose sizes are the ones to
// believe: local headers may leave them out.
type Entry struct {
	Name       string
	Method     uint16
	Flags      uint16
	CRC        uint32
	Compressed int64 // bytes in the archive
	Size       int64 // bytes, inflated
	Header     int64 // offset of the local header
	Mode       fs.FileMode
	Zip64      bool // sizes or offset stand in a 64-bit extra field

	archive *Archive
}

// Fault is an oddity of the archive.
type Fault struct {
	Kind  string // duplicate-name, encrypted, method, unsafe-name, zip64, outside, overlap, local-header, local-name, prefix, unclaimed, trailing
	Entry string // empty when the archive as a whole is meant
	What  string
}

// Archive is the directory of an archive.
type Archive struct {
	Entries   []*Entry
	Directory int64  // offset of the central directory
	End       int64  // offset of the end record
	Size      int64  // of the file
	Comment   string // of the archive
	Faults    []Fault

	r io.ReaderAt
}

// Scan reads the central directory.
func Scan(r io.ReaderAt, size int64) (*Archive, error) {
	a := &Archive{Size: size, r: r}
	count, dirSize, err := a.findEnd()
	if err != nil {
		return nil, err
	}
	if dirSize > maxDirectory {
		return nil, format.Damagedf(a.Directory, "a central directory of %d bytes, at most %d are read", dirSize, maxDirectory)
	}
	if a.Directory < 0 || a.Directory+dirSize > a.End {
		return nil, format.Damagedf(a.End, "the central directory lies outside the archive: the file is cut off or damaged")
	}
	dir := make([]byte, dirSize)
	if _, err := r.ReadAt(dir, a.Directory); err != nil {
		return nil, format.Damagedf(a.Directory, "the central directory cannot be read: %v", err)
	}
	if err := a.entries(dir, count); err != nil {
		return nil, err
	}
	a.inspect()
	return a, nil
}

// findEnd finds the end record, behind which only the archive's comment stands.
func (a *Archive) findEnd() (count uint64, dirSize int64, err error) {
	le := binary.LittleEndian
	tail := make([]byte, min(a.Size, 22+0xffff))
	if _, err := a.r.ReadAt(tail, a.Size-int64(len(tail))); err != nil && !errors.Is(err, io.EOF) {
		return 0, 0, format.Damagedf(a.Size, "the end of the archive cannot be read: %v", err)
	}
	at := -1
	for i := len(tail) - 22; i >= 0; i-- {
		if le.Uint32(tail[i:]) == sigEnd && int(le.Uint16(tail[i+20:]))+i+22 <= len(tail) {
			at = i
			break
		}
	}
	if at < 0 {
		return 0, 0, format.Damagedf(a.Size, "no end record: this is no ZIP archive, or it is cut off")
	}
	end := tail[at:]
	a.End = a.Size - int64(len(tail)) + int64(at)
	comment := int(le.Uint16(end[20:]))
	a.Comment = string(end[22 : 22+comment])
	if extra := len(end) - 22 - comment; extra > 0 {
		a.fault("trailing", "", "%d bytes follow the end of the archive", extra)
	}
	count, dirSize, a.Directory = uint64(le.Uint16(end[10:])), int64(le.Uint32(end[12:])), int64(le.Uint32(end[16:]))
	if count != 0xffff && dirSize != 0xffffffff && a.Directory != 0xffffffff {
		return count, dirSize, nil
	}
	// A locator just before the end record leads to the 64-bit record.
	var loc [20]byte
	if a.End < 20 {
		return count, dirSize, nil
	}
	if _, err := a.r.ReadAt(loc[:], a.End-20); err != nil || le.Uint32(loc[:]) != sigLocate64 {
		return count, dirSize, nil
	}
	at64 := le.Uint64(loc[8:])
	var rec [56]byte
	if at64 > uint64(a.End) {
		return 0, 0, format.Damagedf(a.End-20, "the 64-bit end record lies outside the archive")
	}
	if _, err := a.r.ReadAt(rec[:], int64(at64)); err != nil || le.Uint32(rec[:]) != sigEnd64 {
		return 0, 0, format.Damagedf(int64(at64), "the 64-bit end record is damaged")
	}
	a.fault("zip64", "", "the archive uses the 64-bit extension")
	size64, dir64 := le.Uint64(rec[40:]), le.Uint64(rec[48:])
	if size64 > uint64(a.Size) || dir64 > uint64(a.Size) {
		return 0, 0, format.Damagedf(int64(at64), "the central directory lies outside the archive")
	}
	a.Directory = int64(dir64)
	return le.Uint64(rec[32:]), int64(size64), nil
}

func (a *Archive) fault(kind, entry, text string, args ...any) {
	const most = 1000 // a report of more helps nobody
	if len(a.Faults) < most {
		a.Faults = append(a.Faults, Fault{kind, entry, fmt.Sprintf(text, args...)})
	}
}

func (a *Archive) entries(dir []byte, count uint64) error {
	le := binary.LittleEndian
	at := a.Directory
	var total uint64
	for len(dir) >= 46 && le.Uint32(dir) == sigCentral {
		if len(a.Entries) >= MaxEntries {
			return format.Damagedf(at, "more than %d entries", MaxEntries)
		}
		n, x, c := int(le.Uint16(dir[28:])), int(le.Uint16(dir[30:])), int(le.Uint16(dir[32:]))
		if 46+n+x+c > len(dir) {
			return format.Damagedf(at, "an entry of the central directory is cut off")
		}
		e := &Entry{
			Name: string(dir[46 : 46+n]), Flags: le.Uint16(dir[8:]), Method: le.Uint16(dir[10:]), CRC: le.Uint32(dir[16:]),
			Compressed: int64(le.Uint32(dir[20:])), Size: int64(le.Uint32(dir[24:])), Header: int64(le.Uint32(dir[42:])), archive: a,
		}
		if host := dir[5]; host == 3 || host == 19 { // written on a system with Unix modes
			e.Mode = unixMode(le.Uint32(dir[38:]) >> 16)
		}
		e.extra64(dir[46+n : 46+n+x])
		if e.Compressed < 0 || e.Size < 0 || e.Header < 0 {
			return format.Damagedf(at, "the entry %q claims more bytes than exist", e.Name)
		}
		if total += uint64(e.Size); total > MaxTotal {
			return format.Damagedf(at, "the archive claims to hold more than %d GiB", int64(MaxTotal)>>30)
		}
		a.Entries = append(a.Entries, e)
		step := 46 + n + x + c
		dir, at = dir[step:], at+int64(step)
	}
	if uint64(len(a.Entries)) != count && uint64(len(a.Entries))&0xffff != count {
		return format.Damagedf(a.End, "the archive announces %d entries, its directory holds %d", count, len(a.Entries))
	}
	return nil
}

// unixMode keeps what a checker asks for: permissions, links and folders.
func unixMode(m uint32) fs.FileMode {
	mode := fs.FileMode(m & 0o777)
	switch m & 0xf000 {
	case 0xa000:
		mode |= fs.ModeSymlink
	case 0x4000:
		mode |= fs.ModeDir
	}
	return mode
}

// extra64 reads the 64-bit extra field, which replaces the values that do not
// fit into 32 bits, in this order.
func (e *Entry) extra64(extra []byte) {
	le := binary.LittleEndian
	for len(extra) >= 4 {
		id, n := le.Uint16(extra), int(le.Uint16(extra[2:]))
		if 4+n > len(extra) {
			return // aligners leave untagged padding behind
		}
		if id == 1 {
			b := extra[4 : 4+n]
			for _, v := range []*int64{&e.Size, &e.Compressed, &e.Header} {
				if *v == 0xffffffff && len(b) >= 8 {
					*v, b, e.Zip64 = int64(le.Uint64(b)), b[8:], true
				}
			}
		}
		extra = extra[4+n:]
	}
}

// inspect looks for what installers refuse and attackers use.
func (a *Archive) inspect() {
	seen := make(map[string]bool, len(a.Entries))
	first := a.Directory
	for _, e := range a.Entries {
		if seen[e.Name] {
			a.fault("duplicate-name", e.Name, "occurs twice in the archive; readers differ in which one they take")
		}
		seen[e.Name] = true
		if e.Flags&flagEncrypted != 0 {
			a.fault("encrypted", e.Name, "is encrypted")
		}
		if e.Method != Stored && e.Method != Deflated {
			a.fault("method", e.Name, "is compressed by method %d; only stored and deflated entries are read", e.Method)
		}
		if unsafeName(e.Name) {
			a.fault("unsafe-name", e.Name, "has a name that leads out of the folder it is unpacked in, or that is not plain text")
		}
		if e.Zip64 {
			a.fault("zip64", e.Name, "uses the 64-bit extension")
		}
		if e.Header+30+e.Compressed > a.Directory {
			a.fault("outside", e.Name, "claims bytes that lie outside the archive's contents")
		}
		first = min(first, e.Header)
	}
	if len(a.Entries) > 0 && !a.padding(0, first) {
		a.fault("prefix", "", "%d bytes before the first entry", first)
	}
	a.spread()
}

// spread holds the local headers against the directory, and looks for entries
// that share bytes and for bytes that no entry claims. The bytes between the
// last entry and the directory are left to whoever knows what signing puts
// there.
func (a *Archive) spread() {
	byPlace := slices.Clone(a.Entries)
	slices.SortStableFunc(byPlace, func(x, y *Entry) int { return cmp.Compare(x.Header, y.Header) })
	end, unclaimed := int64(0), int64(0)
	for i, e := range byPlace {
		length, err := e.local()
		if err != nil {
			a.fault("local-header", e.Name, "has no local header where the directory says")
			continue
		}
		if i > 0 && e.Header < end {
			a.fault("overlap", e.Name, "shares bytes with another entry")
		} else if gap := e.Header - end; i > 0 && gap > maxDescriptor && !a.padding(end, e.Header) {
			unclaimed += gap
		}
		end = max(end, e.Header+length+e.Compressed)
	}
	if unclaimed > 0 {
		a.fault("unclaimed", "", "%d bytes between the entries belong to none", unclaimed)
	}
}

// padding tells whether the bytes between two offsets are empty, or entries
// without a name and a content: a build tool that updates a package in place
// fills the room of what it took out with them. A data descriptor may precede.
func (a *Archive) padding(from, to int64) bool {
	for skip := range int64(maxDescriptor + 1) {
		at := from + skip
		var h [30]byte
		for to-at >= int64(len(h)) {
			if _, err := a.r.ReadAt(h[:], at); err != nil {
				return false
			}
			le := binary.LittleEndian
			if le.Uint32(h[:]) != 0x04034b50 || le.Uint32(h[18:]) != 0 || le.Uint16(h[26:]) != 0 {
				break
			}
			at += int64(len(h)) + int64(le.Uint16(h[28:]))
		}
		if at == to {
			return true
		}
	}
	return false
}

// maxDescriptor is the most bytes that may follow an entry: a data descriptor
// with 64-bit sizes and its signature.
const maxDescriptor = 24

// local reads the local header, compares it with the directory, and gives its
// length in bytes.
func (e *Entry) local() (int64, error) {
	var h [30 + 512]byte
	n, _ := e.archive.r.ReadAt(h[:], e.Header) // n tells what is there
	le := binary.LittleEndian
	if n < 30 || le.Uint32(h[:]) != sigLocal {
		return 0, format.Damagedf(e.Header, "no local header")
	}
	name := int(le.Uint16(h[26:]))
	var local []byte
	if 30+name <= n {
		local = h[30 : 30+name]
	} else if local = make([]byte, name); name > 0 {
		if _, err := e.archive.r.ReadAt(local, e.Header+30); err != nil {
			return 0, format.Damagedf(e.Header, "the local header is cut off")
		}
	}
	if string(local) != e.Name {
		e.archive.fault("local-name", e.Name, "has another name in its local header than in the directory")
	}
	method, flags := le.Uint16(h[8:]), le.Uint16(h[6:])
	// With a data descriptor, the sizes and the sum follow the contents.
	later := flags&flagDescriptor != 0
	crc, packed, size := le.Uint32(h[14:]), le.Uint32(h[18:]), le.Uint32(h[22:])
	switch wide := packed == 0xffffffff || size == 0xffffffff; {
	case method != e.Method:
		e.archive.fault("local-header", e.Name, "is compressed by method %d in its local header and by %d in the directory", method, e.Method)
	case (flags^e.Flags)&flagEncrypted != 0:
		e.archive.fault("local-header", e.Name, "is encrypted by only one of its local header and the directory")
	case later || wide:
	case crc != e.CRC || int64(packed) != e.Compressed || int64(size) != e.Size:
		e.archive.fault("local-header", e.Name, "has another size or checksum in its local header than in the directory")
	}
	return 30 + int64(name) + int64(le.Uint16(h[28:])), nil
}

func unsafeName(name string) bool {
	if strings.HasPrefix(name, "/") || strings.ContainsAny(name, "\\\x00") || len(name) > 1 && name[1] == ':' {
		return true
	}
	for _, part := range strings.Split(name, "/") {
		if part == ".." {
			return true
		}
	}
	return false
}

// DataOffset is where an entry's bytes begin. It is computed from the local
// header, whose extra field aligners pad.
func (e *Entry) DataOffset() (int64, error) {
	var h [30]byte
	if _, err := e.archive.r.ReadAt(h[:], e.Header); err != nil {
		return 0, format.Damagedf(e.Header, "the local header of %q is cut off", e.Name)
	}
	le := binary.LittleEndian
	if le.Uint32(h[:]) != sigLocal {
		return 0, format.Damagedf(e.Header, "no local header for %q where the directory says", e.Name)
	}
	at := e.Header + 30 + int64(le.Uint16(h[26:])) + int64(le.Uint16(h[28:]))
	if at+e.Compressed > e.archive.Directory {
		return 0, format.Damagedf(e.Header, "the bytes of %q reach into the central directory", e.Name)
	}
	return at, nil
}

// Raw is the entry's bytes as they lie in the archive.
func (e *Entry) Raw() (*io.SectionReader, error) {
	at, err := e.DataOffset()
	if err != nil {
		return nil, err
	}
	return io.NewSectionReader(e.archive.r, at, e.Compressed), nil
}

// Open streams the entry's contents, inflated. Length and checksum are held
// against the directory when the end is reached.
func (e *Entry) Open() (io.ReadCloser, error) {
	if e.Flags&flagEncrypted != 0 {
		return nil, format.Unsupportedf(e.Header, "the entry is encrypted")
	}
	raw, err := e.Raw()
	if err != nil {
		return nil, err
	}
	c := &checked{entry: e, sum: crc32.NewIEEE()}
	switch e.Method {
	case Stored:
		c.src = io.NopCloser(raw)
	case Deflated:
		if c.src, err = inflate(raw); err != nil {
			return nil, err
		}
	default:
		return nil, format.Unsupportedf(e.Header, "the entry is compressed by method %d, which is not read", e.Method)
	}
	return c, nil
}

// window is what inflating an entry takes: 40 KB and more, which go from entry to entry,
// as a package has thousands of them.
type window struct {
	raw *bufio.Reader
	out io.ReadCloser
}

var windows = sync.Pool{New: func() any {
	raw := bufio.NewReader(nil)
	return &window{raw, flate.NewReader(raw)}
}}

// inflater gives its window back when it is closed.
type inflater struct{ *window }

// inflate reads what raw holds compressed.
func inflate(raw io.Reader) (*inflater, error) {
	w := windows.Get().(*window)
	w.raw.Reset(raw)
	return &inflater{w}, w.out.(flate.Resetter).Reset(w.raw, nil)
}

// Read implements io.Reader.
func (i *inflater) Read(p []byte) (int, error) {
	if i.window == nil {
		return 0, fs.ErrClosed
	}
	return i.out.Read(p)
}

// Close implements io.Closer. Closing twice does no harm.
func (i *inflater) Close() error {
	if i.window == nil {
		return nil
	}
	err := i.out.Close()
	i.raw.Reset(nil) // lets go of the archive
	windows.Put(i.window)
	i.window = nil
	return err
}

// checked counts and sums what it passes on.
type checked struct {
	entry *Entry
	src   io.ReadCloser
	sum   hash.Hash32
	n     int64
}

// Read implements io.Reader.
func (c *checked) Read(p []byte) (int, error) {
	n, err := c.src.Read(p)
	c.sum.Write(p[:n])
	c.n += int64(n)
	switch {
	case c.n > c.entry.Size:
		return n, format.Damagedf(c.entry.Size, "it holds more than the %d bytes that the directory states", c.entry.Size)
	case !errors.Is(err, io.EOF):
		return n, err
	case c.n < c.entry.Size:
		return n, io.ErrUnexpectedEOF
	case c.sum.Sum32() != c.entry.CRC:
		return n, format.Damagedf(c.n, "its checksum does not fit its contents")
	}
	return n, err
}

// Close implements io.Closer.
func (c *checked) Close() error { return c.src.Close() }

// Reader is the archive file.
func (a *Archive) Reader() io.ReaderAt { return a.r }
