package facts

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/fact"
)

func TestPackage(t *testing.T) {
	a := &Package{Android: &Android{Manifest: Manifest{ID: "a.b", VersionName: "1"}}}
	i := &Package{IOS: &IOS{App: &Bundle{Info: Info{ID: "c.d", Version: "2"}}}}
	assert.Equal(t, []string{"android", "a.b", "1", "ios", "c.d", "2"}, []string{a.Platform(), a.ID(), a.Version(), i.Platform(), i.ID(), i.Version()})
	c := &Code{Defined: map[uint64]bool{ClassKey("a/b/C"): true}}
	assert.True(t, c.Defines("a.b.C"))
	assert.False(t, c.Defines("a.b.D"))
}

// TestAlias finds the app, its clips and what runs, and gives each its host.
func TestAlias(t *testing.T) {
	b := func(kind, path string) *Bundle {
		return &Bundle{Kind: kind, Path: path, Info: Info{Purposes: []*Purpose{{Key: path}}}}
	}
	app, clip, inClip, watch, ext, kit := b("app", "."), b("app-clip", "AppClips/C.app"), b("extension", "AppClips/C.app/PlugIns/E.appex"), b("watch-app", "Watch/W.app"), b("extension", "PlugIns/E.appex"), b("framework", "Frameworks/K.framework")
	inKit := b("resources", "Frameworks/K.framework/R.bundle")
	a := &IOS{Bundles: []*Bundle{kit, app, clip, inClip, watch, ext, inKit}}
	a.Alias()
	assert.Same(t, app, a.App)
	assert.Equal(t, []*Bundle{kit, clip, inClip, watch, ext, inKit}, a.Nested)
	assert.Equal(t, []*Bundle{app, clip}, a.Apps)
	assert.Equal(t, []*Bundle{app, clip, inClip, watch, ext, inKit}, a.Programs)
	assert.Same(t, app, app.Host)
	assert.Same(t, clip, inClip.Host)
	assert.Same(t, app, ext.Host)
	assert.Same(t, app, inKit.Host, "a framework is nobody's host")
	assert.Len(t, a.Purposes, 6)
	a.Alias()
	assert.Len(t, a.Purposes, 6, "a second call adds nothing")
	none := &IOS{}
	none.Alias()
	assert.Equal(t, "app", none.App.Kind)
}

func TestNamesGap(t *testing.T) {
	c := &BundleCode{Path: "x"}
	assert.Nil(t, c.NamesGap())
	c.LoseNames(fact.Unread("torn"))
	assert.Equal(t, "x: torn", c.NamesGap().What)
	assert.NotNil(t, fact.GapOf(c, &c.Exported))
	c.StaticLibrary = true
	assert.Nil(t, c.NamesGap(), "objects are no program")
	gone := &BundleCode{Path: "y"}
	fact.LoseAll(gone, fact.Missing("none"), &gone.Path)
	assert.Nil(t, gone.NamesGap())
	part := &BundleCode{Path: "z"}
	part.LoseNames(fact.Missing("not given"))
	assert.NotNil(t, part.NamesGap(), "the code is there, its names are not")
}
