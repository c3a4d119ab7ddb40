package evidence

import (
	"path"
	"regexp"
	"slices"
	"strings"

	"regola.example/regola/internal/core/catalogue"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
)

// PrivateName is a name of the system that apps may not use.
type PrivateName struct {
	place.Mark `json:"-"`
	Name       string `json:"name"`
	Kind       string `json:"kind"` // symbol, class or selector
	Why        string `json:"why"`
	Binary     string `json:"binary"`
	Own        bool   `json:"may_be_own"` // the app may have given the name itself
}

// PrivateLink is an address or a path of the system that apps may not use.
type PrivateLink struct {
	place.Mark `json:"-"`
	Text       string `json:"text"`
	Why        string `json:"why"`
	Binary     string `json:"binary"`
}

// NewFramework is a framework of the system that a binary cannot do without,
// and that older systems which the bundle serves do not have.
type NewFramework struct {
	place.Mark `json:"-"`
	Name       string `json:"name"`
	Since      string `json:"since"`  // first system version
	MinOS      string `json:"min_os"` // of the bundle
	Binary     string `json:"binary"`
}

// IdleMode is a background mode that no code of the app can serve.
type IdleMode struct {
	place.Mark `json:"-"`
	Mode       string `json:"mode"`
	What       string `json:"what"` // code that would serve it
}

// Unentitled is code that needs an entitlement which the signature lacks, or
// an entitlement that no code uses.
type Unentitled struct {
	place.Mark  `json:"-"`
	Entitlement string `json:"entitlement"`
	What        string `json:"what"`
	Because     string `json:"because"`
	Binary      string `json:"binary"`
}

// ClosedCall is a call or a framework that does not work where it is used.
type ClosedCall struct {
	place.Mark `json:"-"`
	Bundle     string `json:"bundle"`
	Name       string `json:"name"`
}

// MissingPart is what a runtime needs beside its code, and does not find.
type MissingPart struct {
	place.Mark `json:"-"`
	Runtime    string `json:"runtime"`
	Needs      string `json:"needs"`
	Why        string `json:"why"`
}

// iOS draws the evidence from an iOS app.
func (e *Evidence) iOS(pkg *facts.Package, cat *catalogue.Catalogue) {
	app := pkg.IOS
	all, open := codes(app)
	e.iosSDKs(pkg, cat, all)
	if open != "" {
		e.SetUnread("sdks", open)
	}
	e.purposes(app, cat, all, open)
	e.reasons(app, cat, all, open)
	e.collected(app, cat)
	e.wording(app, cat)
	e.iosCalls(cat, all, open)
	e.privateNames(app, cat, all, open)
	e.privateLinks(app, cat, all, open)
	e.newFrameworks(app, cat)
	e.idleModes(app, cat, all, open)
	e.unentitled(app, cat, all, open)
	e.extensions(app, cat, all, open)
	e.missingParts(pkg, cat, all)
	if open != "" {
		e.SetUnread("missing_parts", open)
	}
}

// privateNames looks for names of the system that are closed to apps. An
// imported symbol or class that no binary of the package exports is the
// system's; a method's name can always be the app's own.
func (e *Evidence) privateNames(app *facts.IOS, cat *catalogue.Catalogue, all []*code, open string) {
	exported := map[string]bool{}
	for _, b := range app.Binaries {
		for _, n := range b.Exports {
			exported[n] = true
		}
	}
	for _, c := range all {
		for _, p := range cat.PrivateNames {
			there := false
			switch p.Kind {
			case "symbol":
				there = c.symbol(p.Name) && !exported["_"+p.Name]
			case "class":
				there = c.class(p.Name) && !exported[classSymbol+p.Name]
			case "selector":
				there = c.method(p.Name)
			}
			if there {
				x := &PrivateName{Name: p.Name, Kind: p.Kind, Why: p.Why, Binary: c.bin.Path, Own: p.Kind == "selector"}
				x.SetSelf(c.bin.Self())
				e.PrivateNames = append(e.PrivateNames, x)
			}
		}
	}
	if open != "" && len(e.PrivateNames) == 0 {
		e.SetUnread("private_names", open)
	}
}

