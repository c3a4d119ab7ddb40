// Package codesign reads the code signature of a Mach-O slice: the code
// directory with its digests, the entitlements in both forms, and the signer.
//
// Source of the format: the published sources of the platform's kernel and
// security framework (cs_blobs.h, codedirectory.h) and RFC 5652 (CMS).
package codesign

import (
	"bytes"
	"crypto/sha256"
	"crypto/x509"
	"encoding/binary"
	"encoding/hex"
	"fmt"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/cms"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/format/x509meta"
)

const (
	magicSuper           = 0xfade0cc0
	magicDirectory       = 0xfade0c02
	magicEntitlements    = 0xfade7171
	magicEntitlementsDER = 0xfade7172
	magicRequirements    = 0xfade0c01
	magicCMS             = 0xfade0b01

	maxBlobs = 64
)

// Flags of a code directory.
const (
	FlagAdhoc        = 0x2
	FlagLinkerSigned = 0x20000
)

// Special slots, counted backwards from the first page.
const (
	SlotInfo            = 1 // the property list
	SlotRequirements    = 2
	SlotResources       = 3 // the resource seal
	SlotEntitlements    = 5
	SlotEntitlementsDER = 7
)

const hashSHA256 = 2

// Signature is a code signature.
type Signature struct {
	Identifier      string
	Team            string
	Flags           uint32
	SHA256          bool   // a directory with SHA-256 digests is there
	Version         uint32 // of the directory
	CodeLimit       int64  // bytes of the slice that are signed
	PageSize        int64
	CDHash          string       // of the SHA-256 directory, 20 bytes as hex
	Entitlements    *plist.Value // nil when there are none
	EntitlementsDER bool         // the binary form is there too
	Signed          bool         // a CMS signature is there
	Signer          *x509meta.Certificate
	SignerDER       []byte                  // the signer's certificate
	Chain           []*x509meta.Certificate // the others that came along, up from the signer's issuer
	Faults          []string

	slots   []byte // the digests of the pages, one behind the other
	slot    int64  // bytes of one
	special map[int][]byte
}

// Adhoc reports a signature that nobody signed: the linker's own, or one made
// for testing.
func (s *Signature) Adhoc() bool { return s.Flags&(FlagAdhoc|FlagLinkerSigned) != 0 || !s.Signed }

// Parse reads a signature, the bytes behind the code-signature command.
//
// Errors are *format.Damaged; what is wrong in a part is a fault of the signature.
func Parse(data []byte, b *budget.Budget) (*Signature, error) {
	be := binary.BigEndian
	if len(data) < 12 || be.Uint32(data) != magicSuper {
		return nil, format.Damagedf(0, "not a code signature")
	}
	count := be.Uint32(data[8:])
	if count > maxBlobs || int64(len(data)) < 12+8*int64(count) {
		return nil, format.Damagedf(8, "a code signature with %d parts", count)
	}
	s := &Signature{special: map[int][]byte{}}
	var cms, primary []byte
	var der *plist.Value
	all := 0
	for i := range int(count) {
		at := be.Uint32(data[16+8*i:])
		if int64(at)+8 > int64(len(data)) {
			return nil, format.Damagedf(16+8*i, "a part lies outside the signature")
		}
		blob := data[at:]
		n := be.Uint32(blob[4:])
		if n < 8 || int64(n) > int64(len(blob)) {
			return nil, format.Damagedf(int(at), "a part claims %d bytes", n)
		}
		blob = blob[:n]
		if all += len(blob); all > len(data) {
			return nil, format.Damagedf(at, "the parts of the code signature overlap")
		}
		switch be.Uint32(blob) {
		case magicDirectory:
			if be.Uint32(data[12+8*i:]) == 0 || primary == nil {
				primary = blob
			}
			if err := s.directory(blob, int(at)); err != nil {
				return nil, err
			}
		case magicEntitlements:
			v, _, err := plist.Parse(blob[8:], b)
			if err != nil {
				s.fault("the entitlements cannot be read: %v", err)
			} else {
				s.Entitlements = v
			}
			s.holds(SlotEntitlements, blob, "the entitlements were changed after signing")
		case magicEntitlementsDER:
			s.EntitlementsDER = true
			if v, err := parseDER(blob[8:]); err == nil { // one of a form to come is no fault of the signer's
				der = v
			}
			s.holds(SlotEntitlementsDER, blob, "the binary form of the entitlements was changed after signing")
		case magicRequirements:
			s.holds(SlotRequirements, blob, "the requirements were changed after signing")
		case magicCMS:
			cms = blob[8:]
		}
	}
	if s.slots == nil {
		return nil, format.Damagedf(0, "the code signature has no code directory that is read here")
	}
	switch at, same := plist.Difference(s.Entitlements, der); {
	case s.Entitlements == nil:
		s.Entitlements = der
	case der != nil && !same:
		s.fault("the two forms of the entitlements differ, in %s", at)
	}
	if len(cms) > 0 {
		s.cms(cms, primary)
	}
	return s, nil
}

