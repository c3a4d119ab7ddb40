package ios

import (
	"path"
	"sort"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/plist"
)

// nested finds the bundles inside the app and reads their property lists.
func (r *reader) nested() {
	kinds := map[string]string{".appex": "extension", ".framework": "framework", ".app": "app-clip"}
	for _, e := range r.tree.Entries {
		dir := path.Dir(e.Name)
		if path.Base(e.Name) != "Info.plist" || dir == "." {
			continue
		}
		kind := kinds[path.Ext(dir)]
		switch {
		case kind == "":
			continue
		case kind == "app-clip" && strings.HasPrefix(dir, "Watch/"):
			kind = "watch-app"
		}
		n := &facts.Nested{Kind: kind, Path: dir}
		n.SetSelf(r.at(e.Name))
		info, _, err := r.plist(e.Name)
		if err != nil {
			for _, f := range []string{"id", "version", "build", "min_os", "point", "executable", "package_type", "name", "platforms", "families",
				"entry_point", "open_access", "activation", "intents", "clip", "companion", "watch_app", "runs_alone", "icon", "purpose_keys"} {
				n.SetUnread(f, "its property list cannot be read: "+err.Error())
			}
		} else {
			r.nestedInfo(n, info)
		}
		n.PrivacyManifest = r.tree.Get(dir+"/PrivacyInfo.xcprivacy") != nil
		for _, f := range r.tree.Below(dir) {
			n.Size += f.Size
			rest := f.Name[len(dir)+1:]
			n.Inner = n.Inner || strings.HasPrefix(rest, "Frameworks/")
			n.Versions = n.Versions || strings.HasPrefix(rest, "Versions/")
		}
		r.out.Nested = append(r.out.Nested, n)
	}
	r.withoutList()
	sort.Slice(r.out.Nested, func(i, j int) bool { return r.out.Nested[i].Path < r.out.Nested[j].Path })
}

// nestedInfo reads the property list of a nested bundle.
func (r *reader) nestedInfo(n *facts.Nested, info *plist.Value) {
	at := r.at(n.Path + "/Info.plist")
	text := func(field, key string, into *string) {
		*into = info.Get(key).Text()
		n.Put(field, valueAt(at, info.Get(key), key))
	}
	text("id", "CFBundleIdentifier", &n.ID)
	text("version", "CFBundleShortVersionString", &n.Version)
	text("build", "CFBundleVersion", &n.Build)
	text("min_os", "MinimumOSVersion", &n.MinOS)
	text("executable", "CFBundleExecutable", &n.Executable)
	text("package_type", "CFBundlePackageType", &n.PackageType)
	text("name", "CFBundleDisplayName", &n.Name)
	text("companion", "WKCompanionAppBundleIdentifier", &n.Companion)
	n.Platforms = info.Get("CFBundleSupportedPlatforms").Texts()
	n.Put("platforms", valueAt(at, info.Get("CFBundleSupportedPlatforms"), "CFBundleSupportedPlatforms"))
	for _, f := range info.Get("UIDeviceFamily").List() {
		n.Families = append(n.Families, f.Int)
	}
	n.Put("families", valueAt(at, info.Get("UIDeviceFamily"), "UIDeviceFamily"))
	for _, k := range info.SortedKeys() {
		if strings.HasPrefix(k, "NS") && strings.Contains(k, "UsageDescription") {
			n.PurposeKeys = append(n.PurposeKeys, k)
		}
	}
	ext, kit := info.Get("NSExtension"), info.Get("EXAppExtensionAttributes")
	n.Point = ext.Get("NSExtensionPointIdentifier").Text()
	n.Put("point", valueAt(at, ext.Get("NSExtensionPointIdentifier"), "NSExtension.NSExtensionPointIdentifier"))
	if kit != nil {
		n.NewStyle, n.Point = true, kit.Get("EXExtensionPointIdentifier").Text()
		n.Put("point", valueAt(at, kit.Get("EXExtensionPointIdentifier"), "EXAppExtensionAttributes.EXExtensionPointIdentifier"))
	}
	n.EntryPoint = ext.Get("NSExtensionPrincipalClass") != nil || ext.Get("NSExtensionMainStoryboard") != nil
	attrs := ext.Get("NSExtensionAttributes")
	n.OpenAccess = attrs.Get("RequestsOpenAccess").IsTrue()
	n.Activation = attrs.Get("NSExtensionActivationRule").Text()
	n.Intents = attrs.Get("IntentsSupported").Texts()
	for field, key := range map[string]string{"open_access": "RequestsOpenAccess", "activation": "NSExtensionActivationRule", "intents": "IntentsSupported"} {
		n.Put(field, valueAt(at, attrs.Get(key), "NSExtension.NSExtensionAttributes."+key))
	}
	n.Clip = info.Get("NSAppClip") != nil
	n.WatchApp = info.Get("WKApplication").IsTrue() || info.Get("WKWatchKitApp").IsTrue()
	n.RunsAlone = info.Get("WKRunsIndependentlyOfCompanionApp").IsTrue() || info.Get("WKWatchOnly").IsTrue()
	if n.Kind == "watch-app" || n.Kind == "app-clip" || info.Get("CFBundleIcons") != nil {
		n.Icon = r.icon(info, at, n.Path)
	}
}

// withoutList notes frameworks that have no property list at their root, as
// those in the layout of the desktop.
func (r *reader) withoutList() {
	seen := map[string]bool{}
	for _, n := range r.out.Nested {
		seen[n.Path] = true
	}
	for _, e := range r.tree.Entries {
		at := strings.Index(e.Name, ".framework/")
		if at < 0 {
			continue
		}
		dir := e.Name[:at+len(".framework")]
		if seen[dir] {
			continue
		}
		seen[dir] = true
		n := &facts.Nested{Kind: "framework", Path: dir}
		n.SetSelf(r.at(dir))
		for _, f := range r.tree.Below(dir) {
			n.Size += f.Size
			n.Versions = n.Versions || strings.HasPrefix(f.Name[len(dir)+1:], "Versions/")
		}
		r.out.Nested = append(r.out.Nested, n)
	}
}
