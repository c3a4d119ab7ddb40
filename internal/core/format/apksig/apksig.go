// Package apksig reads and verifies the signing block of an APK: signature
// schemes 2, 3 and 3.1.
//
// Source of the format: the Android Open Source Project's pages on APK
// signature schemes 2, 3 and 3.1.
package apksig

import (
	"bytes"
	"context"
	"crypto"
	"crypto/sha256"
	"crypto/sha512"
	"crypto/x509"
	"encoding/binary"
	"errors"
	"fmt"
	"hash"
	"io"
	"sort"
	"sync"

	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/x509meta"
	"regola.example/regola/internal/core/work"
)

const (
	blockMagic = "APK Sig Block 42"
	maxBlock   = 64 << 20

	idV2         = 0x7109871a
	idV3         = 0xf05368c0
	idV31        = 0x1b93ad61
	idPadding    = 0x42726577
	idDependency = 0x504b4453

	attrRotation = 0x3ba06f8c
	attrStripped = 0xbeeff00d // inside scheme 2: the scheme that must not be removed
)

// Block is the signing block.
type Block struct {
	Offset     int64 // in the file
	Size       int64
	Schemes    []*Scheme
	Dependency bool // a list of dependencies, encrypted for the store, is inside
	IDs        []uint32
}

// Scheme is one signature scheme's part of the block.
type Scheme struct {
	Name    string // 2, 3 or 3.1
	Signers []*Signer
	Faults  []string
}

// Signer is one signer of a scheme.
type Signer struct {
	Certificate *x509meta.Certificate
	Algorithms  []string
	MinLevel    int64 // from scheme 3 on
	MaxLevel    int64
	Rotated     bool  // a proof of rotation links an older certificate
	Announces   int64 // scheme 2 tells that this later scheme was applied too; 0 for none

	digests map[uint32][]byte
}

// Read finds the signing block before the central directory; nil when there is
// none. Signatures over the signed data are verified; the contents are not
// (see VerifyContents).
func Read(r io.ReaderAt, directory int64) (*Block, error) {
	if directory < 32 {
		return nil, nil
	}
	var foot [24]byte
	if _, err := r.ReadAt(foot[:], directory-24); err != nil {
		return nil, format.Damagedf(directory-24, "the end of the signing block cannot be read")
	}
	if string(foot[8:]) != blockMagic {
		return nil, nil
	}
	size := binary.LittleEndian.Uint64(foot[:])
	if size < 24 || size > maxBlock || int64(size)+8 > directory {
		return nil, format.Damagedf(directory-24, "a signing block of %d bytes", size)
	}
	b := &Block{Offset: directory - int64(size) - 8, Size: int64(size) + 8}
	data := make([]byte, b.Size)
	if _, err := r.ReadAt(data, b.Offset); err != nil {
		return nil, format.Damagedf(b.Offset, "the signing block cannot be read")
	}
	if binary.LittleEndian.Uint64(data) != size {
		return nil, format.Damagedf(b.Offset, "the two sizes of the signing block differ")
	}
	pairs := data[8 : len(data)-24]
	for len(pairs) > 0 {
		if len(pairs) < 12 {
			return nil, format.Damagedf(b.Offset, "the signing block ends inside an entry")
		}
		n := binary.LittleEndian.Uint64(pairs)
		if n < 4 || n > uint64(len(pairs)-8) {
			return nil, format.Damagedf(b.Offset, "an entry of the signing block claims %d bytes", n)
		}
		id, value := binary.LittleEndian.Uint32(pairs[8:]), pairs[12:8+n]
		if len(b.IDs) >= maxEntries {
			return nil, format.Damagedf(b.Offset, "the signing block has more than %d entries", maxEntries)
		}
		b.IDs = append(b.IDs, id)
		switch id {
		case idV2:
			b.Schemes = append(b.Schemes, parseScheme("2", value))
		case idV3:
			b.Schemes = append(b.Schemes, parseScheme("3", value))
		case idV31:
			b.Schemes = append(b.Schemes, parseScheme("3.1", value))
		case idDependency:
			b.Dependency = true
		case idPadding:
		}
		pairs = pairs[8+n:]
	}
	sort.Slice(b.Schemes, func(i, j int) bool { return b.Schemes[i].Name < b.Schemes[j].Name })
	return b, nil
}

// reader takes length-prefixed pieces; after a fault everything it gives is empty.
type reader struct {
	b   []byte
	bad bool
}

