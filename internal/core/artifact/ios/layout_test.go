package ios_test

import (
	"bytes"
	"encoding/binary"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/artifact/ios"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/seed"
	"regola.example/regola/internal/seed/carfile"
)

const info = "<plist><dict><key>CFBundleIdentifier</key><string>x</string></dict></plist>"

func TestLayout(t *testing.T) {
	f := map[string][]byte{app + "Info.plist": []byte(info)}
	for _, n := range []string{"__MACOSX/x", "SwiftSupport/iphoneos/libswiftCore.dylib", "Payload/.DS_Store", "Payload/Zweite.app/Info.plist", "notes.txt",
		app + "PrivacyInfo.xcprivacy", app + "Kit.bundle/PrivacyInfo.xcprivacy", app + "sub/PrivacyInfo.xcprivacy", app + "privacyinfo.xcprivacy",
		app + "Frameworks/D.framework/Versions/A/Resources/PrivacyInfo.xcprivacy",
		"Symbols/4c4c44a0-5555-3144-a143-1f59674c5363.symbols"} {
		f[n] = []byte("x")
	}
	f[app+"Kit.bundle/Info.plist"] = []byte("<plist><dict><key>CFBundleExecutable</key><string>Kit</string></dict></plist>")
	a, err := read(t, f)
	require.NoError(t, err)
	assert.Equal(t, []string{"Payload/.DS_Store", "Payload/Zweite.app", "SwiftSupport", "Symbols", "__MACOSX", "notes.txt"}, a.Layout.Beside)
	assert.ElementsMatch(t, []string{"sub/PrivacyInfo.xcprivacy", "privacyinfo.xcprivacy"}, a.Layout.StrayManifests)
	require.Len(t, a.Layout.CaseClashes, 1)
	assert.True(t, strings.EqualFold(a.Layout.CaseClashes[0], app+"PrivacyInfo.xcprivacy"))
	require.Len(t, a.Resources, 1)
	assert.Equal(t, "Kit", a.Resources[0].Info.Executable)
	assert.True(t, a.Debug.Carried)
	assert.Equal(t, []string{"4C4C44A0-5555-3144-A143-1F59674C5363"}, a.Debug.Builds)
	require.Len(t, a.Nested, 1, "a framework without a property list is one all the same")
	assert.True(t, a.Nested[0].DesktopLayout)
}

func TestLooseCode(t *testing.T) {
	code := string(seed.Entry(t, seed.IPA, app+"Terrafuoco"))
	a := plain(t, `<key>CFBundleExecutable</key><string>T</string>`, map[string]string{
		"T": code, "helper": code, "libkiln.a": "!<arch>\nrest", "Frameworks/libswiftCore.dylib": code, "README": "just some text",
		"lib.dylib": "\xca\xfe\xba\xbe\x00\x00\x00\x01 and so on", "PlugIns/E.appex/Info.plist": info, "PlugIns/E.appex/E": code,
		"Frameworks/S.framework/Info.plist": info, "Frameworks/S.framework/S": "!<arch>\nrest",
	})
	got := map[string]string{}
	for _, l := range a.Layout.LooseCode {
		got[l.Path] = l.Kind
	}
	assert.Equal(t, map[string]string{"helper": "executable", "libkiln.a": "static library", "lib.dylib": "universal binary"}, got)
	for _, b := range a.Bundles {
		assert.Equal(t, b.Path == "Frameworks/S.framework", b.Code.StaticLibrary, b.Path)
	}
	assert.Empty(t, a.Layout.Unread("missing_libraries"), "a static library is part of the app")

	a = plain(t, `<key>CFBundleExecutable</key><string>T</string>`, map[string]string{"T": code,
		"PlugIns/E.appex/Info.plist": info, "PlugIns/E.appex/E": code[:100], "PlugIns/F.appex/Info.plist": info})
	for _, field := range []string{"imported", "libraries", "search_paths", "slices", "cpu"} {
		assert.Contains(t, a.Bundles[1].Code.Unread(field), "cut off", field)
	}
	assert.NotNil(t, a.Bundles[1].Code.NamesGap())
	assert.Nil(t, a.Bundles[2].Code.NamesGap(), "nothing is there that could use names")
	assert.NotEmpty(t, a.Layout.Unread("missing_libraries"), "what cannot be read cannot pass")
	assert.Empty(t, a.Bundles[0].Code.Fault)
	assert.Contains(t, a.Bundles[1].Code.Fault, "cut off")
	assert.Equal(t, "it is not in the package", a.Bundles[2].Code.Fault)
}

