package macho_test

import (
	"bytes"
	"encoding/binary"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/macho"
)

// part is a section of a made executable.
type part struct {
	name string
	data []byte
}

// made builds a 64-bit executable with one text segment and two commands.
func made(parts ...part) []byte {
	le := binary.LittleEndian
	uuid := append([]byte{0x1b, 0, 0, 0, 24, 0, 0, 0}, bytes.Repeat([]byte{0xab}, 16)...)
	rpath := append([]byte{0x1c, 0, 0, 0x80, 24, 0, 0, 0, 12, 0, 0, 0}, "@loader_path"...)
	segment := 72 + 80*len(parts)
	at := 32 + segment + len(uuid) + len(rpath)
	var b []byte
	for _, v := range []uint32{0xfeedfacf, 0x0100000c, 0, macho.TypeExecute, 3, uint32(segment + len(uuid) + len(rpath)), 0x2000000, 0,
		0x19, uint32(segment)} {
		b = le.AppendUint32(b, v)
	}
	b = append(b, "__TEXT\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00"...)
	b = append(b, make([]byte, 40)...)
	b = le.AppendUint32(le.AppendUint32(b, uint32(len(parts))), 0)
	for _, p := range parts {
		b = append(b, p.name+strings.Repeat("\x00", 16-len(p.name))...)
		b = append(b, make([]byte, 24)...)
		b = le.AppendUint64(b, uint64(len(p.data)))
		b = le.AppendUint32(b, uint32(at))
		b = append(b, make([]byte, 28)...)
		at += len(p.data)
	}
	b = append(append(b, uuid...), rpath...)
	for _, p := range parts {
		b = append(b, p.data...)
	}
	return b
}

func wide(s string) []byte {
	var b []byte
	for _, u := range utf16.Encode([]rune(s + "\x00")) {
		b = binary.LittleEndian.AppendUint16(b, u)
	}
	return b
}

func TestNames(t *testing.T) {
	long := strings.Repeat("x", 200<<10)
	data := made(
		part{"__cstring", []byte("hello\x00prefs:root=KILN\x00" + long + ":tail\x00/System/Library/X\x00a b:c\x00https://kiln.example/\x00" +
			"https://" + strings.Repeat("y", 2000) + "\x00localhost:8081\x00prefs:root=KILN\x00name: %d\x00sk_live_kilnkiln\x00AKIA0123456789ABCDEF\x00AKIAkiln\x00ghost\x00")},
		part{"__objc_classname", []byte("KLNStore\x00\x11\x01\x00_TtC8ProbeKit6Reader\x00Protocol+More\x00")},
		part{"__ustring", append(wide("Öfen"), wide("kiln:größe")...)},
		part{"__objc_methname", []byte("open\x00setHeat:\x00")},
	)
	f, err := macho.Read(bytes.NewReader(data), true, nil)
	require.NoError(t, err)
	s := f.Slices[0]
	assert.Empty(t, s.Partial)
	assert.Equal(t, []string{"/System/Library/X", "AKIA0123456789ABCDEF", "https://kiln.example/", "kiln:größe", "localhost:8081", "prefs:root=KILN", "sk_live_kilnkiln"}, s.Literals)
	assert.Equal(t, []string{"KLNStore", "_TtC8ProbeKit6Reader"}, s.Classes)
	assert.Equal(t, []string{"open", "setHeat:"}, s.Selectors)
	assert.Equal(t, "ABABABAB-ABAB-ABAB-ABAB-ABABABABABAB", s.UUID)
	assert.Equal(t, []string{"@loader_path"}, s.RPaths)
	assert.True(t, s.ExtensionSafe)
	assert.False(t, s.Encryptable)

	f, err = macho.Read(bytes.NewReader(data[:len(data)-200<<10]), false, nil)
	require.NoError(t, err)
	assert.Contains(t, f.Slices[0].Partial, "cut off")
}

// TestExported reads what a linker wrote.
func TestExported(t *testing.T) {
	f, err := macho.Read(bytes.NewReader(executable(t)), false, nil)
	require.NoError(t, err)
	s := f.Slices[0]
	assert.Contains(t, s.Exports, "_main")
	assert.NotContains(t, s.Imports, "_main")
	assert.Regexp(t, `^[0-9A-F]{8}(-[0-9A-F]{4}){3}-[0-9A-F]{12}$`, s.UUID)
	assert.True(t, s.Encryptable)
	f, err = macho.ReadHeaders(bytes.NewReader(fat(executable(t), executable(t))), nil)
	require.NoError(t, err)
	require.Len(t, f.Slices, 2)
	assert.True(t, f.HeadersOnly)
	assert.Equal(t, s.UUID, f.Slices[1].UUID)
	assert.Equal(t, s.Libraries, f.Slices[1].Libraries)
	assert.Empty(t, f.Slices[1].Imports)
}

func TestSplitName(t *testing.T) {
	for name, want := range map[string][]string{
		"KLNStore": {"KLNStore"}, "_TtC8ProbeKit6Reader": {"ProbeKit", "Reader"}, "_TtCC8ProbeKit6Reader5Inner": {"ProbeKit", "Reader", "Inner"},
		"_TtC99Kiln": {"_TtC99Kiln"}, "_TtCx": {"_TtCx"}, "_TtC99999999999999999999K": {"_TtC99999999999999999999K"},
	} {
		assert.Equal(t, want, macho.SplitName(name))
	}
}

func TestSwiftModule(t *testing.T) {
	for symbol, want := range map[string]string{
		"_$s8ProbeKit6ReaderC4openyyF": "ProbeKit", "_$sSo8NSObjectC": "", "_open": "", "_$s9Kiln": "", "_$s": "",
	} {
		assert.Equal(t, want, macho.SwiftModule(symbol), symbol)
	}
}

// TestSharedNames lets one symbol begin inside the name of another, as linkers
// do to save room.
func TestSharedNames(t *testing.T) {
	le := binary.LittleEndian
	data := made()
	strings := "\x00_open_kiln\x00_heat\x00"
	symbols := len(data)
	for _, sym := range []struct {
		name  uint32
		kind  byte
		value uint64
	}{{1, 1, 0}, {6, 1, 0}, {6, 0x0f, 1}, {12, 0x0f, 2}} {
		data = le.AppendUint32(data, sym.name)
		data = append(data, sym.kind, 0, 0, 0)
		data = le.AppendUint64(data, sym.value)
	}
	// The symbol table's command takes the place of the search path's.
	at := bytes.Index(data, []byte{0x1c, 0, 0, 0x80})
	for i, v := range []int{0x02, 24, symbols, 4, symbols + 4*16, len(strings)} {
		le.PutUint32(data[at+4*i:], uint32(v))
	}
	f, err := macho.Read(bytes.NewReader(append(data, strings...)), true, nil)
	require.NoError(t, err)
	s := f.Slices[0]
	assert.Empty(t, s.Partial)
	assert.Equal(t, []string{"_open_kiln", "_kiln"}, s.Imports)
	assert.Equal(t, []string{"_kiln", "_heat"}, s.Exports)
}
