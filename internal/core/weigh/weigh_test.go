package weigh_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/weigh"
	"regola.example/regola/rulebooks"
)

func builtIn(t *testing.T) *tables.Set {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	on, err := day.Parse("2026-11-25")
	require.NoError(t, err)
	return set.On(on)
}

func file(path string, size, compressed int64) *facts.File {
	return &facts.File{Path: path, Size: size, Compressed: compressed}
}

// bundle is a small bundle with two architectures, three densities, a language that
// only a library has, and a module that comes later.
func bundle() *facts.Package {
	min := int64(26)
	a := &facts.Android{Code: &facts.Code{Classes: 100, Packages: map[string]int64{"org/example/terrafuoco": 60, "org/example/lanterna/ads": 25, "org/example/lanterna/ads/view": 15}}}
	a.Manifest.MinLevel = &min
	a.Native.Architectures = []*facts.ABI{{Name: "arm64-v8a"}, {Name: "armeabi-v7a"}}
	a.Native.Libraries = []*facts.Library{{Path: "base/lib/arm64-v8a/libkiln.so", Debug: 300}}
	a.Resources.Strings = []*facts.LocaleStrings{{Locale: "", Count: 60}, {Locale: "it", Count: 30, Has: []string{"kiln_name"}}, {Locale: "fr", Count: 10, Has: slices.Repeat([]string{"abc_action_bar_up"}, 10)}}
	a.Bundle.Config = &facts.BundleConfig{}
	a.Bundle.Modules = []*facts.Module{{Name: "base", Kind: "base", Delivery: "install-time"}, {Name: "glazes", Kind: "feature", Delivery: "on-demand"}}
	twin := func(f *facts.File) *facts.File { f.Digest = "same"; return f }
	wide := file("base/assets/wide.png", 900_000, 900_000)
	wide.Width, wide.Height = 6000, 2000
	return &facts.Package{Kind: "aab", Size: 3_000_000, Android: a, Files: []*facts.File{
		file("base/dex/classes.dex", 2000, 1000), file("base/lib/arm64-v8a/libkiln.so", 4000, 400), file("base/lib/armeabi-v7a/libkiln.so", 3000, 300),
		file("base/res/drawable-mdpi-v4/pot.png", 10, 10), file("base/res/drawable-xhdpi-v4/pot.png", 40, 40), file("base/res/drawable-xxxhdpi-v4/pot.png", 90, 90),
		file("base/res/raw-fr/a.txt", 500, 50), file("base/resources.pb", 1000, 100), file("glazes/dex/classes.dex", 800, 80),
		file("BUNDLE-METADATA/x/proguard.map", 9000, 7000), file("META-INF/KILN.RSA", 70, 70), wide,
		twin(file("base/assets/a.bin", 9000, 5000)), twin(file("base/assets/b.bin", 9000, 5000)),
	}}
}

// TestDevices holds what each device gets of the bundle.
func TestDevices(t *testing.T) {
	set := builtIn(t)
	const always = 1000 + 900_000 + 10_000 // code, assets
	for device, want := range map[string]struct {
		download, later int64
		fits            bool
	}{
		"abi=arm64-v8a,density=xxhdpi,languages=it":  {always + 400 + 90 + 60 + 30, 80, true},
		"abi=arm64-v8a,density=hdpi,languages=it":    {always + 400 + 40 + 60 + 30, 80, true},
		"abi=x86+armeabi-v7a,density=ldpi":           {always + 300 + 10 + 60, 80, true},
		"abi=arm64-v8a,density=xxxhdpi,languages=fr": {always + 400 + 90 + 60 + 10 + 50, 80, true},
		"abi=x86_64,density=mdpi":                    {always + 10 + 60, 80, false},
		"abi=arm64-v8a,density=mdpi,level=21":        {always + 400 + 10 + 60, 80, false},
	} {
		d, err := weigh.Device(device, "android", nil)
		require.NoError(t, err)
		got := weigh.Of(bundle(), nil, set, []*tables.Device{d}).Devices[0]
		assert.Equal(t, want.download, got.Download, device)
		assert.Equal(t, want.later, got.Later, device)
		assert.Equal(t, want.fits, got.Fits, device)
	}
	p := bundle()
	p.Android.Bundle.Config.NotSplitBy = []string{"abi", "density", "language"}
	d, err := weigh.Device("abi=arm64-v8a,density=hdpi", "android", nil)
	require.NoError(t, err)
	assert.EqualValues(t, always+700+140+100+50, weigh.Of(p, nil, set, []*tables.Device{d}).Devices[0].Download, "what is not split comes whole")
	p.Kind = "apk"
	assert.Equal(t, p.Size, weigh.Of(p, nil, set, []*tables.Device{d}).Devices[0].Download)
	for _, bad := range []string{"fridge", "abi=", "density=9dpi", "scale=4x", "level=x", "smell=good"} {
		_, err := weigh.Device(bad, "android", set.Devices)
		assert.Error(t, err, bad)
	}
}

