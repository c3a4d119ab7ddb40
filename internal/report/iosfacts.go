package report

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
)

func iosIcon(i *facts.IOSIcon) string {
	var sizes []string
	for _, f := range i.Files {
		sizes = append(sizes, fmt.Sprintf("%d px", f.Width))
	}
	return strings.TrimPrefix(strings.Join(append([]string{i.Name}, sizes...), ", "), ", ")
}

// iconSet says which pictures of an icon are in the asset catalogue: sizes by
// device and appearance. Only the large picture must be opaque.
func iconSet(icon *facts.IOSIcon) string {
	if !icon.Catalog || fact.GapOf(icon, &icon.Set) != nil {
		return ""
	}
	var order, parts []string
	sizes := map[string][]string{}
	for _, p := range icon.Set {
		name := p.Idiom
		if p.Appearance != "any" {
			name += ", " + p.Appearance
		}
		if sizes[name] == nil {
			order = append(order, name)
		}
		text := fmt.Sprint(p.Width)
		if p.Kind != "picture" {
			text = p.Kind
		} else if p.Width == 1024 && !p.Opaque {
			text += " (transparent)"
		}
		if !slices.Contains(sizes[name], text) {
			sizes[name] = append(sizes[name], text)
		}
	}
	for _, name := range order {
		parts = append(parts, name+": "+strings.Join(sizes[name], " "))
	}
	if len(parts) == 0 {
		return "none of that name in the asset catalogue"
	}
	return strings.Join(parts, "; ")
}

func families(t *factsTable, label string, v any) {
	var names []string
	for _, f := range v.([]int64) {
		name := facts.Families[f]
		if name == "" {
			name = fmt.Sprint(f)
		}
		names = append(names, name)
	}
	t.list(label, names)
}

func iosPurposes(t *factsTable, _ string, v any) {
	purposes := v.(*facts.Info).Purposes
	if len(purposes) == 0 {
		t.row("none", "the property list has no purpose string")
	}
	for _, p := range purposes {
		text := p.Text
		if len(p.Locales) > 0 {
			text += "  (also " + strings.Join(slices.Sorted(maps.Keys(p.Locales)), ", ") + ")"
		}
		t.open()
		t.block(2, "", nil, p.Key, styleDim)
		t.block(4, "", nil, text, nil)
	}
}

func nestedText(b *facts.Bundle) (string, string) {
	i := &b.Info
	text := fmt.Sprintf("%s %s (%s)", i.ID, i.Version, i.Build)
	if g := i.Gone(); g != nil {
		text = "not read: " + g.What
	} else if i.Point != "" {
		text += ", " + i.Point
	}
	return b.Kind, b.Path + ": " + text
}

// linked lists the libraries of the system, or the others, that the app links.
func linked(system bool) func(t *factsTable, label string, v any) {
	return func(t *factsTable, label string, v any) {
		c := v.(*facts.BundleCode)
		var names []string
		for _, l := range slices.Concat(c.Libraries, c.WeakLibraries) {
			name, ofSystem := l, true
			switch {
			case strings.HasPrefix(l, "/System/Library/Frameworks/"):
				name = strings.TrimSuffix(l[strings.LastIndexByte(l, '/')+1:], ".framework")
			case strings.HasPrefix(l, "/usr/lib/"):
				name = l[len("/usr/lib/"):]
			default:
				ofSystem = false
			}
			if ofSystem == system {
				names = append(names, name)
			}
		}
		t.list(label, names)
	}
}

// iosBuild says what kind of build it is, by its profile and signature.
func iosBuild(a *facts.IOS) string {
	b := a.App
	var text string
	switch p := b.Profile; {
	case p != nil:
		text = map[string]string{"store": "for the store", "ad-hoc": "for named devices", "development": "for development", "enterprise": "for one organisation"}[p.Kind]
	case b.Signature == nil && fact.ReasonOf(b, &b.Signature) != "":
		text = "signature not read"
	case b.Signature == nil || b.Signature.Adhoc:
		text = "not signed by anybody"
	case a.StoreCopy:
		text = "a copy that the store delivered"
	case !a.SignatureFinal:
		text = "a build archive"
	default:
		text = "signed, without a profile"
	}
	if b.Signature != nil && slices.ContainsFunc(b.Signature.Entitlements, func(e *facts.Entitlement) bool { return e.Key == "get-task-allow" && e.Set }) {
		text += ", debugging allowed"
	}
	return text
}

