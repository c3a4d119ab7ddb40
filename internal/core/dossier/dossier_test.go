package dossier_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/store"
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

var stores = []*store.Store{{ID: "android", Blocks: []string{"android"}}, {ID: "ios", Blocks: []string{"ios"}}}

func TestLoad(t *testing.T) {
	d, ps := dossier.Load("../../../demo/faulty", stores, nil)
	require.Empty(t, ps)
	assert.Equal(t, "Terrafuoco", d.App.Name)
	pkg, key, ok := d.Packages.For([]string{"kiln", "ios"})
	assert.True(t, ok)
	require.Len(t, pkg, 1)
	assert.Equal(t, []string{"build/Terrafuoco.ipa", "ios"}, []string{pkg[0].Name, key}, "the first of a store's keys that is there")
	assert.Nil(t, d.Answers.Rights.Held, "a question left out is not answered")
	assert.False(t, *d.Answers.Ads)
	require.Len(t, d.Listing, 4)
	assert.Equal(t, "en-GB", d.Listing[0].Locale, "the default language comes first")
	assert.Equal(t, 3, d.Listing[1].Field("pitch").Line)
	assert.Contains(t, d.Listing[1].Field("pitch").File, "listing/de.yaml")
}

// TestProblems puts every mistake into one dossier: all are reported at once.
func TestProblems(t *testing.T) {
	dir := write(t, map[string]string{
		"dossier.yaml":    "regola: 1\napp: {name: T, default_locale: en-GB, kidn: app}\nrelease: {channel: pubic}\n",
		"listing/it.yaml": "nmae: Terrafuoco\n", "listing/english.yaml": "name: T\n", "listing/de.yml": "name: T\n", "listing/fr.yaml": "name: [T\n",
	})
	_, ps := dossier.Load(dir, stores, nil)
	var all []string
	for _, p := range ps {
		assert.NotEmpty(t, p.Fix, p.What)
		all = append(all, filepath.Base(p.At.File)+" "+p.What+" "+p.Fix)
	}
	text := ps.Error()
	for _, want := range []string{`unknown key "kidn"`, `"pubic" is not a choice`, `unknown key "nmae"`, `"english" is not a language tag`, "listings end in .yaml", "not valid YAML"} {
		assert.Contains(t, text, want)
	}
	assert.Len(t, all, 6)

	for name, c := range map[string]struct{ doc, want string }{
		"format":  {"regola: 2\napp: {name: T, default_locale: en}\n", "format 1"},
		"age":     {"regola: 1\napp: {name: T, default_locale: en}\nanswers: {audience: {to: 100}}\n", "this is not an age"},
		"below 0": {"regola: 1\napp: {name: T, default_locale: en}\nanswers: {audience: {from: -1}}\n", "this is not an age"},
		"ends":    {"regola: 1\napp: {name: T, default_locale: en}\nanswers: {audience: {from: 14, to: 13}}\n", "ends before it begins"},
		"locale":  {"regola: 1\napp: {name: T, default_locale: english}\n", "not a language tag"},
		"pages":   {"regola: 1\napp: {name: T, default_locale: en}\npages: [{id: a, store: ios}, {id: a, store: ios}]\n", `there are two pages "a"`},
		"outside": {"regola: 1\napp: {name: T, default_locale: en}\npackages: {android: ../a.aab}\n", "leads out of the dossier's folder"},
		"system":  {"regola: 1\napp: {name: T, default_locale: en}\npackages: {android: /etc/s*}\n", "leads out of the dossier's folder"},
	} {
		_, ps := dossier.Load(write(t, map[string]string{"dossier.yaml": c.doc}), stores, nil)
		assert.ErrorContains(t, ps.Err(), c.want, name)
	}
	_, ps = dossier.Load(write(t, map[string]string{"dossier.yaml": "regola: 1\napp: {name: T, default_locale: en}\nanswers: {audience: {from: 0, to: 99}}\n"}), stores, nil)
	assert.Empty(t, ps, "both ends are ages")
	_, ps = dossier.Load(write(t, map[string]string{"dossier.yaml": "regola: 1\napp: {name: T, default_locale: en}\nanswers: {audience: {from: 13, to: 13}}\n"}), stores, nil)
	assert.Empty(t, ps)
	// What is wrong with values is reported together with what is wrong with keys.
	_, ps = dossier.Load(write(t, map[string]string{"dossier.yaml": "regola: 2\nbogus: 1\napp: {name: T, default_locale: english}\npackages: {androit: a, ios: ../b.ipa}\n"}), stores, nil)
	for _, want := range []string{`unknown key "bogus"`, "format 1", "not a language tag", `unknown key "androit"`, "leads out"} {
		assert.ErrorContains(t, ps.Err(), want)
	}
	_, ps = dossier.Load(t.TempDir(), stores, nil)
	assert.ErrorContains(t, ps.Err(), "there is no such file")
}

