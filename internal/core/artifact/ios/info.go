package ios

import (
	"fmt"
	"path"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/place"
)

func (r *reader) info(info *plist.Value, at place.Place) {
	o := r.out
	text := func(field, key string, into *string) {
		v := info.Get(key)
		*into = v.Text()
		r.put(field, at, v, key)
		if v != nil && v.Kind != plist.String {
			w := &facts.WrongType{Key: key, Type: v.Kind.Noun(), Want: plist.String.Noun()}
			w.SetSelf(valueAt(at, v, key))
			o.WrongTypes = append(o.WrongTypes, w)
			o.SetUnread(field, fmt.Sprintf("%s is %s, not a string", key, v.Kind.Noun()))
		}
	}
	o.Keys = info.SortedKeys()
	o.Put("keys", at)
	o.Put("switched_on", at)
	o.Texts = map[string]string{}
	for _, k := range o.Keys {
		switch v := info.Get(k); {
		case v.IsTrue():
			o.SwitchedOn = append(o.SwitchedOn, k)
		case v.Kind == plist.String:
			o.Texts[k] = v.Str
		}
	}
	r.more(info, at)
	text("id", "CFBundleIdentifier", &o.ID)
	text("version", "CFBundleShortVersionString", &o.Version)
	text("build", "CFBundleVersion", &o.Build)
	text("executable", "CFBundleExecutable", &o.Executable)
	text("min_os", "MinimumOSVersion", &o.MinOS)
	text("sdk_name", "DTSDKName", &o.SDKName)
	text("name", "CFBundleDisplayName", &o.Name)
	if o.Name == "" {
		text("name", "CFBundleName", &o.Name)
	}
	o.Platforms = info.Get("CFBundleSupportedPlatforms").Texts()
	r.put("platforms", at, info.Get("CFBundleSupportedPlatforms"), "CFBundleSupportedPlatforms")
	if fam := info.Get("UIDeviceFamily"); fam != nil {
		for _, it := range fam.Items {
			o.Families = append(o.Families, it.Int)
		}
		if fam.Kind == plist.Integer {
			o.Families = []int64{fam.Int}
		}
	}
	r.put("families", at, info.Get("UIDeviceFamily"), "UIDeviceFamily")
	if v := info.Get("ITSAppUsesNonExemptEncryption"); v != nil {
		o.EncryptionSaid = true
		switch {
		case v.Kind == plist.Boolean:
			o.Encryption = &v.Bool
		default:
			o.SetUnread("encryption", fmt.Sprintf("ITSAppUsesNonExemptEncryption is %s, not a boolean", v.Kind.Noun()))
		}
	} else {
		o.SetUnread("encryption", "the property list has no ITSAppUsesNonExemptEncryption")
	}
	r.put("encryption", at, info.Get("ITSAppUsesNonExemptEncryption"), "ITSAppUsesNonExemptEncryption")
	r.put("encryption_said", at, info.Get("ITSAppUsesNonExemptEncryption"), "ITSAppUsesNonExemptEncryption")
	o.PackageType = info.Get("CFBundlePackageType").Text()
	r.put("package_type", at, info.Get("CFBundlePackageType"), "CFBundlePackageType")
	o.RequiresIOS = info.Get("LSRequiresIPhoneOS").IsTrue()
	r.put("requires_ios", at, info.Get("LSRequiresIPhoneOS"), "LSRequiresIPhoneOS")
	o.FullScreen = info.Get("UIRequiresFullScreen").IsTrue()
	turns := info.Get("UISupportedInterfaceOrientations~ipad")
	if turns == nil {
		turns = info.Get("UISupportedInterfaceOrientations")
	}
	o.Orientations = turns.Texts()
	r.put("orientations", at, turns, "UISupportedInterfaceOrientations")
	o.Capabilities = info.Get("UIRequiredDeviceCapabilities").Texts()
	r.put("capabilities", at, info.Get("UIRequiredDeviceCapabilities"), "UIRequiredDeviceCapabilities")
	o.QuerySchemes = info.Get("LSApplicationQueriesSchemes").Texts()
	r.put("query_schemes", at, info.Get("LSApplicationQueriesSchemes"), "LSApplicationQueriesSchemes")
	o.TaskIDs = info.Get("BGTaskSchedulerPermittedIdentifiers").Texts()
	r.put("task_ids", at, info.Get("BGTaskSchedulerPermittedIdentifiers"), "BGTaskSchedulerPermittedIdentifiers")
	o.BonjourServices = info.Get("NSBonjourServices").Texts()
	unexpanded("", info, &o.Unexpanded)
	o.Put("unexpanded", at)
	launch := info.Get("UILaunchStoryboardName")
	if launch == nil {
		launch = info.Get("UILaunchScreen")
	}
	if launch == nil {
		launch = info.Get("UILaunchScreens")
	}
	o.LaunchScreen = launch != nil
	r.put("launch_screen", at, launch, "UILaunchScreen")
	o.BackgroundModes = info.Get("UIBackgroundModes").Texts()
	r.put("background_modes", at, info.Get("UIBackgroundModes"), "UIBackgroundModes")
	if types := info.Get("CFBundleURLTypes"); types != nil {
		for _, t := range types.Items {
			o.URLSchemes = append(o.URLSchemes, t.Get("CFBundleURLSchemes").Texts()...)
		}
		r.put("url_schemes", at, types, "CFBundleURLTypes")
	}
	r.named(info, at)
	r.documents(info, at)
	o.BoundDomains = info.Get("WKAppBoundDomains").Texts()
	r.put("bound_domains", at, info.Get("WKAppBoundDomains"), "WKAppBoundDomains")
	r.put("bonjour_services", at, info.Get("NSBonjourServices"), "NSBonjourServices")
	if hosts := info.Path("NSAppTransportSecurity", "NSExceptionDomains"); hosts != nil {
		for _, host := range hosts.SortedKeys() {
			v := hosts.Get(host)
			e := &facts.HostException{Host: host}
			for _, k := range []string{"NSExceptionAllowsInsecureHTTPLoads", "NSThirdPartyExceptionAllowsInsecureHTTPLoads", "NSTemporaryExceptionAllowsInsecureHTTPLoads"} {
				e.Insecure = e.Insecure || v.Get(k).IsTrue()
			}
			for _, k := range []string{"NSExceptionMinimumTLSVersion", "NSThirdPartyExceptionMinimumTLSVersion", "NSTemporaryExceptionMinimumTLSVersion"} {
				if t := v.Get(k).Text(); t != "" {
					e.MinTLS = t
				}
			}
			e.SetSelf(valueAt(at, v, "NSAppTransportSecurity.NSExceptionDomains."+host))
			o.HostExceptions = append(o.HostExceptions, e)
		}
	}
	ats := info.Path("NSAppTransportSecurity", "NSAllowsArbitraryLoads")
	o.ArbitraryLoads = ats.IsTrue()
	// From iOS 10 on, any of the narrower keys takes its place.
	for _, k := range []string{"NSAllowsArbitraryLoadsInWebContent", "NSAllowsArbitraryLoadsForMedia", "NSAllowsLocalNetworking"} {
		if info.Path("NSAppTransportSecurity", k) != nil && major(o.MinOS) >= 10 {
			o.ArbitraryLoads = false
		}
	}
	r.put("arbitrary_loads", at, ats, "NSAppTransportSecurity.NSAllowsArbitraryLoads")
}

