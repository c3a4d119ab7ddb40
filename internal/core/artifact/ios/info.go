package ios

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/place"
)

// info reads the property list of a bundle.
func (r *reader) info(b *facts.Bundle, info *plist.Value, at place.Place) {
	o := &b.Info
	o.SetSelf(at)
	put := func(field string, v *plist.Value, key string) { o.Put(field, valueAt(at, v, key)) }
	text := func(field, key string, into *string) {
		v := info.Get(key)
		*into = v.Text()
		put(field, v, key)
		if v != nil && v.Kind != plist.String {
			w := &facts.WrongType{Key: key, Type: v.Kind.Noun(), Want: plist.String.Noun()}
			w.SetSelf(valueAt(at, v, key))
			o.WrongTypes = append(o.WrongTypes, w)
			o.Lose(field, fact.Unread(fmt.Sprintf("%s is %s, not a string", key, v.Kind.Noun())))
		}
	}
	o.Twice = info.Twice
	o.Put("twice", at)
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
	put("platforms", info.Get("CFBundleSupportedPlatforms"), "CFBundleSupportedPlatforms")
	if fam := info.Get("UIDeviceFamily"); fam != nil {
		for _, it := range fam.Items {
			o.Families = append(o.Families, it.Int)
		}
		if fam.Kind == plist.Integer {
			o.Families = []int64{fam.Int}
		}
	}
	put("families", info.Get("UIDeviceFamily"), "UIDeviceFamily")
	if v := info.Get("ITSAppUsesNonExemptEncryption"); v != nil {
		o.EncryptionDeclared = true
		switch {
		case v.Kind == plist.Boolean:
			o.Encryption = &v.Bool
		default:
			w := &facts.WrongType{Key: "ITSAppUsesNonExemptEncryption", Type: v.Kind.Noun(), Want: plist.Boolean.Noun()}
			w.SetSelf(valueAt(at, v, "ITSAppUsesNonExemptEncryption"))
			o.WrongTypes = append(o.WrongTypes, w)
			o.Lose("encryption", fact.Unread(fmt.Sprintf("ITSAppUsesNonExemptEncryption is %s, not a boolean", v.Kind.Noun())))
		}
	} else if b.Kind == "app" {
		o.Lose("encryption", fact.Missing("the property list has no ITSAppUsesNonExemptEncryption"))
	}
	put("encryption", info.Get("ITSAppUsesNonExemptEncryption"), "ITSAppUsesNonExemptEncryption")
	put("encryption_declared", info.Get("ITSAppUsesNonExemptEncryption"), "ITSAppUsesNonExemptEncryption")
	o.PackageType = info.Get("CFBundlePackageType").Text()
	put("package_type", info.Get("CFBundlePackageType"), "CFBundlePackageType")
	o.RequiresIOS = info.Get("LSRequiresIPhoneOS").IsTrue()
	put("requires_ios", info.Get("LSRequiresIPhoneOS"), "LSRequiresIPhoneOS")
	o.FullScreen = info.Get("UIRequiresFullScreen").IsTrue() || info.Get("UIRequiresFullScreen~ipad").IsTrue()
	o.Stub = info.Get("LSApplicationLaunchProhibited").IsTrue() || info.Get("ITSWatchOnlyContainer").IsTrue()
	o.DevelopmentRegion = info.Get("CFBundleDevelopmentRegion").Text()
	turns := info.Get("UISupportedInterfaceOrientations~ipad")
	if turns == nil {
		turns = info.Get("UISupportedInterfaceOrientations")
	}
	o.Orientations = turns.Texts()
	put("orientations", turns, "UISupportedInterfaceOrientations")
	o.Capabilities = info.Get("UIRequiredDeviceCapabilities").Texts()
	put("capabilities", info.Get("UIRequiredDeviceCapabilities"), "UIRequiredDeviceCapabilities")
	o.QuerySchemes = info.Get("LSApplicationQueriesSchemes").Texts()
	put("query_schemes", info.Get("LSApplicationQueriesSchemes"), "LSApplicationQueriesSchemes")
	o.TaskIDs = info.Get("BGTaskSchedulerPermittedIdentifiers").Texts()
	put("task_ids", info.Get("BGTaskSchedulerPermittedIdentifiers"), "BGTaskSchedulerPermittedIdentifiers")
	o.BonjourServices = info.Get("NSBonjourServices").Texts()
	unexpanded("", info, &o.Unexpanded)
	o.Put("unexpanded", at)
	var launch *plist.Value
	for _, k := range []string{"UILaunchStoryboardName", "UILaunchScreen", "UILaunchScreens", "UILaunchStoryboardName~ipad", "UILaunchStoryboardName~iphone"} {
		if launch == nil {
			launch = info.Get(k)
		}
	}
	o.LaunchScreen = launch != nil
	put("launch_screen", launch, "UILaunchScreen")
	o.BackgroundModes = info.Get("UIBackgroundModes").Texts()
	put("background_modes", info.Get("UIBackgroundModes"), "UIBackgroundModes")
	if types := info.Get("CFBundleURLTypes"); types != nil {
		for _, t := range types.Items {
			o.URLSchemes = append(o.URLSchemes, t.Get("CFBundleURLSchemes").Texts()...)
		}
		put("url_schemes", types, "CFBundleURLTypes")
	}
	documents(o, info, at)
	o.BoundDomains = info.Get("WKAppBoundDomains").Texts()
	put("bound_domains", info.Get("WKAppBoundDomains"), "WKAppBoundDomains")
	put("bonjour_services", info.Get("NSBonjourServices"), "NSBonjourServices")
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
	o.MediaLoads = info.Path("NSAppTransportSecurity", "NSAllowsArbitraryLoadsForMedia").IsTrue()
	put("arbitrary_loads", ats, "NSAppTransportSecurity.NSAllowsArbitraryLoads")
	r.purposes(b, info, at)
	o.InfoVersion = info.Get("CFBundleInfoDictionaryVersion").Text()
	put("info_version", info.Get("CFBundleInfoDictionaryVersion"), "CFBundleInfoDictionaryVersion")
	o.BuildTools = &facts.BuildTools{
		Platform: info.Get("DTPlatformName").Text(), PlatformVersion: info.Get("DTPlatformVersion").Text(),
		Version: info.Get("DTXcode").Text(), Build: info.Get("DTXcodeBuild").Text(),
		SDKBuild: info.Get("DTSDKBuild").Text(), SystemBuild: info.Get("BuildMachineOSBuild").Text(),
	}
	o.BuildTools.SetSelf(at)
	for field, key := range map[string]string{"platform": "DTPlatformName", "platform_version": "DTPlatformVersion", "version": "DTXcode",
		"build": "DTXcodeBuild", "sdk_build": "DTSDKBuild", "system_build": "BuildMachineOSBuild"} {
		o.BuildTools.Put(field, valueAt(at, info.Get(key), key))
	}
	for _, k := range info.SortedKeys() {
		if base, _, _ := strings.Cut(k, "~"); base == "UISupportedInterfaceOrientations" {
			o.AllOrientations = append(o.AllOrientations, info.Get(k).Texts()...)
			put("all_orientations", info.Get(k), k)
		}
	}
	slices.Sort(o.AllOrientations)
	o.AllOrientations = slices.Compact(o.AllOrientations)
	for i, t := range info.Get("UTExportedTypeDeclarations").List() {
		x := &facts.ExportedType{ID: t.Get("UTTypeIdentifier").Text(), Conforms: t.Get("UTTypeConformsTo") != nil}
		x.SetSelf(valueAt(at, t, fmt.Sprintf("UTExportedTypeDeclarations[%d]", i)))
		o.ExportedTypes = append(o.ExportedTypes, x)
	}
	for _, t := range info.Get("SKAdNetworkItems").List() {
		o.AdNetworks = append(o.AdNetworks, t.Get("SKAdNetworkIdentifier").Text())
	}
	put("ad_networks", info.Get("SKAdNetworkItems"), "SKAdNetworkItems")
	for i, t := range info.Get("UIApplicationShortcutItems").List() {
		x := &facts.Shortcut{Type: t.Get("UIApplicationShortcutItemType").Text(), Title: t.Get("UIApplicationShortcutItemTitle").Text()}
		x.SetSelf(valueAt(at, t, fmt.Sprintf("UIApplicationShortcutItems[%d]", i)))
		o.Shortcuts = append(o.Shortcuts, x)
	}
	put("shortcuts", info.Get("UIApplicationShortcutItems"), "UIApplicationShortcutItems")
	for _, k := range []string{"NSAdvertisingAttributionReportEndpoint", "AttributionCopyEndpoint"} {
		if v := info.Get(k); v != nil {
			x := &facts.Endpoint{Key: k, URL: v.Text()}
			x.SetSelf(valueAt(at, v, k))
			o.ReportEndpoints = append(o.ReportEndpoints, x)
		}
	}
	o.AccessoryProtocols = info.Get("UISupportedExternalAccessoryProtocols").Texts()
	put("accessory_protocols", info.Get("UISupportedExternalAccessoryProtocols"), "UISupportedExternalAccessoryProtocols")
	text("companion", "WKCompanionAppBundleIdentifier", &o.Companion)
	for _, k := range info.SortedKeys() {
		if (strings.HasPrefix(k, "NS") || k == "NFCReaderUsageDescription") && strings.Contains(k, "UsageDescription") {
			o.PurposeKeys = append(o.PurposeKeys, k)
		}
	}
	ext, kit := info.Get("NSExtension"), info.Get("EXAppExtensionAttributes")
	o.Point = ext.Get("NSExtensionPointIdentifier").Text()
	o.Put("point", valueAt(at, ext.Get("NSExtensionPointIdentifier"), "NSExtension.NSExtensionPointIdentifier"))
	if kit != nil {
		o.ExtensionKit, o.Point = true, kit.Get("EXExtensionPointIdentifier").Text()
		o.Put("point", valueAt(at, kit.Get("EXExtensionPointIdentifier"), "EXAppExtensionAttributes.EXExtensionPointIdentifier"))
	}
	o.EntryPoint = ext.Get("NSExtensionPrincipalClass") != nil || ext.Get("NSExtensionMainStoryboard") != nil
	attrs := ext.Get("NSExtensionAttributes")
	o.OpenAccess = attrs.Get("RequestsOpenAccess").IsTrue()
	o.Activation = attrs.Get("NSExtensionActivationRule").Text()
	o.Intents = attrs.Get("IntentsSupported").Texts()
	for field, key := range map[string]string{"open_access": "RequestsOpenAccess", "activation": "NSExtensionActivationRule", "intents": "IntentsSupported"} {
		o.Put(field, valueAt(at, attrs.Get(key), "NSExtension.NSExtensionAttributes."+key))
	}
	o.Clip = info.Get("NSAppClip") != nil
	o.WatchApp = info.Get("WKApplication").IsTrue() || info.Get("WKWatchKitApp").IsTrue()
	o.RunsAlone = info.Get("WKRunsIndependentlyOfCompanionApp").IsTrue() || info.Get("WKWatchOnly").IsTrue()
}

