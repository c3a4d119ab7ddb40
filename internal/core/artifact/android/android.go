// Package android fills the facts of an APK or an app bundle from its files.
//
// Source: the platform's documentation of the manifest file and of the bundle
// format; package resource names that of the encodings.
package android

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"sort"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/artifact/tree"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/axml"
	"regola.example/regola/internal/core/format/jarsig"
	"regola.example/regola/internal/core/format/protores"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/core/format/restable"
	"regola.example/regola/internal/core/place"
)

// Resource ids of the manifest attributes that are read. They are part of the
// platform's public interface and never change.
const (
	attrLabel          = 0x01010001
	attrTheme          = 0x01010000
	attrIcon           = 0x01010002
	attrName           = 0x01010003
	attrPermission     = 0x01010006
	attrHasCode        = 0x0101000c
	attrDebuggable     = 0x0101000f
	attrExported       = 0x01010010
	attrTargetActivity = 0x01010202
	attrValue          = 0x01010024
	attrResource       = 0x01010025
	attrHost           = 0x01010028
	attrMinSDK         = 0x0101020c
	attrVersionCode    = 0x0101021b
	attrVersionName    = 0x0101021c
	attrTargetSDK      = 0x01010270
	attrMaxSDK         = 0x01010271
	attrTestOnly       = 0x01010272
	attrAllowBackup    = 0x01010280
	attrGLES           = 0x01010281
	attrRequired       = 0x0101028e
	attrExtractNative  = 0x010104ea
	attrCleartext      = 0x010104ec
	attrAutoVerify     = 0x010104ee
	attrNetworkConfig  = 0x01010527
	attrRoundIcon      = 0x0101052c
	attrSharedUser     = 0x0101000b
	attrReadPerm       = 0x01010007
	attrWritePerm      = 0x01010008
	attrEnabled        = 0x0101000e
	attrAuthorities    = 0x01010018
	attrOrientation    = 0x0101001e
	attrScheme         = 0x01010027
	attrFullBackup     = 0x010104eb
	attrIsGame         = 0x010103f4
	attrAppCategory    = 0x01010545
	attrBanner         = 0x010103f2
	attrResizeable     = 0x010104f6
	attrVersionMajor   = 0x01010576
	attrLegacyStorage  = 0x01010603
	attrCompileSDK     = 0x01010572
	attrForeground     = 0x01010599
)

const manifestName = "AndroidManifest.xml"

// aloneSplit is why a split APK leaves facts open that only its base tells.
const aloneSplit = "a split is no app of its own; its base tells this"

// maxManifest bounds the manifest: real ones stay far below.
const maxManifest = 16 << 20

// IsAPK reports whether a tree looks like an APK: a compiled manifest at its root.
func IsAPK(t *tree.Tree) bool { return t.Get(manifestName) != nil }

// IsBundle reports whether a tree looks like an app bundle.
func IsBundle(t *tree.Tree) bool {
	return t.Get("base/manifest/"+manifestName) != nil || t.Get("BundleConfig.pb") != nil
}

// reader carries what the parts of the reading share.
type reader struct {
	file    string
	tree    *tree.Tree
	bundle  bool
	digests bool
	root    string // folder of the base module, with a slash; empty in an APK
	table   resource.Table
	noTab   string // why there is no table
	jar     *jarsig.Signature
	out     *facts.Android
}

