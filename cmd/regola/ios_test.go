package main_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/seed"
)

// whole is an app with everything that can lie inside one.
const whole = "../../" + seed.WholeIPA

// repack copies an archive, with the modes of its files: change gives the new
// contents of an entry, or nil to leave it out. more are added.
func repack(t *testing.T, change func(name string, data []byte) []byte, more map[string][]byte) string {
	t.Helper()
	src, err := zip.OpenReader(whole)
	require.NoError(t, err)
	defer src.Close()
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	put := func(h *zip.FileHeader, data []byte) {
		f, err := w.CreateHeader(&zip.FileHeader{Name: h.Name, Method: zip.Deflate, ExternalAttrs: h.ExternalAttrs, CreatorVersion: h.CreatorVersion})
		require.NoError(t, err)
		_, err = f.Write(data)
		require.NoError(t, err)
	}
	for _, f := range src.File {
		r, err := f.Open()
		require.NoError(t, err)
		data, err := io.ReadAll(r)
		require.NoError(t, err)
		if data = change(f.Name, data); data != nil {
			put(&f.FileHeader, data)
		}
	}
	for name, data := range more {
		put(&zip.FileHeader{Name: name}, data)
	}
	require.NoError(t, w.Close())
	file := filepath.Join(t.TempDir(), "whole.ipa")
	require.NoError(t, os.WriteFile(file, out.Bytes(), 0o644))
	return file
}

// rulesBroken checks a package and lists the rules of its findings.
func rulesBroken(t *testing.T, file string) []string {
	t.Helper()
	out, stderr, exit := regola(t, ".", "check", "--on", on, "--alone", "--format", "json", file)
	require.Contains(t, []int{0, 1}, exit, stderr)
	var r struct{ Findings []struct{ Rule string } }
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	var ids []string
	for _, f := range r.Findings {
		ids = append(ids, f.Rule)
	}
	return ids
}

