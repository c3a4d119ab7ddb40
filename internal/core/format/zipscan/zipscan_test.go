package zipscan_test

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"io/fs"
	"os"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/zipscan"
	"regola.example/regola/internal/seed"
)

func scan(t *testing.T, data []byte) *zipscan.Archive {
	t.Helper()
	a, err := zipscan.Scan(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	return a
}

func archive(t testing.TB, names ...string) []byte {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for i, n := range names {
		method := zip.Deflate
		if i%2 == 0 {
			method = zip.Store
		}
		f, err := w.CreateHeader(&zip.FileHeader{Name: n, Method: method})
		require.NoError(t, err)
		_, err = io.WriteString(f, "clay and "+n)
		require.NoError(t, err)
	}
	require.NoError(t, w.SetComment("kiln"))
	require.NoError(t, w.Close())
	return b.Bytes()
}

// TestAgainstStandardReader holds the entries of real packages against those
// of the standard library.
func TestAgainstStandardReader(t *testing.T) {
	for _, file := range []string{"../../artifact/testdata/android/plain.apk", "../../../../demo/sound/build/terrafuoco.aab", "../../../../demo/sound/build/Terrafuoco.ipa"} {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		want, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
		require.NoError(t, err)
		a := scan(t, data)
		require.Len(t, a.Entries, len(want.File))
		assert.Empty(t, a.Faults)
		for i, w := range want.File {
			e := a.Entries[i]
			assert.Equal(t, w.Name, e.Name)
			off, err := e.DataOffset()
			require.NoError(t, err)
			wantOff, err := w.DataOffset()
			require.NoError(t, err)
			assert.Equal(t, wantOff, off)
			got := contents(t, e)
			r, err := w.Open()
			require.NoError(t, err)
			wantData, err := io.ReadAll(r)
			require.NoError(t, err)
			assert.Equal(t, wantData, got)
		}
	}
}

func contents(t *testing.T, e *zipscan.Entry) []byte {
	t.Helper()
	r, err := e.Open()
	require.NoError(t, err)
	defer r.Close()
	b, err := io.ReadAll(r)
	require.NoError(t, err)
	return b
}

func kinds(a *zipscan.Archive) []string {
	var out []string
	for _, f := range a.Faults {
		out = append(out, f.Kind)
	}
	return out
}

func TestFaults(t *testing.T) {
	assert.Equal(t, []string{"duplicate-name"}, kinds(scan(t, archive(t, "a", "b", "a"))))
	assert.Equal(t, []string{"unsafe-name", "unsafe-name", "unsafe-name"}, kinds(scan(t, archive(t, "../a", "/b", `c\d`))))
	plain := archive(t, "a", "b")
	assert.Equal(t, "kiln", scan(t, plain).Comment)
	assert.Equal(t, []string{"trailing"}, kinds(scan(t, append(bytes.Clone(plain), "xx"...))))
	encrypted := bytes.Clone(plain)
	dir := bytes.Index(encrypted, []byte("PK\x01\x02"))
	encrypted[dir+8] |= 1
	a := scan(t, encrypted)
	assert.Equal(t, []string{"encrypted", "local-header"}, kinds(a), "the local header says otherwise")
	_, err := a.Entries[0].Open()
	assert.ErrorContains(t, err, "encrypted")
	outside := bytes.Clone(plain)
	binary.LittleEndian.PutUint32(outside[dir+42:], uint32(len(outside)))
	assert.Contains(t, kinds(scan(t, outside)), "outside")
}

// TestLies changes sizes and sums in the directory: the reader of an entry
// notices, and never gives more than was announced.
func TestLies(t *testing.T) {
	data := archive(t, "a")
	dir := bytes.Index(data, []byte("PK\x01\x02"))
	for name, c := range map[string]struct {
		at    int
		value uint32
		want  string
	}{
		"sum":     {16, 7, "checksum"},
		"too few": {24, 3, "more than the 3 bytes"},
	} {
		lie := bytes.Clone(data)
		binary.LittleEndian.PutUint32(lie[dir+c.at:], c.value)
		r, err := scan(t, lie).Entries[0].Open()
		require.NoError(t, err)
		_, err = io.ReadAll(r)
		assert.ErrorContains(t, err, c.want, name)
	}
	for _, n := range []int{0, 10, len(data) / 2, len(data) - 10} {
		_, err := zipscan.Scan(bytes.NewReader(data[:n]), int64(n))
		assert.Error(t, err, "%d bytes", n)
	}
}

func FuzzScan(f *testing.F) {
	f.Add(archive(f, "a", "res/b.png", "lib/x.so"))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		a, err := zipscan.Scan(bytes.NewReader(data), int64(len(data)))
		if err != nil {
			return
		}
		for _, e := range a.Entries {
			if r, err := e.Open(); err == nil {
				n, _ := io.Copy(io.Discard, io.LimitReader(r, 1<<20))
				if n > e.Size+64<<10 {
					t.Fatalf("%d bytes from an entry of %d", n, e.Size)
				}
			}
		}
	})
}