// Read fills the facts of an APK or a bundle. With digests, the signed digest
// of every entry is verified. The error, a *place.Problem, is for a package
// whose manifest cannot be read; any other part that cannot be read leaves its
// facts unread, with the reason.
func Read(file string, t *tree.Tree, bundle, digests bool) (*facts.Android, error) {
	r := &reader{file: file, tree: t, bundle: bundle, digests: digests, out: &facts.Android{}}
	if bundle {
		r.root = "base/"
	}
	manifest, at, err := r.manifest(r.manifestPath(r.root))
	if err != nil {
		return nil, err
	}
	r.loadTable()
	r.out.SetSelf(at)
	r.identity(manifest, at)
	r.levels(manifest, at)
	r.reach(manifest, at, "")
	app := manifest.Child("application")
	if app != nil {
		r.application(app, at)
		r.components(app, at, "")
	}
	for _, f := range []string{"label", "icon", "version_name"} {
		switch {
		case r.out.Split != "":
			r.out.SetUnread(f, aloneSplit)
		case app == nil && f != "version_name":
			r.out.SetUnread(f, "the manifest has no application element")
		}
	}
	r.placeholders(manifest, at)
	r.architectures()
	r.codeFiles()
	if bundle {
		if err := r.modules(); err != nil {
			return nil, err
		}
		r.bundleConfig()
	}
	r.metadata()
	r.versions()
	r.archive()
	r.signing()
	r.sweep()
	r.sizes()
	return r.out, nil
}

func (r *reader) manifestPath(root string) string {
	if r.bundle {
		return root + "manifest/" + manifestName
	}
	return manifestName
}

func (r *reader) manifest(name string) (*resource.Element, place.Place, error) {
	at := place.Place{File: r.file, Entry: name}
	fail := func(what string) (*resource.Element, place.Place, error) {
		return nil, at, &place.Problem{At: at, What: what, Mend: "build the package again; if it was edited or transferred since, take the original"}
	}
	if r.tree.Get(name) == nil {
		return fail("the package has no " + name)
	}
	data, err := r.tree.Read(name, maxManifest)
	if err != nil {
		return fail("the manifest cannot be read: " + err.Error())
	}
	root, err := r.xml(data)
	if err != nil {
		return fail("the manifest is damaged: " + err.Error())
	}
	if root.Name != "manifest" {
		return fail(fmt.Sprintf("the root element is %q, not \"manifest\"", root.Name))
	}
	return root, at, nil
}

func (r *reader) xml(data []byte) (*resource.Element, error) {
	if r.bundle {
		return protores.ParseXML(data)
	}
	return axml.Parse(data)
}

func (r *reader) loadTable() {
	name := "resources.arsc"
	if r.bundle {
		name = r.root + "resources.pb"
	}
	if r.tree.Get(name) == nil {
		r.noTab = "the package has no resource table"
		return
	}
	data, err := r.tree.Read(name, 0)
	if err != nil {
		r.noTab = name + " cannot be read: " + err.Error()
		return
	}
	if r.bundle {
		t, err := protores.ParseTable(data)
		if err != nil {
			r.noTab = name + " is damaged: " + err.Error()
			return
		}
		r.table = t
	} else {
		t, err := restable.Parse(data)
		if err != nil {
			r.noTab = name + " is damaged: " + err.Error()
			return
		}
		r.table = t
	}
	for _, l := range r.table.Locales() {
		if l != "" {
			r.out.Locales = append(r.out.Locales, l)
		}
	}
	r.out.Put("locales", place.Place{File: r.file, Entry: name})
	r.out.Orphans = r.table.Orphans()
	r.out.Put("strings_without_default", place.Place{File: r.file, Entry: name})
	table := r.table
	r.out.Texts = func(id uint32) map[string]string {
		texts := map[string]string{}
		for _, it := range resource.Resolve(table, resource.Value{Kind: resource.Reference, Ref: id}) {
			if it.Value.Kind == resource.String && it.Config.Locale != "" {
				texts[it.Config.Locale] = it.Value.Text
			}
		}
		return texts
	}
	for _, l := range r.table.Strings() {
		ls := &facts.LocaleStrings{Locale: l.Locale, Count: int64(l.Count), Missing: int64(l.Missing), Names: l.Names}
		ls.SetSelf(place.Place{File: r.file, Entry: name, Key: l.Locale})
		r.out.Strings = append(r.out.Strings, ls)
	}
}

