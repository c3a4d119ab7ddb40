package submission_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/core/tables"
)

func TestStoreVariants(t *testing.T) {
	l := &dossier.Listing{Locale: "de"}
	ps := strictyaml.DecodeKeys("listing/de.yaml", []byte("name: Terrafuoco\npitch: a long pitch\nandroid:\n  pitch: short\n"), l, []string{"android", "ios"}, nil)
	require.Empty(t, ps)
	d := &dossier.Dossier{Listing: []*dossier.Listing{l}, App: dossier.App{DefaultLocale: "de"}, Release: dossier.Release{Version: "1.4.0"}}
	for id, want := range map[string]struct {
		pitch string
		line  int
	}{"android": {"short", 4}, "ios": {"a long pitch", 2}} {
		s := submission.New(submission.Sources{Store: &store.Store{ID: id, Blocks: []string{id}}, Dossier: d, Tables: &tables.Set{}})
		require.Len(t, s.Listing, 1)
		assert.Equal(t, want.pitch, s.Listing[0].Pitch, id)
		assert.Equal(t, want.line, s.Listing[0].Field("pitch").Line, id)
		assert.Equal(t, "Terrafuoco", s.Listing[0].Name)
		assert.True(t, s.Listing[0].Default)
		assert.Equal(t, "1.4.0", s.Version)
		assert.Equal(t, "listing[0]", s.Listing[0].Path())
		assert.Contains(t, s.Unread("pkg"), "no package")
		assert.Equal(t, fact.NotGiven, s.Gap("pkg").Kind)
		assert.Equal(t, fact.NotAnswered, s.Answers.Absent())
		assert.Equal(t, fact.NotGiven, s.Absent(), "pictures and history were not handed in")
	}
}

// TestForeign finds the texts of products and events that are in another language than the
// one under which they stand.
func TestForeign(t *testing.T) {
	english := "All the glazes that you and your friends can try, with the cones and the curves for every kiln."
	product, event := &dossier.ProductText{Locale: "it", Name: "Smalti", Description: english}, &dossier.EventText{Locale: "en", Name: "Firing", Short: english}
	event.SetSelf(place.Place{File: "dossier.yaml", Line: 9})
	product.SetSelf(place.Place{File: "dossier.yaml", Line: 7})
	d := &dossier.Dossier{App: dossier.App{DefaultLocale: "it"},
		Products: []*dossier.Product{{ID: "glazes", Texts: []*dossier.ProductText{product}}},
		Events:   []*dossier.Event{{ID: "firing", Texts: []*dossier.EventText{event, {Locale: "de", Name: "Brand", Short: "Ein Brand", Long: english}}}}}
	words := map[string][]string{"en": {"the", "that", "you", "your", "and", "with", "for", "every"}, "it": {"il", "per", "con"}, "de": {"und", "mit", "für"}}
	s := submission.New(submission.Sources{Store: &store.Store{ID: "ios"}, Dossier: d, Tables: &tables.Set{Known: tables.Known{FrequentWords: words}}})
	require.Len(t, s.Foreign, 2)
	assert.Equal(t, "the product glazes it en 7", fmt.Sprint(s.Foreign[0].What, " ", s.Foreign[0].Locale, " ", s.Foreign[0].Seems, " ", s.Foreign[0].Self().Line))
	assert.Equal(t, "the event firing de en", fmt.Sprint(s.Foreign[1].What, " ", s.Foreign[1].Locale, " ", s.Foreign[1].Seems))
	assert.Contains(t, s.Foreign[0].Words, "your")
}

func TestWithoutDossier(t *testing.T) {
	a := &facts.Android{Manifest: facts.Manifest{VersionName: "2.0", Permissions: []*facts.Permission{{Name: "x"}}}}
	s := submission.New(submission.Sources{Store: &store.Store{ID: "android", Platform: store.Android}, Package: &facts.Package{Android: a}, Tables: &tables.Set{}})
	assert.Equal(t, "2.0", s.Version)
	assert.False(t, s.HasDossier)
	assert.Equal(t, "there is no dossier", s.Answers.AdvertisingID.Unread("used"), "each question is open by itself")
	assert.Equal(t, "pkg.android.manifest.permissions[0]", a.Manifest.Permissions[0].Path())
	assert.Equal(t, fact.NotRead, a.Absent(), "a nil pointer of a package was not read")
	var lost []string
	for _, g := range fact.Gaps(s, "") {
		if g.Kind == fact.NotAsked {
			continue // of the call, not of the dossier
		}
		lost = append(lost, g.Path)
	}
	assert.Subset(t, lost, []string{"answers.ads", "answers.restricted", "app.id", "links.privacy", "listing", "release.first"})
	for _, path := range lost {
		if path != "app.id" {
			assert.NotEmpty(t, dossier.Question(path), "%s: is it worded as a question?", path)
		}
	}
	assert.Empty(t, fact.Unknown(s, ""), "marks name real fields only")
}

// TestPrepare leaves open what a dossier does not answer, part by part.
func TestPrepare(t *testing.T) {
	s := &submission.Submission{Account: &dossier.Account{}, Answers: &dossier.Answers{}}
	s.Prepare()
	assert.Contains(t, s.Account.Unread("kind"), "account.kind")
	assert.Contains(t, s.Answers.Accounts.Unread("ways"), "answers.accounts.ways")
	assert.Equal(t, []string{"public", "phone"}, []string{s.Channel, s.Form})
	assert.True(t, s.HasDossier)
}
