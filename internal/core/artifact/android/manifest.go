package android

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/core/place"
)

// Resource ids of the manifest attributes that are read. They are part of the
// platform's public interface and never change.
const (
	attrLabel            = 0x01010001
	attrTheme            = 0x01010000
	attrIcon             = 0x01010002
	attrName             = 0x01010003
	attrPermission       = 0x01010006
	attrHasCode          = 0x0101000c
	attrDebuggable       = 0x0101000f
	attrExported         = 0x01010010
	attrTargetActivity   = 0x01010202
	attrValue            = 0x01010024
	attrResource         = 0x01010025
	attrHost             = 0x01010028
	attrMinSDK           = 0x0101020c
	attrVersionCode      = 0x0101021b
	attrVersionName      = 0x0101021c
	attrTargetSDK        = 0x01010270
	attrMaxSDK           = 0x01010271
	attrTestOnly         = 0x01010272
	attrAllowBackup      = 0x01010280
	attrGLES             = 0x01010281
	attrRequired         = 0x0101028e
	attrExtractNative    = 0x010104ea
	attrCleartext        = 0x010104ec
	attrAutoVerify       = 0x010104ee
	attrNetworkConfig    = 0x01010527
	attrRoundIcon        = 0x0101052c
	attrSharedUser       = 0x0101000b
	attrBackupAgent      = 0x0101027f
	attrComponentFactory = 0x0101057a
	attrReadPerm         = 0x01010007
	attrWritePerm        = 0x01010008
	attrEnabled          = 0x0101000e
	attrAuthorities      = 0x01010018
	attrOrientation      = 0x0101001e
	attrScheme           = 0x01010027
	attrFullBackup       = 0x010104eb
	attrIsGame           = 0x010103f4
	attrAppCategory      = 0x01010545
	attrBanner           = 0x010103f2
	attrResizeable       = 0x010104f6
	attrVersionMajor     = 0x01010576
	attrLegacyStorage    = 0x01010603
	attrCompileSDK       = 0x01010572
	attrForeground       = 0x01010599
)

func key(at place.Place, element, attr string, offset int64) place.Place {
	k := element
	if attr != "" {
		k += "@" + attr
	}
	at.Key, at.Offset = k, offset
	return at
}

func (r *reader) mark(e *resource.Element, at place.Place, field, element string, id uint32, attr string) {
	markIn(&r.out.Manifest.Mark, e, at, field, element, id, attr)
}

// markIn records the place of a field that an attribute gives: the attribute,
// or its element when it is not there.
func markIn(m *fact.Mark, e *resource.Element, at place.Place, field, element string, id uint32, attr string) {
	if a := e.Attr(id, attr); a != nil {
		m.Put(field, key(at, element, attr, a.Offset))
		return
	}
	m.Put(field, key(at, element, "", e.Offset))
}

func (r *reader) identity(m *resource.Element, at place.Place) {
	if a := m.Plain("package"); a != nil {
		r.out.Manifest.ID = a.Value.AsString()
		r.out.Manifest.Put("id", key(at, "manifest", "package", a.Offset))
	} else {
		r.out.Manifest.Lose("id", fact.Unread("the manifest has no package attribute"))
	}
	if a := m.Plain("split"); a != nil {
		r.out.Manifest.Split = a.Value.AsString()
	}
	r.mark(m, at, "version_code", "manifest", attrVersionCode, "versionCode")
	if n, text, ok := r.number(m, attrVersionCode, "versionCode"); ok {
		n &= 0xffffffff
		r.out.Manifest.VersionCode = &n
	} else if text != "" {
		r.out.Manifest.Lose("version_code", fact.Unread(fmt.Sprintf("versionCode is %q, not a number", text)))
	} else {
		zero := int64(0) // the platform takes a missing code for 0
		r.out.Manifest.VersionCode = &zero
	}
	r.out.Manifest.VersionName = r.text(m, attrVersionName, "versionName")
	r.mark(m, at, "version_name", "manifest", attrVersionName, "versionName")
	r.out.Manifest.VersionCodeMajor, _, _ = r.number(m, attrVersionMajor, "versionCodeMajor")
	r.mark(m, at, "version_code_major", "manifest", attrVersionMajor, "versionCodeMajor")
	r.out.Manifest.SharedUser = r.text(m, attrSharedUser, "sharedUserId")
	r.mark(m, at, "shared_user", "manifest", attrSharedUser, "sharedUserId")
	r.out.Manifest.SplitRequired = r.named(m, "isSplitRequired") == "true"
	if e := m.Child("instrumentation"); e != nil {
		r.out.Manifest.Instrumented = true
		r.out.Manifest.Put("instrumented", key(at, "instrumentation", "", e.Offset))
	}
	r.out.Manifest.CompileLevel, _, _ = r.number(m, attrCompileSDK, "compileSdkVersion")
	if a := m.Attr(attrCompileSDK, "compileSdkVersion"); a != nil {
		r.out.Manifest.Put("compile_level", key(at, "manifest", "compileSdkVersion", a.Offset))
	}
}

