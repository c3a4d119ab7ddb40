package evidence

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/tables"
)

// linkedIn is why a manifest is not looked for beside code that was found
// without its framework.
const linkedIn = "it is linked into the app, so that its manifest can be anywhere in it"

// iosSDKs recognises third-party code by the frameworks that are embedded, and
// code that is linked in by its files, its keys in the property list and, last,
// the names of its classes and modules.
func (e *Evidence) iosSDKs(pkg *facts.Package, t *tables.Set, code *signs.Index) {
	app := pkg.IOS
	if g := code.Gap(); g != nil {
		fact.Lose(e, &e.SDKs, *g)
	}
	anyManifest := app.App.PrivacyPresent || slices.ContainsFunc(app.Resources, func(b *facts.Bundle) bool { return b.PrivacyPresent })
	within := make([]string, len(pkg.Files))
	for i, n := range pkg.Files {
		within[i] = strings.TrimPrefix(n.Path, app.Root+"/")
	}
	found := new(SDK) // most of the table is not found, and costs nothing so
	for _, sdk := range t.SDKs {
		if sdk.System {
			continue
		}
		embedded := false // it is a framework of its own
		*found = SDK{ID: sdk.ID, Kind: sdk.Kind, Ads: sdk.Ads, AdvertisingID: sdk.AdvertisingID, Tracking: sdk.Tracking, Data: sdk.Data, Listed: sdk.Listed}
		for _, n := range app.Nested {
			name := strings.TrimSuffix(path.Base(n.Path), ".framework")
			if n.Kind != "framework" || !slices.Contains(sdk.Frameworks, name) {
				continue
			}
			// Of several frameworks, the one without a manifest is shown.
			embedded = true
			if has := hasManifest(app, n); found.Seen == "" || found.Manifest && !has {
				found.Seen, found.Manifest, found.Version = "framework "+name, has, n.Info.Version
				found.SetSelf(n.Self())
			}
		}
		for _, f := range sdk.IOSFiles {
			if found.Seen == "" {
				if i := slices.IndexFunc(within, isFileOf(f)); i >= 0 {
					found.Seen = "file " + f
					found.SetSelf(pkg.Files[i].Self())
				}
			}
			for _, r := range app.Resources {
				found.Manifest = found.Manifest || path.Base(r.Path) == f && r.Privacy != nil
			}
		}
		for _, k := range sdk.PlistKeys {
			if found.Seen == "" && slices.Contains(app.App.Info.Keys, k) {
				found.Seen = "key " + k + " of the property list"
				found.SetSelf(app.Self().In(k))
			}
		}
		for _, k := range sdk.Off {
			if slices.Contains(app.App.Info.SwitchedOn, k) {
				found.Off = k
			}
		}
		for _, c := range code.Codes {
			if name := c.ThirdParty(sdk); found.Seen == "" && name != "" {
				found.Seen, found.ByName = name+" in "+c.Bundle.Code.Path, true
				found.SetSelf(c.Bundle.Code.Self())
			}
		}
		if found.Seen == "" {
			continue
		}
		if !found.Manifest && !embedded && anyManifest {
			fact.Lose(found, &found.Manifest, fact.Missing(linkedIn))
		}
		e.SDKs, found = append(e.SDKs, found), new(SDK)
	}
}

// hasManifest tells whether a framework brings a privacy manifest, of its own or
// in a bundle of resources inside it.
func hasManifest(app *facts.IOS, n *facts.Bundle) bool {
	return n.PrivacyPresent || slices.ContainsFunc(app.Resources, func(r *facts.Bundle) bool {
		return r.PrivacyPresent && strings.HasPrefix(r.Path, n.Path+"/")
	})
}

// isFileOf makes the test whether a path within the app is a file that the
// catalogue names: itself, something in that folder, a bundle of that name
// anywhere, or what a pattern with an asterisk covers.
func isFileOf(want string) func(name string) bool {
	folder := strings.TrimSuffix(want, "/") + "/"
	anywhere, isBundle := "/"+folder, strings.HasSuffix(want, ".bundle")
	isPattern := strings.ContainsAny(want, "*?[")
	return func(name string) bool {
		if name == want || strings.HasPrefix(name, folder) || isBundle && strings.Contains(name, anywhere) {
			return true
		}
		if !isPattern {
			return false
		}
		ok, err := path.Match(want, name)
		return ok && err == nil
	}
}

