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
