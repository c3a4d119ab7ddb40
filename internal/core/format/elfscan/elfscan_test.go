package elfscan_test

import (
	"bytes"
	"debug/elf"
	"encoding/binary"
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/elfscan"
	"regola.example/regola/internal/seed"
)

func library(tb testing.TB, abi string) []byte {
	return seed.Entry(tb, seed.Bundle, "base/lib/"+abi+"/libkilnmath.so")
}

func scan(t *testing.T, data []byte) *elfscan.File {
	t.Helper()
	f, err := elfscan.Scan(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	return f
}

func TestScan(t *testing.T) {
	for abi, want := range map[string]struct {
		machine string
		bits    int
	}{"arm64-v8a": {"arm64", 64}, "armeabi-v7a": {"arm", 32}} {
		f := scan(t, library(t, abi))
		assert.Equal(t, want.machine, f.Machine)
		assert.Equal(t, want.bits, f.Bits)
		assert.True(t, f.Shared && f.Congruent && f.Sections)
		assert.False(t, f.Symbols || f.TextRel || f.WriteExec)
		assert.NotEmpty(t, f.BuildID)
		assert.EqualValues(t, 0, f.Level, "the demo's libraries do not say it")
		assert.Empty(t, f.Incomplete)
	}
	assert.EqualValues(t, 16384, scan(t, library(t, "arm64-v8a")).Align)
}

// TestLevel turns the note with the build id into the one with the level.
func TestLevel(t *testing.T) {
	data := bytes.Clone(library(t, "arm64-v8a"))
	at := bytes.Index(data, []byte("GNU\x00"))
	require.Positive(t, at)
	// The sizes of name and contents and the type stand before the name.
	size := binary.LittleEndian.Uint32(data[at-8:])
	require.Greater(t, size, uint32(8))
	binary.LittleEndian.PutUint32(data[at-12:], 8)
	binary.LittleEndian.PutUint32(data[at-8:], size-4)
	binary.LittleEndian.PutUint32(data[at-4:], 1)
	copy(data[at:], "Android\x00")
	binary.LittleEndian.PutUint32(data[at+8:], 26)
	assert.EqualValues(t, 26, scan(t, data).Level)
}

// TestSmallestAlignment lowers one load segment only: that one counts.
func TestSmallestAlignment(t *testing.T) {
	data := bytes.Clone(library(t, "arm64-v8a"))
	loads := 0
	for i := range int(binary.LittleEndian.Uint16(data[56:])) {
		p := data[64+56*i:]
		if binary.LittleEndian.Uint32(p) == uint32(elf.PT_LOAD) {
			if loads++; loads == 2 {
				binary.LittleEndian.PutUint64(p[48:], 0x1000)
			}
		}
	}
	require.GreaterOrEqual(t, loads, 2)
	assert.EqualValues(t, 0x1000, scan(t, data).Align)
}

// TestOwnBinary reads the running test program and holds it against the
// standard library's reader.
func TestOwnBinary(t *testing.T) {
	if runtime.GOOS != "linux" {
		return
	}
	file, err := os.Executable()
	require.NoError(t, err)
	want, err := elf.Open(file)
	require.NoError(t, err)
	defer want.Close()
	src, err := os.Open(filepath.Clean(file))
	require.NoError(t, err)
	defer src.Close()
	info, err := src.Stat()
	require.NoError(t, err)
	got, err := elfscan.Scan(src, info.Size())
	require.NoError(t, err)
	align := uint64(1 << 62)
	for _, p := range want.Progs {
		if p.Type == elf.PT_LOAD {
			align = min(align, p.Align)
		}
	}
	assert.EqualValues(t, align, got.Align)
	assert.Equal(t, want.SectionByType(elf.SHT_SYMTAB) != nil, got.Symbols)
	assert.Equal(t, want.Section(".debug_info") != nil || want.Section(".zdebug_info") != nil, got.Debug > 4096)
}

func TestDamaged(t *testing.T) {
	data := library(t, "arm64-v8a")
	for _, n := range []int{0, 20, 63, 100} {
		_, err := elfscan.Scan(bytes.NewReader(data[:n]), int64(n))
		assert.Error(t, err, "%d bytes", n)
	}
	f, err := elfscan.Scan(bytes.NewReader(data[:len(data)-200]), int64(len(data)))
	require.NoError(t, err)
	assert.Contains(t, f.Incomplete, "cut off")
}

func FuzzScan(f *testing.F) {
	f.Add(library(f, "arm64-v8a"))
	f.Add(library(f, "armeabi-v7a"))
	f.Fuzz(func(t *testing.T, data []byte) { _, _ = elfscan.Scan(bytes.NewReader(data), int64(len(data))) })
}

// TestFarNames finds the names of needed libraries behind what is held of a library: they
// pass by before the dynamic section says where they begin.
func TestFarNames(t *testing.T) {
	const names, dynamic = 3 << 20, 4 << 20
	b := make([]byte, dynamic+16*5)
	copy(b, "\x7fELF\x02\x01\x01")
	le := binary.LittleEndian
	le.PutUint16(b[16:], 3) // shared
	le.PutUint16(b[18:], uint16(elf.EM_AARCH64))
	le.PutUint64(b[32:], 64) // program headers
	le.PutUint16(b[54:], 56)
	le.PutUint16(b[56:], 2)
	segment := func(at int, kind uint32, off, size uint64) {
		le.PutUint32(b[at:], kind)
		le.PutUint64(b[at+8:], off)
		le.PutUint64(b[at+16:], off)
		le.PutUint64(b[at+32:], size)
		le.PutUint64(b[at+48:], 1)
	}
	segment(64, uint32(elf.PT_LOAD), 0, uint64(len(b)))
	segment(120, uint32(elf.PT_DYNAMIC), dynamic, 80)
	// One name lies across the end of a block that is read at once.
	copy(b[names:], "\x00kiln_open\x00libglaze.so\x00")
	copy(b[names+(64<<10)-5:], "\x00libc++_shared.so\x00")
	for i, e := range [][2]uint64{{uint64(elf.DT_NEEDED), 11}, {uint64(elf.DT_NEEDED), (64 << 10) - 4}, {uint64(elf.DT_SONAME), 11}, {uint64(elf.DT_STRTAB), names}} {
		le.PutUint64(b[dynamic+16*i:], e[0])
		le.PutUint64(b[dynamic+16*i+8:], e[1])
	}
	f := scan(t, b)
	assert.Equal(t, []string{"libglaze.so", "libc++_shared.so"}, f.Needed)
	assert.Equal(t, "libglaze.so", f.SoName)
	assert.Empty(t, f.NoNames)
	copy(b[names+12:], "x") // no such name
	le.PutUint64(b[dynamic+8:], 1)
	assert.NotEmpty(t, scan(t, b).NoNames)
}
