package run_test

import (
	"archive/zip"
	"bytes"
	"context"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/ledgerfile"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/view"
	"regola.example/regola/rulebooks"
)

const demo = "../../demo/"

func options(t testing.TB) run.Options {
	on, err := day.Parse("2026-11-23")
	require.NoError(t, err)
	return run.Options{Options: check.Options{Day: on}}
}

func judge(t testing.TB, job run.Job) *check.Result {
	t.Helper()
	r, err := run.New(rulebooks.BuiltIn, options(t))
	require.NoError(t, err)
	res, err := r.Check(context.Background(), job)
	require.NoError(t, err)
	return res
}

// change writes a copy of a package with one entry changed. The signature no
// longer fits then; what is asked for is what the other rules say.
func change(t testing.TB, file, entry string, f func([]byte) []byte) string {
	t.Helper()
	z, err := zip.OpenReader(file)
	require.NoError(t, err)
	defer z.Close()
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	found := false
	for _, e := range z.File {
		r, err := e.Open()
		require.NoError(t, err)
		data, err := io.ReadAll(r)
		require.NoError(t, err)
		if e.Name == entry {
			data, found = f(data), true
		}
		h := &zip.FileHeader{Name: e.Name, Method: e.Method}
		h.SetMode(e.Mode())
		out, err := w.CreateHeader(h)
		require.NoError(t, err)
		_, err = out.Write(data)
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	require.True(t, found, entry)
	name := filepath.Join(t.TempDir(), filepath.Base(file))
	require.NoError(t, os.WriteFile(name, b.Bytes(), 0o644))
	return name
}

// states gives the state of every rule.
func states(res *check.Result) map[string]*check.Verdict {
	out := map[string]*check.Verdict{}
	for _, s := range res.Stores {
		for _, v := range s.Verdicts {
			out[v.Rule.ID] = v
		}
	}
	return out
}

// TestTornParts cuts one part of a sound package short: every rule that looks
// at it is not read, none is held and none is broken by its absence.
func TestTornParts(t *testing.T) {
	cut := func(n int) func([]byte) []byte { return func(b []byte) []byte { return b[:min(n, len(b)/2)] } }
	const whole = "../core/artifact/testdata/ios/whole.ipa"
	const app = "Payload/Terrafuoco.app/"
	for name, c := range map[string]struct {
		file, entry string
		cut         int
		lost        []string // paths of which rules that look at them must not be judged
		but         []string // of which something is known without the part
		broken      []string // rules whose very subject is the damage
	}{
		"code file": {demo + "sound/build/terrafuoco.aab", "base/dex/classes.dex", 200,
			[]string{"pkg.android.code.", "evidence.sdks"}, []string{"pkg.android.code.files", "pkg.android.code.dex", "library_versions"}, nil},
		"resource table": {demo + "sound/build/terrafuoco.aab", "base/resources.pb", 100,
			[]string{"pkg.android.resources.", "pkg.android.icon"}, []string{"pkg.android.resources.densities"}, nil},
		"native library": {demo + "sound/build/terrafuoco.aab", "base/lib/arm64-v8a/libkilnmath.so", 100,
			[]string{"it.align", "it.symbols", "it.needed", "it.machine", "it.fits"}, nil, nil},
		"property list of an extension": {whole, app + "PlugIns/Share.appex/Info.plist", 30,
			[]string{"info.id", "info.version", "info.point", "info.executable"}, []string{"pkg.ios.app.info.id", "pkg.ios.app.info.version", "pkg.ios.app.info.executable"}, []string{"ios/nested-executable"}},
		"executable": {demo + "sound/build/Terrafuoco.ipa", app + "Terrafuoco", 60,
			[]string{"code.uses", "code.defines", "code.hints", "code.literals", "evidence.purposes", "evidence.reasons", "evidence.sdks", "pkg.ios.app.code.", "pkg.ios.app.signature"}, []string{"pkg.ios.app.code.fault", "pkg.ios.app.code.path", "pkg.ios.app.code.executable_mode"}, []string{"ios/executable-reads"}},
		"symbols of the executable": {demo + "sound/build/Terrafuoco.ipa", app + "Terrafuoco", 18000,
			[]string{"code.uses", "code.defines", "evidence.purposes", "evidence.reasons"}, nil, nil},
	} {
		t.Run(name, func(t *testing.T) {
			sound := states(judge(t, run.Job{Packages: []string{c.file}}))
			torn := states(judge(t, run.Job{Packages: []string{change(t, c.file, c.entry, cut(c.cut))}}))
			unread := 0
			for id, v := range torn {
				uses := v.Rule.When.Src + " " + v.Rule.Each.Src + " " + v.Rule.Faults.Src + " " + v.Rule.Expect.Src
				for _, known := range c.but {
					uses = strings.ReplaceAll(uses, known, "")
				}
				if v.State == check.NotRead {
					unread++
					for _, g := range v.Gaps {
						assert.NotContains(t, g.What, "could not be evaluated", id)
					}
				}
				if strings.Contains(uses, "'framework'") || strings.Contains(uses, "'watch-app'") || strings.Contains(uses, "'app-clip'") {
					continue // of bundles of another kind
				}
				looks := false
				for _, path := range c.lost {
					looks = looks || strings.Contains(uses, path)
				}
				if !looks || sound[id].State == check.NotApplicable && v.State == check.NotApplicable || v.State == check.ToAnswer {
					continue
				}
				if v.State == check.Broken {
					assert.Contains(t, append(c.broken, brokenBefore(sound)...), id, "broken by absence: %v", v.Faults[0].Say)
					continue
				}
				// A rule over several items may hold for those that are known.
				assert.Contains(t, []check.State{check.NotRead, check.NotInForce}, v.State, "%s: %s", id, uses)
			}
			assert.Positive(t, unread)
		})
	}
}

func brokenBefore(sound map[string]*check.Verdict) (ids []string) {
	for id, v := range sound {
		if v.State == check.Broken {
			ids = append(ids, id)
		}
	}
	return ids
}

// TestThirdStore judges for a made-up store: a folder with a description and a
// rulebook, and nothing in the program.
func TestThirdStore(t *testing.T) {
	lib := rulebooks.NewLibrary(os.DirFS("testdata/library"), "library/")
	r, err := run.New(lib, options(t))
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "listing"), 0o755))
	aab, err := os.ReadFile(demo + "sound/build/terrafuoco.aab")
	require.NoError(t, err)
	for name, text := range map[string]string{
		"kiln.aab":        string(aab),
		"dossier.yaml":    "regola: 1\napp: {name: Terrafuoco, default_locale: en, ids: {android: org.example.terrafuoco, kiln: kiln-17}}\npackages: {android: kiln.aab}\n",
		"listing/en.yaml": "name: Terrafuoco\nkiln: {name: Kiln}\nandroid: {name: Fire}\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	res, err := r.Check(context.Background(), run.Job{Dossier: dir})
	require.NoError(t, err)
	require.Len(t, res.Stores, 1)
	s := res.Stores[0]
	assert.Equal(t, []string{"kiln", "Kiln store", "org.example.terrafuoco"}, []string{s.ID, s.Name, s.AppID})
	said := map[string]string{}
	for _, v := range s.Verdicts {
		require.Len(t, v.Faults, 1, v.Rule.ID)
		said[v.Rule.ID] = v.Faults[0].Say
	}
	assert.Equal(t, map[string]string{
		"kiln/name": "kiln: kiln-17 is called Kiln", // its own block before that of its platform
		"kiln/fuel": "wood burns at 900",
	}, said)
	_, err = r.Check(context.Background(), run.Job{Packages: []string{demo + "sound/build/Terrafuoco.ipa"}})
	assert.ErrorContains(t, err, "there is nothing to judge", "the store takes no package of that platform")
}