// literal resolves a value to one literal for the default configuration.
func (r *reader) literal(a *resource.Attr) (resource.Value, bool) {
	if a == nil {
		return resource.Value{}, false
	}
	if a.Value.Kind != resource.Reference {
		return a.Value, true
	}
	items := resource.Resolve(r.table, a.Value)
	best := items[0]
	for _, it := range items {
		if it.Config == (resource.Config{}) {
			best = it
		}
	}
	return best.Value, best.Value.Kind != resource.Reference
}

func (r *reader) text(e *resource.Element, id uint32, name string) string {
	a := e.Attr(id, name)
	if v, ok := r.literal(a); ok {
		return v.AsString()
	} else if a != nil {
		return a.Value.AsString()
	}
	return ""
}

// truth reads a boolean attribute; absent or unreadable gives the default.
func (r *reader) truth(e *resource.Element, id uint32, name string, def bool) bool {
	v, ok := r.literal(e.Attr(id, name))
	if !ok {
		return def
	}
	switch v.Kind {
	case resource.Bool, resource.Int:
		return v.Int != 0
	case resource.String:
		return v.Text == "true" || v.Text == "1"
	}
	return def
}

// number reads a whole-number attribute, also when it is written as text.
func (r *reader) number(e *resource.Element, id uint32, name string) (n int64, text string, ok bool) {
	return r.numberOf(e.Attr(id, name))
}

func (r *reader) numberOf(a *resource.Attr) (n int64, text string, ok bool) {
	if a == nil {
		return 0, "", false
	}
	v, lit := r.literal(a)
	switch {
	case !lit:
		return 0, a.Value.AsString(), false
	case v.Kind == resource.Int || v.Kind == resource.Color:
		return v.Int, v.AsString(), true
	case v.Kind == resource.String:
		n, err := strconv.ParseInt(strings.TrimSpace(v.Text), 0, 64)
		return n, v.Text, err == nil
	}
	return 0, v.AsString(), false
}

func key(at place.Place, element, attr string, offset int64) place.Place {
	k := element
	if attr != "" {
		k += "@" + attr
	}
	at.Key, at.Offset = k, offset
	return at
}

func (r *reader) mark(e *resource.Element, at place.Place, field, element string, id uint32, attr string) {
	if a := e.Attr(id, attr); a != nil {
		r.out.Put(field, key(at, element, attr, a.Offset))
		return
	}
	r.out.Put(field, key(at, element, "", e.Offset))
}

func (r *reader) identity(m *resource.Element, at place.Place) {
	if a := m.Plain("package"); a != nil {
		r.out.ID = a.Value.AsString()
		r.out.Put("id", key(at, "manifest", "package", a.Offset))
	} else {
		r.out.SetUnread("id", "the manifest has no package attribute")
	}
	if a := m.Plain("split"); a != nil {
		r.out.Split = a.Value.AsString()
	}
	r.mark(m, at, "version_code", "manifest", attrVersionCode, "versionCode")
	if n, text, ok := r.number(m, attrVersionCode, "versionCode"); ok {
		n &= 0xffffffff
		r.out.VersionCode = &n
	} else if text != "" {
		r.out.SetUnread("version_code", fmt.Sprintf("versionCode is %q, not a number", text))
	} else {
		zero := int64(0) // the platform takes a missing code for 0
		r.out.VersionCode = &zero
	}
	r.out.VersionName = r.text(m, attrVersionName, "versionName")
	r.mark(m, at, "version_name", "manifest", attrVersionName, "versionName")
	r.out.VersionMajor, _, _ = r.number(m, attrVersionMajor, "versionCodeMajor")
	r.mark(m, at, "version_code_major", "manifest", attrVersionMajor, "versionCodeMajor")
	r.out.SharedUser = r.text(m, attrSharedUser, "sharedUserId")
	r.mark(m, at, "shared_user", "manifest", attrSharedUser, "sharedUserId")
	r.out.SplitRequired = r.named(m, "isSplitRequired") == "true"
	if e := m.Child("instrumentation"); e != nil {
		r.out.Instrumented = true
		r.out.Put("instrumented", key(at, "instrumentation", "", e.Offset))
	}
	r.out.CompileLevel, _, _ = r.number(m, attrCompileSDK, "compileSdkVersion")
	if a := m.Attr(attrCompileSDK, "compileSdkVersion"); a != nil {
		r.out.Put("compile_level", key(at, "manifest", "compileSdkVersion", a.Offset))
	}
}

