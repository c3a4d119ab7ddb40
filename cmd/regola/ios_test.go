package main_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"slices"
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