// TestPackages finds the package that a dossier names, tells one that is not there yet
// from a mistake, and never lists what others have.
func TestPackages(t *testing.T) {
	doc := func(pattern string) (*dossier.Dossier, string) {
		dir := write(t, map[string]string{"dossier.yaml": "regola: 1\napp: {name: T, default_locale: en}\npackages: {android: '" + pattern + "'}\n", "build/a.aab": "", "build/b.aab": "", "out/c.aab": ""})
		for i := range 9 {
			require.NoError(t, os.WriteFile(filepath.Join(dir, "build", fmt.Sprintf("many-%d.apk", i)), nil, 0o644))
		}
		d, ps := dossier.Load(dir, stores, nil)
		return d, ps.Error()
	}
	for pattern, want := range map[string]struct{ file, absent, problem string }{
		"build/a.aab": {"build/a.aab", "", ""}, "out/*.aab": {"out/c.aab", "", ""}, "out/[a-c].aab": {"out/c.aab", "", ""},
		"build/c.aab":    {"build/c.aab", "the package build/c.aab is not there", ""},
		"none/*.aab":     {"none/*.aab", "no package matches none/*.aab", ""},
		"build/*.aab":    {"", "", "2 packages match build/*.aab; the newest first: build/"},
		"build/many-*":   {"", "", " …"},
		"build/[":        {"", "", "this pattern cannot be read"},
		"/*/*/*/*/*/*/*": {"", "", "leads out of the dossier's folder"}, "../*/*": {"", "", "leads out of the dossier's folder"},
	} {
		d, problem := doc(pattern)
		files, _, _ := d.Packages.For([]string{"android"})
		require.Len(t, files, 1)
		assert.Equal(t, want.file, filepath.ToSlash(files[0].Name), pattern)
		assert.Equal(t, want.absent, files[0].Absent, pattern)
		assert.Contains(t, problem, want.problem, pattern)
		assert.Equal(t, want.problem == "", problem == "", "%s: %s", pattern, problem)
	}
}

// TestStranger gives a dossier that wants to show the files of whoever checks
// it, and holds that no secret is ever printed.
func TestStranger(t *testing.T) {
	const secret = "hunter2-do-not-print"
	outside := filepath.Join(t.TempDir(), "passwd")
	require.NoError(t, os.WriteFile(outside, []byte("root:"+secret+":0:0\n"), 0o644))
	dir := write(t, map[string]string{
		"dossier.yaml": "regola: 1\napp: {name: T, default_locale: it}\nrulebooks: [../passwd, /etc/passwd, link.yaml]\ntables: ['../x']\nreview: {sign_in: " + secret + "}\n",
	})
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "listing"), 0o755))
	require.NoError(t, os.Symlink(outside, filepath.Join(dir, "listing", "it.yaml")))
	require.NoError(t, os.Symlink(outside, filepath.Join(dir, "link.yaml")))
	_, ps := dossier.Load(dir, stores, nil)
	n := 0
	for _, p := range ps {
		assert.NotContains(t, p.What+p.Fix, secret)
		if strings.Contains(p.What, "leads out of the dossier's folder") {
			n++
		}
	}
	assert.Equal(t, 5, n, "%v", ps)

	d, ps := dossier.Load(write(t, map[string]string{"dossier.yaml": "regola: 1\napp: {name: T, default_locale: it}\nreview: {sign_in: {user: u, password: " + secret + "}}\n"}), stores, nil)
	require.Empty(t, ps)
	assert.True(t, d.Review.SignIn.Password.Literal)
	assert.NotContains(t, fmt.Sprintf("%v %+v %#v", d, d.Review, d.Review.SignIn), secret, "it is not even kept")
}