// TestMany judges several releases with one runner: each comes out as it does
// alone, in order, and a context that ends stops it.
func TestMany(t *testing.T) {
	r, err := run.New(rulebooks.BuiltIn, options(t))
	require.NoError(t, err)
	jobs := []run.Job{{Dossier: demo + "sound"}, {Dossier: demo + "faulty"}, {Dossier: t.TempDir()}, {Dossier: demo + "sound"}, {Packages: []string{demo + "faulty/build/terrafuoco.aab"}}}
	var order []int
	var broken []int
	require.NoError(t, r.CheckAll(context.Background(), jobs, nil, func(i int, res *check.Result, err error) {
		order = append(order, i)
		if i == 2 {
			assert.ErrorContains(t, err, "there is no such file")
			broken = append(broken, -1)
			return
		}
		require.NoError(t, err)
		broken = append(broken, res.Count(check.Broken))
	}))
	assert.Equal(t, []int{0, 1, 2, 3, 4}, order)
	alone := judge(t, run.Job{Dossier: demo + "faulty"})
	assert.Equal(t, []int{0, alone.Count(check.Broken), -1, 0, judge(t, jobs[4]).Count(check.Broken)}, broken)
	ctx, stop := context.WithCancel(context.Background())
	stop()
	assert.ErrorIs(t, r.CheckAll(ctx, jobs, nil, func(int, *check.Result, error) { t.Error("nothing may be judged") }), context.Canceled)
}

