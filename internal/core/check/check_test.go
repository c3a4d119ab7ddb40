package check_test

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/core/tables"
)

// head is a rulebook up to its rules.
const head = `rulebook: kiln
store: all
edition: 2026-11-23
limits:
  hottest:
    - {from: 2025-01-01, value: 30}
    - {from: 2026-01-01, value: 35}
rules:
`

// book wraps the lines of one rule into a rulebook.
func book(rule string) []byte {
	return []byte(head + `  - id: kiln/rule
    title: It holds
    stage: package
    impact: refused
    fix: Fix {pkg.file}.
    basis: {topic: kilns, checked: 2026-11-23, confidence: high}
    ` + strings.ReplaceAll(strings.TrimSpace(rule), "\n", "\n    ") + "\n")
}

const examples = `
examples:
  - {given: {pkg: {file: a}}, breaks: true}
  - {given: {pkg: {file: b}}, breaks: false}
`

func set(t *testing.T) *tables.Set {
	s, ps := tables.Parse("t.yaml", []byte("edition: 2026-11-23\nkilns:\n  - {name: muffle, hot: 1100}\n  - {name: anagama, hot: 1300, from: 2026-06-01}\npermissions:\n  camera: {feature: lens}\njunk:\n  - {pattern: '[.]orig$', why: a leftover}\n"))
	require.Empty(t, ps)
	return s
}

func prepare(t *testing.T, rule string) (*check.Program, place.Problems) {
	t.Helper()
	b, ps := rulebook.Load("kiln.yaml", book(rule))
	if len(ps) > 0 {
		return nil, ps
	}
	env, ps := check.NewEnv([]*rulebook.Book{b}, set(t), nil)
	require.Empty(t, ps)
	p := env.Prepare(b.Rules[0])
	return p, p.Check()
}

func date(t *testing.T, s string) day.Day {
	d, err := day.Parse(s)
	require.NoError(t, err)
	return d
}

func run(t *testing.T, rule string, s *submission.Submission, on string) *check.Verdict {
	t.Helper()
	p, ps := prepare(t, rule+examples)
	require.Empty(t, ps)
	s.Tables = set(t).On(date(t, on))
	s.Prepare()
	return p.Run(check.NewEvalContext(s, date(t, on)), nil)
}

