// Package evidence draws from the facts, with the catalogue's help, what a
// package implies about declarations. Every piece says what it rests on.
package evidence

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"

	"regola.example/regola/internal/core/catalogue"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
)

// Evidence is what one package implies.
type Evidence struct {
	place.Mark     `json:"-"`
	Purposes       []*Purpose        `json:"purposes"`          // purpose strings that the code calls for
	Restricted     []*Declared       `json:"restricted"`        // sensitive permissions that bring a declaration
	SDKs           []*SDK            `json:"sdks"`              // third-party code that was recognised
	Reasons        []*Reason         `json:"reasons"`           // calls that need a declared reason, by bundle and category
	BadReasons     []*BadReason      `json:"bad_reasons"`       // declared reasons that are not known
	PurposesUnused []*Unused         `json:"purposes_unused"`   // purpose strings that no code calls for
	Junk           []*Junk           `json:"junk"`              // files that do not belong into a release
	Leftovers      []*Junk           `json:"leftovers"`         // files that the iOS store refuses inside an app
	OldWebView     bool              `json:"old_web_view"`      // the code uses the web view that the iOS platform retired
	RegistersPush  string            `json:"registers_push"`    // the binary whose code registers for remote notifications; empty for none
	Useless        []*Useless        `json:"useless"`           // permissions that serve nothing, and why
	PrivateLibs    []*PrivateLib     `json:"private_libraries"` // native libraries that link to the system's private ones
	Implied        []*Implied        `json:"implied_features"`  // device features that permissions make required
	OldHTTP        bool              `json:"old_http"`          // the code calls the HTTP library that the Android platform removed
	Notifies       bool              `json:"notifies"`          // the code posts notifications
	DeviceIDs      []string          `json:"device_ids"`        // calls that read identifiers of the device, closed to apps of today
	Brought        map[string]string `json:"brought"`           // permission → the SDK that is known to bring it
}

// SDK is third-party code that was recognised in the package.
type SDK struct {
	place.Mark    `json:"-"`
	ID            string   `json:"id"`             // class prefix or framework name
	Kind          string   `json:"kind"`           // what it does
	Seen          string   `json:"seen"`           // the sign
	Ads           bool     `json:"ads"`            // it shows advertising
	AdvertisingID bool     `json:"advertising_id"` // it reads the advertising id
	Listed        bool     `json:"listed"`         // on the iOS store's list of commonly used code
	Manifest      bool     `json:"manifest"`       // it brings a privacy manifest, where it is a framework
	Data          []string `json:"data"`           // kinds of data that it usually sends
	Tracking      bool     `json:"tracking"`       // its data is joined with that of other companies
}

// Purpose is one purpose string that the code calls for.
type Purpose struct {
	place.Mark `json:"-"`
	Key        string `json:"key"`
	Resource   string `json:"resource"`
	Because    string `json:"because"`    // the names that were seen
	Binary     string `json:"binary"`     // where
	Given      bool   `json:"given"`      // the property list has the text, or one that stands for it
	Confidence string `json:"confidence"` // of the catalogue's entry
}

// Declared is one sensitive use and the permissions that make it so.
type Declared struct {
	place.Mark  `json:"-"`
	Use         string   `json:"use"`
	Permissions []string `json:"permissions"`
}

// Of draws the evidence from a package.
func Of(pkg *facts.Package, cat *catalogue.Catalogue) *Evidence {
	e := &Evidence{Brought: map[string]string{}}
	e.junk(pkg, cat)
	if pkg.Android != nil {
		e.androidSDKs(pkg, cat)
		e.useless(pkg.Android, cat)
		e.calls(pkg.Android, cat)
		e.implied(pkg.Android, cat)
		e.privateLibs(pkg.Android, cat)
		e.restricted(pkg.Android, cat)
	}
	if pkg.IOS != nil {
		e.iosSDKs(pkg, cat)
		e.purposes(pkg.IOS, cat)
		e.reasons(pkg.IOS, cat)
		e.iosCalls(pkg.IOS)
	}
	return e
}

// advertisingID is the permission that opens the advertising id.
const advertisingID = "com.google.android.gms.permission.AD_ID"

