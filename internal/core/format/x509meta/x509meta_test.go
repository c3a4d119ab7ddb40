package x509meta_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/rsa"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/asn1"
	"math/big"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/x509meta"
	"regola.example/regola/internal/seed"
)

// TestOf reads certificates that are made here, with keys of both kinds.
func TestOf(t *testing.T) {
	mark := pkix.Extension{Id: asn1.ObjectIdentifier{1, 2, 840, 113635, 100, 6, 1, 4}, Value: []byte{5, 0}}
	made := func(public, private any) *x509.Certificate {
		c := &x509.Certificate{SerialNumber: big.NewInt(4711), Subject: pkix.Name{CommonName: "Ada Argilla", Organization: []string{"Terrafuoco"}, OrganizationalUnit: []string{"TEAM12345"}, Country: []string{"IT"}},
			NotBefore: time.Date(2020, 1, 2, 3, 4, 5, 0, time.UTC), NotAfter: time.Date(2050, 1, 2, 3, 4, 5, 0, time.UTC), ExtraExtensions: []pkix.Extension{mark}}
		der, err := x509.CreateCertificate(rand.Reader, c, c, public, private)
		require.NoError(t, err)
		parsed, err := x509.ParseCertificate(der)
		require.NoError(t, err)
		return parsed
	}
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	require.NoError(t, err)
	c := x509meta.Of(made(&key.PublicKey, key))
	assert.Contains(t, c.Subject, "Ada Argilla")
	assert.Len(t, c.Fingerprint, 64)
	text := seed.Dump(c)
	for _, part := range []string{"TEAM12345", "2050", "RSA", "2048", "1.2.840.113635.100.6.1.4"} {
		assert.Contains(t, text, part)
	}
	ec, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	assert.Contains(t, seed.Dump(x509meta.Of(made(&ec.PublicKey, ec))), "256")
}

// TestOutcomes holds what is read of a signer's certificate, and of damaged copies.
func TestOutcomes(t *testing.T) {
	der := seed.Entry(t, seed.WholeIPA, "Payload/Terrafuoco.app/embedded.mobileprovision")
	var first []byte
	for i := range der {
		if c, err := x509.ParseCertificates(der[i:]); err == nil && len(c) > 0 {
			first = c[0].Raw
			break
		}
		// A certificate begins with a sequence of two bytes of length.
		if der[i] == 0x30 && i+4 < len(der) && der[i+1] == 0x82 {
			n := 4 + int(der[i+2])<<8 + int(der[i+3])
			if i+n <= len(der) {
				if c, err := x509.ParseCertificate(der[i : i+n]); err == nil {
					first = c.Raw
					break
				}
			}
		}
	}
	require.NotEmpty(t, first)
	seed.Outcomes(t, map[string][]byte{"certificate": first}, func(data []byte) (any, error) {
		c, err := x509.ParseCertificate(data)
		if err != nil {
			return nil, nil // what that package says is its own
		}
		return x509meta.Of(c), nil
	})
}