// TestParts holds the sums: kinds add up to the whole, and what is there twice, too
// wide, or from others is listed with its bytes.
func TestParts(t *testing.T) {
	set := builtIn(t).Clone()
	set.SDKs = append(set.SDKs, &tables.SDK{ID: "org.example.lanterna.ads", Kind: "ads", Classes: []string{"org.example.lanterna.ads"}, Files: []string{"libkiln.so"}})
	p := bundle()
	w := weigh.Of(p, &evidence.Evidence{SDKs: []*evidence.SDK{{ID: "org.example.lanterna.ads", Kind: "ads"}}}, set, nil)
	var packed, files int64
	for _, k := range w.Kinds {
		packed += k.Packed
		files += k.Files
	}
	assert.Equal(t, w.Packed, packed)
	assert.EqualValues(t, len(p.Files), files)
	assert.Equal(t, []string{"base", "glazes"}, []string{w.Modules[0].Name, w.Modules[1].Name})
	assert.Equal(t, "feature on-demand", w.Modules[1].What)
	require.Len(t, w.ThirdParty, 1)
	assert.EqualValues(t, 400+300+(1000+80)*40/100, w.ThirdParty[0].Packed, "two libraries, and two fifths of the classes")
	assert.True(t, w.ThirdParty[0].Estimate)
	p.Android.Code.Packages = map[string]int64{"org/example/lanterna/ads": 40, "a/b": 35} // shortened names, and 25 classes beyond the list
	p.Android.Manifest.ID = "org.example.terrafuoco"
	shares := map[string]int64{}
	for _, o := range weigh.Of(p, &evidence.Evidence{}, set, nil).Origins {
		shares[o.Name] = o.Packed
	}
	assert.Equal(t, map[string]int64{"third parties": (1000 + 80) * 40 / 100, "unknown": (1000 + 80) * 60 / 100}, shares, "shortened names are never the app's own")
	assert.Equal(t, "fr", w.Languages[0].Name)
	saves := map[string]int64{}
	for _, h := range w.Hints {
		saves[h.What] = h.Saves
	}
	assert.EqualValues(t, 5000, saves["files are there more than once"])
	assert.EqualValues(t, 900_000-900_000/4, saves["pictures have a side of more than 3000 pixels"])
	assert.EqualValues(t, 300, saves["native libraries hold debugging information"])
	assert.EqualValues(t, 60, saves["languages of which only libraries have texts"])
	assert.Equal(t, "base/assets/wide.png", w.Largest[0].Path)
	assert.Empty(t, weigh.Of(&facts.Package{Kind: "apk", Android: &facts.Android{}}, nil, set, nil).Kinds)
}

// TestIOS counts code unpacked, and pictures by the scales of the screen.
func TestIOS(t *testing.T) {
	a := &facts.IOS{Root: "Payload/T.app", Bundles: []*facts.Bundle{{Kind: "app", Path: ".", Code: facts.BundleCode{Path: "Payload/T.app/T"}}}}
	a.Catalogues = []*facts.Catalog{{Path: "Assets.car", Areas: map[string]int64{"0x": 10, "2x": 30, "3x": 60}}}
	p := &facts.Package{Kind: "ipa", IOS: a, Files: []*facts.File{file("Payload/T.app/T", 1000, 100), file("Payload/T.app/Assets.car", 500, 200), file("Payload/T.app/it.lproj/a.strings", 80, 20), file("Symbols/x.symbols", 900, 900)}}
	for scale, want := range map[string]int64{"3x": 1000 + 140 + 20, "2x": 1000 + 80 + 20} {
		d, err := weigh.Device("scale="+scale, "ios", nil)
		require.NoError(t, err)
		assert.Equal(t, want, weigh.Of(p, nil, builtIn(t), []*tables.Device{d}).Devices[0].Download, scale)
	}
}