// androidSDKs recognises third-party code by the components that its manifest
// merges into the app's, which no shrinker renames, and by its class packages.
func (e *Evidence) androidSDKs(pkg *facts.Package, cat *catalogue.Catalogue) {
	a := pkg.Android
	libraries := map[string]*facts.Library{}
	for _, l := range a.Libraries {
		libraries[l.Name] = l
	}
	packages := map[string]bool{}
	if a.Code != nil {
		for p := range a.Code.Packages {
			for p = strings.ReplaceAll(p, "/", "."); p != "" && !packages[p]; {
				packages[p] = true
				p = p[:max(0, strings.LastIndexByte(p, '.'))]
			}
		}
	}
	byName := map[string]*facts.Component{}
	for _, c := range a.Components {
		byName[c.Name] = c
	}
	for _, sdk := range cat.SDKs {
		found := &SDK{ID: sdk.ID, Kind: sdk.Kind, Ads: sdk.Ads, AdvertisingID: sdk.AdvertisingID, Tracking: sdk.Tracking, Data: sdk.Data}
		for _, name := range sdk.Components {
			if c := byName[name]; c != nil && found.Seen == "" {
				found.Seen = c.Kind + " " + c.Name
				found.SetSelf(c.Self())
			}
		}
		for _, prefix := range sdk.Classes {
			for _, c := range a.Components {
				if found.Seen == "" && hasPrefix(c.Name, prefix) {
					found.Seen = c.Kind + " " + c.Name
					found.SetSelf(c.Self())
				}
			}
			if found.Seen == "" && packages[prefix] {
				found.Seen = "classes of " + prefix
				found.SetSelf(a.Code.Self())
			}
		}
		for _, f := range sdk.Files {
			if l := libraries[f]; l != nil && found.Seen == "" {
				found.Seen = "native library " + f
				found.SetSelf(l.Self())
			}
		}
		if found.Seen == "" {
			continue
		}
		e.SDKs = append(e.SDKs, found)
		brings := sdk.Brings
		if sdk.AdvertisingID {
			brings = append(brings[:len(brings):len(brings)], advertisingID)
		}
		for _, p := range brings {
			if e.Brought[p] == "" {
				e.Brought[p] = sdk.ID
			}
		}
	}
}

// calls looks for calls of the platform that rules ask about.
func (e *Evidence) calls(a *facts.Android, cat *catalogue.Catalogue) {
	if a.Code == nil {
		return
	}
	if why := a.Code.Unread("classes"); why != "" {
		for _, f := range []string{"old_http", "notifies", "device_ids"} {
			e.SetUnread(f, why)
		}
		return
	}
	for c := range a.Code.Calls {
		switch {
		case strings.HasPrefix(c, "org/apache/http/"):
			e.OldHTTP = true
		case c == "android/app/NotificationManager.notify":
			e.Notifies = true
		case slices.Contains(cat.ClosedCalls, strings.ReplaceAll(c, "/", ".")):
			e.DeviceIDs = append(e.DeviceIDs, strings.ReplaceAll(c, "/", "."))
		}
	}
	slices.Sort(e.DeviceIDs)
}

// Implied is a device feature that a permission makes required, because no
// uses-feature line says otherwise.
type Implied struct {
	place.Mark `json:"-"`
	Name       string `json:"name"`
	Permission string `json:"permission"`
}

// implied finds the features that permissions make required, because no
// uses-feature line says otherwise.
func (e *Evidence) implied(a *facts.Android, cat *catalogue.Catalogue) {
	named := map[string]bool{}
	for _, f := range a.Features {
		named[f.Name] = true
	}
	for _, p := range a.Permissions {
		entry := cat.Permissions[p.Name]
		if entry == nil || entry.Feature == "" || named[entry.Feature] {
			continue
		}
		named[entry.Feature] = true
		i := &Implied{Name: entry.Feature, Permission: p.Name}
		i.SetSelf(p.Self())
		e.Implied = append(e.Implied, i)
	}
}

// hasPrefix tells whether a class lies in a package, or is the class named.
func hasPrefix(class, prefix string) bool {
	return class == prefix || strings.HasPrefix(class, strings.TrimSuffix(prefix, ".")+".")
}

// Junk is a file that does not belong into a release.
type Junk struct {
	place.Mark `json:"-"`
	Path       string `json:"path"`
	Why        string `json:"why"`
}

