package apksig_test

import (
	"bytes"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/apksig"
	"regola.example/regola/internal/core/format/zipscan"
)

func apk(tb testing.TB) []byte {
	data, err := os.ReadFile("../../artifact/testdata/android/plain.apk")
	require.NoError(tb, err)
	return data
}

// verify reads and verifies the block and lists its faults.
func verify(t *testing.T, data []byte) (*apksig.Block, []string) {
	t.Helper()
	r := bytes.NewReader(data)
	z, err := zipscan.Scan(r, int64(len(data)))
	require.NoError(t, err)
	b, err := apksig.Read(r, z.Directory)
	if err != nil {
		return nil, []string{err.Error()}
	}
	if b == nil {
		return nil, []string{"no block"}
	}
	require.NoError(t, b.VerifyContents(t.Context(), r, z.Directory, z.End, z.Size))
	var faults []string
	for _, s := range b.Schemes {
		faults = append(faults, s.Faults...)
	}
	return b, faults
}

func TestSound(t *testing.T) {
	b, faults := verify(t, apk(t))
	assert.Empty(t, faults)
	require.Len(t, b.Schemes, 2)
	assert.Equal(t, "2", b.Schemes[0].Name)
	assert.Equal(t, "3", b.Schemes[1].Name)
	s := b.Schemes[1].Signers[0]
	assert.Equal(t, "CN=Terrafuoco Release, O=Terrafuoco Example, L=Faenza, C=IT", s.Certificate.Subject)
	assert.Equal(t, []string{"RSA with SHA-256"}, s.Algorithms)
	assert.EqualValues(t, 3, b.Schemes[0].Signers[0].Announces)
}

// TestTampering flips one byte in each part of the file.
func TestTampering(t *testing.T) {
	data := apk(t)
	b, _ := verify(t, data)
	dir := bytes.LastIndex(data, []byte("PK\x01\x02"))
	for name, c := range map[string]struct {
		at   int
		want string
	}{
		"an entry":        {60, "the file was changed after signing"},
		"the directory":   {dir + 12, "the file was changed after signing"},
		"the signed data": {int(b.Offset) + 60, "what was signed was changed"},
		"the size":        {int(b.Offset) + 2, "the two sizes of the signing block differ"},
	} {
		changed := bytes.Clone(data)
		changed[c.at] ^= 1
		_, faults := verify(t, changed)
		require.NotEmpty(t, faults, name)
		assert.Contains(t, faults[0], c.want, name)
	}
}

func FuzzRead(f *testing.F) {
	data := apk(f)
	z, err := zipscan.Scan(bytes.NewReader(data), int64(len(data)))
	require.NoError(f, err)
	b, err := apksig.Read(bytes.NewReader(data), z.Directory)
	require.NoError(f, err)
	f.Add(data[b.Offset:z.Directory])
	f.Fuzz(func(t *testing.T, block []byte) { _, _ = apksig.Read(bytes.NewReader(block), int64(len(block))) })
}