func (r *reader) levels(m *resource.Element, at place.Place) {
	uses := m.Child("uses-sdk")
	if uses == nil {
		r.out.Manifest.Put("min_level", key(at, "manifest", "", m.Offset))
		r.out.Manifest.Put("target_level", key(at, "manifest", "", m.Offset))
		if r.out.Manifest.Split != "" {
			gap := fact.Missing("a split is no app of its own; its base tells this")
			r.out.Manifest.Lose("min_level", gap)
			r.out.Manifest.Lose("target_level", gap)
			return
		}
		one := int64(1) // no uses-sdk means level 1 for both
		r.out.Manifest.MinLevel, r.out.Manifest.TargetLevel = &one, &one
		return
	}
	level := func(field string, id uint32, name string, absent *int64) *int64 {
		r.mark(uses, at, field, "uses-sdk", id, name)
		n, text, ok := r.number(uses, id, name)
		switch {
		case ok:
			return &n
		case text != "":
			r.out.Manifest.LevelCodename = text
			r.out.Manifest.Lose(field, fact.Unread(fmt.Sprintf("%s is the code name %q of a preview platform", name, text)))
			return nil
		}
		return absent
	}
	one := int64(1)
	r.out.Manifest.MinLevelDeclared = uses.Attr(attrMinSDK, "minSdkVersion") != nil
	r.out.Manifest.MinLevel = level("min_level", attrMinSDK, "minSdkVersion", &one)
	r.out.Manifest.TargetLevel = level("target_level", attrTargetSDK, "targetSdkVersion", r.out.Manifest.MinLevel)
	if r.out.Manifest.TargetLevel == nil && r.out.Manifest.Unread("target_level") == "" {
		r.out.Manifest.Lose("target_level", fact.Unread(r.out.Manifest.Unread("min_level")))
	}
	if n, _, ok := r.number(uses, attrMaxSDK, "maxSdkVersion"); ok {
		r.out.Manifest.MaxLevel = n
		r.mark(uses, at, "max_level", "uses-sdk", attrMaxSDK, "maxSdkVersion")
	}
}

// reach reads what decides on which devices the app is offered, and what it
// asks for there. module is empty for the base.
func (r *reader) reach(m *resource.Element, at place.Place, module string) {
	for _, e := range m.Children {
		name := r.text(e, attrName, "name")
		switch e.Name {
		case "uses-permission", "uses-permission-sdk-23", "uses-permission-sdk-m":
			p := &facts.Permission{Name: name, From23: e.Name != "uses-permission", Module: module}
			p.MaxLevel, _, _ = r.number(e, attrMaxSDK, "maxSdkVersion")
			if flags, _, ok := r.numberOf(byName(e, "usesPermissionFlags")); ok {
				p.NeverForLocation = flags&0x10000 != 0
			}
			p.SetSelf(key(at, e.Name+" "+name, "", e.Offset))
			r.out.Manifest.Permissions = append(r.out.Manifest.Permissions, p)
		case "uses-feature":
			if n, _, ok := r.number(e, attrGLES, "glEsVersion"); ok && name == "" {
				r.out.Manifest.GLES = fmt.Sprintf("%d.%d", n>>16, n&0xffff)
				r.out.Manifest.Put("gles", key(at, "uses-feature", "glEsVersion", e.Offset))
				continue
			}
			f := &facts.Feature{Name: name, Required: r.truth(e, attrRequired, "required", true)}
			f.SetSelf(key(at, "uses-feature "+name, "", e.Offset))
			r.out.Manifest.Features = append(r.out.Manifest.Features, f)
		case "permission":
			r.out.Manifest.DefinedPermissions = append(r.out.Manifest.DefinedPermissions, name)
			r.out.Manifest.Put("defined_permissions", key(at, "permission "+name, "", e.Offset))
		case "supports-gl-texture":
			r.out.Manifest.GLTextures = append(r.out.Manifest.GLTextures, name)
			r.out.Manifest.Put("gl_textures", key(at, "supports-gl-texture "+name, "", e.Offset))
		case "supports-screens", "compatible-screens":
			r.screens(e, at)
		case "queries":
			for _, q := range e.All("package") {
				r.out.Manifest.Queries = append(r.out.Manifest.Queries, r.text(q, attrName, "name"))
			}
			for _, q := range e.All("intent") {
				r.out.Manifest.QueriesBroad = r.out.Manifest.QueriesBroad || r.broad(q)
			}
			r.out.Manifest.Put("queries", key(at, "queries", "", e.Offset))
			r.out.Manifest.Put("queries_broad", key(at, "queries", "", e.Offset))
		}
	}
}