// TestWhole checks a sound app with a framework, extensions, a clip and a watch
// app, then the same with one fault at a time.
func TestWhole(t *testing.T) {
	keep := func(_ string, data []byte) []byte { return data }
	require.Empty(t, rulesBroken(t, repack(t, keep, nil)), "no false alarm")
	const app = "Payload/Terrafuoco.app/"
	on := func(name string, f func([]byte) []byte) func(string, []byte) []byte {
		return func(n string, data []byte) []byte {
			if n == app+name {
				return f(data)
			}
			return data
		}
	}
	gone := func([]byte) []byte { return nil }
	swap := func(old, new string) func([]byte) []byte {
		return func(b []byte) []byte {
			require.Contains(t, string(b), old)
			return bytes.ReplaceAll(b, []byte(old), []byte(new))
		}
	}
	kit := seed.Entry(t, seed.WholeIPA, app+"Frameworks/KilnKit.framework/KilnKit")
	for rule, c := range map[string]struct {
		change func(string, []byte) []byte
		more   map[string][]byte
	}{
		"ios/code-intact":            {change: on("Watch/Watch.app/Watch", func(b []byte) []byte { b[0x1000] ^= 1; return b })},
		"ios/seal-intact":            {change: on("AppClips/Clip.app/Assets.car", func(b []byte) []byte { return append(b, 0) })},
		"ios/library-paths":          {change: on("Frameworks/KilnKit.framework/KilnKit", gone)},
		"ios/privacy-manifest-valid": {change: on("PlugIns/Share.appex/PrivacyInfo.xcprivacy", func([]byte) []byte { return []byte("{}") })},
		"ios/nested-executable":      {change: on("PlugIns/Share.appex/Share", func(b []byte) []byte { return b[:200] })},
		"ios/profile-present":        {change: on("PlugIns/Keys.appex/embedded.mobileprovision", gone)},
		"ios/profile-covers": {change: on("PlugIns/Keys.appex/embedded.mobileprovision", func([]byte) []byte {
			return seed.Entry(t, seed.WholeIPA, app+"embedded.mobileprovision")
		})},
		"ios/asset-catalogue":     {change: on("Assets.car", func(b []byte) []byte { return b[:len(b)/2] })},
		"ios/icon-set":            {change: on("Assets.car", swap("AppIcon", "AppIkon"))},
		"ios/keyboard-next":       {change: on("PlugIns/Keys.appex/Keys", swap("advanceToNextInputMode", "advanceToNextInputMood"))},
		"ios/named-classes":       {change: on("PlugIns/Share.appex/Info.plist", swap("KLNShare", "KLNShade"))},
		"ios/extension-id":        {change: on("PlugIns/Share.appex/Info.plist", swap("org.example.terrafuoco.Share", "org.example.terrafuogo.Share"))},
		"ios/watch-keys":          {change: on("Watch/Watch.app/Info.plist", swap("WatchOS", "WatchOX"))},
		"ios/framework-structure": {change: on("Frameworks/KilnKit.framework/Info.plist", swap("org.example.kilnkit", "org.example.kiln_it"))},
		"ios/reason-declared":     {change: on("PrivacyInfo.xcprivacy", swap("UserDefaults", "UserDefaultz"))},
		"ios/purpose-present":     {change: on("Info.plist", swap("NSCameraUsageDescription", "NSCameraUsageDescriptiom"))},
		"ios/entitlements-covered": {change: on("AppClips/Clip.app/embedded.mobileprovision", func([]byte) []byte {
			return seed.Entry(t, seed.WholeIPA, app+"PlugIns/Share.appex/embedded.mobileprovision")
		})},
		"ios/launch-screen":  {change: on("AppClips/Clip.app/Info.plist", swap("UILaunchScreen", "UILaunchScreem"))},
		"ios/requires-ios":   {change: on("AppClips/Clip.app/Info.plist", swap("LSRequiresIPhoneOS", "LSRequiresIPhoneOZ"))},
		"ios/device-family":  {change: on("AppClips/Clip.app/Info.plist", swap("UIDeviceFamily", "UIDeviceFamilj"))},
		"ios/build-marks":    {change: on("PlugIns/Share.appex/Info.plist", swap("iphoneos", "iphoneox"))},
		"ios/sdk-agrees":     {change: on("Watch/Watch.app/Info.plist", swap("watchos26", "watchos25"))},
		"ios/archive-layout": {more: map[string][]byte{"__MACOSX/x": nil}},
		"ios/loose-code":     {more: map[string][]byte{app + "libkiln.dylib": kit}},
		"ios/manifest-place": {more: map[string][]byte{app + "media/PrivacyInfo.xcprivacy": []byte("<plist/>")}},
		"ios/build-files":    {more: map[string][]byte{app + "Frameworks/KilnKit.framework/Headers/KilnKit.h": []byte("//")}},
	} {
		t.Run(rule, func(t *testing.T) {
			if c.change == nil {
				c.change = keep
			}
			got := rulesBroken(t, repack(t, c.change, c.more))
			assert.True(t, slices.Contains(got, rule), "%v", got)
		})
	}
}

// list writes a property list: a sound bundle's keys, with what a case changes. A value is
// XML; an empty one leaves the key out.
func list(sound, change map[string]string) []byte {
	var b bytes.Buffer
	b.WriteString("<?xml version=\"1.0\"?><plist version=\"1.0\"><dict>")
	for key, value := range sound {
		if _, changed := change[key]; !changed {
			fmt.Fprintf(&b, "<key>%s</key>%s", key, value)
		}
	}
	for key, value := range change {
		if value != "" {
			fmt.Fprintf(&b, "<key>%s</key>%s", key, value)
		}
	}
	b.WriteString("</dict></plist>")
	return b.Bytes()
}

