package android_test

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"google.golang.org/protobuf/encoding/protowire"

	"regola.example/regola/internal/core/artifact/android"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/seed"
)

// field appends a length-delimited protobuf field.
func field(b []byte, num protowire.Number, data []byte) []byte {
	return protowire.AppendBytes(protowire.AppendTag(b, num, protowire.BytesType), data)
}

func number(b []byte, num protowire.Number, v uint64) []byte {
	return protowire.AppendVarint(protowire.AppendTag(b, num, protowire.VarintType), v)
}

const ns = "http://schemas.android.com/apk/res/android"

// xml writes an element of a protobuf manifest. Attributes are NAME=VALUE; a
// name that begins with a colon has no namespace. A value #n is a number,
// ?true a truth value, %ff000000 a colour, @x a reference to 0x7f010001;
// anything else is text.
func xml(name string, attrs string, children ...[]byte) []byte {
	e := field(nil, 3, []byte(name))
	for _, a := range strings.Fields(attrs) {
		k, v, _ := strings.Cut(a, "=")
		attr := []byte{}
		if !strings.HasPrefix(k, ":") {
			attr = field(attr, 1, []byte(ns))
		}
		attr = field(attr, 2, []byte(strings.TrimPrefix(k, ":")))
		var item []byte
		switch v[0] {
		case '#':
			n := uint64(0)
			for _, c := range v[1:] {
				n = n*10 + uint64(c-'0')
			}
			item = field(nil, 7, number(nil, 6, n))
		case '?':
			n := uint64(0)
			if v == "?true" {
				n = 1
			}
			item = field(nil, 7, number(nil, 8, n))
		case '%':
			n, _ := strconv.ParseUint(v[1:], 16, 32)
			item = field(nil, 7, number(nil, 9, n))
		case '@':
			item = field(nil, 1, number(nil, 2, 0x7f010001))
		}
		attr = field(attr, 3, []byte(strings.TrimLeft(v, "#?@")))
		if item != nil {
			attr = field(attr, 6, item)
		}
		e = field(e, 4, attr)
	}
	for _, c := range children {
		e = field(e, 5, c)
	}
	return field(nil, 1, e)
}

// bundle reads a bundle made of the given files.
func bundle(t *testing.T, entries map[string][]byte) *facts.Android {
	t.Helper()
	z := seed.Zip(t, entries)
	tr, err := files.FromZip(t.Context(), bytes.NewReader(z), int64(len(z)))
	require.NoError(t, err)
	a, err := android.Read("t.aab", tr, true, true)
	require.NoError(t, err)
	return a
}

func manifest(t *testing.T, attrs string, children ...[]byte) *facts.Android {
	t.Helper()
	return bundle(t, map[string][]byte{"base/manifest/AndroidManifest.xml": xml("manifest", ":package=a.b "+attrs, children...)})
}

func TestLevels(t *testing.T) {
	none := manifest(t, "")
	assert.EqualValues(t, 1, *none.Manifest.MinLevel, "no uses-sdk means level 1")
	assert.EqualValues(t, 1, *none.Manifest.TargetLevel)
	assert.False(t, none.Manifest.MinLevelDeclared)
	assert.Zero(t, *none.Manifest.VersionCode)

	least := manifest(t, "versionCode=#7", xml("uses-sdk", "minSdkVersion=#24"))
	assert.EqualValues(t, 24, *least.Manifest.TargetLevel, "the target is the least level when it is not said")
	assert.EqualValues(t, 7, *least.Manifest.VersionCode)

	text := manifest(t, "versionCode=12", xml("uses-sdk", "minSdkVersion=21 targetSdkVersion=#35"))
	assert.EqualValues(t, 21, *text.Manifest.MinLevel, "a number may be written as text")
	assert.EqualValues(t, 12, *text.Manifest.VersionCode)

	preview := manifest(t, "", xml("uses-sdk", "minSdkVersion=#24 targetSdkVersion=Baklava"))
	assert.Nil(t, preview.Manifest.TargetLevel)
	assert.Equal(t, "Baklava", preview.Manifest.LevelCodename)
	assert.Contains(t, preview.Manifest.Unread("target_level"), "preview platform")

	ref := manifest(t, "versionCode=@x", xml("uses-sdk", "minSdkVersion=@x"))
	assert.Nil(t, ref.Manifest.VersionCode)
	assert.Contains(t, ref.Manifest.Unread("version_code"), "not a number")
}

