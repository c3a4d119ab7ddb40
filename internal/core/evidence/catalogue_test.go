package evidence_test

import (
	"path"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/rulebooks"
)

// TestCatalogue gives each sign of each entry of the catalogue alone, in the form in which
// packages have it: every one can match, and says where it was seen.
func TestCatalogue(t *testing.T) {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	require.Greater(t, len(set.SDKs), 100)
	code := func() *facts.Code {
		return &facts.Code{Packages: map[string]int64{}, LibraryVersions: map[string]string{}}
	}
	android := func(change func(p *facts.Package)) *evidence.Evidence {
		p := &facts.Package{Android: &facts.Android{Code: code()}}
		change(p)
		return evidence.Of(p, nil, set)
	}
	ios := func(change func(p *facts.Package)) *evidence.Evidence {
		app := &facts.Bundle{Kind: "app", Path: "."}
		p := &facts.Package{IOS: &facts.IOS{Root: "Payload/T.app", Bundles: []*facts.Bundle{app}}}
		change(p)
		p.IOS.Alias()
		return evidence.Of(p, signs.Of(p.IOS), set)
	}
	inFile := func(p *facts.Package, name string) {
		if strings.HasSuffix(name, "/") {
			name += "x"
		}
		p.Files = append(p.Files, &facts.File{Path: "base/other"}, &facts.File{Path: name})
	}
	n := 0
	for _, sdk := range set.SDKs {
		found := func(e *evidence.Evidence, sign string) {
			t.Helper()
			n++
			for _, s := range e.SDKs {
				if s.ID == sdk.ID {
					assert.NotEmpty(t, s.Seen)
					return
				}
			}
			assert.Fail(t, sdk.ID+" is not recognised by "+sign)
		}
		for _, name := range sdk.Classes {
			found(android(func(p *facts.Package) {
				p.Android.Code.Packages[strings.ReplaceAll(name, ".", "/")+"/internal"] = 1
			}), "class "+name)
			found(android(func(p *facts.Package) {
				p.Android.Manifest.Components = []*facts.Component{{Kind: "activity", Name: name + ".Main"}}
			}), "component in "+name)
		}
		for _, name := range sdk.Components {
			found(android(func(p *facts.Package) {
				p.Android.Manifest.Components = []*facts.Component{{Kind: "provider", Name: name}}
			}), "component "+name)
		}
		for _, name := range sdk.Metadata {
			found(android(func(p *facts.Package) { p.Android.Manifest.MetaData = []*facts.MetaData{{Name: name}} }), "meta-data "+name)
		}
		for _, name := range sdk.Files {
			if strings.Contains(name, "*") {
				found(android(func(p *facts.Package) { inFile(p, "lib/arm64-v8a/"+strings.ReplaceAll(name, "*", "arm64-v8a")) }), "library "+name)
				continue
			}
			if path.Ext(name) == ".so" {
				found(android(func(p *facts.Package) {
					p.Android.Native.Libraries = []*facts.Library{{Name: name, Path: "lib/arm64-v8a/" + name}}
				}), "library "+name)
				continue
			}
			for _, root := range []string{"", "base/root/", "base/"} { // of an APK, and of a bundle
				found(android(func(p *facts.Package) { inFile(p, root+name) }), "file "+root+name)
			}
		}
		if sdk.System {
			continue
		}
		for _, name := range sdk.Frameworks {
			found(ios(func(p *facts.Package) {
				p.IOS.Bundles = append(p.IOS.Bundles, &facts.Bundle{Kind: "framework", Path: "Frameworks/" + name + ".framework"})
			}), "framework "+name)
		}
		for _, name := range sdk.IOSFiles {
			found(ios(func(p *facts.Package) { inFile(p, "Payload/T.app/"+strings.ReplaceAll(name, "*", "x")) }), "file "+name)
		}
		for _, key := range sdk.PlistKeys {
			found(ios(func(p *facts.Package) { p.IOS.Bundles[0].Info.Keys = []string{key} }), "key "+key)
		}
		assert.NotZero(t, len(sdk.Classes)+len(sdk.Components)+len(sdk.Files)+len(sdk.Frameworks)+len(sdk.IOSClasses)+len(sdk.IOSFiles)+len(sdk.PlistKeys)+len(sdk.Metadata), sdk.ID)
	}
	t.Logf("%d signs", n)

	// A library that left its version file behind, though its classes have other names now.
	table := &tables.Set{Known: tables.Known{SDKs: []*tables.SDK{{ID: "org.example.lanterna", Kind: "analytics", Classes: []string{"org.example.lanterna"}}}}}
	p := &facts.Package{Android: &facts.Android{Code: code()}}
	p.Android.Code.LibraryVersions["org.example.lanterna_core"] = "4.2.0"
	require.Len(t, evidence.Of(p, nil, table).SDKs, 1)
	assert.Contains(t, evidence.Of(p, nil, table).SDKs[0].Seen, "version file, which says 4.2.0")
	p.Android.Code.LibraryVersions = map[string]string{"org.example.lanternario_core": "4.2.0"}
	assert.Empty(t, evidence.Of(p, nil, table).SDKs)
}