func (s *Signature) fault(format string, args ...any) {
	s.Faults = append(s.Faults, fmt.Sprintf(format, args...))
}

// directory reads a code directory; the one with SHA-256 digests counts.
func (s *Signature) directory(b []byte, at int) error {
	be := binary.BigEndian
	if len(b) < 44 {
		return format.Damagedf(at, "a code directory of %d bytes", len(b))
	}
	hashOff, identOff := be.Uint32(b[16:]), be.Uint32(b[20:])
	special, codes := be.Uint32(b[24:]), be.Uint32(b[28:])
	size, kind, page := int64(b[36]), b[37], b[39]
	if s.SHA256 && kind != hashSHA256 {
		return nil
	}
	if size == 0 || size > 64 || int64(hashOff)+int64(codes)*size > int64(len(b)) || int64(special)*size > int64(hashOff) || page > 20 {
		return format.Damagedf(at, "the digests of the code directory lie outside it")
	}
	text := func(off uint32) string {
		if int64(off) >= int64(len(b)) {
			return ""
		}
		t, _, _ := bytes.Cut(b[off:], []byte{0})
		return string(t)
	}
	s.SHA256 = kind == hashSHA256
	s.Version, s.Flags = be.Uint32(b[8:]), be.Uint32(b[12:])
	s.Identifier, s.CodeLimit, s.PageSize = text(identOff), int64(be.Uint32(b[32:])), int64(1)<<page
	if s.Version >= 0x20200 && len(b) >= 52 {
		if off := be.Uint32(b[48:]); off != 0 {
			s.Team = text(off)
		}
	}
	if s.Version >= 0x20300 && len(b) >= 64 {
		if limit := be.Uint64(b[56:]); limit != 0 && limit < 1<<40 {
			s.CodeLimit = int64(limit)
		}
	}
	s.slot, s.slots = size, b[hashOff:int64(hashOff)+int64(codes)*size]
	s.special = map[int][]byte{}
	const known = 16 // special slots that have a meaning
	for i := 1; i <= min(int(special), known); i++ {
		off := int64(hashOff) - int64(i)*size
		s.special[i] = b[off : off+size]
	}
	if s.SHA256 {
		sum := sha256.Sum256(b)
		s.CDHash = hex.EncodeToString(sum[:20])
	}
	return nil
}

// cms verifies the signer's signature over the directory.
func (s *Signature) cms(data, directory []byte) {
	p, err := cms.Parse(data)
	if err != nil {
		s.fault("the signer's signature cannot be read: %v", err)
		return
	}
	s.Signed = true
	if c := p.GetOnlySigner(); c != nil {
		s.Signer, s.SignerDER = x509meta.Of(c), c.Raw
		s.chain(c, p.Certificates)
	}
	if err := cms.Verify(p, directory); err != nil {
		s.fault("the signer's signature does not fit the code directory: %v", err)
	}
}

// chain orders the certificates that came along by who issued whom.
func (s *Signature) chain(signer *x509.Certificate, all []*x509.Certificate) {
	bySubject := make(map[string]*x509.Certificate, len(all))
	for _, c := range all {
		bySubject[string(c.RawSubject)] = c
	}
	for c := signer; ; {
		next := bySubject[string(c.RawIssuer)]
		if next == nil || next == c {
			return
		}
		delete(bySubject, string(c.RawIssuer)) // two may name each other
		s.Chain = append(s.Chain, x509meta.Of(next))
		c = next
	}
}

// holds compares a blob with the digest in a special slot.
func (s *Signature) holds(slot int, blob []byte, what string) {
	want, ok := s.special[slot]
	if !ok || !s.SHA256 {
		return
	}
	if sum := sha256.Sum256(blob); !bytes.Equal(sum[:], want) && len(bytes.Trim(want, "\x00")) > 0 {
		s.fault("%s", what)
	}
}

// VerifyFile holds a file that a special slot seals against its digest.
func (s *Signature) VerifyFile(slot int, name string, data []byte) {
	s.holds(slot, data, name+" was changed after signing")
}

// VerifyPages holds the digests of the slice's pages against the directory,
// taken of the page size that the directory has. checked is false when there
// are none of that size, or the directory has another digest.
func (s *Signature) VerifyPages(bySize map[int64][][]byte) (checked bool) {
	pages, ok := bySize[s.PageSize]
	if !s.SHA256 || !ok {
		return false
	}
	if signed := int64(len(s.slots)) / s.slot; int64(len(pages)) != signed {
		s.fault("%d pages are signed and %d are there", signed, len(pages))
		return true
	}
	for i := range pages {
		if at := int64(i) * s.slot; !bytes.Equal(pages[i], s.slots[at:at+s.slot]) {
			s.fault("the code was changed after signing, at byte %#x", int64(i)*s.PageSize)
			return true
		}
	}
	return true
}