// privateLinks looks through string literals for addresses and paths of the
// system that are closed to apps.
func (e *Evidence) privateLinks(app *facts.IOS, cat *catalogue.Catalogue, all []*code, open string) {
	for _, p := range cat.PrivateLinks {
		re, err := regexp.Compile(p.Pattern)
		if err != nil {
			e.SetUnread("private_links", p.Self().String()+": the pattern is not a regular expression: "+err.Error())
			return
		}
		for _, c := range all {
			for _, text := range c.bin.Literals {
				if re.MatchString(text) {
					x := &PrivateLink{Text: text, Why: p.Why, Binary: c.bin.Path}
					x.SetSelf(c.bin.Self())
					e.PrivateLinks = append(e.PrivateLinks, x)
				}
			}
		}
	}
	if open != "" && len(e.PrivateLinks) == 0 {
		e.SetUnread("private_links", open)
	}
}

// newFrameworks looks for frameworks of the system that a binary cannot start
// without, and that came after the least system version of its bundle.
func (e *Evidence) newFrameworks(app *facts.IOS, cat *catalogue.Catalogue) {
	if why := app.Unread("binaries"); why != "" {
		e.SetUnread("new_frameworks", why)
		return
	}
	for _, b := range app.Binaries {
		if why := b.Unread("libraries"); why != "" {
			e.SetUnread("new_frameworks", b.Path+": "+why)
			return
		}
		i := slices.IndexFunc(app.Bundles, func(x *facts.Bundle) bool { return x.Executable == b.Path })
		if i < 0 || app.Bundles[i].MinOS == "" {
			continue
		}
		for _, l := range b.Libraries {
			name, ok := strings.CutPrefix(l, "/System/Library/Frameworks/")
			name, _, _ = strings.Cut(name, ".framework")
			since := cat.Frameworks[name]
			if !ok || since == "" || !versionBelow(app.Bundles[i].MinOS, since) {
				continue
			}
			x := &NewFramework{Name: name, Since: since, MinOS: app.Bundles[i].MinOS, Binary: b.Path}
			x.SetSelf(b.Self())
			e.NewFrameworks = append(e.NewFrameworks, x)
		}
	}
}

// idleModes holds the background modes against the code that could serve them.
func (e *Evidence) idleModes(app *facts.IOS, cat *catalogue.Catalogue, all []*code, open string) {
	for _, m := range cat.BackgroundModes {
		if !slices.Contains(app.BackgroundModes, m.Key) || slices.ContainsFunc(all, func(c *code) bool { return c.match(m.Signs) != "" }) {
			continue
		}
		if open != "" {
			e.SetUnread("idle_modes", open)
			return
		}
		x := &IdleMode{Mode: m.Key, What: m.What}
		x.SetSelf(app.Field("background_modes"))
		e.IdleModes = append(e.IdleModes, x)
	}
}

