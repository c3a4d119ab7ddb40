package submission_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/catalogue"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/core/submission"
)

func TestStoreVariants(t *testing.T) {
	l := &dossier.Listing{Locale: "de"}
	ps := strictyaml.Decode("listing/de.yaml", []byte("name: Terrafuoco\npitch: a long pitch\nandroid:\n  pitch: short\n"), l)
	require.Empty(t, ps)
	d := &dossier.Dossier{Listing: []*dossier.Listing{l}, App: dossier.App{DefaultLocale: "de"}, Release: dossier.Release{Version: "1.4.0"}}
	for store, want := range map[string]struct {
		pitch string
		line  int
	}{"android": {"short", 4}, "ios": {"a long pitch", 2}} {
		s := submission.New(store, nil, d, &catalogue.Catalogue{})
		require.Len(t, s.Listing, 1)
		assert.Equal(t, want.pitch, s.Listing[0].Pitch, store)
		assert.Equal(t, want.line, s.Listing[0].Field("pitch").Line, store)
		assert.Equal(t, "Terrafuoco", s.Listing[0].Name)
		assert.True(t, s.Listing[0].Default)
		assert.Equal(t, "1.4.0", s.Version)
		assert.Equal(t, "listing[0]", s.Listing[0].Path())
		assert.Contains(t, s.Unread("pkg"), "no package")
	}
}

func TestWithoutDossier(t *testing.T) {
	p := &facts.Package{Android: &facts.Android{VersionName: "2.0", Permissions: []*facts.Permission{{Name: "x"}}}}
	s := submission.New("android", p, nil, &catalogue.Catalogue{})
	assert.Equal(t, "2.0", s.Version)
	assert.False(t, s.HasDossier)
	assert.Equal(t, "there is no dossier", s.Unread("answers"))
	assert.Equal(t, "pkg.android.permissions[0]", p.Android.Permissions[0].Path())
	places, unread := fact.Places(s, "")
	assert.NotNil(t, places)
	assert.Equal(t, "there is no dossier", unread["release"])
}