// bundleKeys are the keys of a sound bundle.
func bundleKeys(platform, id, name string, family int, more map[string]string) map[string]string {
	device := map[string]string{"iphoneos": "iPhoneOS", "watchos": "WatchOS"}[platform]
	out := map[string]string{
		"DTXcode": "<string>2610</string>", "DTXcodeBuild": "<string>17B55</string>", "DTSDKBuild": "<string>23B77</string>",
		"DTPlatformName": "<string>" + platform + "</string>", "DTSDKName": "<string>" + platform + "26.1</string>", "DTPlatformVersion": "<string>26.1</string>",
		"CFBundleSupportedPlatforms": "<array><string>" + device + "</string></array>", "CFBundleInfoDictionaryVersion": "<string>6.0</string>",
		"MinimumOSVersion": "<string>15.0</string>", "CFBundleDevelopmentRegion": "<string>en</string>", "UIDeviceFamily": fmt.Sprintf("<array><integer>%d</integer></array>", family),
		"CFBundleIdentifier": "<string>" + id + "</string>", "CFBundleName": "<string>" + name + "</string>", "CFBundleDisplayName": "<string>" + name + "</string>",
		"CFBundleExecutable": "<string>" + name + "</string>", "CFBundlePackageType": "<string>APPL</string>",
		"CFBundleShortVersionString": "<string>1.4.0</string>", "CFBundleVersion": "<string>1400</string>",
	}
	maps.Copy(out, more)
	return out
}