func TestTranslations(t *testing.T) {
	a := plain(t, `<key>CFBundleDevelopmentRegion</key><string>it</string><key>CFBundleDisplayName</key><string>Forno</string>`, map[string]string{
		"it.lproj/Localizable.strings": `"cone" = "Cono"; "glaze" = "Smalto"; "kiln" = "Forno"; "wheel" = "Tornio"; "more" = "Altro";`,
		"en.lproj/Localizable.strings": `"cone" = "Cone";`,
		"de.lproj/InfoPlist.strings":   `"CFBundleName" = "Ofen"`,
		"fr.lproj/Localizable.strings": `"cone" = "Cône"; "glaze" = "Émail"; "kiln" = "Four"; "wheel" = "Tour"; "more" = "Plus";`,
		"it.lproj/Main.strings":        `"a" = "b";`,
		"it.lproj/InfoPlist.strings":   `"CFBundleDisplayName" = "Forno";`,
		"en.lproj/InfoPlist.strings":   `"CFBundleDisplayName" = "Kiln"; "CFBundleName" = "K";`,
		"it.lproj/Bad.stringsdict":     `no list`,
		"x.lproj/y/Deep.strings":       `not looked at`,
	})
	assert.Equal(t, map[string]string{"en": "Kiln"}, a.Translations.Names, "only what differs, and the name under the icon first")
	require.Len(t, a.Translations.Faults, 2)
	assert.Equal(t, "de.lproj/InfoPlist.strings", a.Translations.Faults[0].Path)
	assert.Contains(t, a.Translations.Faults[0].What, "a semicolon is missing")
	require.Len(t, a.Translations.Untranslated, 1)
	u := a.Translations.Untranslated[0]
	assert.Equal(t, "en", u.Language)
	assert.EqualValues(t, []int64{4, 5}, []int64{u.Missing, u.Of})
	assert.Equal(t, []string{"glaze", "kiln", "more"}, u.Some)
}

func TestMoreKeys(t *testing.T) {
	a := plain(t, `<key>CFBundleIdentifier</key><string>org.example.kiln</string><key>DTXcode</key><string>2610</string><key>NSPrincipalClass</key><string>Kiln.Gone</string>
		<key>UISupportedInterfaceOrientations</key><array><string>b</string><string>a</string></array><key>UISupportedInterfaceOrientations~ipad</key><array><string>a</string></array>
		<key>SKAdNetworkItems</key><array><dict><key>SKAdNetworkIdentifier</key><string>n.skadnetwork</string></dict></array>
		<key>UTExportedTypeDeclarations</key><array><dict><key>UTTypeIdentifier</key><string>a.b</string><key>UTTypeConformsTo</key><array/></dict><dict/></array>
		<key>UIApplicationShortcutItems</key><array><dict><key>UIApplicationShortcutItemTitle</key><string>New</string></dict></array>
		<key>NSAdvertisingAttributionReportEndpoint</key><string>http://a</string><key>UIFileSharingEnabled</key><true/>
		<key>UILaunchScreen</key><dict><key>UIImageName</key><string>Flame</string><key>UIColorName</key><string>Clay</string></dict>`,
		map[string]string{"Service.plist": "<plist><dict><key>BUNDLE_ID</key><string>other</string><key>REVERSED_CLIENT_ID</key><string>r</string></dict></plist>", "Other.plist": info,
			"Flame@2x.png": "x", "Assets.car": string(carfile.Write([]carfile.Picture{{Set: "Clay", Layout: 1009, Scale: 1}}))})
	assert.Equal(t, "2610", a.App.Info.BuildTools.Version)
	assert.Equal(t, "DTXcode", a.App.Info.BuildTools.Field("version").Key)
	assert.Equal(t, []string{"a", "b"}, a.App.Info.AllOrientations)
	assert.Equal(t, []string{"n.skadnetwork"}, a.App.Info.AdNetworks)
	assert.Equal(t, []facts.ExportedType{{ID: "a.b", Conforms: true}, {}}, []facts.ExportedType{{ID: a.App.Info.ExportedTypes[0].ID, Conforms: a.App.Info.ExportedTypes[0].Conforms}, {ID: a.App.Info.ExportedTypes[1].ID, Conforms: a.App.Info.ExportedTypes[1].Conforms}})
	assert.Equal(t, "New", a.App.Info.Shortcuts[0].Title)
	assert.Equal(t, "http://a", a.App.Info.ReportEndpoints[0].URL)
	assert.Equal(t, []string{"UIFileSharingEnabled"}, a.App.Info.SwitchedOn)
	require.Len(t, a.References.Services, 1)
	assert.Equal(t, "other", a.References.Services[0].AppID)
	require.Len(t, a.References.Files, 2)
	assert.True(t, a.References.Files[0].Present && a.References.Files[1].Present, "a file, and a colour of the catalogue")
	require.Len(t, a.References.Classes, 1)
	assert.Contains(t, a.References.Classes[0].Unread("present"), "the executable cannot be read")
}