// TestAllAtOnce tells the problems of the dossier, of several rulebooks and of
// the packages in one run.
func TestAllAtOnce(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{
		"dossier.yaml": "regola: 1\napp: {name: T, default_locale: en, kidn: app}\nrulebooks: [a.yaml, b.yaml, c.yaml]\ntables: [t.yaml]\n",
		"a.yaml":       "rulebook: android\nstore: all\nedition: 2026-11-23\nrules: []\n",
		"b.yaml":       "rulebook: b\nstore: moon\nedition: 2026-11-23\nrules: []\n",
		"t.yaml":       "junk: [{pattern: '(', why: x}]\n",
		"torn.aab":     "PK\x03\x04",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	r, err := run.New(rulebooks.BuiltIn, options(t))
	require.NoError(t, err)
	_, err = r.Check(context.Background(), run.Job{Dossier: dir, Packages: []string{filepath.Join(dir, "torn.aab"), filepath.Join(dir, "none.ipa")}})
	for _, want := range []string{`unknown key "kidn"`, `the name "android" belongs to the built-in rules`, `there is no store "moon"`, "c.yaml: there is no such file", "not a regular expression", "the archive cannot be opened", "none.ipa: there is no such file"} {
		assert.ErrorContains(t, err, want)
	}
}

// TestPackageInPlace holds that a package which is given takes the place of the
// one that the dossier names.
func TestPackageInPlace(t *testing.T) {
	res := judge(t, run.Job{Dossier: demo + "sound", Packages: []string{demo + "faulty/build/terrafuoco.aab"}})
	require.Len(t, res.Stores, 2)
	assert.Equal(t, demo+"faulty/build/terrafuoco.aab", res.Stores[0].Package)
	assert.Empty(t, res.Stores[1].Package, "no package was given for the other store")
	assert.Equal(t, check.ToAnswer, states(res)["ios/build-sdk"].State)
	assert.Equal(t, fact.NotGiven, states(res)["ios/build-sdk"].Gaps[0].Kind)
}

func load(tb testing.TB) {
	lib := rulebooks.NewLibrary(os.DirFS("../../rulebooks"), "rulebooks/")
	stores, err := lib.Stores()
	require.NoError(tb, err)
	for _, s := range stores {
		_, err := lib.Books(s)
		require.NoError(tb, err)
	}
	_, err = lib.Tables()
	require.NoError(tb, err)
}

func firstCheck(tb testing.TB) {
	r, err := run.New(rulebooks.BuiltIn, options(tb))
	require.NoError(tb, err)
	_, err = r.Check(context.Background(), run.Job{Dossier: demo + "faulty"})
	require.NoError(tb, err)
}

// TestStartWork holds what a start costs. Allocations stand for time: they are
// the same on every machine.
func TestStartWork(t *testing.T) {
	assert.Less(t, testing.AllocsPerRun(1, func() { load(t) }), 130_000.0)
	assert.Less(t, testing.AllocsPerRun(1, func() { firstCheck(t) }), 460_000.0)
}

func BenchmarkLoad(b *testing.B) {
	for b.Loop() {
		load(b)
	}
}

func BenchmarkFirstCheck(b *testing.B) {
	for b.Loop() {
		firstCheck(b)
	}
}

func BenchmarkNextCheck(b *testing.B) {
	r, err := run.New(rulebooks.BuiltIn, options(b))
	require.NoError(b, err)
	for b.Loop() {
		_, err = r.Check(context.Background(), run.Job{Dossier: demo + "faulty"})
		require.NoError(b, err)
	}
}

// TestSides compares the demo's packages with themselves and with one entry changed,
// and takes the words of a call that name nothing.
func TestSides(t *testing.T) {
	r, err := run.New(rulebooks.BuiltIn, options(t))
	require.NoError(t, err)
	side := func(name string) *view.Side {
		s, err := r.Side(context.Background(), name, demo+"sound")
		require.NoError(t, err)
		return s
	}
	for name, c := range map[string]struct{ entry, want string }{
		demo + "sound/build/terrafuoco.aab": {"base/dex/classes.dex", "size of code"},
		demo + "sound/build/Terrafuoco.ipa": {"Payload/Terrafuoco.app/it.lproj/InfoPlist.strings", "size of other"},
	} {
		compared := r.Compare(side(name), side(change(t, name, c.entry, func(b []byte) []byte { return append(b, 0, 0, 0, 0) })))
		require.Len(t, compared, 1)
		var kinds []string
		for _, d := range compared[0].Change.Changed {
			kinds = append(kinds, d.Kind)
		}
		assert.Contains(t, kinds, c.want)
		assert.NotContains(t, kinds, "permission")
		assert.True(t, r.Compare(side(name), side(name))[0].Change.Empty())
	}
	was := r.Compare(side("1.3.1"), side("1.3.2"))
	require.Len(t, was, 2)
	for _, c := range was {
		assert.Equal(t, "1.3.1 → 1.3.2", c.Change.Changed[0].What)
		assert.NotEmpty(t, c.Old.Answers, "the ledger keeps what was answered")
		assert.NotEmpty(t, c.Old.Pictures)
		assert.NotEmpty(t, c.Old.Languages, c.Store.ID)
	}
	page := r.Compare(side(demo+"sound"), side(demo+"faulty"))
	require.Len(t, page, 2)
	assert.True(t, slices.ContainsFunc(page[0].Change.Added, func(d *ledger.Difference) bool {
		return d.Kind == "permission" && d.What == "android.permission.ACCESS_BACKGROUND_LOCATION"
	}), "the packages of dossiers are opened")
	old, now := *side(demo + "sound"), *side(demo + "faulty")
	now.Releases = maps.Clone(now.Releases)
	now.Releases["android/watch"] = now.Releases["android"]
	further := r.Compare(&old, &now)
	require.Len(t, further, 3)
	assert.Equal(t, "Android store, watch", further[1].Name)
	assert.Equal(t, []*ledger.Difference{{Kind: "package", What: "for watch", To: "1.4.0"}}, further[1].Change.Added)
	assert.Equal(t, "package", r.Compare(&now, &old)[1].Change.Removed[0].Kind)
	for name, want := range map[string]string{"9.9.9": "the ledger has no such version", "none:../up": "no revision with a folder", "-x:.": "no revision with a folder", "none-such:demo": "git does not give it", t.TempDir(): ""} {
		_, err := r.Side(context.Background(), name, demo+"sound")
		assert.ErrorContains(t, err, want)
	}
}

// TestAppend writes a ledger only where all of it can be written.
func TestAppend(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, ledger.FileName)
	reply := func(*ledger.Ledger) ([]*ledger.Event, error) {
		return []*ledger.Event{{Event: ledger.Replied, On: options(t).Day, Store: "ios", Text: "x"}}, nil
	}
	require.NoError(t, os.WriteFile(file, []byte("torn"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, ".ledger.new"), []byte("of a killed program"), 0o600))
	require.NoError(t, ledgerfile.Append(t.Context(), dir, reply))
	l, err := ledgerfile.Read(dir)
	require.NoError(t, err)
	assert.Len(t, l.Events, 1)
	assert.Len(t, l.Faults, 1, "a last line without its end stays a line")
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	assert.ErrorIs(t, ledgerfile.Append(t.Context(), dir, func(*ledger.Ledger) ([]*ledger.Event, error) { return nil, io.ErrNoProgress }), io.ErrNoProgress)
	other := filepath.Join(dir, "other")
	require.NoError(t, os.Mkdir(other, 0o755))
	require.NoError(t, os.Symlink(file, filepath.Join(other, ledger.FileName)))
	assert.ErrorContains(t, ledgerfile.Append(t.Context(), other, reply), "no regular file")
	assert.ErrorContains(t, ledgerfile.Append(t.Context(), filepath.Join(dir, "none"), reply), "the ledger cannot be locked")
	left, err := filepath.Glob(filepath.Join(dir, ".ledger.new"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

// TestAhead judges a release as of the days ahead: a day is listed once and in order,
// and what ends is found from its day on.
func TestAhead(t *testing.T) {
	opt := options(t)
	opt.Day = day.Day{Time: opt.Day.AddDate(0, -3, -22)}
	r, err := run.New(rulebooks.BuiltIn, opt)
	require.NoError(t, err)
	until := day.Day{Time: opt.Day.AddDate(30, 0, 0)}
	turns, now, err := r.Ahead(context.Background(), run.Job{Packages: []string{demo + "faulty/build/terrafuoco.aab", demo + "faulty/build/Terrafuoco.ipa"}}, until)
	require.NoError(t, err)
	assert.NotZero(t, now.Count(check.Broken))
	last := opt.Day
	own, found := false, map[string]bool{}
	for _, turn := range turns {
		assert.True(t, turn.Day.After(last.Time))
		last = turn.Day
		for _, d := range turn.Dates {
			own = own || d.Kind == "certificate"
		}
		for _, f := range turn.New {
			found[f.Rule.ID] = true
		}
	}
	assert.True(t, own, "the certificate ends")
	assert.True(t, found["android/target-level"], "%v", found)
	bare, err := r.Dates(until)
	require.NoError(t, err)
	assert.Less(t, len(bare), len(turns))
}

// TestEdition takes a newer edition of a built-in file in its place, and refuses an
// older one; a mistake in it is reported at once.
func TestEdition(t *testing.T) {
	built, err := os.ReadFile("../../rulebooks/android/bundle.yaml")
	require.NoError(t, err)
	book := func(pairs ...string) (*run.Runner, error) {
		text := string(built)
		for i := 0; i < len(pairs); i += 2 {
			require.Contains(t, text, pairs[i])
			text = strings.Replace(text, pairs[i], pairs[i+1], 1)
		}
		file := filepath.Join(t.TempDir(), "android", "bundle.yaml")
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
		opt := options(t)
		opt.Rulebooks = []string{file}
		return run.New(rulebooks.BuiltIn, opt)
	}
	job := run.Job{Packages: []string{demo + "sound/build/terrafuoco.aab"}}
	r, err := book("edition: 2026-11-23", "edition: 2027-01-01", "value: 209715200, date", "value: 2000, date")
	require.NoError(t, err)
	res, err := r.Check(context.Background(), job)
	require.NoError(t, err)
	assert.Equal(t, check.Broken, states(res)["android/download-size"].State)
	assert.Len(t, states(res), len(states(judge(t, job))), "no rule is there twice")
	editions, err := r.Editions()
	require.NoError(t, err)
	found := false
	for file, e := range editions {
		found = found || strings.HasSuffix(file, "android/bundle.yaml") && e == "2027-01-01"
	}
	assert.True(t, found)
	_, err = book("edition: 2026-11-23", "edition: 2020-01-01")
	assert.ErrorContains(t, err, "older than the built-in one")
	r, err = book("pkg.size <= limit.largest_apk", "pkg.siez <= limit.largest_apk")
	require.NoError(t, err)
	_, err = r.Check(context.Background(), job)
	assert.ErrorContains(t, err, "undefined field 'siez'")
	_, err = book("rulebook: android", "rulebook: mine")
	assert.Error(t, err, "its rules' ids are not its own")

	// A limit of another type is a mistake with its line, not a rule that goes unjudged.
	text, err := os.ReadFile("../../rulebooks/android/package.yaml")
	require.NoError(t, err)
	require.Contains(t, string(text), "value: 2100000000}")
	file := filepath.Join(t.TempDir(), "android", "package.yaml")
	require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(text), "value: 2100000000}", "value: '2100000000'}", 1)), 0o644))
	opt := options(t)
	opt.Rulebooks = []string{file}
	r, err = run.New(rulebooks.BuiltIn, opt)
	require.NoError(t, err)
	_, err = r.Check(context.Background(), job)
	assert.ErrorContains(t, err, "<= has a number on its left and a text on its right")
	assert.ErrorContains(t, err, "package.yaml:")
}

