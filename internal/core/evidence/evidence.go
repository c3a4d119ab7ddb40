// Package evidence draws from the facts, with the catalogue's help, what a
// package implies about declarations. Every piece says what it rests on.
package evidence

import (
	"fmt"
	"slices"
	"strings"

	"regola.example/regola/internal/core/catalogue"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
)

// Evidence is what one package implies.
type Evidence struct {
	place.Mark `json:"-"`
	Purposes   []*Purpose        `json:"purposes"`   // purpose strings that the code calls for
	Restricted []*Declared       `json:"restricted"` // sensitive permissions that bring a declaration
	SDKs       []*SDK            `json:"sdks"`       // third-party code that was recognised
	Brought    map[string]string `json:"brought"`    // permission → the SDK that is known to bring it
}

// SDK is third-party code that was recognised in the package.
type SDK struct {
	place.Mark `json:"-"`
	ID         string `json:"id"`   // class prefix or framework name
	Kind       string `json:"kind"` // what it does
	Seen       string `json:"seen"` // the sign
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
	if pkg.Android != nil {
		e.androidSDKs(pkg.Android, cat)
		e.restricted(pkg.Android, cat)
	}
	if pkg.IOS != nil {
		e.iosSDKs(pkg.IOS, cat)
		e.purposes(pkg.IOS, cat)
	}
	return e
}

// androidSDKs recognises third-party code by the components that its manifest
// merges into the app's.
func (e *Evidence) androidSDKs(a *facts.Android, cat *catalogue.Catalogue) {
	for _, sdk := range cat.SDKs {
		for _, c := range a.Components {
			if !hasPrefix(c.Name, sdk.Classes) {
				continue
			}
			found := &SDK{ID: sdk.ID, Kind: sdk.Kind, Seen: c.Kind + " " + c.Name}
			found.SetSelf(c.Self())
			e.SDKs = append(e.SDKs, found)
			for _, p := range sdk.Brings {
				e.Brought[p] = sdk.ID
			}
			break
		}
	}
}

// hasPrefix tells whether a class lies in one of the packages.
func hasPrefix(class string, prefixes []string) bool {
	for _, p := range prefixes {
		if class == p || strings.HasPrefix(class, strings.TrimSuffix(p, ".")+".") {
			return true
		}
	}
	return false
}

// iosSDKs recognises third-party code by the frameworks that are embedded.
func (e *Evidence) iosSDKs(app *facts.IOS, cat *catalogue.Catalogue) {
	for _, sdk := range cat.SDKs {
		for _, n := range app.Nested {
			name := strings.TrimSuffix(n.Path[strings.LastIndexByte(n.Path, '/')+1:], ".framework")
			if n.Kind == "framework" && slices.Contains(sdk.Frameworks, name) {
				found := &SDK{ID: sdk.ID, Kind: sdk.Kind, Seen: "framework " + name}
				found.SetSelf(n.Self())
				e.SDKs = append(e.SDKs, found)
				break
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