func (r *reader) levels(m *resource.Element, at place.Place) {
	uses := m.Child("uses-sdk")
	if uses == nil {
		r.out.Put("min_level", key(at, "manifest", "", m.Offset))
		r.out.Put("target_level", key(at, "manifest", "", m.Offset))
		if r.out.Split != "" {
			r.out.SetUnread("min_level", aloneSplit)
			r.out.SetUnread("target_level", aloneSplit)
			return
		}
		one := int64(1) // no uses-sdk means level 1 for both
		r.out.MinLevel, r.out.TargetLevel = &one, &one
		return
	}
	level := func(field string, id uint32, name string, absent *int64) *int64 {
		r.mark(uses, at, field, "uses-sdk", id, name)
		n, text, ok := r.number(uses, id, name)
		switch {
		case ok:
			return &n
		case text != "":
			r.out.LevelCodename = text
			r.out.SetUnread(field, fmt.Sprintf("%s is the code name %q of a preview platform", name, text))
			return nil
		}
		return absent
	}
	one := int64(1)
	r.out.MinLevelSaid = uses.Attr(attrMinSDK, "minSdkVersion") != nil
	r.out.MinLevel = level("min_level", attrMinSDK, "minSdkVersion", &one)
	r.out.TargetLevel = level("target_level", attrTargetSDK, "targetSdkVersion", r.out.MinLevel)
	if r.out.TargetLevel == nil && r.out.Unread("target_level") == "" {
		r.out.SetUnread("target_level", r.out.Unread("min_level"))
	}
	if n, _, ok := r.number(uses, attrMaxSDK, "maxSdkVersion"); ok {
		r.out.MaxLevel = n
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
			p := &facts.Permission{Name: name, FromM: e.Name != "uses-permission", Module: module}
			p.MaxLevel, _, _ = r.number(e, attrMaxSDK, "maxSdkVersion")
			if flags, _, ok := r.numberOf(byName(e, "usesPermissionFlags")); ok {
				p.NeverForLocation = flags&0x10000 != 0
			}
			p.SetSelf(key(at, e.Name+" "+name, "", e.Offset))
			r.out.Permissions = append(r.out.Permissions, p)
		case "uses-feature":
			if n, _, ok := r.number(e, attrGLES, "glEsVersion"); ok && name == "" {
				r.out.GLES = fmt.Sprintf("%d.%d", n>>16, n&0xffff)
				r.out.Put("gles", key(at, "uses-feature", "glEsVersion", e.Offset))
				continue
			}
			f := &facts.Feature{Name: name, Required: r.truth(e, attrRequired, "required", true)}
			f.SetSelf(key(at, "uses-feature "+name, "", e.Offset))
			r.out.Features = append(r.out.Features, f)
		case "permission":
			r.out.Defined = append(r.out.Defined, name)
			r.out.Put("defined_permissions", key(at, "permission "+name, "", e.Offset))
		case "supports-gl-texture":
			r.out.GLTextures = append(r.out.GLTextures, name)
			r.out.Put("gl_textures", key(at, "supports-gl-texture "+name, "", e.Offset))
		case "supports-screens", "compatible-screens":
			r.screens(e, at)
		case "queries":
			for _, q := range e.All("package") {
				r.out.Queries = append(r.out.Queries, r.text(q, attrName, "name"))
			}
			for _, q := range e.All("intent") {
				if len(q.Children) == 1 && r.text(q.Children[0], attrName, "name") == "android.intent.action.MAIN" {
					r.out.QueriesBroad = true
				}
			}
			r.out.Put("queries", key(at, "queries", "", e.Offset))
			r.out.Put("queries_broad", key(at, "queries", "", e.Offset))
		}
	}
}

