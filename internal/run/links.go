package run

import (
	"context"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/fetched"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/links"
)

// target is one address to fetch, and what its answer fills.
type target struct {
	address string
	fill    func(*links.Answer)
}

// fetch fetches the links of a dossier, and the files of web sites that a package
// names, for each store; every address once.
func (r *Runner) fetch(ctx context.Context, f *links.Fetcher, d *dossier.Dossier, pkgs map[string]*facts.Package) (map[string]*fetched.Fetched, error) {
	set, err := r.tables()
	if err != nil {
		return nil, err
	}
	out := map[string]*fetched.Fetched{}
	var targets []target
	for _, s := range r.stores {
		x := &fetched.Fetched{}
		out[s.ID] = x
		targets = append(targets, r.pages(x, s, d, set.DataWords)...)
		targets = append(targets, statements(x, s, d, pkgs[s.ID])...)
	}
	var addresses []string
	for _, t := range targets {
		if !slices.Contains(addresses, t.address) {
			addresses = append(addresses, t.address)
		}
	}
	answers, err := f.All(ctx, addresses)
	if err != nil {
		return nil, err
	}
	for _, t := range targets {
		t.fill(answers[slices.Index(addresses, t.address)])
	}
	return out, nil
}

// pages are the links of the dossier itself.
func (r *Runner) pages(x *fetched.Fetched, s *store.Store, d *dossier.Dossier, data []string) (out []target) {
	if d == nil {
		return nil
	}
	names := []string{d.App.Name}
	if u, err := url.Parse(d.Contact.Website); err == nil {
		names = append(names, strings.TrimPrefix(u.Hostname(), "www."))
	}
	if _, host, ok := strings.Cut(d.Contact.Email, "@"); ok {
		names = append(names, host)
	}
	add := func(key, address string, at place.Place) {
		if address == "" {
			return
		}
		p := &fetched.Page{Key: key, Address: address}
		p.SetSelf(at)
		x.Pages = append(x.Pages, p)
		out = append(out, target{address, func(a *links.Answer) {
			p.Final, p.Status, p.Fault, p.Kind = a.Final, int64(a.Status), a.Fault, a.Kind
			if a.Fault == "" {
				p.Read(a.Body, names, data)
			}
		}})
	}
	add("links.privacy", d.Links.Privacy, fact.PlaceOf(&d.Links, &d.Links.Privacy))
	add("links.support", d.Links.Support, fact.PlaceOf(&d.Links, &d.Links.Support))
	add("links.marketing", d.Links.Marketing, fact.PlaceOf(&d.Links, &d.Links.Marketing))
	add("links.terms", d.Links.Terms, fact.PlaceOf(&d.Links, &d.Links.Terms))
	add("links.account_deletion", d.Links.AccountDeletion, fact.PlaceOf(&d.Links, &d.Links.AccountDeletion))
	add("links.data_deletion", d.Links.DataDeletion, fact.PlaceOf(&d.Links, &d.Links.DataDeletion))
	add("links.privacy_choices", d.Links.PrivacyChoices, fact.PlaceOf(&d.Links, &d.Links.PrivacyChoices))
	add("links.child_safety", d.Links.ChildSafety, fact.PlaceOf(&d.Links, &d.Links.ChildSafety))
	add("links.publisher", d.Links.Publisher, fact.PlaceOf(&d.Links, &d.Links.Publisher))
	if address := d.Answers.Regulated.Mandate; strings.HasPrefix(address, "https://") || strings.HasPrefix(address, "http://") {
		add("answers.regulated.mandate", address, fact.PlaceOf(&d.Answers.Regulated, &d.Answers.Regulated.Mandate)) // it may be a document, too
	}
	add("contact.website", d.Contact.Website, fact.PlaceOf(&d.Contact, &d.Contact.Website))
	for _, l := range d.Listing {
		t := l.For(s.Blocks)
		for _, key := range []struct{ name, address string }{{"privacy", t.Links.Privacy}, {"support", t.Links.Support}, {"marketing", t.Links.Marketing}} {
			add("links."+key.name, key.address, t.Links.Field(key.name))
		}
	}
	for _, u := range d.Answers.Restricted {
		add("answers.restricted", u.Video, fact.PlaceOf(u, &u.Video))
	}
	return out
}

// statements are the files by which web sites name the app of a package.
func statements(x *fetched.Fetched, s *store.Store, d *dossier.Dossier, p *facts.Package) (out []target) {
	add := func(kind, host, path string, at place.Place) {
		st := &fetched.Statement{Kind: kind, Host: host, Address: "https://" + host + path}
		st.SetSelf(at)
		x.Statements = append(x.Statements, st)
		out = append(out, target{st.Address, func(a *links.Answer) {
			st.Status, st.Fault = int64(a.Status), a.Fault
			if a.Fault == "" {
				st.Read(a.Body)
			}
		}})
	}
	const most = 50 // hosts of one package
	over := func(n int) {
		if n > most {
			fact.Lose(x, &x.Statements, fact.Unread(fmt.Sprintf("the package names %d hosts; the files of at most %d are fetched", n, most)))
		}
	}
	if p != nil && p.Android != nil && p.Android.Manifest.AutoVerify {
		over(len(p.Android.Manifest.DeepLinkHosts))
		for _, h := range p.Android.Manifest.DeepLinkHosts[:min(most, len(p.Android.Manifest.DeepLinkHosts))] {
			if !strings.Contains(h, "*") {
				add("assetlinks", h, "/.well-known/assetlinks.json", fact.PlaceOf(&p.Android.Manifest, &p.Android.Manifest.DeepLinkHosts))
			}
		}
	}
	if p != nil && p.IOS != nil && p.IOS.App != nil {
		var list []*facts.Entitlement
		if sig := p.IOS.App.Signature; sig != nil {
			list = sig.Entitlements
		}
		for _, e := range list {
			if e.Key != "com.apple.developer.associated-domains" {
				continue
			}
			over(len(e.Values))
			for _, v := range e.Values[:min(most, len(e.Values))] {
				kind, host, _ := strings.Cut(v, ":")
				host, _, _ = strings.Cut(host, "?")
				if slices.Contains([]string{"applinks", "webcredentials", "appclips"}, kind) && host != "" && !strings.Contains(host, "*") &&
					!slices.ContainsFunc(x.Statements, func(o *fetched.Statement) bool { return o.Host == host }) {
					add("association", host, "/.well-known/apple-app-site-association", e.Self())
				}
			}
		}
	}
	if d != nil && d.Answers.Ads != nil && *d.Answers.Ads {
		if u, err := url.Parse(d.Contact.Website); err == nil && u.Host != "" {
			add("app-ads", u.Host, "/app-ads.txt", fact.PlaceOf(&d.Contact, &d.Contact.Website))
		}
	}
	return out
}
