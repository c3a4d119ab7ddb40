// Package jarsig verifies JAR signatures, which sign app bundles and, as
// scheme 1, APKs: the manifest's digest of every entry, the signature file's
// digests of the manifest, and the signer's signature of that file.
//
// Source of the format: the JAR file specification (chapters on the manifest
// and on signed JAR files) and RFC 5652 (CMS).
package jarsig

import (
	"bytes"
	"crypto"
	_ "crypto/sha1" // digests of old signatures
	_ "crypto/sha256"
	_ "crypto/sha512"
	"crypto/x509"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"path"
	"sort"
	"strings"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/cms"
	"regola.example/regola/internal/core/format/x509meta"
)

// Files gives access to an archive's entries.
type Files interface {
	Names() []string
	Open(name string) (io.ReadCloser, error)
}

// Signer is one signature: a signature file and its block.
type Signer struct {
	File        string // META-INF/NAME.SF
	Block       string // META-INF/NAME.RSA, .EC or .DSA
	Certificate *x509meta.Certificate
	Schemes     []string // further schemes that it says were applied, such as 2 and 3
	Digest      string   // kind of the digests, such as SHA-256
}

// Fault is a place where signature and contents do not agree.
type Fault struct {
	Entry string
	What  string
}

// Signature is what a JAR signature says and whether it holds.
type Signature struct {
	Signers []*Signer
	Faults  []Fault
	Entries int // covered by the manifest

	Unverified string // why a block could not be verified; empty when all were
	Unread     string // why the signature was not judged: it takes more work or memory than it is worth

	budget   *budget.Budget
	manifest []section
	digests  map[string]*section
}

const (
	manifestName = "META-INF/MANIFEST.MF"
	maxMetadata  = 32 << 20
	maxSigners   = 16 // signature files; packages have one, rarely two
)

// section is one section of a manifest, with its own bytes, since those are
// what a signature file digests.
type section struct {
	name  string
	attrs map[string]string
	raw   []byte
}

// Read reads manifest, signature files and blocks, and verifies that they
// agree with each other. Entries are verified by Verify, or one at a time by
// Want. It returns nil when the archive has no JAR signature.
func Read(files Files, b *budget.Budget) *Signature {
	s := &Signature{budget: b, digests: make(map[string]*section)}
	var sigs []string
	has := map[string]bool{}
	for _, n := range files.Names() {
		has[n] = true
		if dir, file := path.Split(n); dir == "META-INF/" && strings.EqualFold(path.Ext(file), ".SF") {
			sigs = append(sigs, n)
		}
	}
	if len(sigs) == 0 {
		return nil
	}
	sort.Strings(sigs)
	if len(sigs) > maxSigners {
		s.Unread = fmt.Sprintf("%d signature files, of which at most %d are read", len(sigs), maxSigners)
		sigs = sigs[:maxSigners]
	}
	manifest, err := read(files, manifestName)
	if err != nil {
		s.fault(manifestName, "cannot be read: "+err.Error())
		return s
	}
	if s.manifest, err = sections(manifest, b.Part(len(manifest))); err != nil {
		s.Unread = manifestName + ": " + err.Error()
		return s
	}
	for i := range s.manifest[1:] {
		sec := &s.manifest[1+i]
		s.digests[sec.name] = sec
	}
	s.Entries = len(s.digests)
	for _, sf := range sigs {
		s.signer(files, has, sf, manifest)
	}
	for _, name := range sortedKeys(s.digests) {
		if !has[name] {
			s.fault(name, "is in the signed list, and not in the archive: it was removed after signing")
		}
	}
	return s
}

func (s *Signature) fault(entry, what string) {
	const most = 200
	if len(s.Faults) < most {
		s.Faults = append(s.Faults, Fault{entry, what})
	}
}

func read(files Files, name string) ([]byte, error) {
	r, err := files.Open(name)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return format.ReadAll(r, 0, maxMetadata)
}