// unentitled holds the entitlements of a signature against what the code
// calls. A framework runs with the entitlements of the app.
func (e *Evidence) unentitled(app *facts.IOS, cat *catalogue.Catalogue, all []*code, open string) {
	host := map[string]*facts.Bundle{}
	var main *facts.Bundle
	for _, b := range app.Bundles {
		host[b.Executable] = b
		if b.Kind == "app" {
			main = b
		}
	}
	if open != "" {
		e.SetUnread("unentitled", open)
		e.SetUnread("idle_entitlements", open)
	}
	if main != nil && main.Signature != nil {
		for _, u := range cat.Entitlements {
			i := slices.IndexFunc(main.Signature.Entitlements, func(x *facts.Entitlement) bool { return x.Key == u.Key })
			if i >= 0 && !hinted(slices.Concat(u.Signs, u.Hints), all) {
				x := &Unentitled{Entitlement: u.Key, What: u.What}
				x.SetSelf(main.Signature.Entitlements[i].Self())
				e.IdleEntitled = append(e.IdleEntitled, x)
			}
		}
	}
	for _, c := range all {
		b := host[c.bin.Path]
		if b == nil || b.Kind == "framework" {
			b = main
		}
		if b == nil || b.Signature == nil {
			e.SetUnread("unentitled", c.bin.Path+": its signature could not be read")
			return
		}
		for _, u := range cat.Entitlements {
			because := c.match(u.Signs)
			if because == "" || slices.ContainsFunc(b.Signature.Entitlements, func(x *facts.Entitlement) bool { return x.Key == u.Key }) {
				continue
			}
			if slices.ContainsFunc(e.Unentitled, func(x *Unentitled) bool { return x.Entitlement == u.Key }) {
				continue
			}
			x := &Unentitled{Entitlement: u.Key, What: u.What, Because: because, Binary: c.bin.Path}
			x.SetSelf(c.bin.Self())
			e.Unentitled = append(e.Unentitled, x)
		}
	}
}

// extensions looks for what extensions and clips may not do, and for keyboards
// that hold the person fast.
func (e *Evidence) extensions(app *facts.IOS, cat *catalogue.Catalogue, all []*code, open string) {
	if open != "" {
		for _, f := range []string{"closed_in_extensions", "closed_in_clips", "stuck_keyboards"} {
			e.SetUnread(f, open)
		}
		return
	}
	points := map[string]string{}
	for _, n := range app.Nested {
		points[n.Path] = n.Point
	}
	for _, b := range app.Bundles {
		c := of(all, b)
		if c == nil {
			continue
		}
		switch b.Kind {
		case "extension":
			for _, u := range cat.ClosedInExtensions {
				if because := c.match(u.Signs); because != "" {
					x := &ClosedCall{Bundle: b.Path, Name: because}
					x.SetSelf(c.bin.Self())
					e.ClosedInExt = append(e.ClosedInExt, x)
				}
			}
			if k := cat.Keyboards; k != nil && points[b.Path] == k.Key && c.match(k.Signs) == "" {
				e.StuckKeyboards = append(e.StuckKeyboards, b.Path)
			}
		case "app-clip":
			for _, l := range slices.Concat(c.bin.Libraries, c.bin.Weak) {
				name := strings.TrimSuffix(path.Base(path.Dir(l)), ".framework")
				if strings.HasPrefix(l, "/System/") && slices.Contains(cat.ClosedInClips, name) {
					x := &ClosedCall{Bundle: b.Path, Name: name}
					x.SetSelf(c.bin.Self())
					e.ClosedInClips = append(e.ClosedInClips, x)
				}
			}
		}
	}
}

// missingParts looks for what a runtime needs beside its code.
func (e *Evidence) missingParts(pkg *facts.Package, cat *catalogue.Catalogue, all []*code) {
	app := pkg.IOS
	for _, r := range cat.Runtimes {
		framework := slices.ContainsFunc(app.Nested, func(n *facts.Nested) bool {
			return n.Kind == "framework" && slices.Contains(r.Frameworks, strings.TrimSuffix(path.Base(n.Path), ".framework"))
		})
		class := slices.ContainsFunc(all, func(c *code) bool {
			return slices.ContainsFunc(r.Classes, func(n string) bool { _, ok := slices.BinarySearch(c.classes, n); return ok })
		})
		if !framework && !class {
			continue
		}
		re, err := regexp.Compile(r.Needs)
		if err != nil {
			e.SetUnread("missing_parts", r.Self().String()+": the pattern is not a regular expression: "+err.Error())
			return
		}
		there := slices.ContainsFunc(pkg.Names, func(n string) bool {
			return re.MatchString(strings.TrimPrefix(strings.TrimPrefix(n, app.Root), "/"))
		})
		if !there {
			x := &MissingPart{Runtime: r.ID, Needs: r.Part, Why: r.Why}
			x.SetSelf(app.Self())
			e.MissingParts = append(e.MissingParts, x)
		}
	}
}