func TestMistakes(t *testing.T) {
	for name, c := range map[string]struct {
		rule, want string
		line, col  int
	}{
		"misspelt field":    {"expect: pkg.fiel == 'a'\nsay: x", "undefined field 'fiel'", 15, 16},
		"wrong type":        {"expect: pkg.size == 'a'\nsay: x", "a number on its left", 15, 22},
		"not a truth":       {"expect: pkg.file\nsay: x", "must be true or false, this is a text", 15, 13},
		"text field":        {"expect: pkg.size > 1\nsay: 'found {pkg.nothing}'", "undefined field 'nothing'", 16, 21},
		"limit":             {"expect: pkg.size < limit.hotest\nsay: x", "undefined field 'hotest'", 15, 29},
		"table":             {"expect: size(table.kiln) > 0\nsay: x", "undefined field 'kiln'", 15, 23},
		"open brace":        {"expect: pkg.size > 1\nsay: 'found {pkg.size'", "not closed", 16, 0},
		"no list":           {"each: pkg.file\nexpect: it == 'a'\nsay: x", "each must be a list", 15, 11},
		"both":              {"expect: pkg.size > 1\nask: Really?\nsay: x", "both expects and asks", 16, 0},
		"neither":           {"at: pkg.file", "neither expects nor asks", 0, 0},
		"no say":            {"expect: pkg.size > 1", "does not say", 0, 0},
		"unknown key":       {"expct: pkg.size > 1", "unknown key \"expct\"", 15, 5},
		"has":               {"expect: has(pkg.android)\nsay: x", "has() is not available", 15, 16},
		"insides of a list": {"expect: pkg.size > 1\nsay: 'found {pkg.android.native.libraries}'", "name one of them", 16, 0},
		"privilege":         {"expect: pkg.size > 1\nsay: x\ntested: true", "unknown key \"tested\"", 17, 5},
		"two forms":         {"faults: pkg.files\nexpect: it.size > 1\nsay: x", "stands in the place of each", 15, 0},
	} {
		_, ps := prepare(t, c.rule+examples)
		if !assert.NotEmpty(t, ps, name) {
			continue
		}
		assert.Contains(t, ps[0].What, c.want, name)
		if c.line > 0 {
			assert.Equal(t, c.line, ps[0].At.Line, name)
		}
		if c.col > 0 {
			assert.Equal(t, c.col, ps[0].At.Column, name)
		}
	}
	_, ps := prepare(t, "expect: pkg.size > 1\nsay: x")
	assert.ErrorContains(t, ps.Err(), "needs an example")
	_, ps = prepare(t, "expect: pkg.fil == 'a'\nsay: x"+examples)
	assert.Contains(t, ps[0].Fix, `did you mean "file"`)
	_, ps = prepare(t, "expect: size(table.kiln) > 0\nsay: x"+examples)
	assert.Contains(t, ps[0].Fix, `did you mean "kilns"? tables of your own are named under tables:`)
	_, ps = prepare(t, "expect: pkg.size < limit.weight\nsay: x"+examples)
	assert.Equal(t, "limits are written under limits: in the rulebook", ps[0].Fix)
	b, _ := rulebook.Load("a.yaml", []byte(head+"  []\n"))
	other, _ := rulebook.Load("b.yaml", []byte("rulebook: b\nstore: all\nedition: 2026-11-23\nlimits: {hottest: [{from: 2025-01-01, value: hot}], '(': [{from: 2025-01-01, value: 1}]}\nrules: []\n"))
	_, ps = check.NewEnv([]*rulebook.Book{b, other}, set(t), nil)
	assert.ErrorContains(t, ps.Err(), "is a text here and a number in another rulebook")
	_, ps = rulebook.Load("b.yaml", []byte("rulebook: b\nstore: all\nedition: 2026-11-23\nlimits: {'(': [{from: 2025-01-01, value: 1}]}\nrules: []\n"))
	assert.ErrorContains(t, ps.Err(), "is not a name that a condition can use")
}

func level(n int64) *submission.Submission {
	return &submission.Submission{Store: "android", Pkg: &facts.Package{File: "a.aab", Android: &facts.Android{Manifest: facts.Manifest{TargetLevel: &n}}}}
}

func TestLimitsOverTime(t *testing.T) {
	const rule = "expect: pkg.android.manifest.target_level >= limit.hottest\nsay: '{pkg.android.manifest.target_level} of {limit.hottest} since {limit_since.hottest}'"
	assert.Equal(t, check.Held, run(t, rule, level(30), "2025-06-01").State)
	v := run(t, rule, level(30), "2026-06-01")
	require.Len(t, v.Faults, 1)
	assert.Equal(t, check.Broken, v.State)
	assert.Equal(t, "30 of 35 since 1 January 2026", v.Faults[0].Say)
	assert.Equal(t, "Fix a.aab.", v.Faults[0].Fix)
	before := run(t, rule, level(30), "2024-01-01")
	assert.Equal(t, check.NotInForce, before.State, "a limit that has no value yet does not bind")
	assert.Empty(t, before.Gaps)
}

