// Package cms verifies the signature of a CMS envelope over given contents,
// with the algorithms that signers of packages really use.
//
// Source of the format: RFC 5652; RFC 5754 for the names of algorithms.
package cms

import (
	"bytes"
	"crypto"
	"encoding/asn1"
	"errors"
	"fmt"

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
)

var hashes = []struct {
	id   asn1.ObjectIdentifier
	hash crypto.Hash
}{
	{pkcs7.OIDDigestAlgorithmSHA1, crypto.SHA1}, {pkcs7.OIDDigestAlgorithmSHA256, crypto.SHA256},
	{pkcs7.OIDDigestAlgorithmSHA384, crypto.SHA384}, {pkcs7.OIDDigestAlgorithmSHA512, crypto.SHA512},
}

// known are the algorithms that the library verifies.
var known = []asn1.ObjectIdentifier{
	pkcs7.OIDEncryptionAlgorithmRSA, pkcs7.OIDEncryptionAlgorithmRSASHA1, pkcs7.OIDEncryptionAlgorithmRSASHA256,
	pkcs7.OIDEncryptionAlgorithmRSASHA384, pkcs7.OIDEncryptionAlgorithmRSASHA512,
	pkcs7.OIDDigestAlgorithmECDSASHA1, pkcs7.OIDDigestAlgorithmECDSASHA256, pkcs7.OIDDigestAlgorithmECDSASHA384,
	pkcs7.OIDDigestAlgorithmECDSASHA512, pkcs7.OIDEncryptionAlgorithmECDSAP256, pkcs7.OIDEncryptionAlgorithmECDSAP384,
	pkcs7.OIDEncryptionAlgorithmECDSAP521,
}

// Verify verifies every signer of an envelope over its contents. No chain of
// certificates is followed. An *UnsupportedError is no verdict.
func Verify(p *pkcs7.PKCS7, contents []byte) error {
	p.Content = contents
	if len(p.Signers) == 0 {
		return errors.New("has no signer")
	}
	left := p.Signers[:0:0]
	for i := range p.Signers {
		alg := &p.Signers[i].DigestEncryptionAlgorithm.Algorithm
		switch {
		case alg.Equal(ecKey):
			// Signers write the kind of the key in place of the algorithm;
			// the digest is named apart from it.
			*alg = pkcs7.OIDEncryptionAlgorithmECDSAP256
		case alg.Equal(pkcs7.OIDDigestAlgorithmDSA), alg.Equal(pkcs7.OIDDigestAlgorithmDSASHA1), alg.Equal(dsaSHA224), alg.Equal(dsaSHA256):
			// The library takes their names and then has no means to verify.
			if err := verify(p, i, false); err != nil {
				return err
			}
			continue
		case alg.Equal(rsaPSS):
			if err := verify(p, i, true); err != nil {
				return err
			}
			continue
		}
		if !contains(known, *alg) {
			return &UnsupportedError{*alg}
		}
		left = append(left, p.Signers[i])
	}
	if len(left) == 0 {
		return nil
	}
	p.Signers = left
	return p.Verify()
}

func contains(ids []asn1.ObjectIdentifier, id asn1.ObjectIdentifier) bool {
	for _, k := range ids {
		if k.Equal(id) {
			return true
		}
	}
	return false
}

// verify verifies one signer, for the algorithms that the library leaves out.
func verify(p *pkcs7.PKCS7, i int, pss bool) error {
	sg := &p.Signers[i]
	var hash crypto.Hash
	for _, h := range hashes {
		if h.id.Equal(sg.DigestAlgorithm.Algorithm) {
			hash = h.hash
		}
	}
	if hash == 0 {
		return &UnsupportedError{sg.DigestAlgorithm.Algorithm}
	}
	var key any
	for _, c := range p.Certificates {
		if c.SerialNumber.Cmp(sg.IssuerAndSerialNumber.SerialNumber) == 0 && bytes.Equal(c.RawIssuer, sg.IssuerAndSerialNumber.IssuerName.FullBytes) {
			key = c.PublicKey
		}
	}
	if key == nil {
		return errors.New("has no certificate for its signer")
	}
	signed := p.Content
	if len(sg.AuthenticatedAttributes) > 0 {
		sum := hash.New()
		sum.Write(p.Content)
		holds := false
		for _, a := range sg.AuthenticatedAttributes {
			var d []byte
			if a.Type.Equal(messageDigest) {
				_, err := asn1.Unmarshal(a.Value.Bytes, &d)
				holds = err == nil && bytes.Equal(d, sum.Sum(nil))
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
	return x509meta.Verify(key, hash, pss, signed, sg.EncryptedDigest)
}