// purposes looks in every binary for the signs of protected resources. Watch
// apps and clips ask for themselves, all other code asks through the app. A
// binary whose names could not be read makes the evidence incomplete.
func (e *Evidence) purposes(app *facts.IOS, t *tables.Set, code *signs.Index) {
	if g := code.Gap(); g != nil {
		fact.Lose(e, &e.Purposes, *g)
		fact.Lose(e, &e.PurposesUnused, *g)
		fact.Lose(e, &e.ExtensionPurposes, *g)
		return
	}
	e.extensionPurposes(app, t, code)
	seen := map[string]bool{}
	for _, c := range code.Codes {
		h := holderOf(app, c.Bundle)
		if g := h.Info.Gone(); g != nil {
			fact.Lose(e, &e.Purposes, *g)
		}
		given := givenIn(&h.Info)
		for _, p := range t.Purposes {
			if seen[h.Path+p.Key] || p.Below != "" && !versionBelow(h.Info.MinOS, p.Below) {
				continue
			}
			because := c.Match(p.Signs)
			if because == "" {
				continue
			}
			seen[h.Path+p.Key] = true
			item := &Purpose{Key: p.Key, Resource: p.Resource, Because: because, Binary: c.Bundle.Code.Path, Given: given[p.Key], Confidence: p.Confidence, Impact: cmp.Or(p.Impact, "refused")}
			for _, k := range p.Instead {
				item.Given = item.Given || given[k]
			}
			item.SetSelf(h.Info.Self().In(p.Key))
			e.Purposes = append(e.Purposes, item)
		}
	}
	e.unusedPurposes(app, t, code)
}

// extensionPurposes looks at the code of extensions, which the system also asks
// for a purpose string of their own.
func (e *Evidence) extensionPurposes(app *facts.IOS, t *tables.Set, code *signs.Index) {
	for _, b := range app.Nested {
		c := code.In(b)
		if b.Kind != "extension" || c == nil {
			continue
		}
		if g := b.Info.Gone(); g != nil {
			fact.Lose(e, &e.ExtensionPurposes, *g)
			continue
		}
		own := set(b.Info.PurposeKeys)
		for _, p := range t.Purposes {
			because := c.Match(p.Signs)
			given := own[p.Key] || slices.ContainsFunc(p.Instead, func(k string) bool { return own[k] })
			if because == "" || given || p.Below != "" && !versionBelow(b.Info.MinOS, p.Below) {
				continue
			}
			item := &Purpose{Key: p.Key, Resource: p.Resource, Because: because, Binary: b.Code.Path, Confidence: p.Confidence}
			item.SetSelf(b.Info.Self().In(p.Key))
			e.ExtensionPurposes = append(e.ExtensionPurposes, item)
		}
	}
}

// holderOf is the app in whose name a bundle's code asks for access: a watch
// app or a clip for what lies in it, else the app.
func holderOf(app *facts.IOS, b *facts.Bundle) *facts.Bundle {
	for _, n := range app.Nested {
		if (n.Kind == "watch-app" || n.Kind == "app-clip") && (n == b || strings.HasPrefix(b.Path, n.Path+"/")) {
			return n
		}
	}
	return app.App
}

// givenIn is the purpose strings of a property list. One is a dictionary of
// texts, so that keys count.
func givenIn(info *facts.Info) map[string]bool { return set(info.Keys) }

// versionBelow compares versions as numbers; one that cannot be read counts as
// below, so that nothing is passed over.
func versionBelow(v, limit string) bool {
	var a, b [3]int
	if n, _ := fmt.Sscanf(v, "%d.%d.%d", &a[0], &a[1], &a[2]); n == 0 {
		return true
	}
	fmt.Sscanf(limit, "%d.%d.%d", &b[0], &b[1], &b[2])
	return slices.Compare(a[:], b[:]) < 0
}