func TestApplication(t *testing.T) {
	a := manifest(t, "", xml("uses-sdk", "minSdkVersion=#21 targetSdkVersion=#27"), xml("application", "debuggable=?false label=@x icon=@x"))
	assert.False(t, a.Manifest.Debuggable, "false written out is false")
	assert.True(t, a.Manifest.Cleartext, "allowed by default up to level 27")
	assert.True(t, a.Manifest.AllowBackup)
	assert.Nil(t, a.Resources.Label)
	assert.Contains(t, a.Resources.Unread("label"), "no resource table")
	assert.Contains(t, a.Unread("icon"), "no resource table")

	b := manifest(t, "", xml("uses-sdk", "targetSdkVersion=#28"), xml("application", "debuggable=?true testOnly=true label=Kiln appCategory=#0 allowBackup=?false"))
	assert.True(t, b.Manifest.Debuggable && b.Manifest.TestOnly && b.Manifest.Game)
	assert.False(t, b.Manifest.Cleartext || b.Manifest.AllowBackup)
	assert.Equal(t, "Kiln", b.Resources.Label.Default)

	none := manifest(t, "")
	assert.Contains(t, none.Resources.Unread("label"), "no application element")
}

// TestLinks takes the hosts of links to the web, by either scheme.
func TestLinks(t *testing.T) {
	for scheme, want := range map[string][]string{"http": {"kiln.example"}, "https": {"kiln.example"}, "kiln": nil} {
		a := manifest(t, "", xml("application", "", xml("activity", "name=.Log exported=?true",
			xml("intent-filter", "autoVerify=?true", xml("data", "scheme="+scheme+" host=kiln.example")))))
		assert.Equal(t, want, a.Manifest.DeepLinkHosts, scheme)
	}
}

func TestComponents(t *testing.T) {
	a := manifest(t, "", xml("application", "",
		xml("activity", "name=.Log", xml("intent-filter", "", xml("action", "name=android.intent.action.MAIN"), xml("category", "name=android.intent.category.LAUNCHER"))),
		xml("activity", "name=Curve exported=?true screenOrientation=#1 resizeableActivity=?false",
			xml("intent-filter", "autoVerify=?true", xml("data", "scheme=https host=kiln.example"), xml("data", "host=pots.example"))),
		xml("service", "name=c.d.Probe foregroundServiceType=#2049 permission=p",
			xml("property", "name=android.app.PROPERTY_SPECIAL_USE_FGS_SUBTYPE value=curve")),
		xml("provider", "name=.P authorities=a.b.p;x.y readPermission=r"),
		xml("activity-alias", "name=.Q targetActivity=.Log enabled=?false"),
		xml("meta-data", "name=k value=#3"), xml("meta-data", "name=m value=${KEY}"), xml("unknown-element", "name=x"),
	))
	assert.Equal(t, "a.b.Log", a.Manifest.Launcher)
	assert.Equal(t, "phone", a.Manifest.LauncherKind)
	require.Len(t, a.Manifest.Components, 5)
	log, curve, probe, provider, alias := a.Manifest.Components[0], a.Manifest.Components[1], a.Manifest.Components[2], a.Manifest.Components[3], a.Manifest.Components[4]
	assert.True(t, log.Exported && !log.ExportedDeclared, "a filter exports by default")
	assert.Equal(t, "a.b.Curve", curve.Name)
	assert.Equal(t, "portrait", curve.Orientation)
	assert.False(t, curve.Resizeable)
	assert.Equal(t, []string{"kiln.example", "pots.example"}, a.Manifest.DeepLinkHosts)
	assert.True(t, a.Manifest.AutoVerify)
	require.Len(t, a.Manifest.UnverifiedLinks, 1)
	assert.Equal(t, "a.b.Curve", a.Manifest.UnverifiedLinks[0].Component)
	assert.Equal(t, []string{"android.intent.action.VIEW", "android.intent.category.BROWSABLE", "android.intent.category.DEFAULT"}, a.Manifest.UnverifiedLinks[0].Lacks)
	assert.Equal(t, []string{"dataSync", "shortService"}, probe.Foreground)
	assert.Equal(t, "curve", probe.SpecialUse)
	assert.Equal(t, []string{"a.b.p", "x.y"}, provider.Authorities)
	assert.Equal(t, "r", provider.Permission)
	assert.Equal(t, "a.b.Log", alias.Target)
	assert.False(t, alias.Enabled)
	assert.Equal(t, "3", a.Manifest.MetaData[0].Value)
	require.Len(t, a.Manifest.Placeholders, 1)
	assert.Equal(t, "${KEY}", a.Manifest.Placeholders[0].Value)
}

