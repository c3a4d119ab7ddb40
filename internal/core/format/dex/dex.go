// Package dex reads what a release check needs of Dalvik executables: whether
// the header fits the content, which classes are defined and referred to,
// which methods are called, and the marks of compilers and shrinkers.
//
// Source of the format: the platform's published description of the Dalvik
// executable format.
package dex

import (
	"bytes"
	"crypto/sha1" // the format prescribes it
	"encoding/binary"
	"hash/adler32"
	"strings"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
)

const headerSize = 0x70

// File is one DEX file. Strings and references are decoded when asked for.
type File struct {
	Version    string // 035 …
	Size       int64  // bytes, as the header states
	Checksum   bool   // the Adler-32 sum in the header fits
	Signature  bool   // the SHA-1 digest in the header fits
	Methods    int    // method references; the format allows 65536
	Fields     int    // field references
	ClassCount int    // classes defined

	data    []byte
	budget  *budget.Budget
	err     error
	strings table
	types   table
	methods table
	classes table
}

type table struct {
	count int
	at    int
}

// Parse reads the header and the index tables.
// Errors are *format.Damaged. What is asked of the file afterwards takes from the
// budget; Err tells when an answer is incomplete.
func Parse(data []byte, b *budget.Budget) (*File, error) {
	if len(data) < headerSize || !bytes.HasPrefix(data, []byte("dex\n")) || data[7] != 0 {
		return nil, format.Damagedf(0, "not a DEX file")
	}
	le := binary.LittleEndian
	if le.Uint32(data[0x28:]) != 0x12345678 {
		return nil, format.Damagedf(0x28, "unknown byte order")
	}
	f := &File{Version: string(data[4:7]), Size: int64(le.Uint32(data[0x20:])), data: data, budget: b.Part(len(data))}
	if f.Size > int64(len(data)) {
		return nil, format.Damagedf(0x20, "the header states %d bytes, %d are there", f.Size, len(data))
	}
	f.Checksum = adler32.Checksum(data[12:]) == le.Uint32(data[8:])
	sum := sha1.Sum(data[32:])
	f.Signature = bytes.Equal(sum[:], data[12:32])
	for _, t := range []struct {
		at, width int
		into      *table
		name      string
	}{
		{0x38, 4, &f.strings, "strings"}, {0x40, 4, &f.types, "types"},
		{0x58, 8, &f.methods, "methods"}, {0x60, 32, &f.classes, "classes"},
	} {
		n, at := le.Uint32(data[t.at:]), le.Uint32(data[t.at+4:])
		if int64(at)+int64(n)*int64(t.width) > int64(len(data)) {
			return nil, format.Damagedf(t.at, "the table of %s lies outside the file", t.name)
		}
		*t.into = table{int(n), int(at)}
	}
	f.Methods, f.ClassCount = f.methods.count, f.classes.count
	f.Fields = int(le.Uint32(data[0x50:]))
	return f, nil
}

// str is the i-th string. Its length in UTF-16 units stands before it as a
// LEB128 number; a zero byte ends it.
func (f *File) str(i int) []byte {
	if i < 0 || i >= f.strings.count {
		return nil
	}
	at := binary.LittleEndian.Uint32(f.data[f.strings.at+4*i:])
	if int64(at) >= int64(len(f.data)) {
		return nil
	}
	b := f.data[at:]
	for n := 0; n < 5 && len(b) > 0; n++ {
		more := b[0]&0x80 != 0
		b = b[1:]
		if !more {
			break
		}
	}
	// Strings of a hostile file overlap: each is looked through anew.
	end := bytes.IndexByte(b, 0)
	looked := end
	if end < 0 {
		looked = len(b)
	}
	if !f.spend(1+looked/8) || end < 0 {
		return nil
	}
	return b[:end]
}

// spend takes n units of work. False means that there are none left.
func (f *File) spend(n int) bool {
	if f.err == nil {
		f.err = f.budget.Step(n)
	}
	return f.err == nil
}

// Err is why answers are incomplete: the file takes more work than its size is
// worth. It is nil for a sound file.
func (f *File) Err() error { return f.err }

// descriptor is the i-th type's descriptor, such as Lorg/example/Kiln;.
func (f *File) descriptor(i int) []byte {
	if i < 0 || i >= f.types.count {
		return nil
	}
	return f.str(int(binary.LittleEndian.Uint32(f.data[f.types.at+4*i:])))
}

// keepName turns a class descriptor into a name that is kept.
func (f *File) keepName(d []byte) string {
	if f.err == nil {
		f.err = f.budget.Keep(len(d) + 64)
	}
	if f.err != nil {
		return ""
	}
	return className(d)
}

// className turns a class descriptor into org/example/Kiln; "" for arrays and
// primitive types.
func className(d []byte) string {
	if len(d) > 2 && d[0] == 'L' && d[len(d)-1] == ';' {
		return string(d[1 : len(d)-1])
	}
	return ""
}

// Classes visits the names of the classes that the file defines.
func (f *File) Classes(visit func(name string)) {
	for i := range f.classes.count {
		idx := binary.LittleEndian.Uint32(f.data[f.classes.at+32*i:])
		if name := f.keepName(f.descriptor(int(idx))); name != "" {
			visit(name)
		}
	}
}

// Types visits the names of all classes that the file defines or refers to.
func (f *File) Types(visit func(name string)) {
	for i := range f.types.count {
		if name := f.keepName(f.descriptor(i)); name != "" {
			visit(name)
		}
	}
}

// Calls visits every method reference whose class lies below one of the
// prefixes, such as android/.
func (f *File) Calls(prefixes []string, visit func(class, method string)) {
	f.calls(prefixes, func(_ int, class, method string) { visit(class, method) })
}

// calls is Calls with the index of each reference.
func (f *File) calls(prefixes []string, visit func(i int, class, method string)) {
	le := binary.LittleEndian
	wanted := make([]int8, f.types.count) // 0 not looked at yet, 1 yes, -1 no
	for i := range f.methods.count {
		m := f.data[f.methods.at+8*i:]
		ci := int(le.Uint16(m))
		if ci >= len(wanted) || wanted[ci] < 0 {
			continue
		}
		d := f.descriptor(ci)
		if wanted[ci] == 0 {
			wanted[ci] = -1
			for _, p := range prefixes {
				if len(d) > len(p) && string(d[1:1+len(p)]) == p {
					wanted[ci] = 1
					break
				}
			}
			if wanted[ci] < 0 {
				continue
			}
		}
		if class := f.keepName(d); class != "" {
			visit(i, class, string(f.str(int(le.Uint32(m[4:])))))
		}
	}
}

// Markers lists the notes that compilers and shrinkers leave among the
// strings: a name after two tildes, then a JSON object.
func (f *File) Markers() []string {
	// Strings are sorted, so the markers stand together near the end.
	lo, hi := 0, f.strings.count
	for lo < hi {
		mid := (lo + hi) / 2
		if bytes.Compare(f.str(mid), []byte("~~")) < 0 {
			lo = mid + 1
		} else {
			hi = mid
		}
	}
	var out []string
	for ; lo < f.strings.count && len(out) < 16; lo++ {
		s := string(f.str(lo))
		if !strings.HasPrefix(s, "~~") {
			break
		}
		if len(s) > 2 && (s[2]|0x20) >= 'a' && (s[2]|0x20) <= 'z' { // "~~~{" begins a table of checksums
			out = append(out, s)
		}
	}
	return out
}
