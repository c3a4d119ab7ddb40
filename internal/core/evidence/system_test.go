package evidence_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/catalogue"
	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/facts"
)

// tables is a small catalogue of the iOS platform.
func tables() *catalogue.Catalogue {
	sign := func(s catalogue.Sign) []*catalogue.Sign { return []*catalogue.Sign{&s} }
	return &catalogue.Catalogue{
		PrivateNames: []*catalogue.PrivateName{
			{Name: "KLNSecret", Kind: "class"}, {Name: "kiln_secret", Kind: "symbol"}, {Name: "openKiln", Kind: "selector"},
		},
		PrivateLinks:       []*catalogue.Pattern{{Pattern: `(?i)^kiln-prefs:`, Why: "closed"}},
		Frameworks:         map[string]string{"GlazeKit": "17.0"},
		BackgroundModes:    []*catalogue.Use{{Key: "firing", What: "a kiln", Signs: sign(catalogue.Sign{Classes: []string{"KLNBackground"}})}},
		Entitlements:       []*catalogue.Use{{Key: "kiln.read", What: "kilns", Signs: sign(catalogue.Sign{Classes: []string{"KLNReader"}, Selectors: []string{"read:"}}), Hints: sign(catalogue.Sign{Classes: []string{"KLNButton"}})}},
		ClosedInExtensions: []*catalogue.Use{{Key: "x", Signs: sign(catalogue.Sign{Selectors: []string{"sharedKiln"}})}},
		ClosedInClips:      []string{"GlazeKit"},
		Keyboards:          &catalogue.Use{Key: "keyboard", Signs: sign(catalogue.Sign{Selectors: []string{"nextBoard"}})},
		Runtimes:           []*catalogue.Runtime{{ID: "Wheel", Frameworks: []string{"Wheel"}, Classes: []string{"WHLRoot"}, Needs: `^[^/]+[.]clay$`, Part: "clay", Why: "nothing turns"}},
	}
}

// shop is an app with one binary and a signature with the given entitlements.
func shop(bin facts.Binary, entitlements ...string) *facts.IOS {
	bin.Path = "T"
	sig := &facts.CodeSignature{}
	for _, k := range entitlements {
		sig.Entitlements = append(sig.Entitlements, &facts.Entitlement{Key: k})
	}
	return &facts.IOS{Root: "Payload/T.app", MinOS: "15.0", Binaries: []*facts.Binary{&bin},
		Bundles: []*facts.Bundle{{Kind: "app", Path: ".", Executable: "T", MinOS: "15.0", Signature: sig}}}
}

func of(app *facts.IOS, names ...string) *evidence.Evidence {
	return evidence.Of(&facts.Package{IOS: app, Names: names}, tables())
}

func TestPrivateNames(t *testing.T) {
	e := of(shop(facts.Binary{Imports: []string{"_OBJC_CLASS_$_KLNSecret", "_kiln_secret", "_kiln_secrets"}, Selectors: []string{"openKiln"},
		Literals: []string{"Kiln-Prefs:root", "kiln:prefs"}}))
	got := map[string]bool{}
	for _, n := range e.PrivateNames {
		got[n.Kind+" "+n.Name] = n.Own
	}
	assert.Equal(t, map[string]bool{"class KLNSecret": false, "symbol kiln_secret": false, "selector openKiln": true}, got)
	require.Len(t, e.PrivateLinks, 1)
	assert.Equal(t, "Kiln-Prefs:root", e.PrivateLinks[0].Text)

	own := shop(facts.Binary{Imports: []string{"_kiln_secret"}})
	own.Binaries = append(own.Binaries, &facts.Binary{Path: "Frameworks/K.framework/K", Exports: []string{"_kiln_secret"}})
	assert.Empty(t, of(own).PrivateNames, "a framework of the app exports it")
	cut := shop(facts.Binary{})
	cut.Binaries[0].SetUnread("imports", "cut off")
	e = of(cut)
	for _, f := range []string{"private_names", "private_links", "purposes", "purposes_unused", "extension_purposes", "missing_parts", "sdks", "reasons", "unentitled", "closed_in_extensions", "closed_in_clips", "stuck_keyboards"} {
		assert.Equal(t, "T: cut off", e.Unread(f), f)
	}
}