// TestZIP64 reads the wide records: of an archive with more entries than 16
// bits count, and of an entry with more bytes than 32 bits count.
func TestZIP64(t *testing.T) {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	const many = 1<<16 + 3
	for i := range many {
		_, err := w.CreateHeader(&zip.FileHeader{Name: fmt.Sprintf("assets/%d", i), Method: zip.Store})
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	a := scan(t, b.Bytes())
	require.Len(t, a.Entries, many)
	require.Len(t, a.Faults, 1, "told as an oddity")
	assert.Equal(t, "assets/65538", a.Entries[many-1].Name)
	wide := bytes.Index(b.Bytes(), []byte("PK\x06\x06"))
	require.Positive(t, wide)
	damaged := bytes.Clone(b.Bytes())
	binary.LittleEndian.PutUint64(damaged[wide+48:], 1<<62)
	_, err := zipscan.Scan(bytes.NewReader(damaged), int64(len(damaged)))
	assert.Error(t, err, "the directory cannot begin there")

	b.Reset()
	w = zip.NewWriter(&b)
	r, err := w.CreateRaw(&zip.FileHeader{Name: "big", Method: zip.Deflate, CompressedSize64: 4, UncompressedSize64: 5 << 32, CRC32: 7})
	require.NoError(t, err)
	_, err = r.Write([]byte("clay"))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	a = scan(t, b.Bytes())
	require.Len(t, a.Entries, 1)
	assert.EqualValues(t, 5<<32, a.Entries[0].Size)
	assert.True(t, a.Entries[0].Zip64)
	assert.EqualValues(t, 4, a.Entries[0].Compressed)
}

// TestWindows holds that what inflates goes from entry to entry without a trace of the one
// before, also where one is left half read, closed twice or read after it was closed.
func TestWindows(t *testing.T) {
	names := []string{"a"}
	for i := range 40 {
		names = append(names, fmt.Sprintf("%040d", i))
	}
	a := scan(t, archive(t, names...))
	var wg sync.WaitGroup
	for range 4 {
		wg.Go(func() {
			for i, e := range a.Entries {
				r, err := e.Open()
				if !assert.NoError(t, err) {
					return
				}
				if i%3 == 0 {
					_, err = r.Read(make([]byte, 1))
					assert.NoError(t, err)
				} else {
					data, err := io.ReadAll(r)
					assert.NoError(t, err)
					assert.Equal(t, "clay and "+e.Name, string(data))
				}
				assert.NoError(t, r.Close())
				assert.NoError(t, r.Close())
				if e.Method == zipscan.Deflated {
					_, err = r.Read(make([]byte, 1))
					assert.ErrorIs(t, err, fs.ErrClosed)
				}
			}
		})
	}
	wg.Wait()
}
