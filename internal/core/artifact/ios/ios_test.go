package ios_test

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/artifact/ios"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/seed"
)

const app = "Payload/Terrafuoco.app/"

// demoFiles are the demo's, by path within the archive.
func demoFiles(t *testing.T) map[string][]byte {
	t.Helper()
	out := map[string][]byte{}
	for _, n := range seed.Names(t, seed.IPA) {
		out[n] = seed.Entry(t, seed.IPA, n)
	}
	return out
}

func read(t *testing.T, entries map[string][]byte) (*facts.IOS, error) {
	t.Helper()
	z := seed.Zip(t, entries)
	tr, err := files.FromZip(t.Context(), bytes.NewReader(z), int64(len(z)))
	require.NoError(t, err)
	root, _, ok := ios.FindApp(tr)
	require.True(t, ok)
	return ios.Read("t.ipa", tr, root, ios.Options{Digests: true})
}

// plain is an app with nothing but a property list.
func plain(t *testing.T, body string, more map[string]string) *facts.IOS {
	t.Helper()
	f := map[string][]byte{app + "Info.plist": []byte("<plist><dict>" + body + "</dict></plist>")}
	for n, d := range more {
		f[app+n] = []byte(d)
	}
	a, err := read(t, f)
	require.NoError(t, err)
	return a
}

func TestSound(t *testing.T) {
	a, err := read(t, demoFiles(t))
	require.NoError(t, err)
	require.Len(t, a.Bundles, 2)
	for _, b := range a.Bundles {
		require.NotNil(t, b.Signature, b.Path)
		assert.Empty(t, b.Signature.Faults, b.Path)
		assert.True(t, b.Signature.PagesVerified)
		assert.False(t, b.Signature.Adhoc)
		assert.Equal(t, "K1LN7EAM42", b.Signature.Team)
		assert.Equal(t, b.Info.ID, b.Signature.Identifier)
		assert.Equal(t, "store", b.Profile.Kind)
		assert.True(t, *b.Profile.HasSigner)
		assert.Empty(t, b.Seal.Faults)
	}
	assert.Equal(t, "NSPrivacyAccessedAPICategoryUserDefaults", a.Bundles[0].Privacy.Accessed[0].Category)
}

// TestNestedSeal puts an extension of another build, soundly signed by itself,
// into the app: the app's seal notices. So it does when one is added.
func TestNestedSeal(t *testing.T) {
	for folder, want := range map[string]string{"FiringWidget.appex": "/FiringWidget was changed after signing", "Other.appex": " was added after signing"} {
		f := demoFiles(t)
		for _, n := range seed.Names(t, seed.FaultyIPA) {
			if rest, ok := strings.CutPrefix(n, app+"PlugIns/FiringWidget.appex/"); ok {
				f[app+"PlugIns/"+folder+"/"+rest] = seed.Entry(t, seed.FaultyIPA, n)
			}
		}
		a, err := read(t, f)
		require.NoError(t, err)
		var said []string
		for _, s := range a.Bundles[0].Seal.Faults {
			said = append(said, s.Path+" "+s.What)
		}
		assert.Contains(t, said, "PlugIns/"+folder+want)
	}
}

