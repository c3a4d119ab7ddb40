package jarsig_test

import (
	"bytes"
	"io"
	"io/fs"
	"sort"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/jarsig"
	"regola.example/regola/internal/seed"
)

// files is an archive in memory.
type files map[string][]byte

func (f files) Names() []string {
	var out []string
	for n := range f {
		out = append(out, n)
	}
	sort.Strings(out)
	return out
}

func (f files) Open(name string) (io.ReadCloser, error) {
	b, ok := f[name]
	if !ok {
		return nil, fs.ErrNotExist
	}
	return io.NopCloser(bytes.NewReader(b)), nil
}

func signed(tb testing.TB) files {
	f := files{}
	for _, n := range seed.Names(tb, seed.Bundle) {
		f[n] = seed.Entry(tb, seed.Bundle, n)
	}
	return f
}

// verify runs the whole verification and lists the faults as entry and words.
func verify(f files) []string {
	s := jarsig.Read(f, nil)
	if s == nil {
		return []string{"unsigned"}
	}
	var out []string
	for _, x := range s.Faults {
		out = append(out, x.Entry+": "+x.What)
	}
	for _, n := range f.Names() {
		if jarsig.Signs(n) {
			continue
		}
		c, fault := s.Want(n)
		if fault == nil {
			fault = c.Verify(n, bytes.NewReader(f[n]), make([]byte, 1024))
		}
		if fault != nil {
			out = append(out, fault.Entry+": "+fault.What)
		}
	}
	return out
}

func TestSound(t *testing.T) {
	f := signed(t)
	assert.Empty(t, verify(f))
	s := jarsig.Read(f, nil)
	require.Len(t, s.Signers, 1)
	c := s.Signers[0].Certificate
	assert.Equal(t, "CN=Terrafuoco Release, O=Terrafuoco Example, L=Faenza, C=IT", c.Subject)
	assert.Equal(t, "RSA", c.Key)
	assert.Equal(t, 2048, c.Bits)
}

// TestTampering changes one thing at a time; each is named.
func TestTampering(t *testing.T) {
	const dex = "base/dex/classes.dex"
	flip := func(b []byte, at int) []byte {
		b = bytes.Clone(b)
		b[at] ^= 1
		return b
	}
	for name, c := range map[string]struct {
		change func(files)
		want   string
	}{
		"entry changed":  {func(f files) { f[dex] = flip(f[dex], 100) }, dex + ": was changed after signing"},
		"entry added":    {func(f files) { f["base/assets/x"] = nil }, "base/assets/x: is not in the signed list: it was added after signing"},
		"entry removed":  {func(f files) { delete(f, dex) }, dex + ": is in the signed list, and not in the archive: it was removed after signing"},
		"block removed":  {func(f files) { delete(f, "META-INF/KILN.RSA") }, "META-INF/KILN.SF: has no signature block beside it"},
		"block damaged":  {func(f files) { f["META-INF/KILN.RSA"] = f["META-INF/KILN.RSA"][:300] }, "META-INF/KILN.RSA: cannot be read"},
		"file changed":   {func(f files) { f["META-INF/KILN.SF"] = flip(f["META-INF/KILN.SF"], len(f["META-INF/KILN.SF"])-8) }, "META-INF/KILN.RSA: does not fit the signature file"},
		"all of it gone": {func(f files) { delete(f, "META-INF/KILN.SF") }, "unsigned"},
		"line changed": {func(f files) {
			f["META-INF/MANIFEST.MF"] = bytes.Replace(f["META-INF/MANIFEST.MF"], []byte("Digest: "), []byte("Digest: A"), 1)
		}, "in the manifest was changed after signing"},
	} {
		f := signed(t)
		c.change(f)
		assert.Contains(t, join(verify(f)), c.want, name)
	}
}

func join(s []string) string {
	var b bytes.Buffer
	for _, l := range s {
		b.WriteString(l + "\n")
	}
	return b.String()
}

func FuzzRead(f *testing.F) {
	s := signed(f)
	f.Add(s["META-INF/MANIFEST.MF"], s["META-INF/KILN.SF"], s["META-INF/KILN.RSA"])
	f.Fuzz(func(t *testing.T, manifest, sf, block []byte) {
		verify(files{"META-INF/MANIFEST.MF": manifest, "META-INF/KILN.SF": sf, "META-INF/KILN.RSA": block, "a": nil})
	})
}
