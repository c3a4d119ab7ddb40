package evidence

import (
	"maps"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/tables"
)

// advertisingID is the permission that opens the advertising id.
const advertisingID = "com.google.android.gms.permission.AD_ID"

// androidSDKs recognises third-party code by the components that its manifest
// merges into the app's, which no shrinker renames, and by its class packages.
func (e *Evidence) androidSDKs(pkg *facts.Package, t *tables.Set) {
	a := pkg.Android
	if a.Code != nil && a.Code.Gone() != nil {
		fact.Lose(e, &e.SDKs, *a.Code.Gone())
		fact.Lose(e, &e.Brought, *a.Code.Gone())
	}
	libraries := map[string]*facts.Library{}
	for _, l := range a.Native.Libraries {
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
	for _, c := range a.Manifest.Components {
		byName[c.Name] = c
	}
	named := indexOf(pkg.Files)
	found := new(SDK) // most of the table is not found, and costs nothing so
	for _, sdk := range t.SDKs {
		*found = SDK{ID: sdk.ID, Kind: sdk.Kind, Ads: sdk.Ads, AdvertisingID: sdk.AdvertisingID, Tracking: sdk.Tracking, Data: sdk.Data}
		for _, name := range sdk.Components {
			if c := byName[name]; c != nil && found.Seen == "" {
				found.Seen = c.Kind + " " + c.Name
				found.SetSelf(c.Self())
			}
		}
		for _, prefix := range sdk.Classes {
			for _, c := range a.Manifest.Components {
				if found.Seen == "" && hasPrefix(c.Name, prefix) {
					found.Seen = c.Kind + " " + c.Name
					found.SetSelf(c.Self())
				}
			}
			if found.Seen == "" && packages[prefix] {
				found.Seen = "classes of " + prefix
				found.SetSelf(a.Code.Self())
			}
			if found.Seen == "" && a.Code != nil && a.Code.Defines(prefix) {
				found.Seen = "class " + prefix
				found.SetSelf(a.Code.Self())
			}
		}
		for _, f := range sdk.Files {
			if l := libraries[f]; l != nil && found.Seen == "" {
				found.Seen = "native library " + f
				found.SetSelf(l.Self())
			}
			if at := named.find(f); at != nil && found.Seen == "" {
				found.Seen = "file " + at.Path
				found.SetSelf(at.Self())
			}
		}
		if a.Code != nil && found.Seen == "" {
			if v := version(a.Code.LibraryVersions, sdk); v != "" {
				found.Seen = "the library's version file, which says " + v
				found.SetSelf(a.Code.Self())
			}
		}
		for _, d := range a.Manifest.MetaData {
			if d.Value == "true" && slices.Contains(sdk.Off, d.Name) {
				found.Off = d.Name
			}
			if found.Seen == "" && slices.Contains(sdk.Metadata, d.Name) {
				found.Seen, found.ByName = "meta-data "+d.Name, true // it may be left of code that is gone
				found.SetSelf(d.Self())
			}
		}
		if found.Seen == "" {
			continue
		}
		if a.Code != nil {
			found.Version = version(a.Code.LibraryVersions, sdk)
		}
		e.SDKs, found = append(e.SDKs, found), new(SDK)
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

// index finds entries of a package by what a table calls them.
type index struct {
	files []*facts.File
	base  map[string]int // by the last part of the path
}

func indexOf(files []*facts.File) *index {
	x := &index{files, make(map[string]int, len(files))}
	for i, f := range files {
		name := f.Path[strings.LastIndexByte(f.Path, '/')+1:]
		if _, known := x.base[name]; !known {
			x.base[name] = i
		}
	}
	return x
}

// find is the first entry of a name. A name with a slash is the end of a path, since a
// bundle keeps everything in the folder of a module; one that ends with a slash is a
// folder in which something lies.
func (x *index) find(name string) *facts.File {
	switch {
	case strings.Contains(name, "*"): // such as a library with its architecture in the name
		for _, f := range x.files {
			if ok, err := path.Match(name, path.Base(f.Path)); ok && err == nil {
				return f
			}
		}
	case strings.HasSuffix(name, "/"):
		for _, f := range x.files {
			if strings.HasPrefix(f.Path, name) || strings.Contains(f.Path, "/"+name) {
				return f
			}
		}
	case strings.Contains(name, "/"):
		for _, f := range x.files {
			if f.Path == name || strings.HasSuffix(f.Path, "/"+name) {
				return f
			}
		}
	default:
		if i, ok := x.base[name]; ok {
			return x.files[i]
		}
	}
	return nil
}

// version is that of the libraries that carry the code, where they left a file that
// says so: group and name begin with the identifier, or with one of its packages.
func version(libraries map[string]string, sdk *tables.SDK) string {
	for _, name := range slices.Sorted(maps.Keys(libraries)) {
		for _, prefix := range append([]string{sdk.ID}, sdk.Classes...) {
			if hasPrefix(strings.Replace(name, "_", ".", 1), prefix) {
				return libraries[name]
			}
		}
	}
	return ""
}

// hasPrefix tells whether a class lies in a package, or is the class named.
func hasPrefix(class, prefix string) bool {
	return class == prefix || strings.HasPrefix(class, strings.TrimSuffix(prefix, ".")+".")
}