// TestTampering changes one signed thing at a time; each is named in the
// bundle that it belongs to.
func TestTampering(t *testing.T) {
	for name, c := range map[string]struct {
		file   string
		bundle int
		want   string
	}{
		"code":            {"Terrafuoco", 0, "the code was changed after signing"},
		"property list":   {"Info.plist", 0, "Info.plist was changed after signing"},
		"seal":            {"_CodeSignature/CodeResources", 0, "CodeResources was changed after signing"},
		"resource":        {"PrivacyInfo.xcprivacy", 0, "PrivacyInfo.xcprivacy was changed after signing"},
		"extension code":  {"PlugIns/FiringWidget.appex/FiringWidget", 1, "the code was changed after signing"},
		"extension's own": {"PlugIns/FiringWidget.appex/embedded.mobileprovision", 1, "embedded.mobileprovision was changed after signing"},
	} {
		f := demoFiles(t)
		data := bytes.Clone(f[app+c.file])
		at := len(data) / 2
		if c.file == "Info.plist" { // keep it a property list
			at = bytes.Index(data, []byte("Photographs"))
		}
		if name == "code" || name == "extension code" {
			at = 4096 + 100
		}
		if c.file == "_CodeSignature/CodeResources" {
			data = append(data, '\n')
		} else {
			data[at] ^= 1
		}
		f[app+c.file] = data
		a, err := read(t, f)
		require.NoError(t, err, name)
		b := a.Bundles[c.bundle]
		said := append([]string(nil), b.Signature.Faults...)
		for _, s := range b.Seal.Faults {
			said = append(said, s.Path+" "+s.What)
		}
		require.NotEmpty(t, said, name)
		assert.Contains(t, said[0], c.want, name)
	}
}

func TestPropertyList(t *testing.T) {
	a := plain(t, `<key>CFBundleIdentifier</key><string>a.b</string><key>CFBundleVersion</key><integer>5</integer>
		<key>CFBundleName</key><string>$(NAME)</string><key>DTSDKName</key><string>iphoneos26.1</string>
		<key>ITSAppUsesNonExemptEncryption</key><string>NO</string><key>UIDeviceFamily</key><integer>2</integer>
		<key>NSCameraUsageDescription</key><true/><key>UIRequiresFullScreen</key><true/>
		<key>CFBundleURLTypes</key><array><dict><key>CFBundleURLSchemes</key><array><string>kiln</string></array></dict></array>
		<key>NSAppTransportSecurity</key><dict><key>NSAllowsArbitraryLoads</key><true/></dict>
		<key>UISupportedInterfaceOrientations</key><array><string>p</string></array><key>UISupportedInterfaceOrientations~ipad</key><array><string>q</string></array>
		<key>CFBundleIcons~ipad</key><dict><key>CFBundlePrimaryIcon</key><dict><key>CFBundleIconName</key><string>I</string><key>CFBundleIconFiles</key><array><string>Icon76x76</string></array></dict></dict>`,
		map[string]string{"Icon76x76@2x~ipad.png": "no picture", "Icon76x76more.png": "x", "it.lproj/InfoPlist.strings": `NSCameraUsageDescription = "Fotografa";`, "Base.lproj/x": ""})
	assert.Equal(t, "a.b", a.App.Info.ID)
	assert.Contains(t, a.App.Info.Unread("build"), "is an integer, not a string")
	assert.Contains(t, a.App.Info.Unread("encryption"), "is a string, not a boolean")
	assert.True(t, a.App.Info.EncryptionDeclared)
	assert.Equal(t, []string{"CFBundleName"}, a.App.Info.Unexpanded)
	assert.Equal(t, "26.1", *a.SDK, "the property list tells when the executable cannot")
	assert.Equal(t, []int64{2}, a.App.Info.Families)
	assert.Contains(t, a.App.Info.Purposes[0].Unread("text"), "is a boolean, not a string")
	assert.Equal(t, "Fotografa", a.App.Info.Purposes[0].Locales["it"])
	assert.Equal(t, []string{"kiln"}, a.App.Info.URLSchemes)
	assert.True(t, a.App.Info.ArbitraryLoads && a.App.Info.FullScreen)
	assert.Equal(t, []string{"q"}, a.App.Info.Orientations, "the tablet's own key counts")
	assert.Equal(t, []string{"it"}, a.Translations.Locales)
	assert.Equal(t, "I", a.App.Icon.Name)
	require.Len(t, a.App.Icon.Files, 1, "a longer name is another picture")
	assert.Contains(t, a.App.Icon.Files[0].Unread("width"), "no picture")
	assert.Contains(t, a.App.Code.Unread("slices"), "the executable cannot be read")
}