// major is the first number of a version, 0 when there is none.
func major(version string) int {
	first, _, _ := strings.Cut(version, ".")
	n, _ := strconv.Atoi(first)
	return n
}

// named looks for the files that the property list names.
func (r *reader) named(info *plist.Value, at place.Place) {
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
			r.out.Named = append(r.out.Named, f)
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
	sets, why := r.setNames()
	for _, k := range []string{"UIImageName", "UIColorName"} {
		v := info.Path("UILaunchScreen", k)
		add("launch-part", "UILaunchScreen."+k, v, func(n string) bool {
			return sets[n] || k == "UIImageName" && (files[n] || files[n+".png"] || files[n+"@2x.png"] || files[n+"@3x.png"])
		})
		if why != "" && v.Text() != "" && !r.out.Named[len(r.out.Named)-1].Present {
			r.out.Named[len(r.out.Named)-1].SetUnread("present", why)
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

// documents reads which kinds of documents the app opens, and how.
func (r *reader) documents(info *plist.Value, at place.Place) {
	for i, d := range info.Get("CFBundleDocumentTypes").List() {
		t := &facts.DocumentType{Name: d.Get("CFBundleTypeName").Text(), Rank: d.Get("LSHandlerRank").Text()}
		t.SetSelf(valueAt(at, d, fmt.Sprintf("CFBundleDocumentTypes[%d]", i)))
		r.out.DocumentTypes = append(r.out.DocumentTypes, t)
	}
	r.put("document_types", at, info.Get("CFBundleDocumentTypes"), "CFBundleDocumentTypes")
	r.out.OpensInPlace = info.Get("UISupportsDocumentBrowser").IsTrue() || info.Get("LSSupportsOpeningDocumentsInPlace") != nil
}

// unexpanded lists the keys whose value still holds a build variable.
func unexpanded(path string, v *plist.Value, out *[]string) {
	switch v.Kind {
	case plist.String:
		if strings.Contains(v.Str, "$(") || strings.Contains(v.Str, "${") {
			*out = append(*out, strings.TrimPrefix(path, "."))
		}
	case plist.Dict:
		for _, k := range v.Keys() {
			unexpanded(path+"."+k, v.Get(k), out)
		}
	case plist.Array:
		for i, it := range v.Items {
			unexpanded(fmt.Sprintf("%s[%d]", path, i), it, out)
		}
	}
}

// purposes reads the texts that the system shows when it asks for access, and
// their translations.
func (r *reader) purposes(info *plist.Value, at place.Place) {
	byKey := map[string]*facts.Purpose{}
	for _, k := range info.SortedKeys() {
		if !strings.HasPrefix(k, "NS") || !strings.HasSuffix(k, "UsageDescription") {
			continue
		}
		v := info.Get(k)
		p := &facts.Purpose{Key: k, Text: v.Text()}
		here := at
		here.Key, here.Offset = k, v.Offset
		p.SetSelf(here)
		if v.Kind != plist.String {
			w := &facts.WrongType{Key: k, Type: v.Kind.Noun(), Want: plist.String.Noun()}
			w.SetSelf(here)
			r.out.WrongTypes = append(r.out.WrongTypes, w)
			p.SetUnread("text", fmt.Sprintf("%s is %s, not a string", k, v.Kind.Noun()))
		}
		byKey[k] = p
		r.out.Purposes = append(r.out.Purposes, p)
	}
	for _, dir := range r.tree.Folders("") {
		lang, ok := strings.CutSuffix(dir, ".lproj")
		if !ok {
			continue
		}
		if lang != "Base" {
			r.out.Locales = append(r.out.Locales, lang)
		}
		strs, err := r.strings(dir + "/InfoPlist.strings")
		if err != nil {
			continue // no translations in this language, or none that can be read
		}
		for _, k := range []string{"CFBundleName", "CFBundleDisplayName"} {
			if n := strs[k]; n != "" && n != r.out.Name {
				if r.out.Names == nil {
					r.out.Names = map[string]string{}
				}
				r.out.Names[lang] = n
			}
		}
		for k, p := range byKey {
			if t, ok := strs[k]; ok {
				if p.Locales == nil {
					p.Locales = make(map[string]string)
				}
				p.Locales[lang] = t
			}
		}
	}
	r.out.Put("locales", place.Place{File: r.file, Entry: r.root})
}