// TestTypedDamaged judges as ever where the typed conditions cannot be used.
func TestTypedDamaged(t *testing.T) {
	job := run.Job{Packages: []string{demo + "sound/build/terrafuoco.aab"}}
	want := states(judge(t, job))
	for _, damage := range []string{"", "cond x\ntree\n\n", "none"} {
		dir := t.TempDir()
		require.NoError(t, os.CopyFS(dir, os.DirFS("../../rulebooks")))
		for _, s := range []string{"android", "ios"} {
			file := filepath.Join(dir, s, "generated.txt")
			if damage == "none" {
				require.NoError(t, os.Remove(file))
				continue
			}
			require.NoError(t, os.WriteFile(file, []byte(damage), 0o644))
		}
		r, err := run.New(rulebooks.NewLibrary(os.DirFS(dir), "rulebooks/"), options(t))
		require.NoError(t, err)
		res, err := r.Check(context.Background(), job)
		require.NoError(t, err)
		got := states(res)
		require.Len(t, got, len(want))
		for id, v := range want {
			assert.Equal(t, v.State, got[id].State, id)
		}
	}
}

// TestStoreBesideOthers puts a store into a folder of its own: it is judged by its own rules and
// by the common ones, without a row of it in any table.
func TestStoreBesideOthers(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS("../../rulebooks")))
	require.NoError(t, os.Mkdir(filepath.Join(dir, "bazaar"), 0o755))
	for name, text := range map[string]string{
		"store.yaml": "store: bazaar\nname: the bazaar\nplatform: android\npackages: [aab, apk]\nrulebooks: [bazaar, common]\ndossier: [bazaar, android]\n",
		"package.yaml": `rulebook: bazaar
store: bazaar
edition: 2026-11-23
limits:
  least_level: [{from: 2026-01-01, value: 30}]
rules:
  - id: bazaar/least-level
    title: The app begins at a level of today
    stage: package
    impact: refused
    expect: pkg.android.manifest.min_level >= limit.least_level
    at: pkg.android.manifest.min_level
    say: it begins at {pkg.android.manifest.min_level}
    why: The bazaar serves new devices only.
    fix: Raise it.
    basis: {topic: least level, checked: 2026-11-23, confidence: high}
`,
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "bazaar", name), []byte(text), 0o644))
	}
	opt := options(t)
	opt.Stores = []string{"bazaar", "android"}
	r, err := run.New(rulebooks.NewLibrary(os.DirFS(dir), "rulebooks/"), opt)
	require.NoError(t, err)
	res, err := r.Check(context.Background(), run.Job{Dossier: demo + "sound"})
	require.NoError(t, err)
	require.Len(t, res.Stores, 2)
	android, bazaar := map[string]check.State{}, map[string]check.State{}
	for _, s := range res.Stores {
		into := android
		if s.ID == "bazaar" {
			into = bazaar
		}
		for _, v := range s.Verdicts {
			into[v.Rule.ID] = v.State
		}
	}
	assert.Equal(t, check.Broken, bazaar["bazaar/least-level"])
	require.Greater(t, len(bazaar), 100, "the common rules are judged for it, too")
	for id, state := range bazaar {
		if was, common := android[id]; common && state != check.NotApplicable && state != check.Held {
			assert.Equal(t, was, state, "%s: what the first store is not held for, a store without rows is not either", id)
		}
	}
}
