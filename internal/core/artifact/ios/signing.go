package ios

import (
	"bytes"
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/core/format/coderes"
	"regola.example/regola/internal/core/format/codesign"
	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/format/x509meta"
	"regola.example/regola/internal/core/work"
)

// seal reads a bundle's resource seal.
func (r *reader) seal(b *facts.Bundle) {
	name := path.Join(b.Path, "_CodeSignature/CodeResources")
	at := r.at(name)
	b.Seal.SetSelf(at)
	b.Seal.Present = r.tree.Get(name) != nil
	if !b.Seal.Present {
		fact.LoseAll(&b.Seal, fact.Missing("the bundle has no resource seal"), &b.Seal.Present)
		return
	}
	if !r.digests {
		fact.LoseAll(&b.Seal, notVerified, &b.Seal.Present)
		return
	}
	data, err := r.tree.Read(name, 0)
	part := r.tree.Budget.Part(len(data))
	var s *coderes.Seal
	if err == nil {
		s, err = coderes.Parse(data, part)
	}
	if err != nil {
		fact.LoseAll(&b.Seal, fact.Unread("the resource seal cannot be read: "+err.Error()), &b.Seal.Present)
		return
	}
	r.seals[b] = s
	for _, name := range s.Digested() {
		r.sealed[path.Join(b.Path, name)] = true
	}
}

// digestAhead digests large files that a seal names and that nobody else reads,
// beside the executables: each of those keeps one core busy for long. The
// function that it gives waits for the end.
func (r *reader) digestAhead() (wait func()) {
	const large = 1 << 20
	var ahead []*files.Entry
	for name := range r.sealed {
		e := r.tree.Get(name)
		if e == nil || e.Size < large || r.begun[name] != nil || slices.Contains(readElsewhere, path.Ext(name)) {
			continue
		}
		ahead = append(ahead, e)
	}
	slices.SortFunc(ahead, func(a, b *files.Entry) int { return cmp.Compare(b.Size, a.Size) })
	return work.Ahead(func() {
		_ = work.Each(r.tree.Budget.Context(), len(ahead), func(i int) {
			_, _ = ahead[i].SHA256(make([]byte, 64<<10)) // what does not unpack is reported by the seal
		})
	})
}

// readElsewhere are the extensions of files that other readers unpack whole.
var readElsewhere = []string{"", ".car", ".dylib", ".plist", ".png", ".strings", ".stringsdict", ".storyboardc", ".nib", ".mobileprovision", ".xcprivacy"}

// verifySeals holds the files of every bundle against its seal. It comes last:
// what others unpacked is digested already, or still held.
func (r *reader) verifySeals() {
	for _, b := range r.out.Bundles {
		s := r.seals[b]
		if s == nil {
			continue
		}
		r.nestedSeal(b, s)
		sub := r.tree.Sub(b.Path)
		names := make([]string, len(sub.Entries))
		for i, e := range sub.Entries {
			names[i] = e.Name
		}
		digest := func(n string, buf []byte) ([]byte, error) { return sub.Get(n).SHA256(buf) }
		for _, f := range s.Verify(r.tree.Budget.Context(), names, path.Base(r.executable(b)), digest) {
			const most = 2000 // a report of more helps nobody
			if len(b.Seal.Faults) >= most {
				b.Seal.MoreFaults++
				continue
			}
			x := &facts.SealFault{Path: path.Join(b.Path, f.Path), What: f.What}
			x.SetSelf(r.at(path.Join(b.Path, f.Path)))
			b.Seal.Faults = append(b.Seal.Faults, x)
		}
	}
}

// nestedSeal holds the nested bundles against the digests of their code
// directories. Only code of one architecture is judged: of others the seal
// holds one of several.
func (r *reader) nestedSeal(b *facts.Bundle, s *coderes.Seal) {
	held, folders := s.Nested(), s.Folders()
	add := func(n *facts.Bundle, what string) {
		f := &facts.SealFault{Path: n.Path, What: what}
		f.SetSelf(n.Self())
		b.Seal.Faults = append(b.Seal.Faults, f)
	}
	for _, n := range r.out.Nested {
		rest := n.Path
		if b.Path != "." {
			var inside bool
			if rest, inside = strings.CutPrefix(n.Path, b.Path+"/"); !inside {
				continue
			}
		}
		if n.Signature == nil || n.Signature.CDHash == "" || n.Signature.Adhoc || len(n.Code.Slices) != 1 || strings.Count(rest, "/") != 1 {
			continue
		}
		switch want, ok := held[rest]; {
		case len(held) == 0 && !folders[path.Dir(rest)] && !s.Whole():
			// A seal of an older form, which says nothing of nested code.
		case len(held) == 0 && folders[rest]:
			// One that holds each file of nested code: judged file by file.
		case !ok:
			add(n, "was added after signing")
		case !strings.Contains(want.Requirement, `"`+n.Signature.Identifier+`"`):
			// Written by a tool that takes other digests, too: not judged.
		case want.CDHash != n.Signature.CDHash:
			add(n, "was signed again after the bundle around it was sealed")
		}
	}
}

