package ios

import (
	"bytes"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/coderes"
	"regola.example/regola/internal/core/format/codesign"
	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/format/privacyinfo"
	"regola.example/regola/internal/core/format/provision"
	"regola.example/regola/internal/core/format/x509meta"
)

// bundle reads what lies beside a bundle's executable: profile, seal and
// privacy manifest.
func (r *reader) bundle(kind, dir, id, executable string) *facts.Bundle {
	b := &facts.Bundle{Kind: kind, Path: dir, ID: id, Executable: executable}
	b.SetSelf(r.at(dir))
	r.out.Bundles = append(r.out.Bundles, b)
	r.privacy(b)
	r.profile(b)
	r.seal(b)
	return b
}

func (r *reader) privacy(b *facts.Bundle) {
	name := path.Join(b.Path, "PrivacyInfo.xcprivacy")
	at := r.at(name)
	b.Put("privacy", at)
	b.Put("privacy_present", at)
	b.PrivacyPresent = r.tree.Get(name) != nil
	if !b.PrivacyPresent {
		b.SetUnread("privacy", "the bundle has no privacy manifest")
		return
	}
	data, err := r.tree.Read(name, maxInfo)
	if err != nil {
		b.SetUnread("privacy", "the privacy manifest cannot be read: "+err.Error())
		return
	}
	m, err := privacyinfo.Parse(data)
	if err != nil { // the store finds nothing in it either
		m = &privacyinfo.Manifest{Faults: []privacyinfo.Fault{{What: "it is no privacy manifest: " + err.Error()}}}
	}
	f := &facts.PrivacyManifest{Tracking: m.Tracking, Domains: m.Domains}
	f.SetSelf(at)
	for _, a := range m.Accessed {
		x := &facts.Accessed{Category: a.Category, Reasons: a.Reasons}
		x.SetSelf(at.In("NSPrivacyAccessedAPITypes").At(a.Offset))
		f.Accessed = append(f.Accessed, x)
	}
	for _, c := range m.Collected {
		x := &facts.Collected{Type: c.Type, Linked: c.Linked, Tracking: c.Tracking, Purposes: c.Purposes}
		x.SetSelf(at.In("NSPrivacyCollectedDataTypes").At(c.Offset))
		f.Collected = append(f.Collected, x)
	}
	for _, p := range m.Faults {
		x := &facts.PrivacyFault{Key: p.Key, What: p.What}
		x.SetSelf(at.In(p.Key).At(p.Offset))
		f.Faults = append(f.Faults, x)
	}
	b.Privacy = f
}

func (r *reader) profile(b *facts.Bundle) {
	name := path.Join(b.Path, "embedded.mobileprovision")
	at := r.at(name)
	b.Put("profile", at)
	b.Put("profile_present", at)
	b.ProfilePresent = r.tree.Get(name) != nil
	if !b.ProfilePresent {
		b.SetUnread("profile", "the bundle has no provisioning profile")
		return
	}
	data, err := r.tree.Read(name, maxInfo)
	var p *provision.Profile
	if err == nil {
		p, err = provision.Parse(data)
	}
	if err != nil {
		b.SetUnread("profile", "the provisioning profile cannot be read: "+err.Error())
		return
	}
	f := &facts.Profile{Name: p.Name, Kind: p.Kind, AppID: p.AppID, Platforms: p.Platforms, Expires: p.Expires, Devices: int64(p.Devices),
		Entitlements: entitlements(p.Entitlements)}
	if len(p.Teams) > 0 {
		f.Team = p.Teams[0]
	}
	f.SetSelf(at)
	r.certificates(b, p.Certificates)
	for _, der := range p.Certificates {
		if c, err := x509.ParseCertificate(der); err == nil {
			f.Certificates = append(f.Certificates, certificate(x509meta.Of(c)))
		}
	}
	b.Profile = f
}

// certificates keeps a profile's certificates until the code's signer is known.
func (r *reader) certificates(b *facts.Bundle, ders [][]byte) {
	if r.ders == nil {
		r.ders = map[*facts.Bundle][][]byte{}
	}
	r.ders[b] = ders
}

