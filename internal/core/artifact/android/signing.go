package android

import (
	"io"
	"io/fs"
	"slices"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/core/format/apksig"
	"regola.example/regola/internal/core/format/jarsig"
	"regola.example/regola/internal/core/format/x509meta"
	"regola.example/regola/internal/core/place"
)

// notVerified is why digests are not known to fit.
var notVerified = fact.Unasked("the digests were not verified; facts --digests does")

// jarFiles shows a tree to the reader of JAR signatures.
type jarFiles struct{ *files.Tree }

// Names implements jarsig.Files.
func (j jarFiles) Names() []string {
	names := make([]string, len(j.Entries))
	for i, e := range j.Entries {
		names[i] = e.Name
	}
	return names
}

// Open implements jarsig.Files.
func (j jarFiles) Open(name string) (io.ReadCloser, error) {
	e := j.Get(name)
	if e == nil {
		return nil, fs.ErrNotExist
	}
	return e.Open()
}

// signing reads all signatures. Digests of entries are verified by scan.
func (r *reader) signing() {
	s := &facts.Signing{}
	s.SetSelf(place.Place{File: r.file})
	r.out.Signing = s
	if r.tree.Archive == nil {
		return
	}
	if r.jar = jarsig.Read(jarFiles{r.tree}, r.tree.Budget); r.jar != nil {
		s.Schemes = append(s.Schemes, "jar")
		for _, sg := range r.jar.Signers {
			f := &facts.Signer{Scheme: "jar", Certificate: r.certificate(sg.Certificate, sg.Block)}
			f.SetSelf(place.Place{File: r.file, Entry: sg.File})
			if sg.Digest != "" {
				f.Algorithms = []string{sg.Digest}
			}
			s.Signers = append(s.Signers, f)
			s.Certificate = f.Certificate
			for _, id := range sg.Schemes {
				if !slices.Contains(s.Announced, id) {
					s.Announced = append(s.Announced, id)
				}
			}
		}
		for _, f := range r.jar.Faults {
			r.signatureFault("jar", f.Entry, f.What)
		}
	}
	if !r.bundle {
		r.block(s)
	}
	if r.jar != nil && r.jar.Unverified != "" {
		fact.Lose(s, &s.Verified, fact.Unread(r.jar.Unverified))
	}
	if r.jar != nil && r.jar.Unread != "" {
		fact.Lose(s, &s.Verified, fact.Unread(r.jar.Unread))
		fact.Lose(s, &s.Faults, fact.Unread(r.jar.Unread))
	}
	if !r.digests {
		fact.Lose(s, &s.Verified, notVerified)
	}
	if s.Certificate == nil {
		if len(s.Schemes) > 0 {
			fact.Lose(s, &s.Certificate, fact.Unread("the signer's certificate cannot be read"))
		}
		fact.Lose(s, &s.Certificate, fact.Missing("the package is not signed"))
	}
}

// block reads the signing block of an APK, and verifies the digest of the file.
func (r *reader) block(s *facts.Signing) {
	z := r.tree.Archive
	b, err := apksig.Read(z.Reader(), z.Directory)
	if err != nil {
		r.signatureFault("2", "", err.Error())
		return
	}
	if b == nil {
		for _, id := range s.Announced {
			r.signatureFault(id, "", "the JAR signature says that scheme "+id+" was applied, and the signing block is gone: the package was edited after signing")
		}
		return
	}
	if r.digests {
		if err := b.VerifyContents(r.tree.Budget.Context(), z.Reader(), z.Directory, z.End, z.Size); err != nil {
			r.signatureFault("2", "", err.Error())
		}
	}
	for _, sc := range b.Schemes {
		s.Schemes = append(s.Schemes, sc.Name)
		for _, sg := range sc.Signers {
			f := &facts.Signer{Scheme: sc.Name, Certificate: r.certificate(sg.Certificate, "signing block"), Algorithms: sg.Algorithms, Rotated: sg.Rotated, MinLevel: sg.MinLevel}
			f.SetSelf(place.Place{File: r.file, Key: "signing block", Offset: b.Offset})
			s.Signers = append(s.Signers, f)
			if f.Certificate != nil {
				s.Certificate = f.Certificate
			}
			if id := sg.Announces; id >= 3 && !slices.ContainsFunc(b.Schemes, func(o *apksig.Scheme) bool { return o.Name == "3" }) {
				r.signatureFault("3", "", "scheme 2 says that scheme 3 was applied, and it is gone from the signing block")
			}
		}
		for _, what := range sc.Faults {
			r.signatureFault(sc.Name, "", what)
		}
	}
	for _, id := range s.Announced {
		if !slices.Contains(s.Schemes, id) {
			r.signatureFault(id, "", "the JAR signature says that scheme "+id+" was applied, and it is gone from the signing block")
		}
	}
}

func (r *reader) certificate(c *x509meta.Certificate, entry string) *facts.Certificate {
	if c == nil {
		return nil
	}
	f := &facts.Certificate{Subject: c.Subject, Key: c.Key, Bits: int64(c.Bits), Algorithm: c.Algorithm,
		NotBefore: c.NotBefore, NotAfter: c.NotAfter, Fingerprint: c.Fingerprint}
	f.SetSelf(place.Place{File: r.file, Entry: entry})
	return f
}

func (r *reader) signatureFault(scheme, entry, what string) {
	const most = 2000 // a report of more helps nobody
	if len(r.out.Signing.Faults) >= most {
		r.out.Signing.MoreFaults++
		return
	}
	f := &facts.SignatureFault{Scheme: scheme, Entry: entry, What: what}
	f.SetSelf(place.Place{File: r.file, Entry: entry})
	r.out.Signing.Faults = append(r.out.Signing.Faults, f)
}