// notVerified is why digests are not known to fit.
var notVerified = fact.Unasked("the digests were not verified; facts --digests does")

// signature reads the code signature of a slice.
func (r *reader) signature(b *facts.Bundle, s *macho.Slice) {
	at := r.at(b.Code.Path)
	at.Key = "code signature"
	sig, err := codesign.Parse(s.Signature, r.tree.Budget)
	if err != nil {
		fact.Lose(b, &b.Signature, fact.Unread("the code signature cannot be read: "+err.Error()))
		return
	}
	f := &facts.CodeSignature{Identifier: sig.Identifier, Team: sig.Team, Adhoc: sig.Adhoc(), SHA256: sig.SHA256, Version: int64(sig.Version), CDHash: sig.CDHash,
		Entitlements: entitlements(sig.Entitlements), EntitlementsDER: sig.EntitlementsDER, Signer: certificate(sig.Signer)}
	f.SetSelf(at)
	for _, c := range sig.Chain {
		x := certificate(c)
		x.SetSelf(at)
		f.Chain = append(f.Chain, x)
	}
	for _, e := range f.Entitlements {
		e.SetSelf(at.In(e.Key))
	}
	if sig.Signer == nil {
		fact.Lose(f, &f.Signer, fact.Missing("nobody signed the code"))
	} else {
		f.Signer.SetSelf(at)
	}
	if r.digests {
		for slot, name := range map[int]string{codesign.SlotInfo: "Info.plist", codesign.SlotResources: "_CodeSignature/CodeResources"} {
			if data, err := r.tree.Read(path.Join(b.Path, name), 0); err == nil {
				sig.VerifyFile(slot, path.Join(b.Path, name), data)
			}
		}
		f.PagesVerified = sig.VerifyPages(s.Pages)
		if !f.PagesVerified {
			fact.Lose(f, &f.PagesVerified, fact.Unread("the digests are of a kind that is not verified here"))
		}
	} else {
		fact.Lose(f, &f.PagesVerified, notVerified)
	}
	f.Faults = sig.Faults
	b.Signature = f
	if b.Profile != nil && sig.SignerDER != nil {
		has := false
		for _, der := range r.ders[b] {
			has = has || bytes.Equal(der, sig.SignerDER)
		}
		b.Profile.HasSigner = &has
	} else if b.Profile != nil {
		fact.Lose(b.Profile, &b.Profile.HasSigner, fact.Missing("nobody signed the code"))
	}
}

func certificate(c *x509meta.Certificate) *facts.Certificate {
	if c == nil {
		return nil
	}
	return &facts.Certificate{Subject: c.Subject, Key: c.Key, Bits: int64(c.Bits), Algorithm: c.Algorithm,
		NotBefore: c.NotBefore, NotAfter: c.NotAfter, Fingerprint: c.Fingerprint, Marks: c.Marks}
}

// entitlements flattens a dictionary of entitlements.
func entitlements(v *plist.Value) []*facts.Entitlement {
	var out []*facts.Entitlement
	for _, k := range v.SortedKeys() {
		x := v.Get(k)
		e := &facts.Entitlement{Key: k, Set: x.IsTrue()}
		switch x.Kind {
		case plist.Array:
			for _, it := range x.Items {
				e.Values = append(e.Values, it.AsString())
			}
		case plist.Dict:
			for _, key := range x.SortedKeys() {
				e.Values = append(e.Values, fmt.Sprintf("%s=%s", key, x.Get(key).AsString()))
			}
		default:
			e.Values = []string{x.AsString()}
		}
		out = append(out, e)
	}
	return out
}
