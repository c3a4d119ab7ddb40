package dossier_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/dossier"
)

func write(t *testing.T, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		file := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	}
	return dir
}

func TestLoad(t *testing.T) {
	d, ps := dossier.Load("../../../demo/faulty")
	require.Empty(t, ps)
	assert.Equal(t, "Terrafuoco", d.App.Name)
	assert.Equal(t, "build/Terrafuoco.ipa", d.Packages.For("ios"))
	assert.Nil(t, d.Answers.Encryption.UsesNonExempt, "a question left out is not answered")
	assert.False(t, *d.Answers.Ads)
	require.Len(t, d.Listing, 4)
	assert.Equal(t, "en-GB", d.Listing[0].Locale, "the default language comes first")
	assert.Equal(t, 3, d.Listing[1].Field("pitch").Line)
	assert.Contains(t, d.Listing[1].Field("pitch").File, "listing/de.yaml")
}

// TestProblems puts every mistake into one dossier: all are told at once.
func TestProblems(t *testing.T) {
	dir := write(t, map[string]string{
		"dossier.yaml":    "regola: 1\napp: {name: T, default_locale: en-GB, kidn: app}\nrelease: {channel: pubic}\n",
		"listing/it.yaml": "nmae: Terrafuoco\n", "listing/english.yaml": "name: T\n", "listing/de.yml": "name: T\n", "listing/fr.yaml": "name: [T\n",
	})
	_, ps := dossier.Load(dir)
	var all []string
	for _, p := range ps {
		assert.NotEmpty(t, p.Mend, p.What)
		all = append(all, filepath.Base(p.At.File)+" "+p.What+" "+p.Mend)
	}
	text := ps.Error()
	for _, want := range []string{`unknown key "kidn"`, `"pubic" is not a choice`, `unknown key "nmae"`, `"english" is not a language tag`, "listings end in .yaml", "not valid YAML"} {
		assert.Contains(t, text, want)
	}
	assert.Len(t, all, 6)

	for name, c := range map[string]struct{ doc, want string }{
		"format":  {"regola: 2\napp: {name: T, default_locale: en}\n", "format 1"},
		"locale":  {"regola: 1\napp: {name: T, default_locale: english}\n", "not a language tag"},
		"package": {"regola: 1\napp: {name: T, default_locale: en}\npackages: {android: build/a.aab}\n", "does not exist"},
	} {
		_, ps := dossier.Load(write(t, map[string]string{"dossier.yaml": c.doc}))
		assert.ErrorContains(t, ps.Err(), c.want, name)
	}
	_, ps = dossier.Load(t.TempDir())
	assert.ErrorContains(t, ps.Err(), "there is no such file")
}
