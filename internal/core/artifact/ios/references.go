package ios

import (
	"encoding/json"
	"fmt"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/core/format/plist"
)

// references looks for the files and classes that property lists and settings
// name.
func (r *reader) references() {
	r.out.References.SetSelf(r.out.Self())
	for _, b := range r.out.Apps {
		if info := r.lists[b]; info != nil {
			r.namedFiles(b, info)
		}
	}
	r.classes()
	r.services()
	r.startPages()
}

// namedFiles looks for the files that the property list of an app or a clip names.
func (r *reader) namedFiles(b *facts.Bundle, info *plist.Value) {
	interfaces := map[string]bool{}
	files := map[string]bool{}
	for _, e := range r.tree.Sub(b.Path).Entries {
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
	d, bundle := r.decoders[b], ""
	if b != r.out.App {
		bundle = b.Path
	}
	before := len(d.wrong)
	add := func(kind, key string, v *plist.Value, names []string, present func(string) bool) {
		for _, n := range names {
			f := &facts.NamedFile{Bundle: bundle, Kind: kind, Key: key, Name: n, Present: present(n)}
			f.SetSelf(valueAt(d.at, v, key))
			r.out.References.Files = append(r.out.References.Files, f)
		}
	}
	one := func(kind, key string, dict *plist.Value, prefix string, present func(string) bool) {
		if n := d.text(dict, key, prefix); n != "" {
			add(kind, join(prefix, key), dict.Get(key), []string{n}, present)
		}
	}
	isFile := func(n string) bool { return files[strings.TrimPrefix(path.Clean(n), "./")] }
	isInterface := func(n string) bool {
		return interfaces[strings.TrimSuffix(strings.TrimSuffix(n, ".storyboard"), ".nib")]
	}
	add("font", "UIAppFonts", info.Get("UIAppFonts"), d.texts(info, "UIAppFonts", ""), isFile)
	for _, k := range info.SortedKeys() {
		switch base, _, _ := strings.Cut(k, "~"); base {
		case "UILaunchStoryboardName":
			one("launch-screen", k, info, "", isInterface)
		case "UIMainStoryboardFile", "NSMainNibFile":
			one("interface", k, info, "", isInterface)
		}
	}
	sets, gap := r.setNames(b.Path)
	screen := d.of(info, "UILaunchScreen", "", plist.Dict)
	for _, k := range []string{"UIImageName", "UIColorName"} {
		had := len(r.out.References.Files)
		one("launch-part", k, screen, "UILaunchScreen", func(n string) bool {
			return sets[n] || k == "UIImageName" && (files[n] || files[n+".png"] || files[n+"@2x.png"] || files[n+"@3x.png"])
		})
		for _, f := range r.out.References.Files[had:] {
			if gap != nil && !f.Present {
				fact.Lose(f, &f.Present, *gap)
			}
		}
	}
	d.scenes(info, func(c *plist.Value, prefix string) {
		if n := d.text(c, "UISceneStoryboardFile", prefix); n != "" {
			add("interface", "UISceneStoryboardFile", c.Get("UISceneStoryboardFile"), []string{n}, isInterface)
		}
	})
	if g := d.since(before); g != nil {
		fact.Lose(&r.out.References, &r.out.References.Files, *g)
	}
}

// scenes goes through the scene configurations of a property list.
func (d *decoder) scenes(info *plist.Value, visit func(c *plist.Value, prefix string)) {
	const manifest, all = "UIApplicationSceneManifest", "UISceneConfigurations"
	roles := d.of(d.of(info, manifest, "", plist.Dict), all, manifest, plist.Dict)
	for _, role := range roles.SortedKeys() {
		prefix := manifest + "." + all
		list := d.of(roles, role, prefix, plist.Array)
		if list == nil {
			continue
		}
		for i, c := range list.Items {
			k := fmt.Sprintf("%s.%s[%d]", prefix, role, i)
			if d.check(keyed{k, c}, plist.Dict) == "" {
				visit(c, k)
			}
		}
	}
}

// classes looks for the classes that property lists name. A class of the app
// stands among its names, or is imported from a framework or the system.
func (r *reader) classes() {
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
	add := func(b *facts.Bundle, key string, dict *plist.Value, prefix string) {
		name := r.decoders[b].text(dict, key, prefix)
		if name == "" {
			return
		}
		c := &facts.NamedClass{Bundle: b.Path, Key: key, Name: name}
		// Code may register a class under its plain name, or under the module's.
		c.Present = known[name] || known[name[strings.LastIndexByte(name, '.')+1:]]
		// The system's own classes are found by name without being imported.
		c.Present = c.Present || strings.HasPrefix(name, "UI") || strings.HasPrefix(name, "NS")
		c.SetSelf(valueAt(r.decoders[b].at, dict.Get(key), key))
		if open != nil && !c.Present {
			fact.Lose(c, &c.Present, *open)
		}
		r.out.References.Classes = append(r.out.References.Classes, c)
	}
	for _, b := range r.out.Programs {
		info := r.lists[b]
		if info == nil {
			continue
		}
		if b.Kind == "extension" {
			add(b, "NSExtensionPrincipalClass", r.decoders[b].of(info, "NSExtension", "", plist.Dict), "NSExtension")
			continue
		}
		add(b, "NSPrincipalClass", info, "")
		r.decoders[b].scenes(info, func(c *plist.Value, prefix string) { add(b, "UISceneDelegateClassName", c, prefix) })
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
