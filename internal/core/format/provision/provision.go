// Package provision reads provisioning profiles: the CMS envelope, in DER or
// in BER with indefinite lengths, and the property list inside.
//
// Source of the format: RFC 5652 (CMS) and the platform's documentation of
// provisioning profiles.
package provision

import (
	"fmt"
	"time"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/cms"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/format/x509meta"
)

// Profile is a provisioning profile.
type Profile struct {
	Name         string
	UUID         string
	Kind         string // store, ad-hoc, development or enterprise
	Teams        []string
	Prefixes     []string
	AppID        string // application-identifier, with its prefix
	Platforms    []string
	Created      time.Time
	Expires      time.Time
	Devices      int
	Entitlements *plist.Value
	Certificates [][]byte // in DER form
	Signer       *x509meta.Certificate
	Unsigned     string // why the envelope's signature does not hold; empty when it does
}

// Parse reads a profile.
//
// Errors are those of the envelope, or *format.Damaged of the list inside.
func Parse(data []byte, b *budget.Budget) (*Profile, error) {
	p7, err := cms.Parse(data)
	if err != nil {
		return nil, fmt.Errorf("the envelope cannot be read: %w", err)
	}
	root, _, err := plist.Parse(p7.Content, b)
	if err != nil {
		return nil, fmt.Errorf("the property list inside cannot be read: %w", err)
	}
	if root.Kind != plist.Dict {
		return nil, format.Damagedf(root.Offset, "the property list inside is %s, not a dictionary", root.Kind.Noun())
	}
	// A value of another kind would pass for one that is not there, and make another kind of
	// profile of this one.
	for _, k := range []struct {
		key  string
		kind plist.Kind
	}{{"Name", plist.String}, {"UUID", plist.String}, {"TeamIdentifier", plist.Array}, {"ApplicationIdentifierPrefix", plist.Array}, {"Platform", plist.Array},
		{"Entitlements", plist.Dict}, {"CreationDate", plist.Date}, {"ExpirationDate", plist.Date}, {"DeveloperCertificates", plist.Array},
		{"ProvisionedDevices", plist.Array}, {"ProvisionsAllDevices", plist.Boolean}} {
		if v := root.Get(k.key); v != nil && v.Kind != k.kind {
			return nil, format.Damagedf(v.Offset, "%s is %s, not %s", k.key, v.Kind.Noun(), k.kind.Noun())
		}
	}
	p := &Profile{
		Name: root.Get("Name").Text(), UUID: root.Get("UUID").Text(), Teams: root.Get("TeamIdentifier").Texts(),
		Prefixes: root.Get("ApplicationIdentifierPrefix").Texts(), Platforms: root.Get("Platform").Texts(),
		Entitlements: root.Get("Entitlements"),
	}
	p.AppID = p.Entitlements.Get("application-identifier").Text()
	if v := root.Get("CreationDate"); v != nil {
		p.Created = v.Time
	}
	if v := root.Get("ExpirationDate"); v != nil {
		p.Expires = day.Bounded(v.Time)
	}
	if v := root.Get("DeveloperCertificates"); v != nil {
		for _, c := range v.Items {
			p.Certificates = append(p.Certificates, c.Bytes)
		}
	}
	devices := root.Get("ProvisionedDevices")
	debug := p.Entitlements.Get("get-task-allow").IsTrue()
	switch {
	case root.Get("ProvisionsAllDevices").IsTrue():
		p.Kind = "enterprise"
	case devices != nil && debug:
		p.Kind = "development"
	case devices != nil:
		p.Kind = "ad-hoc"
	default:
		p.Kind = "store"
	}
	if devices != nil {
		p.Devices = len(devices.Items)
	}
	if c := p7.GetOnlySigner(); c != nil {
		p.Signer = x509meta.Of(c)
	}
	if err := cms.Verify(p7, p7.Content); err != nil {
		p.Unsigned = err.Error()
	}
	return p, nil
}