// TestTables looks rows up by the day, in a table with a type and in one
// without, and lets the impact depend on the item.
func TestTables(t *testing.T) {
	const rule = "each: table.kilns\nexpect: it.hot < 1000\nsay: '{it.name}'"
	assert.Len(t, run(t, rule, level(1), "2026-01-01").Faults, 1, "a row that is not in force yet")
	assert.Len(t, run(t, rule, level(1), "2026-06-01").Faults, 2)
	s := level(1)
	s.Pkg.Android.Manifest.Permissions = []*facts.Permission{{Name: "camera"}, {Name: "none"}}
	v := run(t, "each: pkg.android.manifest.permissions\nexpect: '!(it.name in table.permissions)'\nsay: '{table.permissions[it.name].feature}'", s, "2026-06-01")
	require.Len(t, v.Faults, 1)
	assert.Equal(t, "lens", v.Faults[0].Say)
	s.Pkg.Files = []*facts.File{{Path: "a.orig"}, {Path: "b"}, {Path: "c.orig"}}
	v = run(t, "faults: pkg.like(table.junk)\nsay: '{it.path} is {pkg.why(it, table.junk)}'", s, "2026-06-01")
	require.Len(t, v.Faults, 2)
	assert.Equal(t, "c.orig is a leftover", v.Faults[1].Say)
	b, ps := rulebook.Load("kiln.yaml", []byte(strings.Replace(string(book("each: table.kilns\nexpect: 'false'\nsay: x"+examples)), "impact: refused", "impact: 'it.hot > 1200 ? \"blocked\" : \"reach\"'", 1)))
	require.Empty(t, ps)
	env, ps := check.NewEnv([]*rulebook.Book{b}, set(t), nil)
	require.Empty(t, ps)
	v = env.Prepare(b.Rules[0]).Run(check.NewEvalContext(s, date(t, "2026-06-01")), nil)
	require.Len(t, v.Faults, 2, "%v", v.Gaps)
	assert.Equal(t, []rulebook.Impact{rulebook.Reach, rulebook.Blocked}, []rulebook.Impact{v.Faults[0].Impact, v.Faults[1].Impact})
	assert.Equal(t, rulebook.Blocked, v.Impact(), "the gravest")
}

// TestUnknown holds that a condition which needs an unknown field is not
// judged and says why, and one that is decided without it is.
func TestUnknown(t *testing.T) {
	open := &submission.Submission{Pkg: &facts.Package{Android: &facts.Android{Manifest: facts.Manifest{Debuggable: true}}}}
	open.Pkg.Android.Manifest.Lose("target_level", fact.Unread("the manifest is torn"))
	v := run(t, "expect: pkg.android.manifest.target_level >= 30\nsay: x", open, "2026-06-01")
	assert.Equal(t, check.NotRead, v.State)
	assert.Equal(t, []fact.Gap{{Kind: fact.NotRead, Path: "pkg.android.manifest.target_level", What: "the manifest is torn"}}, v.Gaps)
	decided := run(t, "expect: pkg.android.manifest.target_level >= 30 && !pkg.android.manifest.debuggable\nsay: x", open, "2026-06-01")
	assert.Equal(t, check.Broken, decided.State)

	open.Lose("release", fact.Missing("there is no dossier"))
	v = run(t, "expect: release.first\nsay: x", open, "2026-06-01")
	assert.Equal(t, check.ToAnswer, v.State)
	assert.Equal(t, fact.NotGiven, v.Gaps[0].Kind)
	v = run(t, "expect: pictures.default_language == ''\nsay: x", open, "2026-06-01")
	assert.Equal(t, "it was not given", v.Gaps[0].What)

	items := &submission.Submission{Pkg: &facts.Package{IOS: &facts.IOS{Bundles: []*facts.Bundle{{Kind: "app", Code: facts.BundleCode{Slices: []*facts.Slice{{CPU: "arm64", Platform: "ios"}, {CPU: "arm64"}}}}}}}}
	items.Pkg.IOS.Bundles[0].Code.Slices[1].LoseAll(fact.Unread("no command tells"), "cpu")
	each := run(t, "each: pkg.ios.app.code.slices\nexpect: it.platform == 'ios'\nsay: x", items, "2026-06-01")
	assert.Equal(t, 1, each.Judged)
	assert.Equal(t, "pkg.ios.bundles[0].code.slices[1].platform", each.Gaps[0].Path, "a struct that was lost loses every field")
	kept := run(t, "each: pkg.ios.app.code.slices\nexpect: it.cpu == 'arm64'\nsay: x", items, "2026-06-01")
	assert.Equal(t, check.Held, kept.State, "but those that are known from elsewhere")
	all := run(t, "expect: pkg.ios.app.code.slices.all(s, s.platform == 'ios')\nsay: x", items, "2026-06-01")
	assert.Equal(t, check.NotRead, all.State)
}

