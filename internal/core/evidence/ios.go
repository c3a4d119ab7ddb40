package evidence

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/catalogue"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
)

// linkedIn is why a manifest is not looked for beside code that was found
// without its framework.
const linkedIn = "it is linked into the app, so that its manifest can be anywhere in it"

// iosSDKs recognises third-party code by the frameworks that are embedded, and
// code that is linked in by its files, its keys in the property list and, last,
// the names of its classes and modules.
func (e *Evidence) iosSDKs(pkg *facts.Package, cat *catalogue.Catalogue, all []*code) {
	app := pkg.IOS
	anyManifest := app.PrivacyManifest || slices.ContainsFunc(app.Resources, func(b *facts.Bundle) bool { return b.PrivacyPresent })
	for _, sdk := range cat.SDKs {
		if sdk.System {
			continue
		}
		found := &SDK{ID: sdk.ID, Kind: sdk.Kind, Ads: sdk.Ads, AdvertisingID: sdk.AdvertisingID, Tracking: sdk.Tracking, Data: sdk.Data, Listed: sdk.Listed}
		for _, n := range app.Nested {
			name := strings.TrimSuffix(path.Base(n.Path), ".framework")
			if found.Seen == "" && n.Kind == "framework" && slices.Contains(sdk.Frameworks, name) {
				found.Seen, found.Manifest = "framework "+name, n.PrivacyManifest
				found.SetSelf(n.Self())
			}
		}
		for _, f := range sdk.IOSFiles {
			for _, n := range pkg.Names {
				if found.Seen == "" && isFileOf(strings.TrimPrefix(n, app.Root+"/"), f) {
					found.Seen = "file " + f
					found.SetSelf(place.Place{File: pkg.File, Entry: n})
				}
			}
			for _, r := range app.Resources {
				found.Manifest = found.Manifest || path.Base(r.Path) == f && r.Privacy != nil
			}
		}
		for _, k := range sdk.PlistKeys {
			if found.Seen == "" && slices.Contains(app.Keys, k) {
				found.Seen = "key " + k + " of the property list"
				found.SetSelf(app.Self().In(k))
			}
		}
		for _, c := range all {
			if name := c.thirdParty(sdk); found.Seen == "" && name != "" {
				found.Seen, found.ByName = name+" in "+c.bin.Path, true
				found.SetSelf(c.bin.Self())
			}
		}
		if found.Seen == "" {
			continue
		}
		if !found.Manifest && !strings.HasPrefix(found.Seen, "framework") && anyManifest {
			found.SetUnread("manifest", linkedIn)
		}
		e.SDKs = append(e.SDKs, found)
	}
}

// isFileOf tells whether a path within the app is a file that the catalogue
// names: itself, something in that folder, a bundle of that name anywhere, or
// what a pattern with an asterisk covers.
func isFileOf(name, want string) bool {
	folder := strings.TrimSuffix(want, "/") + "/"
	if name == want || strings.HasPrefix(name, folder) || strings.HasSuffix(want, ".bundle") && strings.Contains(name, "/"+folder) {
		return true
	}
	ok, err := path.Match(want, name)
	return ok && err == nil
}

// iosCalls looks in every binary for calls that a rule asks about. A binary
// whose names could not be read leaves open what the others do not show.
func (e *Evidence) iosCalls(cat *catalogue.Catalogue, all []*code, open string) {
	for _, c := range all {
		if e.ChecksReceipt == "" && c.match(cat.Receipts) != "" {
			e.ChecksReceipt = c.bin.Path
		}
		e.OldWebView = e.OldWebView || c.class("UIWebView") || slices.Contains(c.bin.Classes, "UIWebView")
		if e.RegistersPush == "" && c.method("registerForRemoteNotifications") {
			e.RegistersPush = c.bin.Path
		}
	}
	if open != "" && !e.OldWebView {
		e.SetUnread("old_web_view", open)
	}
	if open != "" && e.ChecksReceipt == "" {
		e.SetUnread("checks_receipt", open)
	}
	if open != "" && e.RegistersPush == "" {
		e.SetUnread("registers_push", open)
	}
}

// purposes looks in every binary for the signs of protected resources. Watch
// apps and clips ask for themselves, all other code asks through the app. A
// binary whose names could not be read makes the evidence incomplete.
func (e *Evidence) purposes(app *facts.IOS, cat *catalogue.Catalogue, all []*code, open string) {
	if open != "" {
		for _, f := range []string{"purposes", "purposes_unused", "extension_purposes"} {
			e.SetUnread(f, open)
		}
		return
	}
	e.extensionPurposes(app, cat, all)
	seen := map[string]bool{}
	for _, c := range all {
		h := holderOf(app, c.bin.Path)
		for _, p := range cat.Purposes {
			if seen[h.path+p.Key] || p.Below != "" && !versionBelow(h.minOS, p.Below) {
				continue
			}
			because := c.match(p.Signs)
			if because == "" {
				continue
			}
			seen[h.path+p.Key] = true
			item := &Purpose{Key: p.Key, Resource: p.Resource, Because: because, Binary: c.bin.Path, Given: h.given[p.Key], Confidence: p.Confidence}
			for _, k := range p.Instead {
				item.Given = item.Given || h.given[k]
			}
			item.SetSelf(h.at.In(p.Key))
			e.Purposes = append(e.Purposes, item)
		}
	}
	e.unusedPurposes(app, cat, all)
}

// extensionPurposes looks at the code of extensions, which the system also asks
// for a purpose string of their own.
func (e *Evidence) extensionPurposes(app *facts.IOS, cat *catalogue.Catalogue, all []*code) {
	for _, n := range app.Nested {
		if n.Kind != "extension" || n.Unread("purpose_keys") != "" {
			continue
		}
		own := set(n.PurposeKeys)
		for _, c := range all {
			if c.bin.Path[:max(0, strings.LastIndexByte(c.bin.Path, '/'))] != n.Path {
				continue
			}
			for _, p := range cat.Purposes {
				because := c.match(p.Signs)
				given := own[p.Key] || slices.ContainsFunc(p.Instead, func(k string) bool { return own[k] })
				if because == "" || given || p.Below != "" && !versionBelow(n.MinOS, p.Below) {
					continue
				}
				item := &Purpose{Key: p.Key, Resource: p.Resource, Because: because, Binary: c.bin.Path, Confidence: p.Confidence}
				item.SetSelf(n.Self().In(p.Key))
				e.ExtPurposes = append(e.ExtPurposes, item)
			}
		}
	}
}

// holder is the app in whose name a binary asks for access.
type holder struct {
	path, minOS string
	given       map[string]bool // purpose strings of its property list
	at          place.Place     // of its property list
}

func holderOf(app *facts.IOS, binary string) holder {
	for _, n := range app.Nested {
		if (n.Kind == "watch-app" || n.Kind == "app-clip") && strings.HasPrefix(binary, n.Path+"/") {
			return holder{n.Path, n.MinOS, set(n.PurposeKeys), n.Self()}
		}
	}
	h := holder{".", app.MinOS, map[string]bool{}, app.Self()}
	for _, p := range app.Purposes {
		h.given[p.Key] = true
	}
	for _, k := range app.Keys { // one is a dictionary of texts
		h.given[k] = true
	}
	return h
}

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
