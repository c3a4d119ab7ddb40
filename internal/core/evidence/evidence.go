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
	Purposes       []*Purpose        `json:"purposes"`             // purpose strings that the code calls for
	Restricted     []*Declared       `json:"restricted"`           // sensitive permissions that bring a declaration
	SDKs           []*SDK            `json:"sdks"`                 // third-party code that was recognised
	Reasons        []*Reason         `json:"reasons"`              // calls that need a declared reason, by bundle and category
	BadReasons     []*BadReason      `json:"bad_reasons"`          // declared reasons that are not known
	Collected      []*Collected      `json:"collected"`            // kinds of data that privacy manifests declare, over the whole app
	BadCollected   []*BadReason      `json:"bad_collected"`        // declared kinds of data or purposes that are not known
	Wording        []*Wording        `json:"wording"`              // purpose strings that say too little
	PurposesUnused []*Unused         `json:"purposes_unused"`      // purpose strings that no code calls for
	Junk           []*Junk           `json:"junk"`                 // files that do not belong into a release
	Leftovers      []*Junk           `json:"leftovers"`            // files that the iOS store refuses inside an app
	OldWebView     bool              `json:"old_web_view"`         // the code uses the web view that the iOS platform retired
	RegistersPush  string            `json:"registers_push"`       // the binary whose code registers for remote notifications; empty for none
	ChecksReceipt  string            `json:"checks_receipt"`       // the binary whose code checks the store's receipt on the device; empty for none
	PrivateNames   []*PrivateName    `json:"private_names"`        // names of the iOS system that apps may not use
	PrivateLinks   []*PrivateLink    `json:"private_links"`        // addresses and paths of the iOS system that apps may not use
	NewFrameworks  []*NewFramework   `json:"new_frameworks"`       // frameworks of the system that are newer than the least system version
	IdleModes      []*IdleMode       `json:"idle_modes"`           // background modes that no code of the app can serve
	Unentitled     []*Unentitled     `json:"unentitled"`           // code that needs an entitlement which the signature lacks
	IdleEntitled   []*Unentitled     `json:"idle_entitlements"`    // entitlements of the app that no code uses
	ClosedInExt    []*ClosedCall     `json:"closed_in_extensions"` // calls of extensions that extensions may not make
	ClosedInClips  []*ClosedCall     `json:"closed_in_clips"`      // frameworks of clips that do nothing in clips
	StuckKeyboards []string          `json:"stuck_keyboards"`      // keyboard extensions that cannot switch to the next keyboard
	MissingParts   []*MissingPart    `json:"missing_parts"`        // what a runtime needs beside its code
	BuildFiles     []*Junk           `json:"build_files"`          // files that serve the building of an iOS app
	DebugParts     []*Junk           `json:"debug_parts"`          // files that only debug builds have
	Useless        []*Useless        `json:"useless"`              // permissions that serve nothing, and why
	PrivateLibs    []*PrivateLib     `json:"private_libraries"`    // native libraries that link to the system's private ones
	Implied        []*Implied        `json:"implied_features"`     // device features that permissions make required
	OldHTTP        bool              `json:"old_http"`             // the code calls the HTTP library that the Android platform removed
	Notifies       bool              `json:"notifies"`             // the code posts notifications
	DeviceIDs      []string          `json:"device_ids"`           // calls that read identifiers of the device, closed to apps of today
	Brought        map[string]string `json:"brought"`              // permission → the SDK that is known to bring it
}

// SDK is third-party code that was recognised in the package.
type SDK struct {
	place.Mark    `json:"-"`
	ID            string   `json:"id"`             // class prefix or framework name
	Kind          string   `json:"kind"`           // what it does
	Seen          string   `json:"seen"`           // the sign
	ByName        bool     `json:"by_name"`        // recognised by the names of its code alone, which could be the app's own
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
		e.iOS(pkg, cat)
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
	More       int64  `json:"more"` // further files of the kind in its framework, bundle or folder
}

func (e *Evidence) junk(pkg *facts.Package, cat *catalogue.Catalogue) {
	e.Junk = e.matching("junk", pkg, cat.Junk)
	if pkg.IOS != nil {
		e.Leftovers = e.matching("leftovers", pkg, cat.Leftovers)
		e.BuildFiles = e.matching("build_files", pkg, cat.BuildFiles)
		e.DebugParts = e.matching("debug_parts", pkg, cat.DebugParts)
	}
}

// matching lists the files whose path fits a pattern: of several in one
// framework, bundle or folder the first, with the number of the others.
func (e *Evidence) matching(field string, pkg *facts.Package, patterns []*catalogue.Pattern) []*Junk {
	var out []*Junk
	root := ""
	if pkg.IOS != nil && pkg.IOS.Root == "" {
		root = "An.app/" // the app's folder itself was given; patterns expect its name
	}
	for _, p := range patterns {
		re, err := regexp.Compile(p.Pattern)
		if err != nil {
			e.SetUnread(field, p.Self().String()+": the pattern is not a regular expression: "+err.Error())
			return nil
		}
		folders := map[string]*Junk{}
		for _, n := range pkg.Names {
			if !re.MatchString(root+n) || p.Except != "" && strings.HasSuffix(n, "/"+p.Except) {
				continue
			}
			home := path.Dir(n)
			for _, ext := range []string{".framework/", ".bundle/"} {
				if at := strings.Index(n, ext); at >= 0 {
					home = n[:at]
				}
			}
			if first := folders[home]; first != nil {
				first.More++
				continue
			}
			j := &Junk{Path: n, Why: p.Why}
			j.SetSelf(place.Place{File: pkg.File, Entry: n})
			folders[home] = j
			out = append(out, j)
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

func set(names []string) map[string]bool {
	m := make(map[string]bool, len(names))
	for _, n := range names {
		m[n] = true
	}
	return m
}