func TestReach(t *testing.T) {
	a := manifest(t, "",
		xml("uses-permission", "name=CAMERA maxSdkVersion=#28"), xml("uses-permission-sdk-23", "name=FINE"),
		xml("uses-permission", "name=SCAN usesPermissionFlags=#65536"),
		xml("uses-feature", "name=f required=?false"), xml("uses-feature", "name=g"), xml("uses-feature", "glEsVersion=#196609"),
		xml("supports-screens", "largeScreens=?false smallScreens=?true"), xml("permission", "name=a.b.P"),
		xml("queries", "", xml("package", "name=x.y"), xml("intent", "", xml("action", "name=android.intent.action.MAIN"))),
		xml("instrumentation", "name=t"))
	assert.EqualValues(t, 28, a.Manifest.Permissions[0].MaxLevel)
	assert.True(t, a.Manifest.Permissions[1].From23)
	assert.True(t, a.Manifest.Permissions[2].NeverForLocation)
	assert.False(t, a.Manifest.Features[0].Required)
	assert.True(t, a.Manifest.Features[1].Required)
	assert.Equal(t, "3.1", a.Manifest.GLES)
	assert.Equal(t, []string{"large"}, a.Manifest.ExcludedScreens)
	assert.Equal(t, []string{"a.b.P"}, a.Manifest.DefinedPermissions)
	assert.Equal(t, []string{"x.y"}, a.Manifest.Queries)
	assert.True(t, a.Manifest.QueriesBroad && a.Manifest.Instrumented)
}

func TestNetworkConfig(t *testing.T) {
	base := func(config []byte) *facts.Android {
		return bundle(t, map[string][]byte{
			"base/manifest/AndroidManifest.xml": xml("manifest", ":package=a.b", xml("uses-sdk", "targetSdkVersion=#35"), xml("application", "usesCleartextTraffic=?true networkSecurityConfig=res/xml/n.xml")),
			"base/res/xml/n.xml":                config,
		})
	}
	domain := field(nil, 1, field(field(nil, 3, []byte("domain")), 5, field(nil, 2, []byte("kiln.example"))))
	a := base(xml("network-security-config", "", xml("base-config", ":cleartextTrafficPermitted=false"),
		xml("domain-config", ":cleartextTrafficPermitted=true", domain, xml("trust-anchors", "", xml("certificates", ":src=user")))))
	assert.False(t, a.Manifest.Cleartext, "the configuration takes the attribute's place")
	assert.Equal(t, []string{"kiln.example"}, a.Manifest.Network.Hosts)
	assert.True(t, a.Manifest.Network.UserTrusted)
	torn := base([]byte{0xff})
	assert.Contains(t, torn.Manifest.Unread("cleartext"), "cannot be read")
}