// TestNamedClasses looks for classes in the code that a compiler made: it
// imports UIResponder from the system.
func TestNamedClasses(t *testing.T) {
	code := string(seed.Entry(t, seed.IPA, app+"Terrafuoco"))
	a := plain(t, `<key>CFBundleExecutable</key><string>T</string><key>NSPrincipalClass</key><string>CBCentralManager</string>
		<key>UIApplicationSceneManifest</key><dict><key>UISceneConfigurations</key><dict><key>r</key><array><dict><key>UISceneDelegateClassName</key><string>Kiln.SceneDelegate</string></dict></array></dict></dict>`,
		map[string]string{"T": code})
	require.Len(t, a.References.Classes, 2)
	assert.True(t, a.References.Classes[0].Present)
	assert.True(t, plain(t, `<key>CFBundleExecutable</key><string>T</string><key>NSPrincipalClass</key><string>UIApplication</string>`, map[string]string{"T": code}).References.Classes[0].Present)
	assert.False(t, a.References.Classes[1].Present)
	assert.Empty(t, a.References.Classes[1].Unread("present"))
}

// TestLinked changes the path of a library that the executable links.
func TestLinked(t *testing.T) {
	const was = "/System/Library/Frameworks/UIKit.framework/UIKit"
	code := seed.Entry(t, seed.IPA, app+"Terrafuoco")
	require.Contains(t, string(code), was)
	for lib, want := range map[string]bool{
		was: true, "/usr/lib/libkiln.dylib": true, "/Library/Kiln": false, "@rpath/K.framework/K": true, "@rpath/L.framework/L": false,
		"@executable_path/Frameworks/K.framework/K": true, "@loader_path/Frameworks/K.framework/K": true, "@executable_path/Frameworks/L.framework/L": false,
	} {
		changed := bytes.Replace(code, []byte(was), append([]byte(lib), make([]byte, len(was)-len(lib))...), 1)
		a := plain(t, `<key>CFBundleExecutable</key><string>T</string>`, map[string]string{"T": string(changed), "Frameworks/K.framework/K": "x"})
		if assert.Equal(t, want, len(a.Layout.MissingLibraries) == 0, lib); !want && len(a.Layout.MissingLibraries) > 0 {
			assert.Equal(t, lib, a.Layout.MissingLibraries[0].Library)
		}
	}
}

