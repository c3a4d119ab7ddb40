package signs

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/tables"
)

func app() (*facts.IOS, *facts.Bundle, *facts.Bundle) {
	a := &facts.Bundle{Kind: "app", Path: ".", Code: facts.BundleCode{Path: "Terrafuoco",
		Imports:   []string{"_OBJC_CLASS_$_CLLocationManager", "_stat", "_objc_msgSend$requestAlways", "_$s8CoreKiln4FireV"},
		Exports:   []string{"_OBJC_CLASS_$_KLNLog", "_kiln_start"},
		Selectors: []string{"fire:"}, Classes: []string{"KLNLog", "LTNAdView", "LTNadvert"}}}
	kit := &facts.Bundle{Kind: "framework", Path: "Frameworks/KilnKit.framework", Code: facts.BundleCode{Path: "Frameworks/KilnKit.framework/KilnKit", Imports: []string{"_getattrlist"}}}
	return &facts.IOS{Bundles: []*facts.Bundle{a, kit}}, a, kit
}

func TestIndex(t *testing.T) {
	ios, a, kit := app()
	x := Of(ios)
	assert.Nil(t, x.Gap())
	assert.Len(t, x.Codes, 2)
	c := x.In(a)
	assert.True(t, c.Class("CLLocationManager"))
	assert.False(t, c.Class("KLNLog"), "it is the app's own, and not imported")
	assert.True(t, c.Symbol("stat"))
	assert.False(t, c.Symbol("kiln_start"))
	assert.True(t, c.Method("fire:") && c.Method("requestAlways"))
	assert.False(t, c.Method("stat"))
	assert.Equal(t, "$s8CoreKiln4FireV", c.Prefix("$s8CoreKiln"))
	assert.Equal(t, "stat", c.Prefix("sta"))
	assert.Empty(t, c.Prefix("statt"))
	assert.Empty(t, c.Prefix("zz"))
	assert.True(t, x.Exports("kiln_start") && x.Exports("KLNLog"))
	assert.False(t, x.Exports("stat"))
	assert.True(t, x.Defines([]string{"none", "KLNLog"}))
	assert.True(t, x.Defines([]string{"CLLocationManager"}))
	assert.False(t, x.Defines([]string{"KLNLo", "KLNLogs"}))
	assert.Nil(t, x.In(&facts.Bundle{}))
	assert.NotNil(t, x.In(kit))
}

func TestMatch(t *testing.T) {
	ios, a, kit := app()
	x := Of(ios)
	both := []*tables.Sign{{Classes: []string{"CLLocationManager"}, Symbols: []string{"none"}}, {Classes: []string{"CLLocationManager"}, Selectors: []string{"fire:"}, Prefixes: []string{"$s8Core"}}}
	assert.Equal(t, "class CLLocationManager, method fire:, symbol $s8Core…", x.In(a).Match(both), "the first that is wholly there")
	assert.Empty(t, x.In(a).Match([]*tables.Sign{{}, {Symbols: []string{"stat", "none"}}}))
	assert.Len(t, x.Users(both), 1)
	attributes := []*tables.Sign{{Symbols: []string{"getattrlist"}}}
	assert.Same(t, kit, x.Users(attributes)[0].Bundle)
	for _, s := range []tables.Sign{{Classes: []string{"CLLocationManager", "no"}}, {Symbols: []string{"no", "stat"}}, {Selectors: []string{"fire:"}}, {Prefixes: []string{"$s8"}}} {
		assert.True(t, x.Hinted([]*tables.Sign{&s}), "%v", s)
	}
	assert.False(t, x.Hinted([]*tables.Sign{{Classes: []string{"no"}, Symbols: []string{"no"}, Selectors: []string{"no"}, Prefixes: []string{"no"}}}))

	for want, sdk := range map[string]tables.SDK{
		"class LTNAdView": {IOSClasses: []string{"LTN"}}, "class LTNadvert": {IOSClasses: []string{"LTNadvert"}}, "module CoreKiln": {Frameworks: []string{"CoreKiln"}},
		"": {IOSClasses: []string{"KLNL"}, Frameworks: []string{"Other"}},
	} {
		assert.Equal(t, want, x.In(a).ThirdParty(&sdk), "a prefix ends where the next word begins")
	}
}

// TestGaps carries what could not be read of one binary to what is asked of all.
func TestGaps(t *testing.T) {
	ios, a, kit := app()
	kit.Code.LoseNames(fact.Unread("it is torn"))
	x := Of(ios)
	assert.Equal(t, "Frameworks/KilnKit.framework/KilnKit: it is torn", x.Gap().What)
	assert.NotNil(t, x.In(kit).Gap())
	assert.Nil(t, x.In(a).Gap())

	ios, a, kit = app()
	fact.LoseAll(&kit.Code, fact.Unread("cut off"), &kit.Code.Path)
	x = Of(ios)
	assert.NotNil(t, x.Gap())
	assert.Len(t, x.Codes, 2, "code that is lost whole is there, and unknown")
	assert.Nil(t, x.In(a).Gap())
	ios, _, kit = app()
	fact.LoseAll(&kit.Code, fact.Missing("there is none"), &kit.Code.Path)
	x = Of(ios)
	assert.Nil(t, x.Gap(), "code that is not there hides nothing")
	assert.Len(t, x.Codes, 1)
}
