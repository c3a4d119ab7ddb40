package origin_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/origin"
	"regola.example/regola/internal/core/tables"
)

func set() *tables.Set {
	return &tables.Set{Known: tables.Known{
		SDKs: []*tables.SDK{
			{ID: "org.example.lanterna", Classes: []string{"org.example.lanterna.ads"}, Components: []string{"org.example.lanterna.Start"}, Frameworks: []string{"Lanterna"}, Confidence: "high"},
			{ID: "org.example.probe", Classes: []string{"org.example.probe."}},
		},
		ResourceFamilies: []*tables.ResourceFamily{{Prefix: "lant_", By: "org.example.lanterna"}, {Prefix: "probe_", By: "org.example.probe"}},
	}}
}

func TestNames(t *testing.T) {
	a := &facts.Android{Manifest: facts.Manifest{ID: "it.terrafuoco.log.debug", Launcher: "it.terrafuoco.app.Start", Components: []*facts.Component{{Name: "it.terrafuoco.app.Start"}}}}
	x := origin.Of(&facts.Package{Android: a}, set())
	for name, want := range map[string]string{
		"org/example/lanterna/ads/Banner": "org.example.lanterna high", "org.example.lanterna.adsx.Banner": " ", "org.example.probe.Probe": "org.example.probe medium",
		"it.terrafuoco.log.debug.Log": "app high", "it.terrafuoco.other.Log": "app high", "it.terracotta.Log": " ", "a.b.c": " ", "": " ",
	} {
		o := x.Class(name)
		assert.Equal(t, want, o.By+" "+o.Certainty, name)
	}
	assert.Equal(t, "org.example.lanterna", x.Component("org.example.lanterna.Start").By)
	assert.Equal(t, "org.example.lanterna", x.Framework("Frameworks/Lanterna.framework").By)
	assert.False(t, x.Framework("Frameworks/KilnKit.framework").Known())
	for name, want := range map[string]string{"lant_title": "org.example.lanterna medium", "app_name": "app low", "ab": " ", "0_resource_name_obfuscated": " ", "abc": "app low"} {
		o := x.Resource(name)
		assert.Equal(t, want, o.By+" "+o.Certainty, name)
	}
	// Everybody may publish under some beginnings: they belong to nobody.
	x = origin.Of(&facts.Package{Android: &facts.Android{Manifest: facts.Manifest{ID: "com.github.ada.kiln"}}}, nil)
	assert.True(t, x.Class("com.github.ada.kiln.Log").Own())
	assert.False(t, x.Class("com.github.bo.Log").Known())
	assert.False(t, origin.Of(&facts.Package{Android: &facts.Android{Manifest: facts.Manifest{ID: "kiln"}}}, nil).Class("kiln").Known())
}

func TestLocales(t *testing.T) {
	many := []string{}
	for i := range 5 {
		many = append(many, fmt.Sprint("lant_", i))
	}
	r := facts.Resources{
		Locales: []string{"as", "de", "fr", "it", "or", "pt", "uz"},
		Label:   &facts.Text{Locales: map[string]string{"it": "Terrafuoco"}},
		Strings: []*facts.LocaleStrings{
			{Locale: "as", Count: 5, Has: many}, {Locale: "de", Count: 2, Has: []string{"lant_a", "firing_title"}}, {Locale: "fr", Count: 9, Has: many},
			{Locale: "it", Count: 5, Has: many}, {Locale: "or", Count: 3, Has: []string{"probe_a", "probe_b", "lant_c"}}, {Locale: "pt", Count: 2, Has: []string{"a", "lant_a"}},
		},
	}
	own, brought := origin.Of(&facts.Package{Android: &facts.Android{Resources: r}}, set()).Locales()
	assert.Equal(t, []string{"de", "fr", "it", "pt", "uz"}, own, "what is not known is not taken from the app")
	assert.Len(t, brought, 2)
	assert.Equal(t, "org.example.lanterna", brought["as"].By)
	assert.Equal(t, "org.example.probe", brought["or"].By, "the one with the most texts")
	x := origin.Of(&facts.Package{Android: &facts.Android{Resources: r}}, set())
	assert.Equal(t, "texts such as firing_title", x.Locale("de").Sign)
	assert.Equal(t, origin.High, x.Locale("it").Certainty)

	i := &facts.IOS{App: &facts.Bundle{Info: facts.Info{ID: "it.terrafuoco.log"}}, Translations: facts.Translations{Locales: []string{"Base", "it"}}}
	own, brought = origin.Of(&facts.Package{IOS: i}, nil).Locales()
	assert.Equal(t, []string{"Base", "it"}, own)
	assert.Empty(t, brought)
}
