package ios

import (
	"encoding/json"
	"fmt"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/place"
)

// more reads keys of the property list that fewer apps have.
func (r *reader) more(info *plist.Value, at place.Place) {
	o := r.out
	o.InfoVersion = info.Get("CFBundleInfoDictionaryVersion").Text()
	r.put("info_version", at, info.Get("CFBundleInfoDictionaryVersion"), "CFBundleInfoDictionaryVersion")
	o.Tools = &facts.BuildTools{
		Platform: info.Get("DTPlatformName").Text(), PlatformVersion: info.Get("DTPlatformVersion").Text(),
		Version: info.Get("DTXcode").Text(), Build: info.Get("DTXcodeBuild").Text(),
		SDKBuild: info.Get("DTSDKBuild").Text(), SystemBuild: info.Get("BuildMachineOSBuild").Text(),
	}
	o.Tools.SetSelf(at)
	for field, key := range map[string]string{"platform": "DTPlatformName", "platform_version": "DTPlatformVersion", "version": "DTXcode",
		"build": "DTXcodeBuild", "sdk_build": "DTSDKBuild", "system_build": "BuildMachineOSBuild"} {
		o.Tools.Put(field, valueAt(at, info.Get(key), key))
	}
	for _, k := range info.SortedKeys() {
		if base, _, _ := strings.Cut(k, "~"); base == "UISupportedInterfaceOrientations" {
			o.Turns = append(o.Turns, info.Get(k).Texts()...)
			r.put("turns", at, info.Get(k), k)
		}
	}
	slices.Sort(o.Turns)
	o.Turns = slices.Compact(o.Turns)
	for i, t := range info.Get("UTExportedTypeDeclarations").List() {
		x := &facts.ExportedType{ID: t.Get("UTTypeIdentifier").Text(), Conforms: t.Get("UTTypeConformsTo") != nil}
		x.SetSelf(valueAt(at, t, fmt.Sprintf("UTExportedTypeDeclarations[%d]", i)))
		o.ExportedTypes = append(o.ExportedTypes, x)
	}
	for _, t := range info.Get("SKAdNetworkItems").List() {
		o.AdNetworks = append(o.AdNetworks, t.Get("SKAdNetworkIdentifier").Text())
	}
	r.put("ad_networks", at, info.Get("SKAdNetworkItems"), "SKAdNetworkItems")
	for i, t := range info.Get("UIApplicationShortcutItems").List() {
		x := &facts.Shortcut{Type: t.Get("UIApplicationShortcutItemType").Text(), Title: t.Get("UIApplicationShortcutItemTitle").Text()}
		x.SetSelf(valueAt(at, t, fmt.Sprintf("UIApplicationShortcutItems[%d]", i)))
		o.Shortcuts = append(o.Shortcuts, x)
	}
	r.put("shortcuts", at, info.Get("UIApplicationShortcutItems"), "UIApplicationShortcutItems")
	for _, k := range []string{"NSAdvertisingAttributionReportEndpoint", "AttributionCopyEndpoint"} {
		if v := info.Get(k); v != nil {
			x := &facts.Endpoint{Key: k, URL: v.Text()}
			x.SetSelf(valueAt(at, v, k))
			o.Endpoints = append(o.Endpoints, x)
		}
	}
	o.Accessories = info.Get("UISupportedExternalAccessoryProtocols").Texts()
	r.put("accessory_protocols", at, info.Get("UISupportedExternalAccessoryProtocols"), "UISupportedExternalAccessoryProtocols")
}

// classes looks for the classes that property lists name. A class of the app
// stands among its names, or is imported from a framework or the system.
func (r *reader) classes(info *plist.Value, at place.Place) {
	known := map[string]bool{}
	open := r.out.Unread("binaries")
	for _, b := range r.out.Binaries {
		if why := b.Unread("imports"); why != "" {
			open = b.Path + ": " + why
		}
		for _, c := range b.Classes {
			known[c] = true
			known[strings.Join(macho.SplitName(c), ".")] = true
		}
		for _, n := range slices.Concat(b.Imports, b.Exports) {
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
		if open != "" && !c.Present {
			c.SetUnread("present", open)
		}
		r.out.Classes = append(r.out.Classes, c)
	}
	add(".", "NSPrincipalClass", info.Get("NSPrincipalClass"), at)
	if scenes := info.Path("UIApplicationSceneManifest", "UISceneConfigurations"); scenes != nil {
		for _, role := range scenes.SortedKeys() {
			for _, c := range scenes.Get(role).List() {
				add(".", "UISceneDelegateClassName", c.Get("UISceneDelegateClassName"), at)
			}
		}
	}
	for _, n := range r.out.Nested {
		if n.Kind != "extension" {
			continue
		}
		name := n.Path + "/Info.plist"
		if ext, _, err := r.plist(name); err == nil {
			add(n.Path, "NSExtensionPrincipalClass", ext.Path("NSExtension", "NSExtensionPrincipalClass"), r.at(name))
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
			r.out.SetUnread("service_files", e.Name+": "+err.Error())
			continue
		}
		if v.Get("BUNDLE_ID").Text() == "" {
			continue
		}
		f := &facts.ServiceFile{Path: e.Name, AppID: v.Get("BUNDLE_ID").Text(), Scheme: v.Get("REVERSED_CLIENT_ID").Text()}
		f.SetSelf(r.at(e.Name))
		f.Put("app_id", valueAt(r.at(e.Name), v.Get("BUNDLE_ID"), "BUNDLE_ID"))
		f.Put("scheme", valueAt(r.at(e.Name), v.Get("REVERSED_CLIENT_ID"), "REVERSED_CLIENT_ID"))
		r.out.Services = append(r.out.Services, f)
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
			r.out.SetUnread("start_pages", e.Name+": "+err.Error())
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
		r.out.StartPages = append(r.out.StartPages, p)
	}
}