func (r *reader) seal(b *facts.Bundle) {
	name := path.Join(b.Path, "_CodeSignature/CodeResources")
	at := r.at(name)
	b.Put("seal_present", at)
	b.SealPresent = r.tree.Get(name) != nil
	if !b.SealPresent {
		b.SetUnread("seal_faults", "the bundle has no resource seal")
		return
	}
	if !r.digests {
		b.SetUnread("seal_faults", "the digests were not verified; run check, or facts --digests")
		return
	}
	data, err := r.tree.Read(name, 64<<20)
	var s *coderes.Seal
	if err == nil {
		s, err = coderes.Parse(data)
	}
	if err != nil {
		b.SetUnread("seal_faults", "the resource seal cannot be read: "+err.Error())
		return
	}
	sub := r.tree
	if b.Path != "." {
		sub = r.tree.Sub(b.Path)
	}
	names := make([]string, len(sub.Entries))
	for i, e := range sub.Entries {
		names[i] = e.Name
	}
	open := func(n string) (io.ReadCloser, error) { return sub.Get(n).Open() }
	for _, f := range s.Verify(names, path.Base(b.Executable), open) {
		x := &facts.SealFault{Path: path.Join(b.Path, f.Path), What: f.What}
		x.SetSelf(r.at(path.Join(b.Path, f.Path)))
		b.SealFaults = append(b.SealFaults, x)
	}
}

// code streams a bundle's executable: its slices, its names, its signature.
func (r *reader) code(b *facts.Bundle) (*macho.File, error) {
	f, err := r.macho(b.Executable)
	if err != nil {
		b.StaticLibrary = errors.Is(err, macho.ErrStatic)
		if b.ExecutableFault = err.Error(); r.tree.Get(b.Executable) == nil {
			b.ExecutableFault = "it is not in the package"
		}
		b.SetUnread("signature", "the executable cannot be read: "+err.Error())
		b.SetUnread("slices", "the executable cannot be read: "+err.Error())
		return nil, err
	}
	at := r.at(b.Executable)
	for i := range f.Slices {
		b.Slices = append(b.Slices, sliceFacts(f, i, at))
	}
	main := device(f)
	b.Put("signature", at)
	switch {
	case f.HeadersOnly:
		b.SetUnread("signature", tooLarge)
	case main.Signature == nil && main.HasSigning:
		b.SetUnread("signature", "the code signature cannot be reached")
	case main.Signature == nil:
		b.Signature = &facts.CodeSignature{Adhoc: true}
		b.Signature.SetSelf(at)
	default:
		r.signature(b, main)
	}
	return f, nil
}

func (r *reader) signature(b *facts.Bundle, s *macho.Slice) {
	at := r.at(b.Executable)
	at.Key = "code signature"
	sig, err := codesign.Parse(s.Signature)
	if err != nil {
		b.SetUnread("signature", "the code signature cannot be read: "+err.Error())
		return
	}
	f := &facts.CodeSignature{Identifier: sig.Identifier, Team: sig.Team, Adhoc: sig.Adhoc(), SHA256: sig.SHA256, Version: int64(sig.Version),
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
		f.SetUnread("signer", "nobody signed the code")
	} else {
		f.Signer.SetSelf(at)
	}
	if r.digests {
		for slot, name := range map[int]string{codesign.SlotInfo: "Info.plist", codesign.SlotResources: "_CodeSignature/CodeResources"} {
			if data, err := r.tree.Read(path.Join(b.Path, name), 64<<20); err == nil {
				sig.VerifyFile(slot, path.Join(b.Path, name), data)
			}
		}
		f.PagesVerified = sig.VerifyPages(s.Pages)
		if !f.PagesVerified {
			f.SetUnread("pages_verified", "the digests are of a kind that is not verified here")
		}
	} else {
		f.SetUnread("pages_verified", "the digests were not verified; run check, or facts --digests")
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
		b.Profile.SetUnread("has_signer", "nobody signed the code")
	}
}

func certificate(c *x509meta.Certificate) *facts.Certificate {
	if c == nil {
		return nil
	}
	return &facts.Certificate{Subject: c.Subject, Key: c.Key, Bits: int64(c.Bits), Algorithm: c.Algorithm,
		NotBefore: c.NotBefore, NotAfter: c.NotAfter, Fingerprint: c.Fingerprint, Debug: strings.Contains(c.Subject, "Development") || strings.Contains(c.Subject, "Developer:")}
}

// entitlements flattens a dictionary of entitlements.
func entitlements(v *plist.Value) []*facts.Entitlement {
	var out []*facts.Entitlement
	for _, k := range v.SortedKeys() {
		x := v.Get(k)
		e := &facts.Entitlement{Key: k, True: x.IsTrue()}
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