// TestFailing holds that a rule which cannot be evaluated, or costs too much,
// is not read with its reason, and ends nothing.
func TestFailing(t *testing.T) {
	v := run(t, "expect: int(pkg.file) > 1\nsay: x", level(1), "2026-01-01")
	assert.Equal(t, check.NotRead, v.State)
	assert.Contains(t, v.Gaps[0].What, "could not be evaluated")
	s := level(1)
	for range 400 {
		s.Pkg.Android.Manifest.Permissions = append(s.Pkg.Android.Manifest.Permissions, &facts.Permission{Name: "p"})
	}
	const p = "pkg.android.manifest.permissions"
	v = run(t, fmt.Sprintf("expect: %s.all(a, %s.all(b, %s.all(c, a.name + b.name + c.name != '')))\nsay: x", p, p, p), s, "2026-01-01")
	assert.Equal(t, check.NotRead, v.State)
	assert.Contains(t, v.Gaps[0].What, "more work than is allowed")
	v = run(t, fmt.Sprintf("each: %s\nexpect: %s.all(a, %s.all(b, a.name + b.name != ''))\nsay: x", p, p, p), s, "2026-01-01")
	assert.Equal(t, check.NotRead, v.State, "the bound holds for all items together")
}

func TestPlaces(t *testing.T) {
	s := level(1)
	at := place.Place{File: "a.aab", Entry: "m.xml", Key: "uses-sdk", Offset: 9}
	s.Pkg.Android.Manifest.Put("target_level", at)
	perm := &facts.Permission{Name: "camera"}
	perm.SetSelf(place.Place{File: "a.aab", Entry: "m.xml", Offset: 77})
	s.Pkg.Android.Manifest.Permissions = []*facts.Permission{perm}
	v := run(t, "expect: pkg.android.manifest.target_level > 1\nat: pkg.android.manifest.target_level\nsay: x", s, "2026-06-01")
	assert.Equal(t, at, v.Faults[0].At)
	assert.Equal(t, "pkg.android.manifest.target_level", v.Faults[0].Path)
	key := v.Faults[0].Key
	at.Offset, s.Pkg.File = 1000, "elsewhere.aab"
	s.Pkg.Android.Manifest.Put("target_level", at)
	v = run(t, "expect: pkg.android.manifest.target_level > 1\nat: pkg.android.manifest.target_level\nsay: other words", s, "2026-06-01")
	assert.Equal(t, key, v.Faults[0].Key, "a key stays the same over moved bytes and changed texts")

	s.Pkg.Put("file", place.Place{File: "x", Line: 5})
	v = run(t, "expect: pkg.size > 1\nat: 'pkg.size > 5 ? pkg.android.manifest.target_level : pkg.size == 0 ? pkg.file : pkg'\nsay: x", s, "2026-06-01")
	assert.Equal(t, 5, v.Faults[0].At.Line, "a condition may choose the place")
	v = run(t, "each: pkg.android.manifest.permissions\nexpect: it.name == ''\nat: it\nsay: x", s, "2026-06-01")
	assert.EqualValues(t, 77, v.Faults[0].At.Offset)
	assert.Equal(t, "pkg.android.manifest.permissions[0]", v.Faults[0].Path)
}

