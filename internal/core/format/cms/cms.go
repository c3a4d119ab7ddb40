// Package cms verifies the signature of a CMS envelope over given contents,
// with the algorithms that signers of packages really use.
//
// Source of the format: RFC 5652; RFC 5754 for the names of algorithms.
package cms

import (
	"bytes"
	"crypto"
	"crypto/x509"
	"encoding/asn1"
	"errors"
	"fmt"
	"time"

	"github.com/smallstep/pkcs7"

	"regola.example/regola/internal/core/format/x509meta"
)

// UnsupportedError is for an algorithm that cannot be judged: the signature
// may be as good as any.
type UnsupportedError struct{ Algorithm asn1.ObjectIdentifier }

// Error says which kind it is.
func (e *UnsupportedError) Error() string {
	return "is signed with an algorithm that is not known here (" + e.Algorithm.String() + ")"
}

var (
	ecKey         = asn1.ObjectIdentifier{1, 2, 840, 10045, 2, 1}
	rsaPSS        = asn1.ObjectIdentifier{1, 2, 840, 113549, 1, 1, 10}
	dsaSHA224     = asn1.ObjectIdentifier{2, 16, 840, 1, 101, 3, 4, 3, 1}
	dsaSHA256     = asn1.ObjectIdentifier{2, 16, 840, 1, 101, 3, 4, 3, 2}
	messageDigest = asn1.ObjectIdentifier{1, 2, 840, 113549, 1, 9, 4}
	signingTime   = asn1.ObjectIdentifier{1, 2, 840, 113549, 1, 9, 5}
)

var hashes = []struct {
	id   asn1.ObjectIdentifier
	hash crypto.Hash
}{
	{pkcs7.OIDDigestAlgorithmSHA1, crypto.SHA1}, {pkcs7.OIDDigestAlgorithmSHA256, crypto.SHA256},
	{pkcs7.OIDDigestAlgorithmSHA384, crypto.SHA384}, {pkcs7.OIDDigestAlgorithmSHA512, crypto.SHA512},
}

// family is the kind of key and padding that an algorithm means.
type family int

const (
	familyRSA family = iota + 1
	familyPSS
	familyEC
	familyDSA
)

var families = []struct {
	kind family
	ids  []asn1.ObjectIdentifier
}{
	{familyRSA, []asn1.ObjectIdentifier{pkcs7.OIDEncryptionAlgorithmRSA, pkcs7.OIDEncryptionAlgorithmRSASHA1, pkcs7.OIDEncryptionAlgorithmRSASHA256,
		pkcs7.OIDEncryptionAlgorithmRSASHA384, pkcs7.OIDEncryptionAlgorithmRSASHA512}},
	{familyPSS, []asn1.ObjectIdentifier{rsaPSS}},
	// Signers write the kind of the key, or its curve, in place of the
	// algorithm; the digest is named apart from it.
	{familyEC, []asn1.ObjectIdentifier{ecKey, pkcs7.OIDDigestAlgorithmECDSASHA1, pkcs7.OIDDigestAlgorithmECDSASHA256, pkcs7.OIDDigestAlgorithmECDSASHA384,
		pkcs7.OIDDigestAlgorithmECDSASHA512, pkcs7.OIDEncryptionAlgorithmECDSAP256, pkcs7.OIDEncryptionAlgorithmECDSAP384, pkcs7.OIDEncryptionAlgorithmECDSAP521}},
	{familyDSA, []asn1.ObjectIdentifier{pkcs7.OIDDigestAlgorithmDSA, pkcs7.OIDDigestAlgorithmDSASHA1, dsaSHA224, dsaSHA256}},
}

func familyOf(id asn1.ObjectIdentifier) family {
	for _, f := range families {
		for _, k := range f.ids {
			if k.Equal(id) {
				return f.kind
			}
		}
	}
	return 0
}

// maxSigners bounds the signatures that are verified over one part.
const maxSigners = 16

// Verify verifies every signer of an envelope over its contents; the envelope
// is only read. No chain of certificates is followed. An *UnsupportedError is
// no verdict.
func Verify(p *pkcs7.PKCS7, contents []byte) error {
	switch {
	case len(p.Signers) == 0:
		return errors.New("has no signer")
	case len(p.Signers) > maxSigners:
		return fmt.Errorf("has %d signers, of which at most %d are verified", len(p.Signers), maxSigners)
	}
	for i := range p.Signers {
		if err := verify(p, i, contents); err != nil {
			return err
		}
	}
	return nil
}

// verify verifies one signer.
func verify(p *pkcs7.PKCS7, i int, contents []byte) error {
	sg := &p.Signers[i]
	kind := familyOf(sg.DigestEncryptionAlgorithm.Algorithm)
	if kind == 0 {
		return &UnsupportedError{sg.DigestEncryptionAlgorithm.Algorithm}
	}
	var hash crypto.Hash
	for _, h := range hashes {
		if h.id.Equal(sg.DigestAlgorithm.Algorithm) {
			hash = h.hash
		}
	}
	if hash == 0 {
		return &UnsupportedError{sg.DigestAlgorithm.Algorithm}
	}
	var cert *x509.Certificate
	for _, c := range p.Certificates {
		if c.SerialNumber.Cmp(sg.IssuerAndSerialNumber.SerialNumber) == 0 && bytes.Equal(c.RawIssuer, sg.IssuerAndSerialNumber.IssuerName.FullBytes) {
			cert = c
		}
	}
	if cert == nil {
		return errors.New("has no certificate for its signer")
	}
	signed := contents
	if len(sg.AuthenticatedAttributes) > 0 {
		sum := hash.New()
		sum.Write(contents)
		holds := false
		for _, a := range sg.AuthenticatedAttributes {
			switch {
			case a.Type.Equal(messageDigest):
				var d []byte
				_, err := asn1.Unmarshal(a.Value.Bytes, &d)
				holds = err == nil && bytes.Equal(d, sum.Sum(nil))
			case a.Type.Equal(signingTime):
				var t time.Time
				if _, err := asn1.Unmarshal(a.Value.Bytes, &t); err == nil && (t.Before(cert.NotBefore) || t.After(cert.NotAfter)) {
					return fmt.Errorf("was signed on %s, when its certificate was not valid", t.UTC().Format(time.DateOnly))
				}
			}
		}
		if !holds {
			return errors.New("its digest of the contents differs")
		}
		der, err := asn1.MarshalWithParams(sg.AuthenticatedAttributes, "set")
		if err != nil {
			return fmt.Errorf("its attributes cannot be read: %w", err)
		}
		signed = der
	}
	return x509meta.Verify(cert.PublicKey, hash, kind == familyPSS, signed, sg.EncryptedDigest)
}