func TestModules(t *testing.T) {
	feature := func(attrs string, children ...[]byte) []byte {
		return xml("manifest", ":package=a.b :split=glaze versionCode=#5", xml("module", attrs, children...), xml("uses-permission", "name=MIC"))
	}
	a := bundle(t, map[string][]byte{
		"base/manifest/AndroidManifest.xml":  xml("manifest", ":package=a.b versionCode=#5"),
		"base/assets/a.txt":                  []byte("one"),
		"base/lib/arm64-v8a/libx.so":         []byte("no library"),
		"glaze/manifest/AndroidManifest.xml": feature(":title=Glazes :instant=true", xml("delivery", "", xml("on-demand", ""))),
		"glaze/assets/a.txt":                 []byte("two"),
		"glaze/dex/classes.dex":              []byte("dex\n035\x00"),
		"pots/manifest/AndroidManifest.xml":  xml("manifest", ":package=a.b", xml("module", ":type=asset-pack", xml("delivery", "", xml("fast-follow", "")))),
		"cond/manifest/AndroidManifest.xml": xml("manifest", ":package=a.b", xml("module", "",
			xml("delivery", "", xml("install-time", "", xml("conditions", "", xml("min-sdk", ":value=#24")))))),
		"BUNDLE-METADATA/com.android.tools.build.obfuscation/proguard.map":           nil,
		"BUNDLE-METADATA/com.android.tools.build.debugsymbols/arm64-v8a/libx.so.sym": nil,
		"base/root/META-INF/androidx.work_work-runtime.version":                      []byte("2.9.1\n"),
	})
	require.Len(t, a.Bundle.Modules, 4)
	byName := map[string]*facts.Module{}
	for _, m := range a.Bundle.Modules {
		byName[m.Name] = m
	}
	g := byName["glaze"]
	assert.Equal(t, []string{"feature", "on-demand", "Glazes", "glaze"}, []string{g.Kind, g.Delivery, g.Title, g.SplitName})
	assert.True(t, g.Instant && g.HasCode && g.DeliveryDeclared)
	assert.EqualValues(t, 5, *g.VersionCode)
	assert.Equal(t, "assets", byName["pots"].Kind)
	assert.Equal(t, "fast-follow", byName["pots"].Delivery)
	assert.Equal(t, "conditional", byName["cond"].Delivery)
	assert.Equal(t, []string{"min-sdk 24"}, byName["cond"].Conditions)
	var names []string
	for _, p := range a.Manifest.Permissions {
		names = append(names, p.Name+" "+p.Module+" "+p.ImpliedBy)
	}
	assert.Subset(t, names, []string{"android.permission.WRITE_EXTERNAL_STORAGE  target level 1", "android.permission.READ_PHONE_STATE  target level 1", "android.permission.READ_EXTERNAL_STORAGE  android.permission.WRITE_EXTERNAL_STORAGE"})
	assert.Equal(t, "glaze", a.Manifest.Permissions[len(names)-1].Module)
	require.Len(t, a.Bundle.Duplicates, 1)
	assert.Equal(t, "assets/a.txt", a.Bundle.Duplicates[0].Path)
	assert.True(t, a.Bundle.Metadata.Mapping)
	assert.Equal(t, []string{"arm64-v8a/libx.so"}, a.Bundle.Metadata.NativeSymbols)
	assert.Equal(t, "2.9.1", a.Code.LibraryVersions["androidx.work_work-runtime"])
	assert.Contains(t, a.Native.Libraries[0].Unread("align"), "not an ELF file")
	assert.Contains(t, a.Code.Unread("shrunk"), "classes.dex cannot be read")
}

// style writes a ConfigValue that holds a style: its parent and pairs of a name and a truth value.
func style(parent uint64, name string, on uint64) []byte {
	body := field(nil, 1, number(nil, 2, parent))
	key := field(number(nil, 2, 0x01010500), 3, []byte(name))
	body = field(body, 3, field(field(nil, 3, key), 4, field(nil, 7, number(nil, 8, on))))
	return field(nil, 2, field(nil, 5, field(nil, 2, body)))
}