func (r *reader) u32() uint32 {
	if r.bad || len(r.b) < 4 {
		r.bad = true
		return 0
	}
	v := binary.LittleEndian.Uint32(r.b)
	r.b = r.b[4:]
	return v
}

func (r *reader) piece() []byte {
	n := r.u32()
	if r.bad || uint64(n) > uint64(len(r.b)) {
		r.bad = true
		return nil
	}
	p := r.b[:n]
	r.b = r.b[n:]
	return p
}

func (r *reader) more() bool { return !r.bad && len(r.b) > 0 }

func parseScheme(name string, value []byte) *Scheme {
	s := &Scheme{Name: name}
	top := &reader{b: value}
	signers := &reader{b: top.piece()}
	for signers.more() && len(s.Signers) < 16 {
		p := signers.piece()
		if signers.bad {
			break
		}
		s.Signers = append(s.Signers, s.signer(p))
	}
	if top.bad || signers.bad {
		s.fault("the list of signers is damaged")
	} else if len(s.Signers) == 0 {
		s.fault("there is no signer")
	}
	return s
}

func (s *Scheme) fault(text string, args ...any) {
	const most = 50 // a report of more helps nobody
	if len(s.Faults) < most {
		s.Faults = append(s.Faults, fmt.Sprintf(text, args...))
	}
}

func (s *Scheme) signer(b []byte) *Signer {
	sg := &Signer{digests: make(map[uint32][]byte)}
	r := &reader{b: b}
	signed := r.piece()
	if s.Name != "2" {
		sg.MinLevel, sg.MaxLevel = int64(r.u32()), int64(r.u32())
	}
	signatures, key := r.piece(), r.piece()
	d := &reader{b: signed}
	digests, certs := &reader{b: d.piece()}, &reader{b: d.piece()}
	for digests.more() {
		one := &reader{b: digests.piece()}
		alg := one.u32()
		sg.digests[alg] = one.piece()
	}
	var leaf *x509.Certificate
	for certs.more() {
		der := certs.piece()
		if leaf != nil {
			continue
		}
		c, err := x509.ParseCertificate(der)
		if err != nil {
			s.fault("the certificate cannot be read: %v", err)
			break
		}
		leaf = c
		sg.Certificate = x509meta.Of(c)
	}
	if s.Name != "2" {
		lo, hi := int64(d.u32()), int64(d.u32())
		if !d.bad && (lo != sg.MinLevel || hi != sg.MaxLevel) {
			s.fault("the levels for which it was signed were changed after signing")
		}
	}
	attrs := &reader{b: d.piece()}
	for attrs.more() {
		one := &reader{b: attrs.piece()}
		switch one.u32() {
		case attrRotation:
			sg.Rotated = true
		case attrStripped:
			sg.Announces = int64(one.u32())
		}
	}
	if r.bad || d.bad || digests.bad || certs.bad {
		s.fault("a signer's data is damaged")
		return sg
	}
	if leaf == nil {
		return sg
	}
	if !bytes.Equal(leaf.RawSubjectPublicKeyInfo, key) {
		s.fault("the public key is not that of the certificate")
	}
	s.signatures(sg, signatures, signed, leaf.PublicKey)
	return sg
}

// signatures verifies each signature over the signed data.
func (s *Scheme) signatures(sg *Signer, b, signed []byte, key any) {
	list := &reader{b: b}
	known := false
	for list.more() {
		one := &reader{b: list.piece()}
		id := one.u32()
		sig := one.piece()
		a, ok := algorithms[id]
		if one.bad || !ok {
			continue
		}
		known = true
		const most = 16 // signatures over one part; signers make one or two
		if len(sg.Algorithms) >= most {
			s.fault("one part is signed more than %d times", most)
			return
		}
		sg.Algorithms = append(sg.Algorithms, a.name)
		if err := a.verify(key, signed, sig); err != nil {
			s.fault("the signature does not fit (%s): what was signed was changed", a.name)
		}
	}
	if !known {
		s.fault("there is no signature of a known kind")
	}
}

// algorithm is one of the scheme's signature algorithms.
type algorithm struct {
	name  string
	hash  crypto.Hash
	chunk func() hash.Hash // of the contents; nil for the tree digest of fs-verity
	pss   bool
}

