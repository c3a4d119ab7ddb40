package ios

import (
	"crypto/x509"
	"path"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/provision"
	"regola.example/regola/internal/core/format/x509meta"
)

// profile reads a bundle's provisioning profile.
func (r *reader) profile(b *facts.Bundle) {
	name := path.Join(b.Path, "embedded.mobileprovision")
	at := r.at(name)
	fact.Put(b, &b.Profile, at)
	fact.Put(b, &b.ProfilePresent, at)
	b.ProfilePresent = r.tree.Get(name) != nil
	if !b.ProfilePresent {
		fact.Lose(b, &b.Profile, fact.Missing("the bundle has no provisioning profile"))
		return
	}
	data, err := r.tree.Read(name, maxInfo)
	var p *provision.Profile
	if err == nil {
		p, err = provision.Parse(data, r.tree.Budget)
	}
	if err != nil {
		fact.Lose(b, &b.Profile, fact.Unread("the provisioning profile cannot be read: "+err.Error()))
		return
	}
	f := &facts.Profile{Name: p.Name, Kind: p.Kind, AppID: p.AppID, Platforms: p.Platforms, Expires: p.Expires, Devices: int64(p.Devices), SignatureFault: p.Unsigned,
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