func TestFunctions(t *testing.T) {
	s := level(1)
	s.Pkg.Android.Manifest.Features = []*facts.Feature{{Name: "android.hardware.type.watch", Required: true}}
	s.Pkg.Android.Code = &facts.Code{Calls: map[string][]string{"a/b/C.d": nil, "a/b/C.f": {"androidx/core"}}}
	for expr, want := range map[string]bool{
		"pkg.android.code.calls('a.b.C.f') && pkg.android.code.calls('a.b.C.d', ['androidx'])":                      true,
		"pkg.android.code.calls('a.b.C.f', ['androidx'])":                                                           false,
		"missing(['a', 'b'], ['b']) == ['a']":                                                                       true,
		"same_language('no', 'nb') && same_language('iw', 'he-IL') && !same_language('de', 'en')":                   true,
		"version_cmp('1.10', '1.9') > 0":                                                                            true,
		"version_cmp('1.2', '1.2.0') == 0":                                                                          true,
		"version_cmp('01.2', '1.2') == 0":                                                                           true,
		"is_version('1.2.3', 3) && !is_version('1.2.3.4', 3)":                                                       true,
		"is_version('1..2', 3) || is_version('1.2b', 3)":                                                            false,
		"characters('👩‍🚀e\u0301') == 2":                                                                             true,
		"is_web_link('https://terrafuoco.example/p?q=1')":                                                           true,
		"is_web_link('https://localhost') || is_web_link('https://a b.example')":                                    false,
		"is_email('ada@terrafuoco.example') && !is_email('ada@host') && !is_email('a@b@c.example')":                 true,
		"is_phone('+39 055 555 0142') && !is_phone('055 555 0142') && !is_phone('+39 call me')":                     true,
		"is_placeholder('$(NAME)') && is_placeholder('ToDo')":                                                       true,
		"is_placeholder('Terrafuoco')":                                                                              false,
		"day(on) == '1 June 2026'":                                                                                  true,
		"repeated(['a', 'b', 'a', 'a']) == ['a']":                                                                   true,
		"plural(1, 'kiln', 'kilns') == '1 kiln' && plural(2, 'kiln', 'kilns') == '2 kilns'":                         true,
		"same_language('en-GB', 'en') && same_language('iw', 'he') && !same_language('de', 'en')":                   true,
		"form_factor(pkg, {'android.hardware.type.watch': 'watch'}) == 'watch'":                                     true,
		"form_factor(pkg, {'android.software.leanback': 'television'}) == 'phone'":                                  true,
		"pkg.android.code.calls('a.b.C.d') && pkg.android.code.calls_below('a.b')":                                  true,
		"pkg.android.code.calls('a.b.C.e') || pkg.android.code.calls_below('a.bb')":                                 false,
		"framework('/System/Library/Frameworks/UIKit.framework/UIKit') == 'UIKit' && framework('/usr/lib/x') == ''": true,
		"bundle_name('Frameworks/Kiln.Kit.framework') == 'Kiln.Kit'":                                                true,
		"misspelt('CAMRA', ['CAMERA']) == 'CAMERA' && misspelt('CAMERA', ['CAMERA']) == ''":                         true,
	} {
		v := run(t, "expect: >-\n  "+expr+"\nsay: x", s, "2026-06-01")
		assert.Equal(t, want, v.State == check.Held, "%s %v", expr, v.Gaps)
	}
}

const release = `
  - id: kiln/countries
    title: Some country
    stage: release
    impact: blocked
    expect: size(release.countries) > 0
    at: release.countries
    say: no country
    fix: Choose one.
    basis: {topic: t, checked: 2026-11-23, confidence: high}
    examples:
      - {given: {release: {countries: []}}, breaks: true}
      - {given: {release: {countries: [IT]}}, breaks: false}
  - id: kiln/unsure
    title: Perhaps
    stage: package
    impact: refused
    each: table.kilns
    expect: size(release.countries) > 1
    say: perhaps {it.name}
    fix: Choose two.
    basis: {topic: t, checked: 2026-11-23, confidence: low}
    examples:
      - {given: {release: {countries: []}}, breaks: true}
      - {given: {release: {countries: [IT, FR]}}, breaks: false}
  - id: kiln/tested
    title: Tested
    stage: review
    impact: rejected
    ask: Tested {version}?
    confirm: tested
    fix: Test it.
    basis: {topic: t, checked: 2026-11-23, confidence: high}
`