func TestIcons(t *testing.T) {
	icons := `<key>CFBundleIcons</key><dict><key>CFBundlePrimaryIcon</key><dict><key>CFBundleIconName</key><string>AppIcon</string><key>CFBundleIconFiles</key><array><string>Gone</string></array></dict>
		<key>CFBundleAlternateIcons</key><dict><key>Winter</key><dict><key>CFBundleIconFiles</key><array><string>Winter</string></array></dict><key>Night</key><dict/></dict></dict>`
	car := carfile.Write([]carfile.Picture{
		{Set: "AppIcon", File: "a.png", Layout: 12, Width: 1024, Height: 1024, Scale: 1, Idiom: 6, Opaque: true},
		{Set: "AppIcon", File: "AppIcon", Layout: 1010, Scale: 1},
		{Set: "Night", File: "n.png", Layout: 12, Width: 1024, Height: 1024, Scale: 1},
	})
	a := plain(t, icons, map[string]string{"Assets.car": string(car), "Winter@2x.png": "x", "Watch/W.app/Info.plist": strings.Replace(info, "<dict>", "<dict>"+icons, 1), "Watch/W.app/Assets.car": "no store"})
	require.Len(t, a.App.Icon.Set, 1, "the list of sizes is no picture")
	assert.Equal(t, "marketing", a.App.Icon.Set[0].Idiom)
	assert.True(t, a.App.Icon.Set[0].Opaque)
	assert.Equal(t, []string{"Gone"}, a.App.Icon.MissingFiles)
	require.Len(t, a.App.AlternateIcons, 2)
	assert.Len(t, a.App.AlternateIcons[0].Set, 1)
	assert.Len(t, a.App.AlternateIcons[1].Files, 1)
	watch := a.Nested[0].Icon
	assert.Contains(t, watch.Unread("set"), "cannot be read")
	require.Len(t, a.Catalogues, 2)
	assert.True(t, a.Catalogues[0].Readable)
	assert.Contains(t, a.Catalogues[1].Fault, "32 bytes are expected")
}

func TestNestedDetails(t *testing.T) {
	list := func(body string) string { return "<plist><dict>" + body + "</dict></plist>" }
	a := plain(t, "", map[string]string{
		"PlugIns/K.appex/Info.plist": list(`<key>NSExtension</key><dict><key>NSExtensionPointIdentifier</key><string>com.apple.keyboard-service</string><key>NSExtensionPrincipalClass</key><string>K</string>
			<key>NSExtensionAttributes</key><dict><key>RequestsOpenAccess</key><true/><key>NSExtensionActivationRule</key><string>TRUEPREDICATE</string><key>IntentsSupported</key><array><string>I</string></array></dict></dict>`),
		"PlugIns/K.appex/Frameworks/x":           "12345",
		"Extensions/N.appex/Info.plist":          list(`<key>EXAppExtensionAttributes</key><dict><key>EXExtensionPointIdentifier</key><string>point</string></dict>`),
		"Watch/W.app/Info.plist":                 list(`<key>WKApplication</key><true/><key>WKCompanionAppBundleIdentifier</key><string>c</string><key>UIDeviceFamily</key><array><integer>4</integer></array><key>NSMotionUsageDescription</key><string>m</string><key>WKWatchOnly</key><true/>`),
		"AppClips/C.app/Info.plist":              list(`<key>NSAppClip</key><dict/>`),
		"AppClips/V.app/Info.plist":              list(`<key>CFBundleSupportedPlatforms</key><array><string>WatchOS</string></array>`),
		"Watch/D.app/Info.plist":                 list(`<key>NSAppClip</key><dict/>`),
		"Watch/P.app/Info.plist":                 list(``),
		"Watch/P.app/PlugIns/X.appex/Info.plist": list(``),
	})
	byPath := map[string]*facts.Bundle{}
	for _, n := range a.Nested {
		byPath[n.Path] = n
	}
	for path, kind := range map[string]string{"AppClips/C.app": "app-clip", "AppClips/V.app": "watch-app", "Watch/D.app": "app-clip", "Watch/P.app": "watch-app"} {
		assert.Equal(t, kind, byPath[path].Kind, path)
		assert.Equal(t, a.App, byPath[path].Host, path)
	}
	assert.Equal(t, a.App, a.App.Host)
	assert.Equal(t, byPath["Watch/P.app"], byPath["Watch/P.app/PlugIns/X.appex"].Host)
	k := byPath["PlugIns/K.appex"]
	assert.True(t, k.Info.EntryPoint && k.Info.OpenAccess && k.InnerFrameworks)
	assert.Equal(t, []string{"com.apple.keyboard-service", "TRUEPREDICATE", "I"}, []string{k.Info.Point, k.Info.Activation, k.Info.Intents[0]})
	assert.Greater(t, k.Size, int64(400))
	n := byPath["Extensions/N.appex"]
	assert.True(t, n.Info.ExtensionKit)
	assert.Equal(t, "point", n.Info.Point)
	w := byPath["Watch/W.app"]
	assert.True(t, w.Info.WatchApp && w.Info.RunsAlone)
	assert.Equal(t, "c", w.Info.Companion)
	assert.Equal(t, []int64{4}, w.Info.Families)
	assert.Equal(t, []string{"NSMotionUsageDescription"}, w.Info.PurposeKeys)
	assert.True(t, byPath["AppClips/C.app"].Info.Clip)
}

