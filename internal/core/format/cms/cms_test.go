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
			p, err := pkcs7.Parse(der)
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