// broad tells whether a queried intent is one that nearly every app answers:
// any action, or the one that starts an app.
func (r *reader) broad(intent *resource.Element) bool {
	any, narrow := false, false
	for _, c := range intent.Children {
		name := r.text(c, attrName, "name")
		switch {
		case c.Name == "action" && (name == "*" || name == "android.intent.action.MAIN"):
			any = true
		case c.Name == "category" && (name == "android.intent.category.LAUNCHER" || name == "android.intent.category.INFO"):
		default:
			narrow = true // another action, category, or data
		}
	}
	return any && !narrow
}

// implied adds the permissions that the system grants together with those that
// are asked for, by the platform's documentation of their history.
func (r *reader) implied() {
	m := r.out.Manifest
	if m.TargetLevel == nil {
		return
	}
	for _, p := range slices.Clone(m.Permissions) {
		for _, i := range impliedPermissions {
			if p.Name != i.by || i.below > 0 && *m.TargetLevel >= i.below ||
				slices.ContainsFunc(m.Permissions, func(q *facts.Permission) bool { return q.Name == i.adds }) {
				continue
			}
			q := &facts.Permission{Name: i.adds, MaxLevel: p.MaxLevel, ImpliedBy: p.Name, Module: p.Module}
			q.SetSelf(p.Self())
			r.out.Manifest.Permissions = append(r.out.Manifest.Permissions, q)
		}
	}
}

// impliedPermissions says which permission adds which, below a target level
// or, with 0, at every.
var impliedPermissions = []struct {
	by, adds string
	below    int64
}{
	{"android.permission.WRITE_EXTERNAL_STORAGE", "android.permission.READ_EXTERNAL_STORAGE", 0},
	{"android.permission.READ_CONTACTS", "android.permission.READ_CALL_LOG", 16},
	{"android.permission.WRITE_CONTACTS", "android.permission.WRITE_CALL_LOG", 16},
}

// screens reads which screen classes the manifest excludes.
func (r *reader) screens(e *resource.Element, at place.Place) {
	r.out.Manifest.Put("excluded_screens", key(at, e.Name, "", e.Offset))
	if e.Name == "compatible-screens" {
		r.out.Manifest.ExcludedScreens = append(r.out.Manifest.ExcludedScreens, "all that compatible-screens does not list")
		return
	}
	for _, name := range []string{"requiresSmallestWidthDp", "largestWidthLimitDp"} {
		if n, _, ok := r.numberOf(byName(e, name)); ok && n > 0 && (name != "requiresSmallestWidthDp" || n > 320) {
			r.out.Manifest.ExcludedScreens = append(r.out.Manifest.ExcludedScreens, fmt.Sprintf("%s=%d", name, n))
		}
	}
	for _, name := range []string{"smallScreens", "normalScreens", "largeScreens", "xlargeScreens"} {
		for i := range e.Attrs {
			if a := &e.Attrs[i]; a.Name == name && a.Value.AsString() == "false" {
				r.out.Manifest.ExcludedScreens = append(r.out.Manifest.ExcludedScreens, strings.TrimSuffix(name, "Screens"))
			}
		}
	}
}