var algorithms = map[uint32]algorithm{
	0x0101: {"RSA-PSS with SHA-256", crypto.SHA256, sha256.New, true},
	0x0102: {"RSA-PSS with SHA-512", crypto.SHA512, sha512.New, true},
	0x0103: {"RSA with SHA-256", crypto.SHA256, sha256.New, false},
	0x0104: {"RSA with SHA-512", crypto.SHA512, sha512.New, false},
	0x0201: {"ECDSA with SHA-256", crypto.SHA256, sha256.New, false},
	0x0202: {"ECDSA with SHA-512", crypto.SHA512, sha512.New, false},
	0x0301: {"DSA with SHA-256", crypto.SHA256, sha256.New, false},
	0x0421: {"RSA with SHA-256, fs-verity", crypto.SHA256, nil, false},
	0x0423: {"ECDSA with SHA-256, fs-verity", crypto.SHA256, nil, false},
	0x0425: {"DSA with SHA-256, fs-verity", crypto.SHA256, nil, false},
}

func (a algorithm) verify(key any, signed, sig []byte) error {
	return x509meta.Verify(key, a.hash, a.pss, signed, sig)
}

const chunkSize = 1 << 20

// maxEntries bounds the entries of a signing block; real ones have a handful.
const maxEntries = 256

// VerifyContents digests the file as the schemes prescribe, in chunks of one
// MiB over all cores, and adds a fault to each scheme whose digest differs.
// end is the offset of the end record; size is that of the file.
func (b *Block) VerifyContents(ctx context.Context, r io.ReaderAt, directory, end, size int64) error {
	kinds := map[crypto.Hash]func() hash.Hash{}
	for _, s := range b.Schemes {
		for _, sg := range s.Signers {
			for id := range sg.digests {
				if a, ok := algorithms[id]; ok && a.chunk != nil {
					kinds[a.hash] = a.chunk
				}
			}
		}
	}
	sums := make(map[crypto.Hash][]byte, len(kinds))
	for h, n := range kinds {
		sum, err := contentDigest(ctx, r, b.Offset, directory, end, size, n)
		if err != nil {
			return err
		}
		sums[h] = sum
	}
	for _, s := range b.Schemes {
		for _, sg := range s.Signers {
			verified := false
			for id, want := range sg.digests {
				a, ok := algorithms[id]
				if !ok || a.chunk == nil {
					continue
				}
				verified = true
				if !bytes.Equal(sums[a.hash], want) {
					s.fault("the file was changed after signing: its digest differs from the signed one")
				}
			}
			if !verified {
				s.fault("its digest is of a kind that is not verified here")
			}
		}
	}
	return nil
}

// contentDigest is the digest over the entries, the central directory and the
// end record, in which the directory's offset is set to the signing block's.
func contentDigest(ctx context.Context, r io.ReaderAt, block, directory, end, size int64, newHash func() hash.Hash) ([]byte, error) {
	tail := make([]byte, size-end)
	if _, err := r.ReadAt(tail, end); err != nil && err != io.EOF {
		return nil, err
	}
	if len(tail) < 22 {
		return nil, format.Damagedf(end, "the end record is cut off")
	}
	binary.LittleEndian.PutUint32(tail[16:], uint32(block))
	type span struct {
		r      io.ReaderAt
		at, to int64
	}
	var chunks []span
	for _, part := range []span{{r, 0, block}, {r, directory, end}, {bytes.NewReader(tail), 0, int64(len(tail))}} {
		for at := part.at; at < part.to; at += chunkSize {
			chunks = append(chunks, span{part.r, at, min(at+chunkSize, part.to)})
		}
	}
	sums := make([][]byte, len(chunks))
	errs := make([]error, len(chunks))
	buffers := sync.Pool{New: func() any { b := make([]byte, chunkSize); return &b }}
	err := work.Each(ctx, len(chunks), func(i int) {
		c := chunks[i]
		n := int(c.to - c.at)
		buf := buffers.Get().(*[]byte)
		defer buffers.Put(buf)
		if m, err := c.r.ReadAt((*buf)[:n], c.at); m < n {
			errs[i] = err
			return
		}
		h := newHash()
		h.Write(binary.LittleEndian.AppendUint32([]byte{0xa5}, uint32(n)))
		h.Write((*buf)[:n])
		sums[i] = h.Sum(nil)
	})
	if err := errors.Join(append(errs, err)...); err != nil {
		return nil, err
	}
	top := newHash()
	top.Write(binary.LittleEndian.AppendUint32([]byte{0x5a}, uint32(len(chunks))))
	for _, s := range sums {
		top.Write(s)
	}
	return top.Sum(nil), nil
}