// judge runs the book above for two stores on a dossier.
func judge(t *testing.T, d *dossier.Dossier, on string) *check.Result {
	t.Helper()
	b, ps := rulebook.Load("kiln.yaml", []byte(head+release))
	require.Empty(t, ps)
	env, ps := check.NewEnv([]*rulebook.Book{b}, set(t), nil)
	require.Empty(t, ps)
	var pairs []check.Pair
	for _, id := range []string{"android", "ios"} {
		st := &store.Store{ID: id, Blocks: []string{id}}
		j := check.NewJudge(st)
		for _, r := range b.Rules {
			j.Add(env.Prepare(r))
		}
		pairs = append(pairs, check.Pair{Judge: j, Submission: submission.New(submission.Sources{Store: st, Dossier: d, Tables: set(t).On(date(t, on))})})
	}
	res, err := check.Run(context.Background(), pairs, d, check.Options{Day: date(t, on)})
	require.NoError(t, err)
	return res
}

func TestRun(t *testing.T) {
	d := &dossier.Dossier{Release: dossier.Release{Version: "1.4.0"}}
	res := judge(t, d, "2026-11-23")
	found := res.Findings(false)
	require.Len(t, found, 2, "several places of one rule are one finding, and what stores share is in it once")
	assert.Equal(t, "kiln/countries", found[0].Rule.ID, "the gravest comes first")
	require.Len(t, found[1].Faults, 2)
	assert.Equal(t, []string{"android", "ios"}, found[1].Faults[0].Stores)
	assert.Equal(t, rulebook.Craft, found[1].Impact, "a rule that is not certain only warns")
	assert.Equal(t, map[rulebook.Impact]int{rulebook.Blocked: 1, rulebook.Craft: 1}, res.Stores[1].Broken(), "one unit: the rule")
	assert.Equal(t, []int{4, 2, 0}, []int{res.Count(check.Broken), res.Count(check.ToConfirm), res.Count(check.Held)})
	assert.Equal(t, rulebook.Blocked, res.Worst())
	q := res.Open()
	require.Len(t, q, 1)
	assert.Equal(t, "Tested 1.4.0?", q[0].Question.Ask)
	keys := map[string]bool{}
	for _, s := range res.Stores {
		for _, v := range s.Verdicts {
			assert.False(t, keys[v.Key()], "one verdict a rule and store")
			keys[v.Key()] = true
			for _, f := range v.Faults {
				assert.False(t, keys[f.Key], f.Key)
				keys[f.Key] = true
			}
		}
	}
}

func TestConfirmations(t *testing.T) {
	d := &dossier.Dossier{Release: dossier.Release{Version: "1.4.0"}}
	d.Confirmed = []*dossier.Confirmation{{What: "tested", Version: "1.3.2", By: "Ada"}}
	q := judge(t, d, "2026-11-23").Open()[0].Question
	assert.False(t, q.Confirmed)
	assert.Equal(t, "1.3.2", q.Stale)
	d.Confirmed = append(d.Confirmed, &dossier.Confirmation{What: "tested", Version: "1.4.0", By: "Bea"})
	res := judge(t, d, "2026-11-23")
	assert.Equal(t, "Bea", res.Open()[0].Question.By)
	assert.Equal(t, 2, res.Count(check.Held))
}

func TestWaivers(t *testing.T) {
	d := &dossier.Dossier{}
	d.Waivers = []*dossier.Waiver{
		{Rule: "kiln/countries", Because: "later", By: "Ada", Until: date(t, "2026-12-31")},
		{Rule: "kiln/tested", Until: date(t, "2026-12-31")},
		{Rule: "kiln/unsure", At: "s", Until: date(t, "2026-12-31")},
	}
	res := judge(t, d, "2026-11-23")
	assert.Equal(t, 2, res.Count(check.Waived))
	assert.Len(t, res.Findings(true), 1)
	assert.Equal(t, rulebook.Craft, res.Worst())
	assert.Len(t, res.Unused, 2, "neither a rule that holds nor a letter of the place")
	assert.Zero(t, res.Stores[0].Broken()[rulebook.Blocked])
	assert.Equal(t, 2, judge(t, d, "2026-12-31").Count(check.Waived), "the last day counts")
	late := judge(t, d, "2027-01-01")
	assert.Zero(t, late.Count(check.Waived))
	assert.Len(t, late.Expired, 3)
	assert.Equal(t, rulebook.Blocked, late.Worst())
}