func TestNestedKinds(t *testing.T) {
	info := "<plist><dict><key>CFBundleIdentifier</key><string>x</string></dict></plist>"
	a := plain(t, "", map[string]string{
		"PlugIns/W.appex/Info.plist": info, "Frameworks/K.framework/Info.plist": "broken", "Watch/A.app/Info.plist": info,
		"AppClips/C.app/Info.plist": info, "Media.bundle/Info.plist": info,
	})
	kinds := map[string]string{}
	for _, n := range a.Nested {
		kinds[n.Path] = n.Kind
	}
	assert.Equal(t, map[string]string{"PlugIns/W.appex": "extension", "Frameworks/K.framework": "framework", "Watch/A.app": "watch-app", "AppClips/C.app": "app-clip"}, kinds)
	for _, n := range a.Nested {
		if n.Kind == "framework" {
			assert.Contains(t, n.Info.Unread("id"), "cannot be read")
		}
	}
}

func TestUnreadable(t *testing.T) {
	for text, want := range map[string]string{"": "is empty", "<plist/>": "holds no value", "<plist><array/></plist>": "an array, not a dictionary", "bplist00junk": "cut off"} {
		_, err := read(t, map[string][]byte{app + "Info.plist": []byte(text)})
		var p *place.Problem
		require.ErrorAs(t, err, &p)
		assert.Contains(t, p.What, want)
		assert.Equal(t, app+"Info.plist", p.At.Entry)
	}
}

func TestNamedFiles(t *testing.T) {
	a := plain(t, `<key>UIAppFonts</key><array><string>Kiln.ttf</string><string>fonts/Clay.otf</string></array>
		<key>UILaunchStoryboardName</key><string>Launch</string><key>UIMainStoryboardFile~ipad</key><string>Wide</string>
		<key>UIApplicationSceneManifest</key><dict><key>UISceneConfigurations</key><dict><key>r</key><array><dict><key>UISceneStoryboardFile</key><string>Deep</string></dict></array></dict></dict>
		<key>NSAppTransportSecurity</key><dict><key>NSExceptionDomains</key><dict><key>kiln.example</key><dict><key>NSExceptionAllowsInsecureHTTPLoads</key><true/><key>NSExceptionMinimumTLSVersion</key><string>TLSv1.0</string></dict><key>odd</key><string>x</string></dict></dict>
		<key>CFBundleDocumentTypes</key><array><dict><key>CFBundleTypeName</key><string>Firing</string><key>LSHandlerRank</key><string>Owner</string></dict></array>
		<key>LSSupportsOpeningDocumentsInPlace</key><false/>`,
		map[string]string{"fonts/Clay.otf": "x", "Base.lproj/Launch.storyboardc/Info.plist": "x", "Wide.nib": "x", "sub/Deep.storyboardc/Info.plist": "x"})
	got := map[string]bool{}
	for _, f := range a.References.Files {
		got[f.Kind+" "+f.Name] = f.Present
	}
	assert.Equal(t, map[string]bool{"font Kiln.ttf": false, "font fonts/Clay.otf": true, "launch-screen Launch": true, "interface Wide": true, "interface Deep": false}, got)
	require.Len(t, a.App.Info.HostExceptions, 2)
	assert.True(t, a.App.Info.HostExceptions[0].Insecure)
	assert.Equal(t, "TLSv1.0", a.App.Info.HostExceptions[0].MinTLS)
	assert.Equal(t, "odd", a.App.Info.HostExceptions[1].Host)
	assert.Equal(t, "NSAppTransportSecurity.NSExceptionDomains.odd is a string, not a dictionary", a.App.Info.HostExceptions[1].Unread("insecure"))
	require.Len(t, a.App.Info.DocumentTypes, 1)
	assert.Equal(t, "Owner", a.App.Info.DocumentTypes[0].Rank)
	assert.True(t, a.App.Info.OpensInPlaceDeclared, "false is an answer too")
}
