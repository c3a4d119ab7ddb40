// Package origin says whose the parts of a package are: the app's own, or those of
// third-party code that was built in. A part of which neither shows is of unknown origin,
// never the app's.
//
// Signs are the families of class names, the name families of resources, the names of
// components, libraries and frameworks (tables sdks and resource_families), and the id of
// the app. Shrinkers rename classes, not components; where names were shortened, nothing
// follows from them.
package origin

import (
	"cmp"
	"maps"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/tables"
)

// App is the owner of what is the app's own.
const App = "app"

// Certainties.
const (
	High   = "high"
	Medium = "medium"
	Low    = "low"
)

// Owner is whose a part is.
type Owner struct {
	By        string `json:"by"`        // app, an identifier of third-party code, or empty when it is not known
	Sign      string `json:"sign"`      // what shows it
	Certainty string `json:"certainty"` // high, medium or low; empty when it is not known
}

// Own tells whether the part is the app's.
func (o Owner) Own() bool { return o.By == App }

// Known tells whether it is known whose the part is.
func (o Owner) Known() bool { return o.By != "" }

// Index answers for one package.
type Index struct {
	own        []string // class families of the app, with full stops
	sdks       map[string]*tables.SDK
	frameworks map[string]*tables.SDK
	families   []*tables.ResourceFamily
	locales    map[string]Owner
}

// Of makes the index of a package. Without tables only what carries the app's id is known.
func Of(p *facts.Package, t *tables.Set) *Index {
	x := &Index{sdks: map[string]*tables.SDK{}, frameworks: map[string]*tables.SDK{}, locales: map[string]Owner{}}
	if t != nil {
		for _, s := range t.SDKs {
			for _, name := range slices.Concat(s.Classes, s.Components) {
				x.sdks[strings.TrimSuffix(name, ".")] = s
			}
			for _, name := range s.Frameworks {
				x.frameworks[name] = s
			}
		}
		x.families = t.ResourceFamilies
	}
	switch {
	case p.Android != nil:
		x.own = family(p.Android.Manifest.ID)
		// A variant's id has an ending that its classes lack.
		for _, c := range p.Android.Manifest.Components {
			if c.Name == p.Android.Manifest.Launcher {
				x.own = append(x.own, family(parent(c.Name))...)
			}
		}
		x.android(&p.Android.Resources)
	case p.IOS != nil:
		if p.IOS.App != nil {
			x.own = family(p.IOS.App.Info.ID)
		}
		for _, l := range p.IOS.Translations.Locales {
			x.locales[l] = Owner{App, "texts in the folder of the language", High}
		}
	}
	return x
}

// family are the beginnings of names that belong to an id: the id, and its first two parts
// where those are not a name that everybody's begin with.
func family(id string) []string {
	if strings.Count(id, ".") < 1 {
		return nil
	}
	out := []string{id}
	parts := strings.Split(id, ".")
	if two := parts[0] + "." + parts[1]; len(parts) > 2 && !slices.Contains(shared, two) {
		out = append(out, two)
	}
	return out
}

// shared are beginnings of names under which many people publish.
var shared = []string{"com.github", "io.github", "com.gitlab", "org.example", "com.example", "com.google", "com.android", "org.apache", "org.jetbrains", "io.gitlab", "de.example"}

func parent(name string) string { return name[:max(0, strings.LastIndexByte(name, '.'))] }

// Class says whose a class is, by its name with full stops or slashes.
func (x *Index) Class(name string) Owner {
	name = strings.ReplaceAll(name, "/", ".")
	for prefix := name; prefix != ""; prefix = parent(prefix) {
		if s := x.sdks[prefix]; s != nil {
			return Owner{s.ID, "the class family " + prefix, cmp.Or(s.Confidence, Medium)}
		}
		if slices.Contains(x.own, prefix) {
			return Owner{App, "the class family " + prefix, High}
		}
	}
	return Owner{} // another's, or one that a shrinker renamed
}

// Component says whose a component of the manifest is. Its name is never shortened.
func (x *Index) Component(name string) Owner { return x.Class(name) }

// Framework says whose a framework, a native library or a bundle is, by its path.
func (x *Index) Framework(name string) Owner {
	base := path.Base(name)
	base = strings.TrimSuffix(strings.TrimSuffix(base, path.Ext(base)), ".framework")
	if s := x.frameworks[base]; s != nil {
		return Owner{s.ID, "the framework " + base, cmp.Or(s.Confidence, Medium)}
	}
	return Owner{}
}

// Resource says whose a resource is, by its name. What belongs to no known family is most
// likely the app's, or that of a library which nobody described.
func (x *Index) Resource(name string) Owner {
	if shortened(name) {
		return Owner{}
	}
	for _, f := range x.families {
		if strings.HasPrefix(name, f.Prefix) {
			return Owner{f.By, "the name family " + f.Prefix, Medium}
		}
	}
	return Owner{App, "its name, which is of no library's family", Low}
}

// shortened tells whether a name is one that a shrinker gave.
func shortened(name string) bool {
	return len(name) <= 2 || strings.Contains(name, "resource_name_obfuscated")
}

// Locale says whose a language is.
func (x *Index) Locale(tag string) Owner { return x.locales[tag] }

// Locales are the languages that are the app's own or of unknown origin, and those that
// only third-party code brings, with whose they are. Both are sorted.
func (x *Index) Locales() (own []string, brought map[string]Owner) {
	brought = map[string]Owner{}
	for _, l := range slices.Sorted(maps.Keys(x.locales)) {
		if o := x.locales[l]; o.Known() && !o.Own() {
			brought[l] = o
		} else {
			own = append(own, l)
		}
	}
	return own, brought
}

// android finds out who translates into each language.
func (x *Index) android(r *facts.Resources) {
	for _, l := range r.Locales {
		x.locales[l] = Owner{}
	}
	if r.Label != nil {
		for l := range r.Label.Locales {
			x.locales[l] = Owner{App, "the app's name in it", High}
		}
	}
	for _, s := range r.Strings {
		if x.locales[s.Locale].Own() {
			continue
		}
		by, first := map[string]int{}, ""
		unknown := int64(len(s.Has)) < s.Count // not all names are held
		for _, name := range s.Has {
			o := x.Resource(name)
			if !o.Known() {
				unknown = true
			}
			if by[o.By]++; o.Own() && first == "" {
				first = name
			}
		}
		switch {
		case by[App] > 0:
			x.locales[s.Locale] = Owner{App, "texts such as " + first, Medium}
		case unknown || len(by) == 0:
			x.locales[s.Locale] = Owner{}
		default:
			most := slices.MaxFunc(slices.Sorted(maps.Keys(by)), func(a, b string) int { return by[a] - by[b] })
			x.locales[s.Locale] = Owner{most, "all its texts are of the names of libraries", Medium}
		}
	}
}