// TestLargeCatalog reads a compressed catalogue that is too large to be held:
// its index lies behind 40 MiB.
func TestLargeCatalog(t *testing.T) {
	car := carfile.Write([]carfile.Picture{{Set: "AppIcon", File: "a.png", Layout: 12, Width: 1024, Height: 1024, Scale: 1, Opaque: true}})
	be := binary.BigEndian
	const pad = 40 << 20
	index := be.Uint32(car[16:])
	large := slices.Concat(car[:index], make([]byte, pad), car[index:])
	be.PutUint32(large[16:], index+pad)
	be.PutUint32(large[24:], be.Uint32(large[24:])+pad)
	a := plain(t, `<key>CFBundleIconName</key><string>AppIcon</string>`, map[string]string{"Assets.car": string(large)})
	require.Empty(t, a.App.Icon.Unread("set"))
	require.Len(t, a.App.Icon.Set, 1)
	assert.Greater(t, a.App.Icon.Set[0].Width, int64(1000))
}

// TestOlderList reads a property list of an older form: that of an extension leaves types
// unknown, that of a bundle of resources concerns nobody.
func TestOlderList(t *testing.T) {
	for file, lost := range map[string]bool{"Kit.bundle/Info.plist": false, "PlugIns/W.appex/Info.plist": true} {
		a := plain(t, "", map[string]string{file: `{ CFBundleName = Kit; }`})
		assert.Equal(t, lost, a.Unread("wrong_types") != "", file)
	}
}

// TestMeant chooses the app that is meant among several.
func TestMeant(t *testing.T) {
	const none, seal = "", "_CodeSignature/CodeResources"
	for name, c := range map[string]struct {
		apps map[string]string // the app, and a file beside its property list
		want string
	}{
		"one":              {map[string]string{"Z.app": none}, "Z.app"},
		"a stray list":     {map[string]string{"Aaa.app": none, "T.app": seal}, "T.app"},
		"a stray list, Z":  {map[string]string{"Zzz.app": none, "T.app": seal}, "T.app"},
		"the larger":       {map[string]string{"A.app": none, "B.app": "x"}, "B.app"},
		"the larger, seal": {map[string]string{"A.app": seal, "BB.app": seal}, "A.app"},
	} {
		f := map[string][]byte{}
		for app, beside := range c.apps {
			f["Payload/"+app+"/Info.plist"] = []byte("<plist><dict/></plist>")
			if beside != none {
				f["Payload/"+app+"/"+beside] = []byte("x")
			}
		}
		z := seed.Zip(t, f)
		tr, err := files.FromZip(t.Context(), bytes.NewReader(z), int64(len(z)))
		require.NoError(t, err)
		root, layout, ok := ios.FindApp(tr)
		assert.True(t, ok, name)
		assert.Equal(t, "ipa Payload/"+c.want, layout+" "+root, name)
	}
}