// TestWaiverPlace holds that at names a place or the field as a whole, never a
// piece of a word.
func TestWaiverPlace(t *testing.T) {
	for at, want := range map[string]int{"": 2, "release.countries": 2, "countries": 0, "release": 0, "s": 0} {
		d := &dossier.Dossier{}
		d.Waivers = []*dossier.Waiver{{Rule: "kiln/countries", At: at, Until: date(t, "2026-12-31")}}
		assert.Equal(t, want, judge(t, d, "2026-11-23").Count(check.Waived), at)
	}
}

const duties = `
  - id: kiln/target
    title: Level
    stage: package
    impact: refused
    expect: pkg.android.manifest.target_level >= 36
    say: low
    raise: {field: pkg.android.manifest.target_level, to: '36'}
    fix: Raise it.
    basis: {topic: t, checked: 2026-11-23, confidence: high}
    examples: [{given: {}, breaks: true}, {given: {}, breaks: false}]
  - id: kiln/edges
    title: Edges
    stage: review
    impact: craft
    expect: pkg.android.manifest.target_level < 35
    say: since {pkg.android.manifest.target_level} the screen has edges
    fix: Draw them.
    basis: {topic: t, checked: 2026-11-23, confidence: high}
    examples: [{given: {}, breaks: true}, {given: {}, breaks: false}]
  - id: kiln/sms
    title: SMS
    stage: declarations
    impact: blocked
    when: pkg.file == 'a.aab'
    expect: answered(answers.ads)
    say: no answer about ads
    duty: {what: whether there are ads, because: 'the file {pkg.file}', write: answers.ads}
    fix: Answer.
    basis: {topic: t, checked: 2026-11-23, confidence: high}
    examples: [{given: {}, breaks: true}, {given: {}, breaks: false}]
`

// TestDuties holds that what a rule needs and nobody answered is to answer,
// with its evidence, and that a duty lives on when it is done.
func TestDuties(t *testing.T) {
	b, ps := rulebook.Load("kiln.yaml", []byte(head+duties))
	require.Empty(t, ps)
	env, ps := check.NewEnv([]*rulebook.Book{b}, set(t), nil)
	require.Empty(t, ps)
	st := &store.Store{ID: "android", Blocks: []string{"android"}}
	j := check.NewJudge(st)
	for _, r := range b.Rules {
		j.Add(env.Prepare(r))
	}
	on := date(t, "2026-11-23")
	res := func(yaml string) *check.Result {
		d := &dossier.Dossier{}
		if yaml != "" {
			require.Empty(t, strictyaml.Decode("dossier.yaml", []byte(yaml), d))
		}
		s := submission.New(submission.Sources{Store: st, Dossier: d, Package: level(33).Pkg, Tables: set(t).On(on)})
		r, err := check.Run(context.Background(), []check.Pair{{Judge: j, Submission: s}}, d, check.Options{Day: on})
		require.NoError(t, err)
		return r
	}
	open := res("regola: 1\napp: {name: Kiln, default_locale: it}\nanswers: {}").Duties()
	require.Len(t, open, 1)
	assert.Equal(t, []any{"kiln/sms", check.Due, "whether there are ads", "the file a.aab", "answers.ads", rulebook.Blocked},
		[]any{open[0].Rule.ID, open[0].State, open[0].What, open[0].Because, open[0].Write, open[0].Impact})
	done := res("regola: 1\napp: {name: Kiln, default_locale: it}\nanswers: {ads: false}")
	assert.Equal(t, check.Done, done.Duties()[0].State)

	raises := done.Findings(false)[0].Faults[0].Raises
	require.Len(t, raises, 1, "the level would bring what begins at 35, and names the step")
	assert.Equal(t, check.Raised{Rule: b.Rules[1], At: 35, Say: "since 35 the screen has edges"}, raises[0])
}