func TestThemes(t *testing.T) {
	const optOut = "android:attr/windowOptOutEdgeToEdgeEnforcement"
	read := func(child, parent []byte) *facts.Theme {
		types := field(field(nil, 1, number(nil, 1, 1)), 2, []byte("style"))
		for id, s := range [][]byte{1: child, 2: parent} {
			types = field(types, 3, field(field(nil, 1, number(nil, 1, uint64(id))), 6, s))
		}
		table := field(nil, 2, field(field(nil, 1, number(nil, 1, 0x7f)), 3, types))
		a := bundle(t, map[string][]byte{
			"base/manifest/AndroidManifest.xml": xml("manifest", ":package=a.b", xml("application", "theme=@x", xml("activity", "theme=@x"))),
			"base/resources.pb":                 table,
		})
		require.Len(t, a.Resources.Themes, 1, "each theme once")
		return a.Resources.Themes[0]
	}
	assert.True(t, read(style(0, optOut, 1), style(0, "x", 1)).EdgeOptOut)
	assert.True(t, read(style(0x7f010002, "android:attr/x", 1), style(0x7f010001, optOut, 1)).EdgeOptOut, "inherited, from styles in a ring")
	assert.False(t, read(style(0x7f010002, optOut, 0), style(0, optOut, 1)).EdgeOptOut, "the nearest style decides")
}

func TestBundleConfig(t *testing.T) {
	dimension := func(kind uint64, off bool) []byte {
		d := number(nil, 1, kind)
		if off {
			d = number(d, 2, 1)
		}
		return field(nil, 1, d)
	}
	var dims []byte
	for _, d := range [][]byte{dimension(1, false), dimension(2, true), dimension(3, false), dimension(6, true), dimension(9, true)} {
		dims = append(dims, d...)
	}
	config := field(nil, 1, field(nil, 2, []byte("1.18.1")))
	config = field(config, 2, append(field(nil, 1, dims), field(nil, 2, number(number(nil, 1, 1), 2, 2))...))
	a := bundle(t, map[string][]byte{"base/manifest/AndroidManifest.xml": xml("manifest", ":package=a.b"), "BundleConfig.pb": config})
	require.NotNil(t, a.Bundle.Config)
	assert.Equal(t, "1.18.1", a.Bundle.Config.Version)
	assert.Equal(t, []string{"abi", "language"}, a.Bundle.Config.SplitBy)
	assert.Equal(t, []string{"density", "device-tier", "dimension 9"}, a.Bundle.Config.NotSplitBy)
	assert.Equal(t, "16K", a.Bundle.Config.PageAlignment)
	assert.True(t, a.Bundle.Config.StoredNative)
	torn := bundle(t, map[string][]byte{"base/manifest/AndroidManifest.xml": xml("manifest", ":package=a.b"), "BundleConfig.pb": config[:len(config)-1]})
	assert.Contains(t, torn.Bundle.Unread("config"), "BundleConfig.pb is damaged")
}