func (e *Evidence) junk(pkg *facts.Package, cat *catalogue.Catalogue) {
	e.Junk = e.matching("junk", pkg, cat.Junk)
	if pkg.IOS != nil {
		e.Leftovers = e.matching("leftovers", pkg, cat.Leftovers)
	}
}

// matching lists the files whose path fits a pattern.
func (e *Evidence) matching(field string, pkg *facts.Package, patterns []*catalogue.Pattern) []*Junk {
	var out []*Junk
	for _, p := range patterns {
		re, err := regexp.Compile(p.Pattern)
		if err != nil {
			e.SetUnread(field, p.Self().String()+": the pattern is not a regular expression: "+err.Error())
			return nil
		}
		for _, n := range pkg.Names {
			if re.MatchString(n) && (p.Except == "" || !strings.HasSuffix(n, "/"+p.Except)) {
				j := &Junk{Path: n, Why: p.Why}
				j.SetSelf(place.Place{File: pkg.File, Entry: n})
				out = append(out, j)
			}
		}
	}
	return out
}

// Useless is a permission that serves nothing.
type Useless struct {
	place.Mark `json:"-"`
	Name       string `json:"name"`
	Why        string `json:"why"`
	Kind       string `json:"kind"` // privileged, ended, misspelt
}

// useless finds permissions that no app from a store is ever granted, that
// ended before the least level, or that are probably misspelt.
func (e *Evidence) useless(a *facts.Android, cat *catalogue.Catalogue) {
	names := make([]string, 0, len(cat.Permissions))
	for n := range cat.Permissions {
		names = append(names, n)
	}
	slices.Sort(names)
	for _, p := range a.Permissions {
		u := &Useless{Name: p.Name}
		entry := cat.Permissions[p.Name]
		switch {
		case entry == nil:
			near := ""
			if strings.HasPrefix(p.Name, "android.permission.") && !slices.Contains(a.Defined, p.Name) {
				near = misspelt(p.Name, names)
			}
			if near == "" {
				continue
			}
			u.Kind, u.Why = "misspelt", "there is no such permission; "+near+" is probably meant"
		case entry.Protection == "signature" || entry.Protection == "signature-privileged":
			u.Kind, u.Why = "privileged", "it is granted to parts of the system only"
		case entry.Until > 0 && a.MinLevel != nil && entry.Until < *a.MinLevel:
			u.Kind, u.Why = "ended", fmt.Sprintf("it serves up to API level %d, and the app begins at %d", entry.Until, *a.MinLevel)
		default:
			continue
		}
		u.SetSelf(p.Self())
		e.Useless = append(e.Useless, u)
	}
}

// misspelt finds a name that differs by one letter added, dropped or changed,
// or by two neighbours swapped.
func misspelt(name string, names []string) string {
	for _, n := range names {
		if d := len(n) - len(name); d > 1 || d < -1 || n == name {
			continue
		}
		i := 0
		for i < len(n) && i < len(name) && n[i] == name[i] {
			i++
		}
		a, b := n[i:], name[i:]
		switch {
		case len(a) > 0 && a[1:] == b, len(b) > 0 && b[1:] == a,
			len(a) > 0 && len(b) > 0 && a[1:] == b[1:],
			len(a) > 1 && len(b) > 1 && a[0] == b[1] && a[1] == b[0] && a[2:] == b[2:]:
			return n
		}
	}
	return ""
}

// PrivateLib is a native library that links to a library of the system which
// apps may not use.
type PrivateLib struct {
	place.Mark `json:"-"`
	Library    string `json:"library"`
	Needs      string `json:"needs"`
}

func (e *Evidence) privateLibs(a *facts.Android, cat *catalogue.Catalogue) {
	public := set(cat.PublicLibs)
	own := map[string]bool{}
	for _, l := range a.Libraries {
		own[l.ABI+"/"+l.Name] = true
	}
	for _, l := range a.Libraries {
		if why := l.Unread("needed"); why != "" {
			e.SetUnread("private_libraries", l.Path+": "+why)
			return
		}
		for _, n := range l.Needed {
			if !public[n] && !own[l.ABI+"/"+n] {
				p := &PrivateLib{Library: l.Path, Needs: n}
				p.SetSelf(l.Self())
				e.PrivateLibs = append(e.PrivateLibs, p)
			}
		}
	}
}

// linkedIn is why a manifest is not looked for beside code that was found
// without its framework.
const linkedIn = "it is linked into the app, so that its manifest can be anywhere in it"

