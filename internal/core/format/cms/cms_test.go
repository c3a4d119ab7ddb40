package cms_test

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/smallstep/pkcs7"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/cms"
	"regola.example/regola/internal/seed"
)

// TestKinds verifies envelopes that real signers made with each kind of key,
// whole and with a byte changed.
func TestKinds(t *testing.T) {
	files, err := filepath.Glob("testdata/*.p7")
	require.NoError(t, err)
	require.Len(t, files, 7)
	for _, f := range files {
		der, err := os.ReadFile(f)
		require.NoError(t, err)
		signed, err := os.ReadFile(strings.TrimSuffix(f, ".p7") + ".sf")
		require.NoError(t, err)
		verify := func(der, signed []byte) error {
			p, err := cms.Parse(der)
			require.NoError(t, err, f)
			return cms.Verify(p, signed)
		}
		if strings.Contains(f, "ed25519") {
			var unsupported *cms.UnsupportedError
			assert.ErrorAs(t, verify(der, signed), &unsupported, "no verdict on what is not known")
			continue
		}
		assert.NoError(t, verify(der, signed), f)
		other := bytes.Replace(signed, []byte("1.0"), []byte("1.1"), 1)
		assert.Error(t, verify(der, other), "%s: contents changed", f)
		forged := bytes.Clone(der)
		forged[len(forged)-3] ^= 1 // within the signature, which stands last
		assert.Error(t, verify(forged, signed), "%s: signature changed", f)
	}
	assert.Error(t, cms.Verify(&pkcs7.PKCS7{}, nil), "no signer is no signature")
}

// TestStructure gives Parse structures that a careless reader follows without
// end: parts that reach out of theirs, and deep nesting.
func TestStructure(t *testing.T) {
	for name, b := range map[string][]byte{
		"empty":                    {},
		"only a tag":               {0x30},
		"an endless tag":           {0x3f, 0xff, 0xff},
		"longer than the rest":     {0x30, 0x05, 0x02, 0x01, 0x00},
		"a part out of its own":    {0x30, 0x03, 0x30, 0x03, 0x02, 0x01, 0x00},
		"primitive without length": {0x04, 0x80, 0x00, 0x00},
		"no end":                   {0x30, 0x80, 0x02, 0x01, 0x00},
		"deep":                     bytes.Repeat([]byte{0x30, 0x80}, 1<<20),
		"too large":                make([]byte, 17<<20),
	} {
		_, err := cms.Parse(b)
		assert.Error(t, err, name)
	}
}

func FuzzParse(f *testing.F) {
	files, _ := filepath.Glob("testdata/*.p7")
	for _, name := range files {
		der, err := os.ReadFile(name)
		require.NoError(f, err)
		f.Add(der)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		p, err := cms.Parse(data)
		if err != nil {
			return
		}
		_ = cms.Verify(p, []byte("kiln"))
	})
}
