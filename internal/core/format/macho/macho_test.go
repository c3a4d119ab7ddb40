package macho_test

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/seed"
)

func executable(tb testing.TB) []byte {
	return seed.Entry(tb, seed.IPA, "Payload/Terrafuoco.app/Terrafuoco")
}

// fat puts slices into a universal file, each on a page of 16 KiB.
func fat(slices ...[]byte) []byte {
	out := binary.BigEndian.AppendUint32(nil, 0xcafebabe)
	out = binary.BigEndian.AppendUint32(out, uint32(len(slices)))
	at := 0x4000
	for _, s := range slices {
		for _, v := range []int{0x0100000c, 0, at, len(s), 14} {
			out = binary.BigEndian.AppendUint32(out, uint32(v))
		}
		at += (len(s) + 0x3fff) &^ 0x3fff
	}
	for _, s := range slices {
		out = append(out, make([]byte, -len(out)&0x3fff)...)
		out = append(out, s...)
	}
	return out
}

// simulator changes the platform in the build-version command.
func simulator(slice []byte) []byte {
	out := bytes.Clone(slice)
	i := bytes.Index(out, []byte{0x32, 0, 0, 0, 0x20, 0, 0, 0, 2, 0, 0, 0})
	if i < 0 {
		i = bytes.Index(out, []byte{0x32, 0, 0, 0, 0x18, 0, 0, 0, 2, 0, 0, 0})
	}
	out[i+8] = 7
	return out
}

func TestRead(t *testing.T) {
	thin := executable(t)
	for name, c := range map[string]struct {
		data      []byte
		platforms []string
	}{
		"thin":      {thin, []string{"ios"}},
		"universal": {fat(simulator(thin), thin), []string{"ios-simulator", "ios"}},
	} {
		t.Run(name, func(t *testing.T) {
			f, err := macho.Read(bytes.NewReader(c.data), true, nil)
			require.NoError(t, err)
			require.Len(t, f.Slices, len(c.platforms))
			for i, s := range f.Slices {
				assert.Equal(t, "arm64", s.CPU)
				assert.Equal(t, c.platforms[i], s.Platform)
				assert.Equal(t, "15.0", s.MinOS)
				assert.Equal(t, "26.1", s.SDK)
				assert.True(t, s.PIE)
				assert.EqualValues(t, macho.TypeExecute, s.FileType)
				assert.Empty(t, s.Partial)
				assert.Contains(t, s.Imports, "_OBJC_CLASS_$_CBCentralManager")
				assert.Contains(t, s.Selectors, "initWithDelegate:queue:")
			}
		})
	}
}

// TestVersions writes the versions of a build command as people do.
func TestVersions(t *testing.T) {
	for least, want := range map[uint32]string{0x000f0000: "15.0", 0x000f0102: "15.1.2", 0x000f0100: "15.1", 0x000f1000: "15.16", 0x000f0010: "15.0.16", 0x010f0000: "271.0", 0: ""} {
		data := executable(t)
		i := bytes.Index(data, []byte{0x32, 0, 0, 0})
		require.Positive(t, i)
		binary.LittleEndian.PutUint32(data[i+12:], least)
		f, err := macho.Read(bytes.NewReader(data), true, nil)
		require.NoError(t, err)
		assert.Equal(t, want, f.Slices[0].MinOS, "%08x", least)
	}
}

// TestCutOff shortens the file: before the load commands end it is an error,
// behind them only the names are incomplete.
func TestCutOff(t *testing.T) {
	data := executable(t)
	_, err := macho.Read(bytes.NewReader(data[:100]), true, nil)
	assert.ErrorContains(t, err, "cut off")
	f, err := macho.Read(bytes.NewReader(data[:len(data)/2]), true, nil)
	require.NoError(t, err)
	assert.NotEmpty(t, f.Slices[0].Partial)
}

// TestPages takes the digests of pages of both sizes, the last one cut short.
func TestPages(t *testing.T) {
	data := executable(t)
	f, err := macho.Read(bytes.NewReader(data), true, nil)
	require.NoError(t, err)
	s := f.Slices[0]
	limit := bytes.Index(data, s.Signature)
	require.NotZero(t, limit%(16<<10))
	for size, sums := range s.Pages {
		var want [][]byte
		for at := 0; at < limit; at += int(size) {
			sum := sha256.Sum256(data[at:min(at+int(size), limit)])
			want = append(want, sum[:])
		}
		assert.Equal(t, want, sums, size)
	}
	assert.Len(t, s.Pages, 2)
}

func TestStatic(t *testing.T) {
	static := []byte("!<arch>\n#1/20           0           0     0     644     ")
	for _, data := range [][]byte{static, fat(static)} {
		_, err := macho.Read(bytes.NewReader(data), false, nil)
		assert.ErrorIs(t, err, macho.ErrStatic)
	}
}

func FuzzRead(f *testing.F) {
	f.Add(executable(f))
	f.Add(fat(executable(f)))
	f.Add(made(part{"__cstring", []byte("kiln:a\x00")}, part{"__ustring", wide("kiln:ö")}, part{"__objc_classname", []byte("KLN\x00")}))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		if got, err := macho.Read(bytes.NewReader(data), true, nil); err == nil && len(got.Slices) == 0 {
			t.Fatal("a file without slices")
		}
	})
}