// major is the first number of a version, 0 when there is none.
func major(version string) int {
	first, _, _ := strings.Cut(version, ".")
	n, _ := strconv.Atoi(first)
	return n
}

// documents reads which kinds of documents the app opens, and how.
func documents(o *facts.Info, info *plist.Value, at place.Place) {
	for i, d := range info.Get("CFBundleDocumentTypes").List() {
		t := &facts.DocumentType{Name: d.Get("CFBundleTypeName").Text(), Rank: d.Get("LSHandlerRank").Text()}
		t.SetSelf(valueAt(at, d, fmt.Sprintf("CFBundleDocumentTypes[%d]", i)))
		o.DocumentTypes = append(o.DocumentTypes, t)
	}
	o.Put("document_types", valueAt(at, info.Get("CFBundleDocumentTypes"), "CFBundleDocumentTypes"))
	o.OpensInPlaceDeclared = info.Get("UISupportsDocumentBrowser").IsTrue() || info.Get("LSSupportsOpeningDocumentsInPlace") != nil
}

// unexpanded lists the keys whose value still holds a build variable.
// It is bounded: a hostile list has long keys around many such values.
func unexpanded(path string, v *plist.Value, out *[]string) {
	const most, longest = 200, 400
	if len(*out) >= most || len(path) > longest {
		return
	}
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

// purposes reads the texts that the system shows when it asks for access.
func (r *reader) purposes(b *facts.Bundle, info *plist.Value, at place.Place) {
	for _, k := range info.SortedKeys() {
		if !strings.HasPrefix(k, "NS") && k != "NFCReaderUsageDescription" || !strings.HasSuffix(k, "UsageDescription") {
			continue
		}
		v := info.Get(k)
		p := &facts.Purpose{Key: k, Text: v.Text()}
		p.SetSelf(valueAt(at, v, k))
		if v.Kind != plist.String {
			w := &facts.WrongType{Key: k, Type: v.Kind.Noun(), Want: plist.String.Noun()}
			w.SetSelf(p.Self())
			b.Info.WrongTypes = append(b.Info.WrongTypes, w)
			p.Lose("text", fact.Unread(fmt.Sprintf("%s is %s, not a string", k, v.Kind.Noun())))
		}
		b.Info.Purposes = append(b.Info.Purposes, p)
	}
}
