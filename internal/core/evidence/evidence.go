// Package evidence draws from the facts, with the catalogue's help, what a
// package implies about declarations. Every piece says what it rests on.
package evidence

import (
	"path"
	"regexp"
	"strings"

	"regola.example/regola/internal/core/catalogue"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
)

// Evidence is what one package implies.
type Evidence struct {
	place.Mark     `json:"-"`
	Purposes       []*Purpose        `json:"purposes"`             // purpose strings that the code calls for
	ExtPurposes    []*Purpose        `json:"extension_purposes"`   // purpose strings that code of extensions calls for, as far as their own property lists lack them
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

func set(names []string) map[string]bool {
	m := make(map[string]bool, len(names))
	for _, n := range names {
		m[n] = true
	}
	return m
}