// TestIconLooks reads what tells an icon of one's own from a placeholder.
func TestIconLooks(t *testing.T) {
	picture := func(colors ...color.Color) []byte {
		m := image.NewNRGBA(image.Rect(0, 0, 8, 8))
		for i := range 64 {
			m.Set(i%8, i/8, colors[i%len(colors)])
		}
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, m))
		return b.Bytes()
	}
	names := []string{"res/i.xml", "res/bg.xml", "res/blank.png", "res/two.png", "res/torn.png"}
	var values []byte
	for _, n := range names {
		values = append(values, field(nil, 6, field(nil, 2, field(nil, 4, field(nil, 5, field(nil, 1, []byte(n))))))...)
	}
	types := field(field(nil, 1, number(nil, 1, 1)), 2, []byte("mipmap"))
	types = field(types, 3, append(field(nil, 1, number(nil, 1, 1)), values...))
	two := picture(color.Black, color.White)
	a := bundle(t, map[string][]byte{
		"base/manifest/AndroidManifest.xml": xml("manifest", ":package=a.b", xml("application", "icon=@x")),
		"base/resources.pb":                 field(nil, 2, field(field(nil, 1, number(nil, 1, 0x7f)), 3, types)),
		"base/res/i.xml":                    xml("adaptive-icon", "", xml("background", "drawable=@x"), xml("foreground", "drawable=@x")),
		"base/res/bg.xml": xml("vector", "", xml("path", "fillColor=%ff3ddc84"), xml("path", "fillColor=%00000000 strokeColor=%33ffffff"),
			xml("path", "strokeColor=%33ffffff")),
		"base/res/blank.png": picture(color.Transparent, color.NRGBA{R: 9}),
		"base/res/two.png":   two,
		"base/res/torn.png":  two[:len(two)-20],
	})
	require.True(t, a.Icon.Adaptive)
	assert.Equal(t, "#ff3ddc84", a.Icon.Fill)
	assert.Equal(t, []string{"#33ffffff"}, a.Icon.Strokes)
	got := map[string]int64{}
	for _, f := range a.Icon.Files {
		got[strings.TrimPrefix(f.Path, "base/res/")] = f.Colors
		assert.Equal(t, strings.Contains(f.Path, "torn"), f.Unread("colors") != "", "what was not counted is not passed: %s", f.Path)
	}
	assert.Equal(t, map[string]int64{"i.xml": 0, "bg.xml": 0, "blank.png": 1, "two.png": 2, "torn.png": 0}, got)
}

// TestManifestKinds holds that an attribute of another kind than its field is unknown, with
// its place, and one whose name a shrinker took is found by its id.
func TestManifestKinds(t *testing.T) {
	a := manifest(t, "versionCodeMajor=one", xml("uses-sdk", "minSdkVersion=#24 maxSdkVersion=all"),
		xml("uses-permission", "name=SCAN maxSdkVersion=x usesPermissionFlags=neverForLocation"), xml("uses-feature", "name=f required=maybe"),
		xml("application", "debuggable=maybe testOnly=@x allowBackup=0 hasCode=1 extractNativeLibs=yes requestLegacyExternalStorage=?true localeConfig=res/xml/l.xml enableOnBackInvokedCallback=?false pageSizeCompat=enabled dataExtractionRules=res/xml/d.xml",
			xml("service", "name=.S exported=sometimes enabled=?false foregroundServiceType=location"), xml("uses-library", "name=maps required=?false")))
	m := a.Manifest
	for field, why := range map[string]string{
		"version_code_major": `versionCodeMajor is "one", not a number`,
		"max_level":          `maxSdkVersion is "all", not a number`,
		"debuggable":         `debuggable is "maybe", not true or false`,
		"test_only":          "testOnly refers to @0x7f010001, which is not in the resource table",
		"extract_native":     `extractNativeLibs is "yes", not true or false`,
	} {
		assert.Equal(t, why, m.Unread(field), field)
	}
	assert.Equal(t, "application@debuggable", m.Gap("debuggable").At.Key)
	assert.Contains(t, m.Permissions[0].Unread("max_level"), "not a number")
	assert.Contains(t, m.Permissions[0].Unread("never_for_location"), "not a number")
	assert.Contains(t, m.Features[0].Unread("required"), "not true or false")
	s := m.Components[0]
	assert.Contains(t, s.Unread("exported"), "not true or false")
	assert.Contains(t, s.Unread("foreground"), "not a number")
	assert.Equal(t, "application/service a.b.S@exported", strings.Replace(s.Gap("exported").At.Key, "service .S", "service a.b.S", 1))
	assert.False(t, m.AllowBackup || s.Enabled || m.UsesLibraries[0].Required)
	assert.True(t, m.HasCode && m.LegacyStorage && m.BackOptOut && m.PageCompat && m.BackupRules)
	assert.Equal(t, "res/xml/l.xml", m.LocaleConfig)
	assert.Empty(t, fact.Unknown(a, ""))
}