func iosTools(i *facts.Info) string {
	b := i.BuildTools
	if b == nil {
		return i.SDKName
	}
	return strings.Join(slices.DeleteFunc([]string{i.SDKName, b.Version, b.Build, b.SDKBuild, b.SystemBuild}, func(s string) bool { return s == "" }), ", ")
}

func profileText(p *facts.Profile) string {
	text := fmt.Sprintf("%s, for %s, until %s", p.Kind, p.AppID, day.Long(p.Expires))
	if p.Devices > 0 {
		text += fmt.Sprintf(", on %s", Count(int(p.Devices), "device", "devices"))
	}
	if p.SignatureFault != "" {
		text += "; " + p.SignatureFault
	}
	return text
}

// privacyManifests says what each bundle declares; one without a manifest is in
// a line with the others.
func privacyManifests(t *factsTable, _ string, v any) {
	var none []string
	for _, b := range v.([]*facts.Bundle) {
		m := b.Privacy
		if m == nil {
			if why := fact.ReasonOf(b, &b.Privacy); b.PrivacyPresent && why != "" {
				t.row(bundleName(b), "not read: "+why)
			} else {
				none = append(none, bundleName(b))
			}
			continue
		}
		var parts []string
		for _, c := range m.Accessed {
			parts = append(parts, strings.TrimSpace(strings.TrimPrefix(c.Category, "NSPrivacyAccessedAPICategory")+" "+strings.Join(c.Reasons, " ")))
		}
		if len(m.Collected) > 0 {
			parts = append(parts, "collects "+Count(len(m.Collected), "kind of data", "kinds of data"))
		}
		if m.Tracking {
			parts = append(parts, "tracks, with "+Count(len(m.Domains), "domain", "domains"))
		}
		if len(parts) == 0 {
			parts = []string{"declares nothing"}
		}
		t.row(bundleName(b), strings.Join(parts, "; "))
	}
	t.list("none", none)
}

// iosSigning writes the chain of the app's certificate once, and of each bundle
// its entitlements and what differs from the app.
func iosSigning(t *factsTable, _ string, v any) {
	bundles := v.([]*facts.Bundle)
	app := bundles[0]
	if s := app.Signature; s != nil {
		t.row("team", s.Team)
		for _, c := range s.Chain {
			t.row("issued by", c.Subject+", until "+until(c))
		}
	}
	for _, b := range bundles {
		t.bundle(b, app)
	}
}

// bundle writes how one bundle is signed.
func (t *factsTable) bundle(b, app *facts.Bundle) {
	name := bundleName(b)
	head := func() {
		if name != "" {
			t.open()
			t.block(2, "", nil, name, nil)
			name = ""
		}
	}
	row := func(label, text string) {
		if text != "" {
			head()
			t.row("  "+label, text)
		}
	}
	switch s := b.Signature; {
	case s == nil:
		row("signature", "not read: "+fact.ReasonOf(b, &b.Signature))
	case s.Adhoc:
		row("signature", "by nobody (ad hoc)")
	case app.Signature == nil || s.Team != app.Signature.Team:
		row("signature", "team "+s.Team)
	}
	if s := b.Signature; s != nil {
		if s.Signer != nil && b != app && (app.Signature == nil || app.Signature.Signer == nil || app.Signature.Signer.Fingerprint != s.Signer.Fingerprint) {
			row("certificate", s.Signer.Subject)
		}
		label := "entitlements"
		for _, e := range s.Entitlements {
			text := e.Key
			if !e.Set {
				text += " = " + strings.Join(e.Values, ", ")
			}
			head()
			t.row(strings.TrimRight("  "+label, " "), text)
			label = ""
		}
		row("fault", strings.Join(s.Faults, ", "))
	}
	for _, f := range b.Seal.Faults {
		row("fault", f.Path+" "+f.What)
	}
	if b == app {
		return
	}
	if p := b.Profile; p != nil {
		row("profile", profileText(p))
	} else if b.Kind != "framework" && b.Kind != "resources" {
		row("profile", "none")
	}
}

func bundleName(b *facts.Bundle) string {
	if b.Kind == "app" {
		return "the app"
	}
	return b.Path
}