func TestNewFrameworks(t *testing.T) {
	libs := func(min string, strong, weak []string) []*evidence.NewFramework {
		app := shop(facts.Binary{Libraries: strong, Weak: weak})
		app.Bundles[0].MinOS = min
		return of(app).NewFrameworks
	}
	glaze := []string{"/System/Library/Frameworks/GlazeKit.framework/GlazeKit"}
	require.Len(t, libs("15.0", glaze, nil), 1)
	assert.Equal(t, "17.0", libs("15.0", glaze, nil)[0].Since)
	assert.Empty(t, libs("17.0", glaze, nil))
	assert.Empty(t, libs("15.0", nil, glaze), "a weak one may be missing")
	assert.Empty(t, libs("15.0", []string{"@rpath/GlazeKit.framework/GlazeKit"}, nil), "the app's own")
}

func TestModesAndEntitlements(t *testing.T) {
	app := shop(facts.Binary{}, "kiln.read")
	app.BackgroundModes = []string{"firing", "unknown"}
	e := of(app)
	require.Len(t, e.IdleModes, 1)
	assert.Equal(t, "firing", e.IdleModes[0].Mode)
	require.Len(t, e.IdleEntitled, 1)
	assert.Empty(t, of(shop(facts.Binary{Imports: []string{"_OBJC_CLASS_$_KLNButton"}}, "kiln.read")).IdleEntitled, "a hint of its use is enough")
	assert.Empty(t, e.Unentitled)

	app = shop(facts.Binary{Imports: []string{"_OBJC_CLASS_$_KLNBackground", "_OBJC_CLASS_$_KLNReader", "_objc_msgSend$read:"}})
	app.BackgroundModes = []string{"firing"}
	e = of(app)
	assert.Empty(t, e.IdleModes)
	require.Len(t, e.Unentitled, 1)
	assert.Equal(t, "class KLNReader, method read:", e.Unentitled[0].Because)
	app.Bundles[0].Signature.Entitlements = []*facts.Entitlement{{Key: "kiln.read"}}
	app.Binaries[0].Path, app.Binaries = "Frameworks/K.framework/K", append(app.Binaries, &facts.Binary{Path: "T"})
	app.Bundles = append(app.Bundles, &facts.Bundle{Kind: "framework", Path: "Frameworks/K.framework", Executable: "Frameworks/K.framework/K", Signature: &facts.CodeSignature{}})
	assert.Empty(t, of(app).Unentitled, "a framework runs with the entitlements of the app")
	app.Bundles[0].Signature = nil
	assert.NotEmpty(t, of(app).Unread("unentitled"))
}

func TestNestedCode(t *testing.T) {
	app := shop(facts.Binary{Selectors: []string{"sharedKiln"}})
	sig := &facts.CodeSignature{}
	app.Nested = []*facts.Nested{{Kind: "extension", Path: "PlugIns/K.appex", Point: "keyboard"}, {Kind: "app-clip", Path: "AppClips/C.app", MinOS: "16.0"}}
	app.Bundles = append(app.Bundles, &facts.Bundle{Kind: "extension", Path: "PlugIns/K.appex", Executable: "PlugIns/K.appex/K", Signature: sig},
		&facts.Bundle{Kind: "app-clip", Path: "AppClips/C.app", Executable: "AppClips/C.app/C", Signature: sig})
	app.Binaries = append(app.Binaries, &facts.Binary{Path: "PlugIns/K.appex/K", Selectors: []string{"sharedKiln"}},
		&facts.Binary{Path: "AppClips/C.app/C", Weak: []string{"/System/Library/Frameworks/GlazeKit.framework/GlazeKit"}})
	e := of(app)
	require.Len(t, e.ClosedInExt, 1, "the app itself may")
	assert.Equal(t, "PlugIns/K.appex", e.ClosedInExt[0].Bundle)
	require.Len(t, e.ClosedInClips, 1)
	assert.Equal(t, []string{"PlugIns/K.appex"}, e.StuckKeyboards)
	app.Binaries[1].Selectors = []string{"nextBoard"}
	assert.Empty(t, of(app).StuckKeyboards)
	app.Binaries[1].Selectors, app.Nested[0].Point = nil, "share"
	app.Binaries[2].Weak = []string{"@rpath/GlazeKit.framework/GlazeKit"}
	e = of(app)
	assert.Empty(t, e.StuckKeyboards, "no keyboard")
	assert.Empty(t, e.ClosedInClips, "the clip's own framework")
}

func TestMissingParts(t *testing.T) {
	app := shop(facts.Binary{Classes: []string{"WHLRoot"}})
	require.Len(t, of(app, "Payload/T.app/sub/a.clay").MissingParts, 1)
	assert.Empty(t, of(app, "Payload/T.app/a.clay").MissingParts)
	assert.Empty(t, of(shop(facts.Binary{Classes: []string{"WHLRoots"}})).MissingParts, "another class")
}

