package macho

import (
	"bytes"
	"encoding/binary"
	"fmt"

	"regola.example/regola/internal/core/format"
)

// LoadCommand is the kind of a load command (mach-o/loader.h, LC_…).
type LoadCommand uint32

// The load commands that a release check reads; others are passed over.
const (
	lcSegment32       LoadCommand = 0x01
	lcSymtab          LoadCommand = 0x02
	lcLoadDylib       LoadCommand = 0x0c
	lcSegment64       LoadCommand = 0x19
	lcUUID            LoadCommand = 0x1b
	lcCodeSignature   LoadCommand = 0x1d
	lcLazyLoadDylib   LoadCommand = 0x20
	lcEncryption32    LoadCommand = 0x21
	lcVersionMinMac   LoadCommand = 0x24
	lcVersionMinIOS   LoadCommand = 0x25
	lcEncryption64    LoadCommand = 0x2c
	lcVersionMinTV    LoadCommand = 0x2f
	lcVersionMinWatch LoadCommand = 0x30
	lcBuildVersion    LoadCommand = 0x32
	lcLoadWeakDylib   LoadCommand = 0x80000018
	lcRPath           LoadCommand = 0x8000001c
	lcReexportDylib   LoadCommand = 0x8000001f
	lcUpwardDylib     LoadCommand = 0x80000023
)

var commandNames = map[LoadCommand]string{
	lcSegment32: "segment", lcSymtab: "symbol table", lcLoadDylib: "library", lcSegment64: "segment", lcUUID: "UUID",
	lcCodeSignature: "code signature", lcLazyLoadDylib: "lazy library", lcEncryption32: "encryption", lcVersionMinMac: "least version",
	lcVersionMinIOS: "least version", lcEncryption64: "encryption", lcVersionMinTV: "least version", lcVersionMinWatch: "least version",
	lcBuildVersion: "build version", lcLoadWeakDylib: "weak library", lcRPath: "run path", lcReexportDylib: "exported library",
	lcUpwardDylib: "upward library",
}

// String names the command in words.
func (c LoadCommand) String() string {
	if name := commandNames[c]; name != "" {
		return name
	}
	return fmt.Sprintf("%#x", uint32(c))
}

// What stands behind the kind and size of a command, in the order of the file.
type (
	textCommand    struct{ At uint32 }           // of LC_RPATH and the library commands: where the text begins, from the command's start
	minCommand     struct{ MinOS, SDK version }  // LC_VERSION_MIN_…
	uuidCommand    struct{ UUID [16]byte }       // LC_UUID
	linkCommand    struct{ Offset, Size uint32 } // LC_CODE_SIGNATURE
	encryptCommand struct{ Offset, Size, ID uint32 }
	buildCommand   struct {
		Platform   platform
		MinOS, SDK version
	}
	symtabCommand struct{ Symbols, Count, Strings, StringsSize uint32 }
	segment32     struct {
		Name                                [16]byte
		Addr, Memory, Offset, Size          uint32
		MaxProtect, Protect, Sections, Flag uint32
	}
	segment64 struct {
		Name                                [16]byte
		Addr, Memory, Offset, Size          uint64
		MaxProtect, Protect, Sections, Flag uint32
	}
	section32 struct {
		Name, Segment                                  [16]byte
		Addr, Size, Offset, Align, Relocs, Count, Flag uint32
		Reserved                                       [2]uint32
	}
	section64 struct {
		Name, Segment                      [16]byte
		Addr, Size                         uint64
		Offset, Align, Relocs, Count, Flag uint32
		Reserved                           [3]uint32
	}
)

// command is one load command, and where its fields lie.
type command struct {
	kind LoadCommand
	data []byte // whole, with kind and size
	at   int64  // of the command, from the file's start
}

// into reads the fields behind kind and size; a command that ends before they do is
// damaged, never zero.
func (c command) into(v any) error {
	if n := binary.Size(v); len(c.data) < 8+n {
		return format.Damagedf(c.at, "the load command of the %s has %d bytes, and needs %d", c.kind, len(c.data), 8+n)
	}
	_, err := binary.Decode(c.data[8:], binary.LittleEndian, v)
	return err
}

// text is the text that a command carries behind its fields.
func (c command) text() (string, error) {
	var t textCommand
	if err := c.into(&t); err != nil {
		return "", err
	}
	if t.At < 12 || int64(t.At) >= int64(len(c.data)) {
		return "", format.Damagedf(c.at+8, "the text of the load command of the %s lies at %d of %d bytes", c.kind, t.At, len(c.data))
	}
	return cString(c.data[t.At:]), nil
}

func cString(b []byte) string {
	name, _, _ := bytes.Cut(b, []byte{0})
	return string(name)
}