// iosSDKs recognises third-party code by the frameworks that are embedded, and
// code that is linked in by its files and its keys in the property list.
func (e *Evidence) iosSDKs(pkg *facts.Package, cat *catalogue.Catalogue) {
	app := pkg.IOS
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
		if found.Seen == "" {
			continue
		}
		if !found.Manifest && !strings.HasPrefix(found.Seen, "framework") {
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

func (e *Evidence) restricted(a *facts.Android, cat *catalogue.Catalogue) {
	byUse := map[string]*Declared{}
	for _, p := range a.Permissions {
		entry := cat.Permissions[p.Name]
		if entry == nil || entry.Declaration == "" {
			continue
		}
		d := byUse[entry.Declaration]
		if d == nil {
			d = &Declared{Use: entry.Declaration}
			d.SetSelf(p.Self())
			byUse[entry.Declaration] = d
			e.Restricted = append(e.Restricted, d)
		}
		if !slices.Contains(d.Permissions, p.Name) {
			d.Permissions = append(d.Permissions, p.Name)
		}
	}
}

// iosCalls looks in every binary for calls that a rule asks about. A binary
// whose names could not be read leaves open what the others do not show.
func (e *Evidence) iosCalls(app *facts.IOS) {
	open := app.Unread("binaries")
	for _, b := range app.Binaries {
		if why := b.Unread("imports"); why != "" {
			open = b.Path + ": " + why
			continue
		}
		e.OldWebView = e.OldWebView || slices.Contains(b.Imports, "_OBJC_CLASS_$_UIWebView")
		if e.RegistersPush == "" && (slices.Contains(b.Selectors, "registerForRemoteNotifications") || slices.Contains(b.Imports, "_objc_msgSend$registerForRemoteNotifications")) {
			e.RegistersPush = b.Path
		}
	}
	if open != "" && !e.OldWebView {
		e.SetUnread("old_web_view", open)
	}
	if open != "" && e.RegistersPush == "" {
		e.SetUnread("registers_push", open)
	}
}

// purposes looks in every binary for the signs of protected resources. A
// binary whose names could not be read makes the evidence incomplete.
func (e *Evidence) purposes(app *facts.IOS, cat *catalogue.Catalogue) {
	if why := app.Unread("binaries"); why != "" {
		e.SetUnread("purposes", why)
		return
	}
	given := map[string]bool{}
	for _, p := range app.Purposes {
		given[p.Key] = true
	}
	seen := map[string]bool{}
	for _, b := range app.Binaries {
		if why := b.Unread("imports"); why != "" {
			e.SetUnread("purposes", b.Path+": "+why)
			return
		}
		imports, selectors := set(b.Imports), set(b.Selectors)
		for _, p := range cat.Purposes {
			if seen[p.Key] || p.Below != "" && !versionBelow(app.MinOS, p.Below) {
				continue
			}
			because := match(p, imports, selectors)
			if because == "" {
				continue
			}
			seen[p.Key] = true
			item := &Purpose{Key: p.Key, Resource: p.Resource, Because: because, Binary: b.Path, Given: given[p.Key], Confidence: p.Confidence}
			for _, k := range p.Instead {
				item.Given = item.Given || given[k]
			}
			item.SetSelf(app.Self().In(p.Key))
			e.Purposes = append(e.Purposes, item)
		}
	}
	e.unusedPurposes(app, cat)
}

func set(names []string) map[string]bool {
	m := make(map[string]bool, len(names))
	for _, n := range names {
		m[n] = true
	}
	return m
}

// match returns the names of the first sign that is wholly there.
func match(p *catalogue.Purpose, imports, selectors map[string]bool) string {
	for _, s := range p.Signs {
		var names []string
		all := true
		need := func(label, name string, there bool) {
			all = all && there
			names = append(names, label+" "+name)
		}
		for _, c := range s.Classes {
			need("class", c, imports["_OBJC_CLASS_$_"+c])
		}
		for _, c := range s.Symbols {
			need("symbol", c, imports["_"+c])
		}
		for _, c := range s.Selectors {
			need("method", c, selectors[c] || imports["_objc_msgSend$"+c])
		}
		if all && len(names) > 0 {
			return strings.Join(names, ", ")
		}
	}
	return ""
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