// sections splits a manifest. The first section is the main one; it is always
// there, if empty.
func sections(data []byte, b *budget.Budget) ([]section, error) {
	var out []section
	for start := 0; start < len(data) || len(out) == 0; {
		end, next := len(data), len(data)
		for at := start; at < len(data); {
			line := bytes.IndexByte(data[at:], '\n')
			if line < 0 {
				break
			}
			if len(bytes.TrimRight(data[at:at+line], "\r")) == 0 && at > start {
				end, next = at+line+1, at+line+1
				break
			}
			at += line + 1
		}
		const size = 320 // bytes that a section and its map take
		if err := b.Keep(size + 2*(end-start)); err != nil {
			return nil, err
		}
		sec := section{raw: data[start:end], attrs: attributes(data[start:end])}
		sec.name = sec.attrs["name"]
		if len(sec.name) > maxName {
			return nil, format.Damagedf(start, "the name of an entry has %d bytes; at most %d are possible", len(sec.name), maxName)
		}
		start = next
		for start < len(data) && (data[start] == '\n' || data[start] == '\r') {
			start++
		}
		if sec.name == "" && len(out) > 0 {
			continue
		}
		out = append(out, sec)
	}
	return out, nil
}

// maxName is the most bytes that the name of an archive's entry can have.
const maxName = 1<<16 - 1

// attributes reads "Key: value" lines; a line that begins with a blank goes on
// with the one before.
func attributes(b []byte) map[string]string {
	attrs := make(map[string]string)
	key, value := "", []byte(nil)
	for l := range bytes.Lines(b) {
		l = bytes.TrimRight(l, "\r\n")
		if len(l) > 0 && l[0] == ' ' && key != "" {
			value = append(value, l[1:]...)
			continue
		}
		if k, v, ok := bytes.Cut(l, []byte(": ")); ok {
			if key != "" {
				attrs[key] = string(value)
			}
			key, value = strings.ToLower(string(k)), append([]byte(nil), v...)
		}
	}
	if key != "" {
		attrs[key] = string(value)
	}
	return attrs
}

// kinds are the digests that signatures use, the strongest first.
var kinds = []struct {
	name string
	hash crypto.Hash
}{{"SHA-512", crypto.SHA512}, {"SHA-384", crypto.SHA384}, {"SHA-256", crypto.SHA256}, {"SHA1", crypto.SHA1}, {"SHA-1", crypto.SHA1}}

// digestOf finds the strongest digest with a suffix, such as -digest.
func digestOf(attrs map[string]string, suffix string) (name string, h crypto.Hash, want []byte, ok bool) {
	for _, k := range kinds {
		if v, found := attrs[strings.ToLower(k.name)+suffix]; found {
			b, err := base64.StdEncoding.DecodeString(v)
			return k.name, k.hash, b, err == nil
		}
	}
	return "", 0, nil, false
}

func matches(h crypto.Hash, data, want []byte) bool {
	d := h.New()
	d.Write(data)
	return bytes.Equal(d.Sum(nil), want)
}

// signer verifies one signature file and its block.
func (s *Signature) signer(files Files, has map[string]bool, sf string, manifest []byte) {
	sg := &Signer{File: sf}
	s.Signers = append(s.Signers, sg)
	data, err := read(files, sf)
	if err != nil {
		s.fault(sf, "cannot be read: "+err.Error())
		return
	}
	secs, err := sections(data, s.budget.Part(len(data)))
	if err == nil {
		err = s.budget.Step(len(manifest)/4 + len(s.digests)) // the manifest is digested anew for each
	}
	if err != nil {
		s.Unread = sf + ": " + err.Error()
		return
	}
	for _, id := range strings.Split(secs[0].attrs["x-android-apk-signed"], ",") {
		if id = strings.TrimSpace(id); id != "" {
			sg.Schemes = append(sg.Schemes, id)
		}
	}
	s.covers(sg, secs, manifest)
	stem := sf[:len(sf)-len(path.Ext(sf))]
	for _, ext := range []string{".RSA", ".EC", ".DSA", ".rsa", ".ec", ".dsa"} {
		if has[stem+ext] {
			sg.Block = stem + ext
			break
		}
	}
	if sg.Block == "" {
		s.fault(sf, "has no signature block beside it")
		return
	}
	block, err := read(files, sg.Block)
	if err != nil {
		s.fault(sg.Block, "cannot be read: "+err.Error())
		return
	}
	cert, err := verifyBlock(block, data)
	if cert != nil {
		sg.Certificate = x509meta.Of(cert)
	}
	var unsupported *cms.UnsupportedError
	switch {
	case errors.As(err, &unsupported):
		s.Unverified = sg.Block + " " + unsupported.Error()
	case err != nil:
		s.fault(sg.Block, err.Error())
	}
}