// TestByName recognises third-party code by prefixes of its classes and by its
// modules.
func TestByName(t *testing.T) {
	cat := &catalogue.Catalogue{SDKs: []*catalogue.SDK{
		{ID: "Lanterna", IOSClasses: []string{"LNTAd"}}, {ID: "Probe", Frameworks: []string{"ProbeKit"}}, {ID: "Cone", IOSClasses: []string{"CN_"}},
	}}
	for class, want := range map[string]string{
		"LNTAdView": "Lanterna", "LNTAd": "Lanterna", "LNTAdvice": "", "_TtC8ProbeKit6Reader": "Probe", "_TtC9ProbeKits6Reader": "",
		"CN_low": "Cone", "CN": "", "XLNTAd": "",
	} {
		app := shop(facts.Binary{Classes: []string{"Aaa", class, "Zzz"}})
		e := evidence.Of(&facts.Package{IOS: app}, cat)
		if want == "" {
			assert.Empty(t, e.SDKs, class)
			continue
		}
		require.Len(t, e.SDKs, 1, class)
		assert.Equal(t, want, e.SDKs[0].ID, class)
		assert.True(t, e.SDKs[0].ByName)
		assert.False(t, e.SDKs[0].Manifest)
		assert.Empty(t, e.SDKs[0].Unread("manifest"), "no manifest is in the whole package")
	}
}

// TestPurposeHolders asks for a purpose string where the code asks from.
func TestPurposeHolders(t *testing.T) {
	cat := &catalogue.Catalogue{Purposes: []*catalogue.Purpose{{Key: "NSKilnUsageDescription", Signs: []*catalogue.Sign{{Classes: []string{"KLNReader"}}}}}}
	use := []string{"_OBJC_CLASS_$_KLNReader"}
	app := shop(facts.Binary{Imports: use})
	app.Purposes = []*facts.Purpose{{Key: "NSKilnUsageDescription"}}
	app.Nested = []*facts.Nested{{Kind: "watch-app", Path: "Watch/W.app"}, {Kind: "extension", Path: "PlugIns/K.appex"}}
	app.Binaries = append(app.Binaries, &facts.Binary{Path: "Watch/W.app/W", Imports: use}, &facts.Binary{Path: "PlugIns/K.appex/K", Imports: use})
	e := evidence.Of(&facts.Package{IOS: app}, cat)
	given := map[string]bool{}
	for _, p := range e.Purposes {
		given[p.Binary] = p.Given
	}
	assert.Equal(t, map[string]bool{"T": true, "Watch/W.app/W": false}, given)
	require.Len(t, e.ExtPurposes, 1)
	assert.Equal(t, "PlugIns/K.appex/K", e.ExtPurposes[0].Binary)
	app.Nested[1].PurposeKeys = []string{"NSKilnUsageDescription"}
	assert.Empty(t, evidence.Of(&facts.Package{IOS: app}, cat).ExtPurposes)
	app.Purposes, app.Keys = nil, []string{"NSKilnUsageDescription"}
	assert.True(t, evidence.Of(&facts.Package{IOS: app}, cat).Purposes[0].Given, "whatever its type")
	app.Nested[0].PurposeKeys = []string{"NSKilnUsageDescription"}
	assert.True(t, evidence.Of(&facts.Package{IOS: app}, cat).Purposes[1].Given)
}

// TestCollected makes the union over bundles, and finds what is not known.
func TestCollected(t *testing.T) {
	cat := &catalogue.Catalogue{
		DataTypes:    map[string][]string{"crash-logs": {"Crash"}, "photos": {"Pictures"}, "videos": {"Pictures"}},
		DataPurposes: map[string]string{"analytics": "PurposeA", "diagnostics": "PurposeF", "customer-service": "PurposeF"},
	}
	manifest := func(c ...*facts.Collected) *facts.PrivacyManifest { return &facts.PrivacyManifest{Collected: c} }
	app := shop(facts.Binary{})
	app.Bundles[0].Privacy = manifest(&facts.Collected{Type: "Crash", Purposes: []string{"PurposeA"}}, &facts.Collected{Type: "Crash"}, &facts.Collected{Type: "Mail"}, &facts.Collected{})
	app.Resources = []*facts.Bundle{{Path: "K.bundle", Privacy: manifest(&facts.Collected{Type: "Crash", Linked: true, Purposes: []string{"PurposeF", "PurposeX"}}, &facts.Collected{Type: "Pictures", Tracking: true})},
		{Path: "L.bundle", Privacy: manifest(&facts.Collected{Type: "Crash"}, &facts.Collected{Type: "Pictures"})}}
	e := evidence.Of(&facts.Package{IOS: app}, cat)
	require.Len(t, e.Collected, 2)
	c := e.Collected[0]
	assert.Equal(t, []string{"PurposeA", "PurposeF"}, c.Purposes)
	assert.Equal(t, []string{"customer-service", "diagnostics"}, c.AsPurposes["PurposeF"])
	assert.True(t, c.Linked)
	assert.False(t, c.Tracking)
	assert.Equal(t, []string{".", "K.bundle", "L.bundle"}, c.Bundles)
	assert.Equal(t, []string{"photos", "videos"}, e.Collected[1].Names)
	assert.True(t, e.Collected[1].Tracking)
	var bad []string
	for _, b := range e.BadCollected {
		bad = append(bad, b.Bundle+": "+b.What)
	}
	assert.Equal(t, []string{".: the kind of data Crash stands twice", ".: the kind of data Mail is not known", "K.bundle: the purpose PurposeX of Crash is not known"}, bad)
}