func (r *reader) application(app *resource.Element, at place.Place) {
	o := r.out
	o.Manifest.Debuggable = r.truth(app, attrDebuggable, "debuggable", false)
	r.mark(app, at, "debuggable", "application", attrDebuggable, "debuggable")
	o.Manifest.TestOnly = r.truth(app, attrTestOnly, "testOnly", false)
	r.mark(app, at, "test_only", "application", attrTestOnly, "testOnly")
	for _, c := range []struct {
		id   uint32
		name string
	}{{attrName, "name"}, {attrBackupAgent, "backupAgent"}, {attrComponentFactory, "appComponentFactory"}} {
		// A class of the system needs no definition.
		if name := r.class(r.text(app, c.id, c.name)); name != "" && !strings.HasPrefix(name, "android.app.") {
			o.Manifest.Classes = append(o.Manifest.Classes, name)
		}
	}
	o.Manifest.HasCode = r.truth(app, attrHasCode, "hasCode", true)
	o.Manifest.AllowBackup = r.truth(app, attrAllowBackup, "allowBackup", true)
	r.mark(app, at, "allow_backup", "application", attrAllowBackup, "allowBackup")
	// Unencrypted traffic is allowed by default up to target level 27; a
	// network security configuration takes the attribute's place.
	o.Manifest.Cleartext = r.truth(app, attrCleartext, "usesCleartextTraffic", o.Manifest.TargetLevel != nil && *o.Manifest.TargetLevel <= 27)
	r.mark(app, at, "cleartext", "application", attrCleartext, "usesCleartextTraffic")
	r.network(app)
	o.Manifest.BackupRules = app.Attr(attrFullBackup, "fullBackupContent") != nil || byName(app, "dataExtractionRules") != nil
	o.Manifest.LegacyStorage = r.truth(app, attrLegacyStorage, "requestLegacyExternalStorage", false)
	r.mark(app, at, "legacy_storage", "application", attrLegacyStorage, "requestLegacyExternalStorage")
	category, _, said := r.number(app, attrAppCategory, "appCategory")
	o.Manifest.Game = said && category == 0 || r.truth(app, attrIsGame, "isGame", false)
	o.Manifest.LocaleConfig = r.named(app, "localeConfig")
	o.Manifest.Banner = app.Attr(attrBanner, "banner") != nil
	o.Manifest.BackOptOut = r.named(app, "enableOnBackInvokedCallback") == "false"
	o.Manifest.PageCompat = r.pageCompat(app)
	r.mark(app, at, "page_compat", "application", 0, "pageSizeCompat")
	if app.Nameless() {
		for _, field := range []string{"locale_config", "back_opt_out", "page_compat"} {
			o.Manifest.Lose(field, fact.Unread("the manifest's attributes have no names, and the number of this one is not known here"))
		}
	}
	o.Manifest.ExtractNative = r.truth(app, attrExtractNative, "extractNativeLibs", true) // the platform's default at every level; build tools write false when they mean it
	r.mark(app, at, "extract_native", "application", attrExtractNative, "extractNativeLibs")
	r.label(app, at)
	r.icon(app, at)
	r.theme(app, at, "application")
	for _, e := range app.Children {
		switch e.Name {
		case "meta-data":
			o.Manifest.MetaData = append(o.Manifest.MetaData, r.metaData(e, at, "application/meta-data "))
		case "property":
			o.Manifest.Properties = append(o.Manifest.Properties, r.metaData(e, at, "application/property "))
		case "uses-library", "uses-native-library":
			l := &facts.Feature{Name: r.text(e, attrName, "name"), Required: r.truth(e, attrRequired, "required", true)}
			l.SetSelf(key(at, "application/"+e.Name+" "+l.Name, "", e.Offset))
			o.Manifest.UsesLibraries = append(o.Manifest.UsesLibraries, l)
		}
	}
}

// pageCompat tells whether the compatibility mode for large pages is forced on:
// the attribute is an enumeration, of which 5 is enabled and 6 disabled.
func (r *reader) pageCompat(app *resource.Element) bool {
	a := byName(app, "pageSizeCompat")
	if n, text, ok := r.numberOf(a); ok {
		return n == 5
	} else if text != "" {
		return text == "enabled"
	}
	return false
}

// byName finds an attribute by its name alone: one without an id, or one of
// the platform's whose id is not listed above.
func byName(e *resource.Element, name string) *resource.Attr {
	for i := range e.Attrs {
		if e.Attrs[i].Name == name {
			return &e.Attrs[i]
		}
	}
	return nil
}

// named is the value of such an attribute.
func (r *reader) named(e *resource.Element, name string) string {
	v, _ := r.literal(byName(e, name))
	return v.AsString()
}

