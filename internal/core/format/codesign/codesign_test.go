package codesign_test

import (
	"bytes"
	"encoding/binary"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/codesign"
	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/seed"
)

const app = "Payload/Terrafuoco.app/"

// slice reads the demo's executable, after a change.
func slice(tb testing.TB, change func([]byte)) *macho.Slice {
	tb.Helper()
	data := bytes.Clone(seed.Entry(tb, seed.IPA, app+"Terrafuoco"))
	if change != nil {
		change(data)
	}
	f, err := macho.Read(bytes.NewReader(data), true, nil)
	require.NoError(tb, err)
	return &f.Slices[0]
}

func TestSound(t *testing.T) {
	sl := slice(t, nil)
	s, err := codesign.Parse(sl.Signature, nil)
	require.NoError(t, err)
	assert.True(t, s.VerifyPages(sl.Pages))
	s.VerifyFile(codesign.SlotInfo, "Info.plist", seed.Entry(t, seed.IPA, app+"Info.plist"))
	s.VerifyFile(codesign.SlotResources, "CodeResources", seed.Entry(t, seed.IPA, app+"_CodeSignature/CodeResources"))
	assert.Empty(t, s.Faults)
	assert.Equal(t, "org.example.terrafuoco", s.Identifier)
	assert.Equal(t, "K1LN7EAM42", s.Team)
	assert.False(t, s.Adhoc())
	assert.True(t, s.SHA256 && s.EntitlementsDER)
	assert.Equal(t, "K1LN7EAM42.org.example.terrafuoco", s.Entitlements.Get("application-identifier").Text())
	assert.Contains(t, s.Signer.Subject, "CN=Terrafuoco Distribution")
	assert.Empty(t, s.Chain, "the demo's certificate signed itself")
}

// TestTampering changes the code, a sealed file, the entitlements and the
// directory; each is named.
func TestTampering(t *testing.T) {
	sl := slice(t, func(b []byte) { b[5000] ^= 1 })
	s, err := codesign.Parse(sl.Signature, nil)
	require.NoError(t, err)
	s.VerifyPages(sl.Pages)
	assert.Equal(t, []string{"the code was changed after signing, at byte 0x1000"}, s.Faults)

	s, err = codesign.Parse(slice(t, nil).Signature, nil)
	require.NoError(t, err)
	s.VerifyFile(codesign.SlotInfo, "Info.plist", []byte("other"))
	assert.Equal(t, []string{"Info.plist was changed after signing"}, s.Faults)

	for text, want := range map[string]string{
		"beta-reports-active": "the entitlements were changed after signing",
		"K1LN7EAM42\x00":      "the signer's signature does not fit the code directory",
	} {
		sig := bytes.Clone(slice(t, nil).Signature)
		i := bytes.Index(sig, []byte(text))
		require.Positive(t, i)
		sig[i] ^= 2
		s, err := codesign.Parse(sig, nil)
		require.NoError(t, err)
		require.NotEmpty(t, s.Faults, text)
		assert.Contains(t, s.Faults[0], want)
	}
}

// TestPageSize takes pages of the size that the directory names.
func TestPageSize(t *testing.T) {
	sl := slice(t, nil)
	sig := bytes.Clone(sl.Signature)
	dir := bytes.Index(sig, []byte{0xfa, 0xde, 0x0c, 0x02})
	sig[dir+39] = 14
	s, err := codesign.Parse(sig, nil)
	require.NoError(t, err)
	assert.True(t, s.VerifyPages(sl.Pages))
	assert.Contains(t, s.Faults[len(s.Faults)-1], "pages are signed and")
	sig[dir+39] = 13
	s, err = codesign.Parse(sig, nil)
	require.NoError(t, err)
	assert.False(t, s.VerifyPages(sl.Pages), "no such pages were digested")
}

func TestRequirements(t *testing.T) {
	sig := bytes.Clone(slice(t, nil).Signature)
	at := bytes.Index(sig, []byte{0xfa, 0xde, 0x0c, 0x01})
	require.Positive(t, at)
	sig[at+11] ^= 1
	s, err := codesign.Parse(sig, nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"the requirements were changed after signing"}, s.Faults)
}

// TestTwoForms puts other entitlements into the binary form.
func TestTwoForms(t *testing.T) {
	sig := bytes.Clone(slice(t, nil).Signature)
	i := bytes.Index(sig, []byte("\x0c\x13beta-reports-active\x01\x01\xff"))
	require.Positive(t, i)
	sig[i+23] = 0
	s, err := codesign.Parse(sig, nil)
	require.NoError(t, err)
	assert.Contains(t, s.Faults, "the binary form of the entitlements was changed after signing")
	assert.Contains(t, s.Faults, "the two forms of the entitlements differ, in beta-reports-active")
	// The older form is the set of pairs alone, without the version.
	der := bytes.Index(sig, []byte{0xfa, 0xde, 0x71, 0x72})
	body := bytes.Index(sig[der:], []byte("\x02\x01\x01\xb0"))
	set := bytes.Clone(sig)
	blob := set[der : der+int(binary.BigEndian.Uint32(set[der+4:]))]
	copy(blob[8:], blob[body+3:])
	blob[8] = 0x31
	s, err = codesign.Parse(set, nil)
	require.NoError(t, err)
	assert.Contains(t, s.Faults, "the two forms of the entitlements differ, in beta-reports-active")
}

func FuzzParse(f *testing.F) {
	f.Add(slice(f, nil).Signature)
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		if s, err := codesign.Parse(data, nil); err == nil {
			s.VerifyPages(map[int64][][]byte{4096: {make([]byte, 32)}})
			s.VerifyFile(codesign.SlotInfo, "Info.plist", nil)
		}
	})
}
