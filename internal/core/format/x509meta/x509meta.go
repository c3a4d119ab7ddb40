// Package x509meta sums up a signer's certificate, and verifies with its key.
//
// Source of the format: RFC 5280.
package x509meta

import (
	"crypto"
	//lint:ignore SA1019 old packages are signed with it, and that must be reported
	"crypto/dsa"
	"crypto/ecdsa"
	"crypto/ed25519"
	"crypto/rsa"
	"crypto/sha256"
	"crypto/x509"
	"encoding/asn1"
	"encoding/hex"
	"errors"
	"math/big"
	"regexp"
	"strings"
	"time"

	"regola.example/regola/internal/core/day"
)

// Certificate is what a release check asks of a certificate.
type Certificate struct {
	Subject     string // "CN=…, O=…", the most specific part first
	Issuer      string
	Key         string // RSA, EC, DSA or Ed25519
	Bits        int    // size of the key
	Algorithm   string // with which the certificate itself was signed
	NotBefore   time.Time
	NotAfter    time.Time
	Fingerprint string   // SHA-256 of the whole certificate, as hex
	Marks       []string // extensions by which an authority says what a certificate is for, by their object identifiers
}

// Of sums up a parsed certificate.
func Of(c *x509.Certificate) *Certificate {
	sum := sha256.Sum256(c.Raw)
	out := &Certificate{
		Subject: name(c.Subject.String()), Issuer: name(c.Issuer.String()), Algorithm: c.SignatureAlgorithm.String(),
		NotBefore: day.Bounded(c.NotBefore), NotAfter: day.Bounded(c.NotAfter), Fingerprint: hex.EncodeToString(sum[:]),
	}
	for _, x := range c.Extensions {
		if len(x.Id) > 6 && x.Id[0] == 1 && x.Id[1] == 2 && x.Id[2] == 840 { // of companies
			out.Marks = append(out.Marks, x.Id.String())
		}
	}
	switch k := c.PublicKey.(type) {
	case *rsa.PublicKey:
		out.Key, out.Bits = "RSA", k.N.BitLen()
	case *ecdsa.PublicKey:
		out.Key, out.Bits = "EC", k.Curve.Params().BitSize
	case *dsa.PublicKey:
		out.Key, out.Bits = "DSA", k.P.BitLen()
	case ed25519.PublicKey:
		out.Key, out.Bits = "Ed25519", 256
	}
	return out
}

// Verify verifies a signature over data with a certificate's key, by the
// hash, with the probabilistic padding of RSA where pss is set.
//
// ErrKey is for a key that is larger than any signer's: it is not verified,
// since that would take seconds.
func Verify(key any, h crypto.Hash, pss bool, data, sig []byte) error {
	if tooLarge(key) {
		return ErrKey
	}
	d := h.New()
	d.Write(data)
	sum := d.Sum(nil)
	switch k := key.(type) {
	case *rsa.PublicKey:
		if pss {
			return rsa.VerifyPSS(k, h, sum, sig, &rsa.PSSOptions{SaltLength: rsa.PSSSaltLengthEqualsHash})
		}
		return rsa.VerifyPKCS1v15(k, h, sum, sig)
	case *ecdsa.PublicKey:
		if ecdsa.VerifyASN1(k, sum, sig) {
			return nil
		}
	case *dsa.PublicKey:
		var rs struct{ R, S *big.Int }
		if _, err := asn1.Unmarshal(sig, &rs); err == nil && rs.R != nil && rs.S != nil &&
			dsa.Verify(k, sum[:min(len(sum), (k.Q.BitLen()+7)/8)], rs.R, rs.S) {
			return nil
		}
	}
	return errors.New("does not verify")
}

// maxBits bounds the keys with which a signature is verified.
const maxBits = 8192

// ErrKey is for a key that is too large to verify with.
var ErrKey = errors.New("its key is larger than 8192 bits, which no signer uses; it was not verified")

func tooLarge(key any) bool {
	switch k := key.(type) {
	case *rsa.PublicKey:
		return k.N.BitLen() > maxBits || k.E > 1<<31-1
	case *dsa.PublicKey:
		return k.P.BitLen() > maxBits || k.Q.BitLen() > maxBits
	}
	return false
}

// unnamed is how the standard library writes an attribute that it has no name
// for: its object identifier, and the bytes of its DER form.
var unnamed = regexp.MustCompile(`([0-9]+(?:\.[0-9]+)+)=#([0-9a-f]+)`)

// attributes names those that certificates of app signers have: the user id
// and the domain of RFC 4519, the e-mail address of PKCS #9.
var attributes = map[string]string{
	"0.9.2342.19200300.100.1.1": "UID", "0.9.2342.19200300.100.1.25": "DC", "1.2.840.113549.1.9.1": "E",
}

// name puts blanks behind the commas that part the name's attributes.
func name(s string) string {
	s = unnamed.ReplaceAllStringFunc(s, func(m string) string {
		parts := unnamed.FindStringSubmatch(m)
		der, err := hex.DecodeString(parts[2])
		if label := attributes[parts[1]]; label != "" && err == nil && len(der) >= 2 && int(der[1]) == len(der)-2 {
			return label + "=" + string(der[2:])
		}
		return m
	})
	var b strings.Builder
	for i, r := range s {
		b.WriteRune(r)
		if r == ',' && (i == 0 || s[i-1] != '\\') {
			b.WriteByte(' ')
		}
	}
	return b.String()
}