// screens reads which screen classes the manifest excludes.
func (r *reader) screens(e *resource.Element, at place.Place) {
	r.out.Put("screens_shut_out", key(at, e.Name, "", e.Offset))
	if e.Name == "compatible-screens" {
		r.out.Screens = append(r.out.Screens, "all that compatible-screens does not list")
		return
	}
	for _, name := range []string{"smallScreens", "normalScreens", "largeScreens", "xlargeScreens"} {
		for i := range e.Attrs {
			if a := &e.Attrs[i]; a.Name == name && a.Value.AsString() == "false" {
				r.out.Screens = append(r.out.Screens, strings.TrimSuffix(name, "Screens"))
			}
		}
	}
}

func (r *reader) application(app *resource.Element, at place.Place) {
	o := r.out
	o.Debuggable = r.truth(app, attrDebuggable, "debuggable", false)
	r.mark(app, at, "debuggable", "application", attrDebuggable, "debuggable")
	o.TestOnly = r.truth(app, attrTestOnly, "testOnly", false)
	r.mark(app, at, "test_only", "application", attrTestOnly, "testOnly")
	o.HasCode = r.truth(app, attrHasCode, "hasCode", true)
	o.AllowBackup = r.truth(app, attrAllowBackup, "allowBackup", true)
	r.mark(app, at, "allow_backup", "application", attrAllowBackup, "allowBackup")
	// Unencrypted traffic is allowed by default up to target level 27; a
	// network security configuration takes the attribute's place.
	o.Cleartext = r.truth(app, attrCleartext, "usesCleartextTraffic", o.TargetLevel != nil && *o.TargetLevel <= 27)
	r.mark(app, at, "cleartext", "application", attrCleartext, "usesCleartextTraffic")
	r.network(app)
	o.BackupRules = app.Attr(attrFullBackup, "fullBackupContent") != nil || byName(app, "dataExtractionRules") != nil
	o.LegacyStorage = r.truth(app, attrLegacyStorage, "requestLegacyExternalStorage", false)
	r.mark(app, at, "legacy_storage", "application", attrLegacyStorage, "requestLegacyExternalStorage")
	category, _, said := r.number(app, attrAppCategory, "appCategory")
	o.Game = said && category == 0 || r.truth(app, attrIsGame, "isGame", false)
	o.LocaleConfig = r.named(app, "localeConfig")
	o.Banner = app.Attr(attrBanner, "banner") != nil
	o.BackOptOut = r.named(app, "enableOnBackInvokedCallback") == "false"
	o.PageCompat = r.named(app, "pageSizeCompat") != ""
	o.ExtractNative = r.truth(app, attrExtractNative, "extractNativeLibs", o.TargetLevel != nil && *o.TargetLevel < 23)
	r.mark(app, at, "extract_native", "application", attrExtractNative, "extractNativeLibs")
	r.label(app, at)
	r.icon(app, at)
	r.theme(app, at, "application")
	for _, e := range app.Children {
		switch e.Name {
		case "meta-data":
			o.MetaData = append(o.MetaData, r.metaData(e, at, "application/meta-data "))
		case "property":
			o.Properties = append(o.Properties, r.metaData(e, at, "application/property "))
		case "uses-library", "uses-native-library":
			l := &facts.Feature{Name: r.text(e, attrName, "name"), Required: r.truth(e, attrRequired, "required", true)}
			l.SetSelf(key(at, "application/"+e.Name+" "+l.Name, "", e.Offset))
			o.UsesLibraries = append(o.UsesLibraries, l)
		}
	}
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
	o.NetworkConfig = v.AsString()
	name := r.root + o.NetworkConfig
	n := &facts.Network{Cleartext: o.TargetLevel != nil && *o.TargetLevel <= 27}
	n.SetSelf(place.Place{File: r.file, Entry: name})
	data, err := r.tree.Read(name, maxManifest)
	var root *resource.Element
	if err == nil {
		root, err = r.xml(data)
	}
	if err != nil {
		o.SetUnread("network", name+" cannot be read: "+err.Error())
		o.SetUnread("cleartext", name+" cannot be read: "+err.Error())
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
	o.Network, o.Cleartext = n, n.Cleartext
	o.Put("cleartext", n.Self())
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

func (r *reader) label(app *resource.Element, at place.Place) {
	r.mark(app, at, "label", "application", attrLabel, "label")
	a := app.Attr(attrLabel, "label")
	if a == nil {
		r.out.Label = &facts.Text{}
		return
	}
	if a.Value.Kind != resource.Reference {
		r.out.Label = &facts.Text{Default: a.Value.AsString()}
		return
	}
	r.out.LabelID = a.Value.Ref
	items := resource.Resolve(r.table, a.Value)
	t := &facts.Text{Locales: make(map[string]string)}
	found := false
	for _, it := range items {
		if it.Value.Kind != resource.String {
			continue
		}
		found = true
		plain := it.Config
		plain.Locale = ""
		switch {
		case it.Config.Locale == "" && (t.Default == "" || plain == resource.Config{}):
			t.Default = it.Value.Text
		case it.Config.Locale != "" && (t.Locales[it.Config.Locale] == "" || plain == resource.Config{}):
			t.Locales[it.Config.Locale] = it.Value.Text
		}
	}
	if !found {
		why := r.noTab
		if why == "" {
			why = fmt.Sprintf("the resource %s is not in the table", a.Value.AsString())
		}
		r.out.SetUnread("label", why)
		return
	}
	r.out.Label = t
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
			r.out.Placeholders = append(r.out.Placeholders, m)
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
	c.ExportedSaid = e.Attr(attrExported, "exported") != nil
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
	c.SetSelf(key(at, "application/"+e.Name+" "+c.Name, "", e.Offset))
	r.out.Components = append(r.out.Components, c)
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
	if starts && kind != "" && c.Enabled && (r.out.Launcher == "" || r.out.LauncherKind == "television" && kind == "phone") {
		r.out.Launcher, r.out.LauncherKind = c.Name, kind
		r.out.Put("launcher", key(at, "application/"+e.Name+" "+c.Name, "", e.Offset))
	}
	if web {
		for _, h := range hosts {
			if !slices.Contains(r.out.DeepLinkHosts, h) {
				r.out.DeepLinkHosts = append(r.out.DeepLinkHosts, h)
			}
		}
		r.out.AutoVerify = r.out.AutoVerify || r.truth(f, attrAutoVerify, "autoVerify", false)
	}
}

// class completes a class name that the manifest gives relative to the package.
func (r *reader) class(name string) string {
	switch {
	case strings.HasPrefix(name, "."):
		return r.out.ID + name
	case name != "" && !strings.Contains(name, "."):
		return r.out.ID + "." + name
	}
	return name
}

// abiBits tells the word size of the architecture that a folder is for.
func abiBits(abi string) int64 {
	switch abi {
	case "arm64-v8a", "x86_64", "riscv64", "mips64":
		return 64
	}
	return 32
}

// libraryPath takes apart the path of a native library: its module (empty in
// an APK), its architecture's folder and its name.
func (r *reader) libraryPath(name string) (module, abi, lib string, ok bool) {
	if r.bundle {
		if module, name, ok = strings.Cut(name, "/"); !ok {
			return "", "", "", false
		}
	}
	rest, ok := strings.CutPrefix(name, "lib/")
	if !ok {
		return "", "", "", false
	}
	abi, lib, ok = strings.Cut(rest, "/")
	return module, abi, lib, ok && path.Ext(lib) == ".so" && !strings.Contains(lib, "/")
}

func (r *reader) architectures() {
	byName := map[string]*facts.ABI{}
	for _, e := range r.tree.Entries {
		_, abi, lib, ok := r.libraryPath(e.Name)
		if !ok {
			continue
		}
		a := byName[abi]
		if a == nil {
			a = &facts.ABI{Name: abi, Bits: abiBits(abi)}
			a.SetSelf(place.Place{File: r.file, Entry: path.Dir(e.Name)})
			byName[abi] = a
			r.out.Architectures = append(r.out.Architectures, a)
		}
		a.Libraries = append(a.Libraries, lib)
	}
	sort.Slice(r.out.Architectures, func(i, j int) bool { return r.out.Architectures[i].Name < r.out.Architectures[j].Name })
	r.out.Put("architectures", place.Place{File: r.file, Entry: r.root + "lib"})
}

// dexNumber is the position of a code file: classes.dex is the first.
func dexNumber(name string) int {
	n, err := strconv.Atoi(strings.TrimSuffix(strings.TrimPrefix(name, "classes"), ".dex"))
	if err != nil {
		return 1
	}
	return n
}

// isDex takes apart the path of a code file.
func (r *reader) isDex(name string) (module, file string, ok bool) {
	if r.bundle {
		if module, name, ok = strings.Cut(name, "/"); !ok {
			return "", "", false
		}
		if name, ok = strings.CutPrefix(name, "dex/"); !ok {
			return "", "", false
		}
	}
	return module, name, strings.HasPrefix(name, "classes") && strings.HasSuffix(name, ".dex") && !strings.Contains(name, "/")
}

func (r *reader) codeFiles() {
	for _, e := range r.tree.Entries {
		if module, name, ok := r.isDex(e.Name); ok && (module == "" || module == "base") {
			r.out.CodeFiles = append(r.out.CodeFiles, name)
		}
	}
	sort.SliceStable(r.out.CodeFiles, func(i, j int) bool { return dexNumber(r.out.CodeFiles[i]) < dexNumber(r.out.CodeFiles[j]) })
	r.out.Put("code_files", place.Place{File: r.file, Entry: strings.TrimSuffix(r.root, "/")})
}

// sizes adds up the compressed bytes by part.
func (r *reader) sizes() {
	by := map[string]int64{}
	for _, e := range r.tree.Entries {
		name := strings.TrimPrefix(e.Name, r.root)
		part := "other"
		switch {
		case path.Ext(name) == ".dex":
			part = "code"
		case strings.HasPrefix(name, "lib/"):
			part = "native"
		case strings.HasPrefix(name, "res/"), strings.HasPrefix(name, "resources."):
			part = "resources"
		case strings.HasPrefix(name, "assets/"):
			part = "assets"
		}
		by[part] += e.Compressed
	}
	r.out.SizeBy = by
	r.download()
}

// download estimates what one device downloads first: of a bundle, the base and
// what comes at installation, with one architecture's libraries and one
// density's pictures, the largest of each; of an APK, the file.
func (r *reader) download() {
	r.out.Put("download", place.Place{File: r.file})
	atOnce := map[string]bool{"": true}
	for _, m := range r.out.Modules {
		atOnce[m.Name] = m.Delivery == "install-time" && m.Kind != "assets" && m.Kind != "model"
	}
	var common int64
	byABI, byDensity := map[string]int64{}, map[string]int64{}
	for _, e := range r.tree.Entries {
		module, _, inModule := strings.Cut(e.Name, "/")
		if r.bundle && (!inModule || !atOnce[module]) {
			continue
		}
		if _, abi, _, ok := r.libraryPath(e.Name); ok {
			byABI[abi] += e.Compressed
			continue
		}
		if d := densityOf(e.Name); r.bundle && d != "" {
			byDensity[d] += e.Compressed
			continue
		}
		common += e.Compressed
	}
	most := func(m map[string]int64) (n int64) {
		for _, v := range m {
			n = max(n, v)
		}
		return n
	}
	if r.bundle {
		r.out.Download = common + most(byABI) + most(byDensity)
		return
	}
	for _, v := range byABI {
		common += v
	}
	r.out.Download = common
}

// densityOf is the density qualifier of a resource's folder, or "".
func densityOf(name string) string {
	for _, q := range strings.Split(path.Base(path.Dir(name)), "-") {
		if strings.HasSuffix(q, "dpi") && q != "nodpi" && q != "anydpi" {
			return q
		}
	}
	return ""
}
