package ios

import (
	"encoding/json"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/place"
)

// references looks for the files and classes that property lists and settings
// name.
func (r *reader) references(info *plist.Value, at place.Place) {
	r.out.References.SetSelf(at)
	r.namedFiles(info, at)
	r.classes(info, at)
	r.services()
	r.startPages()
}

// namedFiles looks for the files that the property list names.
func (r *reader) namedFiles(info *plist.Value, at place.Place) {
	interfaces := map[string]bool{}
	files := map[string]bool{}
	for _, e := range r.tree.Entries {
		files[e.Name] = true
		// A compiled interface is a file or a folder, at the root or in the
		// folder of a language.
		dir := e.Name
		for dir != "." {
			if ext := path.Ext(dir); ext == ".storyboardc" || ext == ".nib" {
				if up := path.Dir(dir); up == "." || path.Ext(up) == ".lproj" {
					interfaces[strings.TrimSuffix(path.Base(dir), ext)] = true
				}
			}
			dir = path.Dir(dir)
		}
	}
	add := func(kind, key string, v *plist.Value, present func(string) bool) {
		names := v.Texts()
		if n := v.Text(); n != "" {
			names = []string{n}
		}
		for _, n := range names {
			f := &facts.NamedFile{Kind: kind, Key: key, Name: n, Present: present(n)}
			f.SetSelf(valueAt(at, v, key))
			r.out.References.Files = append(r.out.References.Files, f)
		}
	}
	isFile := func(n string) bool { return files[strings.TrimPrefix(path.Clean(n), "./")] }
	isInterface := func(n string) bool {
		return interfaces[strings.TrimSuffix(strings.TrimSuffix(n, ".storyboard"), ".nib")]
	}
	add("font", "UIAppFonts", info.Get("UIAppFonts"), isFile)
	for _, k := range info.SortedKeys() {
		switch base, _, _ := strings.Cut(k, "~"); base {
		case "UILaunchStoryboardName":
			add("launch-screen", k, info.Get(k), isInterface)
		case "UIMainStoryboardFile", "NSMainNibFile":
			add("interface", k, info.Get(k), isInterface)
		}
	}
	sets, gap := r.setNames()
	for _, k := range []string{"UIImageName", "UIColorName"} {
		v := info.Path("UILaunchScreen", k)
		add("launch-part", "UILaunchScreen."+k, v, func(n string) bool {
			return sets[n] || k == "UIImageName" && (files[n] || files[n+".png"] || files[n+"@2x.png"] || files[n+"@3x.png"])
		})
		if gap != nil && v.Text() != "" && !r.out.References.Files[len(r.out.References.Files)-1].Present {
			fact.Lose(r.out.References.Files[len(r.out.References.Files)-1], &r.out.References.Files[len(r.out.References.Files)-1].Present, *gap)
		}
	}
	if scenes := info.Path("UIApplicationSceneManifest", "UISceneConfigurations"); scenes != nil {
		for _, role := range scenes.SortedKeys() {
			for _, c := range scenes.Get(role).List() {
				add("interface", "UISceneStoryboardFile", c.Get("UISceneStoryboardFile"), isInterface)
			}
		}
	}
}

// classes looks for the classes that property lists name. A class of the app
// stands among its names, or is imported from a framework or the system.
func (r *reader) classes(info *plist.Value, at place.Place) {
	known := map[string]bool{}
	var open *fact.Gap
	for _, b := range r.out.Bundles {
		if g := b.Code.NamesGap(); g != nil {
			open = g
		}
		for _, c := range b.Code.Classes {
			known[c] = true
			known[strings.Join(macho.SplitName(c), ".")] = true
		}
		for _, n := range slices.Concat(b.Code.Imports, b.Code.Exports) {
			if c, ok := strings.CutPrefix(n, "_OBJC_CLASS_$_"); ok {
				known[c] = true
				known[strings.Join(macho.SplitName(c), ".")] = true
			}
		}
	}
	add := func(bundle, key string, v *plist.Value, at place.Place) {
		name := v.Text()
		if name == "" {
			return
		}
		c := &facts.NamedClass{Bundle: bundle, Key: key, Name: name}
		// Code may register a class under its plain name, or under the module's.
		c.Present = known[name] || known[name[strings.LastIndexByte(name, '.')+1:]]
		// The system's own classes are found by name without being imported.
		c.Present = c.Present || strings.HasPrefix(name, "UI") || strings.HasPrefix(name, "NS")
		c.SetSelf(valueAt(at, v, key))
		if open != nil && !c.Present {
			fact.Lose(c, &c.Present, *open)
		}
		r.out.References.Classes = append(r.out.References.Classes, c)
	}
	add(".", "NSPrincipalClass", info.Get("NSPrincipalClass"), at)
	if scenes := info.Path("UIApplicationSceneManifest", "UISceneConfigurations"); scenes != nil {
		for _, role := range scenes.SortedKeys() {
			for _, c := range scenes.Get(role).List() {
				add(".", "UISceneDelegateClassName", c.Get("UISceneDelegateClassName"), at)
			}
		}
	}
	for _, b := range r.out.Nested {
		if ext := r.lists[b]; b.Kind == "extension" && ext != nil {
			add(b.Path, "NSExtensionPrincipalClass", ext.Path("NSExtension", "NSExtensionPrincipalClass"), b.Info.Self())
		}
	}
}

// services reads property lists of online services: those beside the app's own
// that name the app they were made for.
func (r *reader) services() {
	for _, e := range r.tree.Entries {
		if strings.Contains(e.Name, "/") || path.Ext(e.Name) != ".plist" || e.Name == "Info.plist" || e.Size > 1<<20 {
			continue
		}
		v, _, err := r.plist(e.Name)
		if err != nil {
			fact.Lose(&r.out.References, &r.out.References.Services, fact.Unread(e.Name+": "+err.Error()))
			continue
		}
		if v.Get("BUNDLE_ID").Text() == "" {
			continue
		}
		f := &facts.ServiceFile{Path: e.Name, AppID: v.Get("BUNDLE_ID").Text(), Scheme: v.Get("REVERSED_CLIENT_ID").Text()}
		f.SetSelf(r.at(e.Name))
		fact.Put(f, &f.AppID, valueAt(r.at(e.Name), v.Get("BUNDLE_ID"), "BUNDLE_ID"))
		fact.Put(f, &f.Scheme, valueAt(r.at(e.Name), v.Get("REVERSED_CLIENT_ID"), "REVERSED_CLIENT_ID"))
		r.out.References.Services = append(r.out.References.Services, f)
	}
}

// startPages reads the settings of hybrid runtimes, in JSON files at the app's
// root, for a page that is loaded from elsewhere.
func (r *reader) startPages() {
	for _, e := range r.tree.Entries {
		if strings.Contains(e.Name, "/") || !strings.HasSuffix(e.Name, ".config.json") || e.Size > 1<<20 {
			continue
		}
		data, err := e.Read(1 << 20)
		if err != nil {
			fact.Lose(&r.out.References, &r.out.References.StartPages, fact.Unread(e.Name+": "+err.Error()))
			continue
		}
		var c struct {
			Server struct {
				URL       string `json:"url"`
				Cleartext bool   `json:"cleartext"`
			} `json:"server"`
		}
		if json.Unmarshal(data, &c) != nil || c.Server.URL == "" {
			continue
		}
		p := &facts.StartPage{File: e.Name, URL: c.Server.URL, Cleartext: c.Server.Cleartext}
		p.SetSelf(r.at(e.Name).In("server.url"))
		r.out.References.StartPages = append(r.out.References.StartPages, p)
	}
}