// network reads the network security configuration.
func (r *reader) network(app *resource.Element) {
	v, ok := r.literal(app.Attr(attrNetworkConfig, "networkSecurityConfig"))
	if !ok {
		return
	}
	o := r.out
	o.Manifest.NetworkConfig = v.AsString()
	name := r.root + o.Manifest.NetworkConfig
	n := &facts.Network{Cleartext: o.Manifest.TargetLevel != nil && *o.Manifest.TargetLevel <= 27}
	n.SetSelf(place.Place{File: r.file, Entry: name})
	data, err := r.tree.Read(name, maxManifest)
	var root *resource.Element
	if err == nil {
		root, err = r.xml(data)
	}
	if err != nil {
		o.Manifest.Lose("network", fact.Unread(name+" cannot be read: "+err.Error()))
		o.Manifest.Lose("cleartext", fact.Unread(name+" cannot be read: "+err.Error()))
		return
	}
	userTrusted := func(e *resource.Element) bool {
		anchors := e.Child("trust-anchors")
		if anchors == nil {
			return false
		}
		for _, c := range anchors.All("certificates") {
			if r.named(c, "src") == "user" {
				return true
			}
		}
		return false
	}
	if base := root.Child("base-config"); base != nil {
		if said := r.named(base, "cleartextTrafficPermitted"); said != "" {
			n.Cleartext = said == "true"
		}
		n.UserTrusted = userTrusted(base)
	}
	var domains func(e *resource.Element)
	domains = func(e *resource.Element) {
		for _, d := range e.All("domain-config") {
			if r.named(d, "cleartextTrafficPermitted") == "true" {
				for _, h := range d.All("domain") {
					n.Hosts = append(n.Hosts, h.Text)
				}
			}
			n.UserTrusted = n.UserTrusted || userTrusted(d)
			domains(d)
		}
	}
	domains(root)
	o.Manifest.Network, o.Manifest.Cleartext = n, n.Cleartext
	o.Manifest.Put("cleartext", n.Self())
}

// components reads what an application element declares.
func (r *reader) components(app *resource.Element, at place.Place, module string) {
	for _, e := range app.Children {
		switch e.Name {
		case "activity", "activity-alias", "service", "receiver", "provider":
			r.component(e, at, module)
			r.theme(e, at, "application/"+e.Name+" "+r.text(e, attrName, "name"))
		}
	}
}

func (r *reader) metaData(e *resource.Element, at place.Place, element string) *facts.MetaData {
	name := r.text(e, attrName, "name")
	m := &facts.MetaData{Name: name, Value: r.text(e, attrValue, "value")}
	if e.Attr(attrValue, "value") == nil {
		m.Value = r.text(e, attrResource, "resource")
	}
	m.SetSelf(key(at, element+name, "", e.Offset))
	return m
}

// leftover matches what templates leave behind when nothing was filled in.
var leftover = regexp.MustCompile(`\$\{[^}]*\}|\bYOUR_[A-Z_]+\b|\bREPLACE_ME\b`)

// placeholders looks through every attribute of the manifest.
func (r *reader) placeholders(e *resource.Element, at place.Place) {
	for i := range e.Attrs {
		a := &e.Attrs[i]
		if a.Value.Kind == resource.String && leftover.MatchString(a.Value.Text) {
			m := &facts.MetaData{Name: e.Name + "@" + a.Name, Value: a.Value.Text}
			m.SetSelf(key(at, e.Name, a.Name, a.Offset))
			r.out.Manifest.Placeholders = append(r.out.Manifest.Placeholders, m)
		}
	}
	for _, c := range e.Children {
		r.placeholders(c, at)
	}
}

// foregroundTypes are the flags of a foreground service, as the platform
// documents the attribute.
var foregroundTypes = []struct {
	flag int64
	name string
}{
	{0x1, "dataSync"}, {0x2, "mediaPlayback"}, {0x4, "phoneCall"}, {0x8, "location"}, {0x10, "connectedDevice"},
	{0x20, "mediaProjection"}, {0x40, "camera"}, {0x80, "microphone"}, {0x100, "health"}, {0x200, "remoteMessaging"},
	{0x400, "systemExempted"}, {0x800, "shortService"}, {0x2000, "mediaProcessing"}, {0x40000000, "specialUse"},
}