// covers verifies that a signature file fits the manifest: as a whole, or
// else section by section.
func (s *Signature) covers(sg *Signer, secs []section, manifest []byte) {
	kind, h, want, ok := digestOf(secs[0].attrs, "-digest-manifest")
	sg.Digest = kind
	if ok && matches(h, manifest, want) {
		return
	}
	signed := make(map[string]bool, len(secs))
	for _, sec := range secs[1:] {
		signed[sec.name] = true
		kind, h, want, ok := digestOf(sec.attrs, "-digest")
		m := s.digests[sec.name]
		switch {
		case m == nil:
			s.fault(sec.name, "was signed, and is no longer in the manifest")
		case !ok:
			s.fault(sec.name, "has no digest of a known kind in "+sg.File)
		case !matches(h, m.raw, want):
			s.fault(sec.name, "its line in the manifest was changed after signing")
		default:
			sg.Digest = kind
		}
	}
	for _, name := range sortedKeys(s.digests) {
		if !signed[name] {
			s.fault(name, "was added to the manifest after signing")
		}
	}
	if len(secs) == 1 {
		s.fault(sg.File, "its digest of the manifest does not fit")
	}
}

// verifyBlock verifies the CMS block over a signature file. The signer is not
// always the first certificate; the library finds it by issuer and serial.
func verifyBlock(block, sf []byte) (*x509.Certificate, error) {
	p, err := cms.Parse(block)
	if err != nil {
		return nil, fmt.Errorf("cannot be read: %w", err)
	}
	cert := p.GetOnlySigner()
	if cert == nil && len(p.Certificates) > 0 {
		cert = p.Certificates[0]
	}
	if err := cms.Verify(p, sf); err != nil {
		return cert, fmt.Errorf("does not fit the signature file: %w", err)
	}
	return cert, nil
}

func sortedKeys(m map[string]*section) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}

// Signs reports whether an entry is part of the signature itself and so needs
// no digest.
func Signs(name string) bool {
	dir, file := path.Split(name)
	if dir != "META-INF/" {
		return strings.HasSuffix(name, "/")
	}
	switch strings.ToUpper(path.Ext(file)) {
	case ".SF", ".RSA", ".DSA", ".EC", ".MF":
		return true
	}
	return strings.HasPrefix(strings.ToUpper(file), "SIG-")
}

// Check is the digest that an entry must have.
type Check struct {
	hash crypto.Hash
	want []byte
}

// Want is the digest that the manifest holds for an entry. The fault is set
// when there is none, which means that the entry was added after signing.
func (s *Signature) Want(name string) (*Check, *Fault) {
	m := s.digests[name]
	if m == nil {
		return nil, &Fault{name, "is not in the signed list: it was added after signing"}
	}
	_, h, want, ok := digestOf(m.attrs, "-digest")
	if !ok {
		return nil, &Fault{name, "has no digest of a known kind in the manifest"}
	}
	return &Check{h, want}, nil
}

// Verify streams an entry and holds it against its digest.
func (c *Check) Verify(name string, r io.Reader, buf []byte) *Fault {
	d := c.hash.New()
	if _, err := io.CopyBuffer(d, onlyReader{r}, buf); err != nil {
		return &Fault{name, "cannot be unpacked: " + err.Error()}
	}
	if !bytes.Equal(d.Sum(nil), c.want) {
		return &Fault{name, "was changed after signing"}
	}
	return nil
}

// onlyReader hides other methods, so that the caller's buffer is used.
type onlyReader struct{ io.Reader }