// TestArchive reads a build archive, zipped with its folder or without.
func TestArchive(t *testing.T) {
	code := seed.Entry(t, seed.IPA, app+"Terrafuoco")
	for _, base := range []string{"", "Kiln.xcarchive/"} {
		in := base + "Products/Applications/T.app/"
		f := map[string][]byte{
			base + "Info.plist": []byte(`<plist><dict><key>ApplicationProperties</key><dict><key>CFBundleIdentifier</key><string>a.b</string><key>CFBundleVersion</key><string>7</string></dict></dict></plist>`),
			in + "Info.plist":   []byte(`<plist><dict><key>CFBundleExecutable</key><string>T</string></dict></plist>`), in + "T": code,
			base + "dSYMs/T.app.dSYM/Contents/Resources/DWARF/T": code, base + "Products/usr/include/kiln.h": nil,
			base + "Signatures/KilnKit.xcframework-ios.signature": nil,
		}
		a, err := read(t, f)
		require.NoError(t, err, base)
		require.NotNil(t, a.Archive, base)
		assert.True(t, a.Archive.App)
		assert.Equal(t, "a.b", a.Archive.ID)
		assert.Equal(t, []string{"Products/usr"}, a.Archive.Products)
		assert.Equal(t, []string{"KilnKit.xcframework-ios.signature"}, a.Archive.Signed)
		assert.Contains(t, a.Unread("signature_final"), "replaced at its export")
		require.Len(t, a.Debug.Builds, 1)
		assert.Equal(t, a.Bundles[0].Code.Slices[0].UUID, a.Debug.Builds[0])
		delete(f, base+"Info.plist")
		a, err = read(t, f)
		require.NoError(t, err)
		assert.NotEmpty(t, a.Archive.Unread("app"))
	}
	a, err := read(t, demoFiles(t))
	require.NoError(t, err)
	assert.Nil(t, a.Archive)
	assert.True(t, a.SignatureFinal)
}

func TestOddities(t *testing.T) {
	a := plain(t, `<key>CFBundleVersion</key><integer>5</integer><key>MinimumOSVersion</key><string>15.0</string><key>NSCameraUsageDescription</key><true/>
		<key>NSAppTransportSecurity</key><dict><key>NSAllowsArbitraryLoads</key><true/><key>NSAllowsLocalNetworking</key><true/></dict>`,
		map[string]string{"capacitor.config.json": `{"server": {"url": "http://192.168.1.7:8100", "cleartext": true}}`, "other.config.json": `{"server": {}}`, "broken.config.json": `{`,
			"blank /x": "x", "../out": "x"})
	var got []string
	for _, w := range a.WrongTypes {
		got = append(got, w.Key+" is "+w.Type)
	}
	assert.Equal(t, []string{"CFBundleVersion is an integer", "NSCameraUsageDescription is a boolean"}, got)
	require.Len(t, a.References.StartPages, 1)
	assert.Equal(t, "http://192.168.1.7:8100", a.References.StartPages[0].URL)
	assert.True(t, a.References.StartPages[0].Cleartext)
	assert.False(t, a.App.Info.ArbitraryLoads, "the narrower key takes its place")
	kinds := map[string]string{}
	for _, f := range a.Layout.ArchiveFaults {
		kinds[f.Kind] = f.Entry
	}
	assert.Equal(t, map[string]string{"blank": app + "blank /x", "unsafe-name": app + "../out"}, kinds)
}

// TestQuick leaves the end of a large compressed executable unread, and says so;
// its head is read.
func TestQuick(t *testing.T) {
	code := append(seed.Entry(t, seed.IPA, app+"Terrafuoco"), make([]byte, 33<<20)...)
	z := seed.Zip(t, map[string][]byte{app + "T": code, app + "Info.plist": []byte("<plist><dict><key>CFBundleExecutable</key><string>T</string></dict></plist>")})
	tr, err := files.FromZip(t.Context(), bytes.NewReader(z), int64(len(z)))
	require.NoError(t, err)
	for _, quick := range []bool{true, false} {
		a, err := ios.Read("t.ipa", tr, strings.TrimSuffix(app, "/"), ios.Options{Quick: quick})
		require.NoError(t, err)
		assert.Equal(t, "26.1", *a.SDK)
		assert.NotEmpty(t, a.App.Code.Libraries)
		for field, m := range map[string]interface{ Unread(string) string }{"imported": &a.App.Code, "signature": a.Bundles[0], "stripped": a.App.Code.Slices[0]} {
			assert.Equal(t, quick, strings.Contains(m.Unread(field), "facts --digests"), field)
		}
		assert.Equal(t, quick, len(a.App.Code.Imports) == 0)
	}
}