// TestPatterns holds that matches() sees known texts only, with patterns that are
// compiled once or made on the way.
func TestPatterns(t *testing.T) {
	s := level(1)
	s.Pkg.File = "kiln.aab"
	for expect, want := range map[string]check.State{
		`pkg.file.matches('^kiln[.]')`:                                   check.Held,
		`pkg.file.matches('^oven')`:                                      check.Broken,
		`pkg.file.matches('^' + pkg.file)`:                               check.Held,
		`pkg.file.matches('(' + pkg.file)`:                               check.NotRead,
		`pkg.android.manifest.id.matches('x') || pkg.file.matches('l')`:  check.Held,
		`pkg.android.manifest.id.matches('x') && pkg.file.matches('ln')`: check.NotRead,
	} {
		s.Pkg.Android.Manifest.Lose("id", fact.Unread("the table is torn"))
		for range 2 {
			assert.Equal(t, want, run(t, "expect: "+strconv.Quote(expect)+"\nsay: x", s, "2026-06-01").State, expect)
		}
	}
}

// TestNotes holds that a note sees facts and limits of its book, and nothing else.
func TestNotes(t *testing.T) {
	const rule = "expect: pkg.size > 1\nsay: x" + examples
	note := func(say string) (string, place.Problems) {
		b, ps := rulebook.Load("kiln.yaml", append(book(rule), "notes:\n  - {of: pkg.size, say: "+strconv.Quote(say)+"}\n"...))
		if len(ps) > 0 {
			return "", ps
		}
		env, ps := check.NewEnv([]*rulebook.Book{b}, set(t), nil)
		require.Empty(t, ps)
		if ps := env.CheckNotes(b); len(ps) > 0 {
			return "", ps
		}
		s := level(1)
		s.Pkg.Size = 7
		s.Tables = set(t)
		s.Prepare()
		return env.Note(b, b.Notes[0], s, date(t, "2026-06-01")), nil
	}
	text, ps := note("takes {pkg.size}")
	assert.Empty(t, ps)
	assert.Equal(t, "takes 7", text)
	text, ps = note("takes {size(table.kilns)}")
	assert.Empty(t, ps)
	assert.Equal(t, "takes 2", text)
	_, ps = note("takes {app.name}")
	require.Len(t, ps, 1)
	assert.Contains(t, ps[0].Error(), "tables: app")
	_, ps = note("takes {pkg.siz}")
	assert.ErrorContains(t, ps.Err(), "undefined field 'siz'")
}

// TestUnknownImpact gives a fault whose impact is not known the least one.
func TestUnknownImpact(t *testing.T) {
	b, ps := rulebook.Load("kiln.yaml", []byte(head+"  - id: kiln/rule\n    title: It holds\n    stage: package\n    impact: 'answers.ads ? \"refused\" : \"rejected\"'\n    expect: app.name == \"\"\n    say: x\n    fix: y\n    basis: {topic: kilns, checked: 2026-11-23, confidence: high}\n    examples: [{given: {app: {name: a}, answers: {ads: true}}, breaks: true}, {given: {app: {name: \"\"}}, breaks: false}]\n"))
	require.Empty(t, ps)
	env, ps := check.NewEnv([]*rulebook.Book{b}, set(t), nil)
	require.Empty(t, ps)
	s := &submission.Submission{App: &submission.App{Name: "Terrafuoco"}, Answers: &dossier.Answers{}}
	s.Prepare()
	v := env.Prepare(b.Rules[0]).Run(check.NewEvalContext(s, date(t, "2026-11-23")), nil)
	require.Len(t, v.Faults, 1)
	assert.Equal(t, rulebook.Craft, v.Faults[0].Impact)
	yes := true
	s.Answers.Ads = &yes
	v = env.Prepare(b.Rules[0]).Run(check.NewEvalContext(s, date(t, "2026-11-23")), nil)
	assert.Equal(t, rulebook.Refused, v.Faults[0].Impact)
}