func (r *reader) component(e *resource.Element, at place.Place, module string) {
	c := &facts.Component{Kind: e.Name, Name: r.class(r.text(e, attrName, "name")), Module: module,
		Enabled: r.truth(e, attrEnabled, "enabled", true), Resizeable: r.truth(e, attrResizeable, "resizeableActivity", true)}
	for _, p := range []struct {
		id   uint32
		name string
	}{{attrPermission, "permission"}, {attrReadPerm, "readPermission"}, {attrWritePerm, "writePermission"}} {
		if c.Permission == "" {
			c.Permission = r.text(e, p.id, p.name)
		}
	}
	if e.Name == "activity-alias" {
		c.Target = r.class(r.text(e, attrTargetActivity, "targetActivity"))
	}
	if a := r.text(e, attrAuthorities, "authorities"); a != "" {
		c.Authorities = strings.Split(a, ";")
	}
	if o, _, ok := r.number(e, attrOrientation, "screenOrientation"); ok {
		// The flags' values are those of the attribute's documentation.
		c.Orientation = map[int64]string{0: "landscape", 1: "portrait", 6: "landscape", 7: "portrait", 8: "landscape", 9: "portrait", 11: "landscape", 12: "portrait"}[o]
	}
	filters := e.All("intent-filter")
	c.Filtered = len(filters) > 0
	c.ExportedDeclared = e.Attr(attrExported, "exported") != nil
	c.Exported = r.truth(e, attrExported, "exported", c.Filtered)
	if flags, _, ok := r.number(e, attrForeground, "foregroundServiceType"); ok {
		for _, t := range foregroundTypes {
			if flags&t.flag != 0 {
				c.Foreground = append(c.Foreground, t.name)
			}
		}
	}
	for _, p := range e.All("property") {
		if r.text(p, attrName, "name") == "android.app.PROPERTY_SPECIAL_USE_FGS_SUBTYPE" {
			c.SpecialUse = r.text(p, attrValue, "value")
		}
	}
	for _, f := range filters {
		r.filter(e, c, f, at)
	}
	c.Banner = e.Attr(attrBanner, "banner") != nil
	c.SetSelf(key(at, "application/"+e.Name+" "+c.Name, "", e.Offset))
	r.out.Manifest.Components = append(r.out.Manifest.Components, c)
}

// filter reads one intent filter of a component.
func (r *reader) filter(e *resource.Element, c *facts.Component, f *resource.Element, at place.Place) {
	starts, kind := false, ""
	web := false
	var hosts []string
	for _, part := range f.Children {
		name := r.text(part, attrName, "name")
		switch part.Name {
		case "action":
			c.Actions = append(c.Actions, name)
			starts = starts || name == "android.intent.action.MAIN"
		case "category":
			c.Categories = append(c.Categories, name)
			switch name {
			case "android.intent.category.LAUNCHER":
				kind = "phone"
			case "android.intent.category.LEANBACK_LAUNCHER":
				if kind == "" {
					kind = "television"
				}
			}
		case "data":
			if s := r.text(part, attrScheme, "scheme"); s == "http" || s == "https" {
				web = true
			}
			if host := r.text(part, attrHost, "host"); host != "" {
				hosts = append(hosts, host)
			}
		}
	}
	if starts && kind != "" && c.Enabled && c.Exported && (r.out.Manifest.Launcher == "" || r.out.Manifest.LauncherKind == "television" && kind == "phone") {
		r.out.Manifest.Launcher, r.out.Manifest.LauncherKind = c.Name, kind
		r.out.Manifest.Put("launcher", key(at, "application/"+e.Name+" "+c.Name, "", e.Offset))
	}
	if web {
		for _, h := range hosts {
			if !r.hosts[h] {
				if r.hosts == nil {
					r.hosts = map[string]bool{}
				}
				r.hosts[h] = true
				r.out.Manifest.DeepLinkHosts = append(r.out.Manifest.DeepLinkHosts, h)
			}
		}
		r.out.Manifest.AutoVerify = r.out.Manifest.AutoVerify || r.truth(f, attrAutoVerify, "autoVerify", false)
	}
}

// class completes a class name that the manifest gives relative to the package.
func (r *reader) class(name string) string {
	switch {
	case strings.HasPrefix(name, "."):
		return r.out.Manifest.ID + name
	case name != "" && !strings.Contains(name, "."):
		return r.out.Manifest.ID + "." + name
	}
	return name
}