// TestFolders tells the first file of a kind in a folder, and counts the rest.
func TestFolders(t *testing.T) {
	cat := &catalogue.Catalogue{BuildFiles: []*catalogue.Pattern{{Pattern: `[.]app/(.*/)?[^/]+[.]h$`, Why: "a header"}}}
	for _, root := range []string{"Payload/T.app", ""} {
		var names []string
		for _, n := range []string{"a/x.h", "a/y.h", "a/z.h", "b/x.h", "x.hpp", "K.framework/Headers/x.h", "K.framework/Modules/M/y.h"} {
			names = append(names, strings.TrimPrefix(root+"/"+n, "/"))
		}
		e := evidence.Of(&facts.Package{IOS: &facts.IOS{Root: root}, Names: names}, cat)
		require.Len(t, e.BuildFiles, 3, root)
		assert.EqualValues(t, 2, e.BuildFiles[0].More)
		assert.Zero(t, e.BuildFiles[1].More)
		assert.EqualValues(t, 1, e.BuildFiles[2].More, "a framework is told once")
	}
}

// TestPrefixes looks for symbols of the newer language by their beginning.
func TestPrefixes(t *testing.T) {
	cat := &catalogue.Catalogue{
		Purposes: []*catalogue.Purpose{{Key: "NSKilnUsageDescription", Signs: []*catalogue.Sign{{Prefixes: []string{"$s7KilnKit6Reader"}}}}},
		Reasons:  []*catalogue.Reason{{Category: "Heat", Prefixes: []string{"$s7KilnKit4Heat"}, Codes: map[string]string{"H1": "x"}}},
	}
	for symbol, want := range map[string]int{"_$s7KilnKit6ReaderC4openyyF": 1, "_$s7KilnKit5OtherC": 0, "$s7KilnKit6Reader": 0} {
		e := evidence.Of(&facts.Package{IOS: shop(facts.Binary{Imports: []string{"_a", symbol, "_z"}})}, cat)
		assert.Len(t, e.Purposes, want, symbol)
	}
	e := evidence.Of(&facts.Package{IOS: shop(facts.Binary{Imports: []string{"_z", "_$s7KilnKit4HeatV", "_a"}})}, cat)
	require.Len(t, e.Reasons, 1)
	assert.Equal(t, []string{"$s7KilnKit4Heat…"}, e.Reasons[0].Because)
}

// TestUnreadManifest does not take a manifest that cannot be unpacked for one
// that declares nothing.
func TestUnreadManifest(t *testing.T) {
	cat := &catalogue.Catalogue{Reasons: []*catalogue.Reason{{Category: "Heat", Symbols: []string{"heat"}}}}
	app := shop(facts.Binary{Imports: []string{"_heat"}})
	kit := &facts.Bundle{Path: "Kit.bundle", PrivacyPresent: true}
	kit.SetUnread("privacy", "damaged")
	app.Resources = []*facts.Bundle{kit}
	e := evidence.Of(&facts.Package{IOS: app}, cat)
	require.Len(t, e.Reasons, 1)
	assert.Equal(t, "Kit.bundle: damaged", e.Reasons[0].Unread("declared"))
	for _, f := range []string{"collected", "bad_collected", "bad_reasons"} {
		assert.Equal(t, "Kit.bundle: damaged", e.Unread(f), f)
	}
	app.Bundles[0].Privacy = &facts.PrivacyManifest{Accessed: []*facts.Accessed{{Category: "Heat", Reasons: []string{"H1"}}}}
	assert.Empty(t, evidence.Of(&facts.Package{IOS: app}, cat).Reasons[0].Unread("declared"), "it is declared elsewhere")
}
