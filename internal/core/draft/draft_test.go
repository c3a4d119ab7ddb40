package draft_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/draft"
	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/strictyaml"
)

func android() *facts.Package {
	return &facts.Package{File: "a.aab", Kind: "aab", Android: &facts.Android{Manifest: facts.Manifest{ID: "org.example.terrafuoco", VersionName: "1.4.0"},
		Resources: facts.Resources{Label: &facts.Text{Default: "Terrafuoco", Locales: map[string]string{"de": "Brennbuch: #1"}}, Locales: []string{"de", "pt_BR"}}}}
}

func ios() *facts.Package {
	no := false
	p := &facts.Package{File: "b.ipa", Kind: "ipa", IOS: &facts.IOS{Translations: facts.Translations{Locales: []string{"it", "en"}, Names: map[string]string{"it": "Terrafuoco Forno"}}}}
	p.IOS.App = &facts.Bundle{Kind: "app", Path: ".", Info: facts.Info{ID: "org.example.terrafuoco", Name: "Terrafuoco", Version: "1.4.1", DevelopmentRegion: "en", Encryption: &no}}
	return p
}

var keys = map[string]string{"android": "android", "ios": "ios"}

// TestKnown gathers ids, names and languages of both packages.
func TestKnown(t *testing.T) {
	k := draft.Of([]*facts.Package{android(), ios()}, keys, map[string]string{"a.aab": "build/a.aab", "b.ipa": "../b.ipa"}, nil)
	k.Settle("", "")
	assert.Equal(t, "Terrafuoco", k.Name)
	assert.Equal(t, []string{"en", "de", "it", "pt-BR"}, k.Languages())
	assert.Equal(t, map[string]string{"de": "Brennbuch: #1", "it": "Terrafuoco Forno", "pt-BR": "Terrafuoco", "en": "Terrafuoco"}, k.Names)
	assert.Equal(t, "1.4.0", k.Version)
	assert.False(t, k.Assumed)
	alone := draft.Of([]*facts.Package{android()}, keys, nil, nil)
	alone.Settle("", "en-GB")
	assert.Equal(t, []string{"en-GB", "de", "pt-BR"}, alone.Languages())
	alone = draft.Of([]*facts.Package{android()}, keys, nil, nil)
	alone.Settle("", "")
	assert.True(t, alone.Assumed, "no package says the language")
	bare := android()
	bare.Android.Resources = facts.Resources{}
	none := draft.Of([]*facts.Package{bare}, keys, nil, nil)
	none.Settle("", "")
	assert.Empty(t, none.Name)
}

// TestFiles writes a draft that reads back as what is known and nothing else, with
// a mark at each answer that is asked, and what evidence suggests as a comment.
func TestFiles(t *testing.T) {
	k := draft.Of([]*facts.Package{android(), ios()}, keys, map[string]string{"a.aab": "build/a.aab", "b.ipa": "../b.ipa"}, nil)
	k.Settle("", "")
	k.Full = true
	k.Evidence = []*evidence.Evidence{{SDKs: []*evidence.SDK{{ID: "org.example.lanterna", Kind: "ads", Ads: true, Data: []string{"device-id"}}}}}
	k.Questions = []*check.Question{{Ask: "Was it tried?", What: "tested-on-device"}}
	duties := []*check.Duty{
		{Write: "answers.ads", What: "ads", State: check.Due, Stores: []string{"android"}, Impact: rulebook.Blocked},
		{Write: "answers.restricted", What: "location", Because: "ACCESS_BACKGROUND_LOCATION", State: check.Contradicted, Stores: []string{"android"}, Impact: rulebook.Refused},
		{Write: "answers.data", What: "data", State: check.Done, Stores: []string{"ios"}},
		{Write: "listing", What: "the texts of the page", State: check.Due, Stores: []string{"ios"}},
	}
	files, marked := k.Files(duties, []string{"android", "ios"}, draft.Words{"content": {"horror"}, "content/horror": {"none", "much"}})
	assert.ElementsMatch(t, []string{"answers.ads", "answers.restricted", "listing"}, marked)
	require.Len(t, files, 5)
	text := files[0].Text
	for _, want := range []string{"# needed: android; blocked without it\n  # ads: true | false\n  # suggested: true, because org.example.lanterna shows advertising\n",
		"# needed: android, because ACCESS_BACKGROUND_LOCATION; refused without it\n  # restricted: []   # none", "#   horror: …   # none, much", "#   - {what: tested-on-device, version: 1.4.0, by: …, on: YYYY-MM-DD}",
		"# suggested: device-id, because org.example.lanterna (ads) usually sends it", "uses_non_exempt: false", "  ios: ../b.ipa\n", "# needed: ios: the texts of the page\n"} {
		assert.Contains(t, text, want)
	}
	k.Full = false
	short, _ := k.Files(duties, []string{"android", "ios"}, nil)
	for _, want := range []string{"name: Terrafuoco", "# ads: true | false", "# suggested: true, because org.example.lanterna shows advertising", "# restricted:", "uses_non_exempt: false", "regola init --full"} {
		assert.Contains(t, short[0].Text, want)
	}
	for _, not := range []string{"marketing:", "horror:", "waivers:", "# registered"} {
		assert.Contains(t, text, strings.TrimSuffix(not, ":"), "it is there in full")
		assert.NotContains(t, short[0].Text, not, "nobody asks for it")
	}
	assert.Less(t, strings.Count(short[0].Text, "\n"), strings.Count(text, "\n")/3)
	d := &dossier.Dossier{}
	require.Empty(t, strictyaml.DecodeKeys("dossier.yaml", []byte(text), d, []string{"android", "ios"}, nil))
	assert.Equal(t, []string{"Terrafuoco", "en", "1.4.0"}, []string{d.App.Name, d.App.DefaultLocale, d.Release.Version})
	assert.Nil(t, d.Answers.Ads, "nothing is answered that nobody wrote")
	assert.Nil(t, d.Answers.Data)
	require.NotNil(t, d.Answers.Encryption.UsesNonExempt)
	assert.Equal(t, "listing/de.yaml", files[2].Path)
	l := &dossier.Listing{}
	require.Empty(t, strictyaml.DecodeKeys("de.yaml", []byte(files[2].Text), l, []string{"android", "ios"}, nil))
	assert.Equal(t, "Brennbuch: #1", l.Name)
	assert.Empty(t, l.Description)
}