// TestNested plants faults into each kind of bundle inside an app, all at once: each is
// reported at its bundle, once, and the sound list reports none.
func TestNested(t *testing.T) {
	const app = "Payload/Terrafuoco.app/"
	const loads = "<dict><key>NSAllowsArbitraryLoads</key><true/></dict>"
	scene := "<dict><key>UISceneConfigurations</key><dict><key>UIWindowSceneSessionRoleApplication</key><array><dict><key>UISceneDelegateClassName</key><string>KLNNowhere</string></dict></array></dict></dict>"
	clip := bundleKeys("iphoneos", "org.example.terrafuoco.Clip", "Clip", 1, map[string]string{"NSAppClip": "<dict/>", "CFBundleIconName": "<string>AppIcon</string>", "LSRequiresIPhoneOS": "<true/>",
		"UILaunchScreen": "<dict/>", "UISupportedInterfaceOrientations": "<array><string>UIInterfaceOrientationPortrait</string></array>"})
	share := func(id string) map[string]string {
		return bundleKeys("iphoneos", id, "Share", 1, map[string]string{"CFBundlePackageType": "<string>XPC!</string>",
			"NSExtension": "<dict><key>NSExtensionPointIdentifier</key><string>com.apple.share-services</string><key>NSExtensionPrincipalClass</key><string>KLNShare</string></dict>"})
	}
	watch := bundleKeys("watchos", "org.example.terrafuoco.watchkitapp", "Watch", 4, map[string]string{"WKApplication": "<true/>",
		"WKCompanionAppBundleIdentifier": "<string>org.example.terrafuoco</string>", "CFBundleIconName": "<string>AppIcon</string>"})
	for name, c := range map[string]struct {
		path  string
		sound map[string]string
		own   map[string]string // what lies in the bundle besides: from where
		// Faults, each with the rule that reports it; several keys of one rule are one fault.
		change map[string]string
		rules  []string
	}{
		"clip": {path: "AppClips/Clip.app", sound: clip, change: map[string]string{
			"UILaunchScreen": "", "NSAppTransportSecurity": loads, "UIBackgroundModes": "<array><string>firing</string></array>",
			"CFBundleURLTypes":         "<array><dict><key>CFBundleURLSchemes</key><array><string>terra_fuoco</string></array></dict></array>",
			"NSCameraUsageDescription": "<string></string>", "DTXcodeBuild": "<string>17B5009g</string>", "LSRequiresIPhoneOS": "", "UIDeviceFamily": "<array><integer>3</integer></array>",
			"UIMainStoryboardFile": "<string>Nowhere</string>", "UIApplicationSceneManifest": scene, "CFBundleVersion": "<integer>1400</integer>",
			"DTSDKName": "<string>iphoneos18.2</string>", "CFBundleIconName": "<string>AppIkon</string>", "UIAppFonts": "<array><string>Nowhere.ttf</string></array>",
		}, rules: []string{"ios/launch-screen", "ios/arbitrary-loads", "ios/background-known", "ios/url-schemes", "ios/purpose-empty", "ios/tools-released", "ios/requires-ios", "ios/device-family",
			"ios/interface-present", "ios/named-classes", "ios/key-types", "ios/sdk-agrees", "ios/icon-set", "ios/fonts-present"}},
		"extension": {path: "PlugIns/Share.appex", sound: share("org.example.terrafuoco.Share"), change: map[string]string{
			"NSAppTransportSecurity": loads, "CFBundleVersion": "<integer>1400</integer>", "DTXcodeBuild": "<string>17B5009g</string>", "NSCameraUsageDescription": "<string></string>",
			"DTSDKName": "<string>iphoneos18.2</string>", "DTPlatformName": "<string>iphonesimulator</string>",
		}, rules: []string{"ios/arbitrary-loads", "ios/key-types", "ios/tools-released", "ios/purpose-empty", "ios/sdk-agrees", "ios/build-marks"}},
		"watch app": {path: "Watch/Watch.app", sound: watch, change: map[string]string{
			"NSCameraUsageDescription": "<string></string>", "NSAppTransportSecurity": loads, "DTXcodeBuild": "<string>17B5009g</string>", "DTPlatformName": "<string>watchsimulator</string>",
			"WKBackgroundModes": "<array><string>firing</string></array>",
		}, rules: []string{"ios/purpose-empty", "ios/arbitrary-loads", "ios/tools-released", "ios/build-marks", "ios/watch-modes"}},
		"extension of the clip": {path: "AppClips/Clip.app/PlugIns/Share.appex", sound: share("org.example.terrafuoco.Clip.Share"), own: map[string]string{"Share": "PlugIns/Share.appex/Share", "PrivacyInfo.xcprivacy": "PlugIns/Share.appex/PrivacyInfo.xcprivacy"},
			change: map[string]string{"NSAppTransportSecurity": loads, "CFBundleIdentifier": "<string>org.example.terrafuoco.Share2</string>", "CFBundleVersion": "<integer>1400</integer>"},
			rules:  []string{"ios/arbitrary-loads", "ios/extension-id", "ios/key-types"}},
	} {
		t.Run(name, func(t *testing.T) {
			judge := func(change map[string]string) map[string]int {
				more := map[string][]byte{app + c.path + "/Info.plist": list(c.sound, change)}
				for file, from := range c.own {
					more[app+c.path+"/"+file] = seed.Entry(t, seed.WholeIPA, app+from)
				}
				file := repack(t, func(name string, data []byte) []byte {
					if name == app+c.path+"/Info.plist" {
						return nil
					}
					return data
				}, more)
				out, stderr, exit := regola(t, ".", "check", "--on", on, "--alone", "--format", "json", file)
				require.Contains(t, []int{0, 1}, exit, stderr)
				var r struct {
					Findings []struct {
						Rule   string
						Places []struct {
							Found, Says string
							Place       struct{ Entry string }
						}
					}
				}
				require.NoError(t, json.Unmarshal([]byte(out), &r))
				at := map[string]int{}
				for _, f := range r.Findings {
					for _, p := range f.Places {
						if strings.Contains(p.Place.Entry, c.path+"/") || strings.HasSuffix(p.Place.Entry, c.path) {
							at[f.Rule]++
						}
					}
				}
				return at
			}
			sound, got := judge(nil), judge(c.change)
			for _, rule := range c.rules {
				assert.Zero(t, sound[rule], "%s: the sound bundle is silent", rule)
				assert.Equal(t, 1, got[rule], "%s: reported at its bundle, once; these are: %v", rule, got)
			}
		})
	}
}
