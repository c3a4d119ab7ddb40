package run

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/rulebooks"
)

// A package outside the dossier's folder is read once for several dossiers, until its file
// changes; one inside belongs to its dossier alone.
func TestPackageCache(t *testing.T) {
	dir := t.TempDir()
	data, err := os.ReadFile("../../demo/sound/build/terrafuoco.aab")
	require.NoError(t, err)
	shared, own := filepath.Join(dir, "common", "app.aab"), filepath.Join(dir, "kiln", "app.aab")
	for _, file := range []string{shared, own} {
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, data, 0o644))
	}
	s := newPackageCache(false)
	open := func(file string) *facts.Package {
		pkgs, err := s.open(t.Context(), &dossier.Dossier{Root: filepath.Join(dir, "kiln")}, []string{file}, artifact.Options{})
		require.NoError(t, err)
		return pkgs[0]
	}
	first := open(shared)
	assert.Same(t, first, open(shared))
	assert.NotSame(t, open(own), open(own))
	require.NoError(t, os.Chtimes(shared, time.Time{}, time.Now().Add(time.Hour)))
	assert.NotSame(t, first, open(shared), "the file changed")
	assert.NotNil(t, s.memo(open(shared)))
	for i := range maxRecent {
		require.NoError(t, os.Chtimes(shared, time.Time{}, time.Now().Add(time.Duration(i+2)*time.Hour)))
		open(shared)
	}
	assert.Nil(t, s.memo(first), "it is not kept any more")
	n := 0
	s.kept.Each(func(state, *heldPackage) bool { n++; return true })
	assert.Equal(t, maxRecent, n)
}

// TestAdditions holds that rules and tables of a base are read and compiled once for the
// dossiers on it, that those of a dossier itself are not shared, and that a mistake is
// reported to each.
func TestAdditions(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) {
		file := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	}
	const rules = "rulebook: house\nstore: all\nedition: 2026-11-01\nrules:\n" +
		"  - {id: house/named, title: It has a name, why: x, stage: package, impact: craft, expect: app.name != \"\", say: x, fix: y, basis: {topic: a, confidence: high}, examples: [{given: {app: {name: \"\"}}, breaks: true}, {given: {app: {name: a}}, breaks: false}]}\n"
	write("common/dossier.yaml", "regola: 1\napp: {name: Kiln, default_locale: it, ids: {android: org.example.kiln}}\nrulebooks: [house.yaml]\ntables: [partners.yaml]\n")
	write("common/house.yaml", rules)
	write("common/partners.yaml", "partners:\n  - {id: org.example.glasur}\n")
	write("a/dossier.yaml", "regola: 1\nbase: ../common\n")
	write("b/dossier.yaml", "regola: 1\nbase: ../common\n")
	write("own/dossier.yaml", "regola: 1\napp: {name: Own, default_locale: it, ids: {android: org.example.kiln}}\nrulebooks: [house.yaml]\n")
	write("own/house.yaml", rules)
	r, err := New(rulebooks.BuiltIn, Options{Options: check.Options{Day: day.Of(time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC))}})
	require.NoError(t, err)
	of := func(name string) *additions {
		d, ps := r.Dossier(filepath.Join(dir, name))
		require.Empty(t, ps)
		a, err := r.additions(d)
		require.NoError(t, err)
		return a
	}
	assert.Same(t, of("a"), of("b"))
	assert.Same(t, of("a").judges(), of("b").judges())
	assert.NotSame(t, of("own"), of("own"))
	for _, name := range []string{"a", "b", "own"} {
		res, err := r.Check(t.Context(), Job{Dossier: filepath.Join(dir, name)})
		require.NoError(t, err)
		assert.True(t, slices.ContainsFunc(res.Stores[0].Verdicts, func(v *check.Verdict) bool { return v.Rule.ID == "house/named" && v.State == check.Held }), name)
	}
	write("common/house.yaml", strings.Replace(rules, "app.name", "app.nam", 1))
	for _, name := range []string{"a", "b"} {
		_, err := r.Check(t.Context(), Job{Dossier: filepath.Join(dir, name)})
		assert.ErrorContains(t, err, "undefined field 'nam'", name)
	}
}

// TestMemo holds that what follows from a shared package alone is judged once, and what
// a dossier says is judged for each.
func TestMemo(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "common"), os.DirFS("../../demo/sound")))
	var jobs []Job
	for _, name := range []string{"Kiln", "Todo TODO", "Glaze"} {
		folder := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Join(folder, "listing"), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(folder, "dossier.yaml"), []byte("regola: 1\nbase: ../common\n"), 0o644))
		require.NoError(t, os.WriteFile(filepath.Join(folder, "listing", "it.yaml"), []byte("pitch: "+name+"\n"), 0o644))
		jobs = append(jobs, Job{Dossier: folder})
	}
	fresh := func() *Runner {
		r, err := New(rulebooks.BuiltIn, Options{Options: check.Options{Day: day.Of(time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC))}})
		require.NoError(t, err)
		return r
	}
	r := fresh()
	require.NoError(t, r.CheckAll(t.Context(), jobs, nil, func(i int, got *check.Result, err error) {
		require.NoError(t, err)
		want, err := fresh().Check(t.Context(), jobs[i])
		require.NoError(t, err)
		for n, s := range want.Stores {
			assert.Equal(t, len(s.Verdicts), len(got.Stores[n].Verdicts))
			for k, v := range s.Verdicts {
				o := got.Stores[n].Verdicts[k]
				assert.Equal(t, []any{v.Rule.ID, v.State, v.Judged, v.Gaps, len(v.Faults)}, []any{o.Rule.ID, o.State, o.Judged, o.Gaps, len(o.Faults)})
			}
		}
		broken := slices.ContainsFunc(got.Stores[0].Verdicts, func(v *check.Verdict) bool {
			return v.Rule.ID == "common/placeholder-texts" && v.State == check.Broken
		})
		assert.Equal(t, i == 1, broken, jobs[i].Dossier)
	}))
	var kept []*heldPackage
	r.shared.kept.Each(func(_ state, k *heldPackage) bool { kept = append(kept, k); return true })
	require.NotEmpty(t, kept)
	for _, k := range kept {
		assert.Same(t, &k.memo, r.shared.memo(k.pkg.Load()))
	}
}