// command takes what a command tells of the slice.
func (sl *Slice) command(c command) error {
	switch c.kind {
	case lcLoadDylib, lcLoadWeakDylib, lcReexportDylib, lcLazyLoadDylib, lcUpwardDylib:
		name, err := c.text()
		if err != nil {
			return err
		}
		sl.Libraries = append(sl.Libraries, Library{Name: name, Weak: c.kind == lcLoadWeakDylib})
	case lcRPath:
		name, err := c.text()
		if err != nil {
			return err
		}
		sl.RPaths = append(sl.RPaths, name)
	case lcBuildVersion:
		var b buildCommand
		if err := c.into(&b); err != nil {
			return err
		}
		sl.Platform, sl.MinOS, sl.SDK = b.Platform.String(), b.MinOS.String(), b.SDK.String()
	case lcVersionMinIOS, lcVersionMinMac, lcVersionMinTV, lcVersionMinWatch:
		var m minCommand
		if err := c.into(&m); err != nil {
			return err
		}
		sl.MinOS, sl.SDK = m.MinOS.String(), m.SDK.String()
		if sl.Platform == "" {
			sl.Platform = map[LoadCommand]string{lcVersionMinIOS: "ios", lcVersionMinMac: "macos", lcVersionMinTV: "tvos", lcVersionMinWatch: "watchos"}[c.kind]
			// Before the build-version command came, simulator slices differed by processor only.
			if c.kind != lcVersionMinMac && (sl.CPU == "x86_64" || sl.CPU == "i386") {
				sl.Platform += "-simulator"
			}
		}
	case lcSymtab:
		var t symtabCommand
		if err := c.into(&t); err != nil {
			return err
		}
		entry := int64(12)
		if sl.Bits == 64 {
			entry = 16
		}
		sl.symbols = span{int64(t.Symbols), int64(t.Count) * entry}
		sl.strings = span{int64(t.Strings), int64(t.StringsSize)}
	case lcSegment32, lcSegment64:
		return sl.segment(c)
	case lcEncryption32, lcEncryption64:
		var e encryptCommand
		if err := c.into(&e); err != nil {
			return err
		}
		sl.Encryptable, sl.Encrypted = true, e.ID != 0
	case lcUUID:
		var u uuidCommand
		if err := c.into(&u); err != nil {
			return err
		}
		id := u.UUID
		sl.UUID = fmt.Sprintf("%X-%X-%X-%X-%X", id[:4], id[4:6], id[6:8], id[8:10], id[10:])
	case lcCodeSignature:
		var l linkCommand
		if err := c.into(&l); err != nil {
			return err
		}
		sl.HasSigning = true
		sl.signature = span{int64(l.Offset), int64(l.Size)}
	}
	return nil
}

// segment looks through a segment's sections for those that hold names.
func (sl *Slice) segment(c command) error {
	var s segment64
	var wide section64
	var narrow section32
	head, each := 8+binary.Size(s), binary.Size(wide)
	if c.kind == lcSegment64 {
		if err := c.into(&s); err != nil {
			return err
		}
	} else {
		var n segment32
		if err := c.into(&n); err != nil {
			return err
		}
		head, each = 8+binary.Size(n), binary.Size(narrow)
		s = segment64{Name: n.Name, Size: uint64(n.Size), Sections: n.Sections}
	}
	switch cString(s.Name[:]) {
	case "__TEXT":
		sl.Text = int64(min(s.Size, 1<<40))
	case "__LLVM":
		sl.Bitcode = true
	}
	rest := c.data[head:]
	if int64(s.Sections)*int64(each) > int64(len(rest)) {
		return format.Damagedf(c.at, "a segment of %d sections has room for %d", s.Sections, len(rest)/each)
	}
	for range s.Sections {
		var err error
		if c.kind == lcSegment64 {
			_, err = binary.Decode(rest, binary.LittleEndian, &wide)
		} else if _, err = binary.Decode(rest, binary.LittleEndian, &narrow); err == nil {
			wide = section64{Name: narrow.Name, Size: uint64(narrow.Size), Offset: narrow.Offset}
		}
		if err != nil {
			return err
		}
		rest = rest[each:]
		name := cString(wide.Name[:])
		sl.Swift = sl.Swift || len(name) >= 9 && name[:9] == "__swift5_"
		sl.Bitcode = sl.Bitcode || name == "__bitcode" && wide.Size > 1
		if read := readers[name]; read != nil && len(sl.sections) < maxSections && wide.Size > 0 {
			sl.sections = append(sl.sections, section{span{int64(wide.Offset), int64(min(wide.Size, 1<<40))}, read})
		}
	}
	return nil
}

// version is a version in one number: 16 bits major, 8 minor, 8 patch.
type version uint32

// String writes it with dots; nothing for zero, which stands for none.
func (v version) String() string {
	if v == 0 {
		return ""
	}
	if v&0xff == 0 {
		return fmt.Sprintf("%d.%d", v>>16, v>>8&0xff)
	}
	return fmt.Sprintf("%d.%d.%d", v>>16, v>>8&0xff, v&0xff)
}

// platform is what a slice is built for (mach-o/loader.h, PLATFORM_…).
type platform uint32

// String names the platform.
func (p platform) String() string {
	names := [...]string{1: "macos", 2: "ios", 3: "tvos", 4: "watchos", 5: "bridgeos", 6: "mac-catalyst",
		7: "ios-simulator", 8: "tvos-simulator", 9: "watchos-simulator", 10: "driverkit", 11: "visionos", 12: "visionos-simulator"}
	if int64(p) < int64(len(names)) && names[p] != "" {
		return names[p]
	}
	return fmt.Sprintf("platform-%d", uint32(p))
}
