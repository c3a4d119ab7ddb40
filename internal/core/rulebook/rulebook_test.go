package rulebook_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/core/submission"
)

// book wraps the lines of one rule into a rulebook.
func book(rule string) []byte {
	return []byte(`rulebook: kiln
store: both
edition: 2026-11-23
limits:
  hottest:
    - {from: 2025-01-01, value: 30}
    - {from: 2026-01-01, value: 35}
rules:
  - id: kiln/rule
    title: It holds
    stage: package
    impact: refused
    mend: Mend {pkg.file}.
    basis: {topic: kilns, checked: 2026-11-23, confidence: high}
    ` + strings.ReplaceAll(strings.TrimSpace(rule), "\n", "\n    ") + "\n")
}

const examples = `
examples:
  - {given: {pkg: {file: a}}, breaks: true}
  - {given: {pkg: {file: b}}, breaks: false}
`

func load(t *testing.T, rule string) (*rulebook.Program, place.Problems) {
	t.Helper()
	b, ps := rulebook.Load("kiln.yaml", book(rule))
	if len(ps) > 0 {
		return nil, ps
	}
	env, err := rulebook.NewEnv(b)
	require.NoError(t, err)
	return env.Compile(b.Rules[0])
}

func day(t *testing.T, s string) strictyaml.Day {
	d, err := strictyaml.ParseDay(s)
	require.NoError(t, err)
	return d
}

func run(t *testing.T, rule string, s *submission.Submission, on string) *rulebook.Outcome {
	t.Helper()
	p, ps := load(t, rule+examples)
	require.Empty(t, ps)
	s.Prepare()
	out, err := p.Run(s, day(t, on))
	require.NoError(t, err)
	return out
}

func TestMistakes(t *testing.T) {
	for name, c := range map[string]struct {
		rule, want string
		line, col  int
	}{
		"misspelt field": {"expect: pkg.fiel == 'a'\nsay: x", "undefined field 'fiel'", 15, 16},
		"wrong type":     {"expect: pkg.size == 'a'\nsay: x", "no matching overload", 15, 22},
		"not a truth":    {"expect: pkg.file\nsay: x", "expect must be bool, this is string", 15, 13},
		"text field":     {"expect: pkg.size > 1\nsay: 'found {pkg.nothing}'", "undefined field 'nothing'", 16, 21},
		"limit":          {"expect: pkg.size < limit.hotest\nsay: x", "undefined field 'hotest'", 15, 29},
		"open brace":     {"expect: pkg.size > 1\nsay: 'found {pkg.size'", "not closed", 16, 0},
		"no list":        {"each: pkg.file\nexpect: it == 'a'\nsay: x", "each must be a list", 15, 11},
		"both":           {"expect: pkg.size > 1\nask: Really?\nsay: x", "both expects and asks", 16, 0},
		"neither":        {"at: pkg.file", "neither expects nor asks", 0, 0},
		"no say":         {"expect: pkg.size > 1", "does not say", 0, 0},
		"unknown key":    {"expct: pkg.size > 1", "unknown key \"expct\"", 15, 5},
	} {
		_, ps := load(t, c.rule+examples)
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
	_, ps := rulebook.Load("kiln.yaml", book("expect: pkg.size > 1\nsay: x"))
	assert.ErrorContains(t, ps.Err(), "needs an example")
}

func level(n int64) *submission.Submission {
	return &submission.Submission{Pkg: &facts.Package{File: "a.aab", Android: &facts.Android{TargetLevel: &n}}}
}

func TestLimitsOverTime(t *testing.T) {
	const rule = "expect: pkg.android.target_level >= limit.hottest\nsay: '{pkg.android.target_level} of {limit.hottest} since {limit_since.hottest}'"
	assert.Empty(t, run(t, rule, level(30), "2025-06-01").Findings)
	out := run(t, rule, level(30), "2026-06-01")
	require.Len(t, out.Findings, 1)
	assert.Equal(t, "30 of 35 since 1 January 2026", out.Findings[0].Say)
	assert.Equal(t, "Mend a.aab.", out.Findings[0].Mend)
	before := run(t, rule, level(30), "2024-01-01")
	assert.False(t, before.Applies, "a limit that has no value yet does not bind")
	assert.Empty(t, before.Gaps)
}

// TestUnknown holds that a condition which needs an unknown field is not
// judged and says why, and one that is decided without it is.
func TestUnknown(t *testing.T) {
	open := &submission.Submission{Pkg: &facts.Package{Android: &facts.Android{Debuggable: true}}}
	open.Pkg.Android.SetUnread("target_level", "the manifest is torn")
	out := run(t, "expect: pkg.android.target_level >= 30\nsay: x", open, "2026-06-01")
	assert.Empty(t, out.Findings)
	assert.Equal(t, []rulebook.Gap{{Path: "pkg.android.target_level", Reason: "the manifest is torn"}}, out.Gaps)

	decided := run(t, "expect: pkg.android.target_level >= 30 && !pkg.android.debuggable\nsay: x", open, "2026-06-01")
	assert.Len(t, decided.Findings, 1)

	whole := run(t, "needs: [dossier]\nexpect: release.first\nsay: x", open, "2026-06-01")
	require.Len(t, whole.Gaps, 1)
	assert.Equal(t, "dossier", whole.Gaps[0].Path)

	items := &submission.Submission{Pkg: &facts.Package{IOS: &facts.IOS{Slices: []*facts.Slice{{CPU: "arm64", Platform: "ios"}, {CPU: "arm64"}}}}}
	items.Pkg.IOS.Slices[1].SetUnread("platform", "no command tells")
	each := run(t, "each: pkg.ios.slices\nexpect: it.platform == 'ios'\nsay: x", items, "2026-06-01")
	assert.Equal(t, 1, each.Judged)
	assert.Equal(t, []rulebook.Gap{{Path: "pkg.ios.slices[1].platform", Reason: "no command tells"}}, each.Gaps)
	all := run(t, "expect: pkg.ios.slices.all(s, s.platform == 'ios')\nsay: x", items, "2026-06-01")
	assert.Len(t, all.Gaps, 1)
}

func TestPlaces(t *testing.T) {
	s := level(1)
	at := place.Place{File: "a.aab", Entry: "m.xml", Key: "uses-sdk", Offset: 9}
	s.Pkg.Android.Put("target_level", at)
	perm := &facts.Permission{Name: "camera"}
	perm.SetSelf(place.Place{File: "a.aab", Entry: "m.xml", Offset: 77})
	s.Pkg.Android.Permissions = []*facts.Permission{perm}
	out := run(t, "expect: pkg.android.target_level > 1\nat: pkg.android.target_level\nsay: x", s, "2026-06-01")
	assert.Equal(t, at, out.Findings[0].At)
	assert.Equal(t, "pkg.android.target_level", out.Findings[0].Path)
	s.Pkg.Put("file", place.Place{File: "x", Line: 5})
	out = run(t, "expect: pkg.size > 1\nat: 'pkg.size > 5 ? pkg.android.target_level : pkg.size == 0 ? pkg.file : pkg'\nsay: x", s, "2026-06-01")
	assert.Equal(t, 5, out.Findings[0].At.Line, "a condition may choose the place")
	assert.Equal(t, "pkg.file", out.Findings[0].Path)
	out = run(t, "each: pkg.android.permissions\nexpect: it.name == ''\nat: it\nsay: x", s, "2026-06-01")
	assert.EqualValues(t, 77, out.Findings[0].At.Offset)
	assert.Equal(t, "pkg.android.permissions[0]", out.Findings[0].Path)
}

func TestCostLimit(t *testing.T) {
	s := level(1)
	for range 400 {
		s.Pkg.Android.Permissions = append(s.Pkg.Android.Permissions, &facts.Permission{Name: "p"})
	}
	p, ps := load(t, "expect: pkg.android.permissions.all(a, pkg.android.permissions.all(b, pkg.android.permissions.all(c, a.name + b.name + c.name != '')))\nsay: x"+examples)
	require.Empty(t, ps)
	s.Prepare()
	_, err := p.Run(s, day(t, "2026-01-01"))
	assert.ErrorContains(t, err, "cost limit")
}

func TestFunctions(t *testing.T) {
	for expr, want := range map[string]bool{
		"version_cmp('1.10', '1.9') > 0":                      true,
		"version_cmp('1.2', '1.2.0') == 0":                    true,
		"version_cmp('01.2', '1.2') == 0":                     true,
		"is_version('1.2.3', 3) && !is_version('1.2.3.4', 3)": true,
		"is_version('1..2', 3) || is_version('1.2b', 3)":      false,
		"characters('👩‍🚀e\u0301') == 2":                       true,
		"is_web_link('https://terrafuoco.example/p?q=1')":     true,
		"is_web_link('terrafuoco.example')":                   false,
		"is_web_link('https://localhost')":                    false,
		"is_web_link('https://a b.example')":                  false,
		"is_email('ada@terrafuoco.example')":                  true,
		"is_email('ada@host') || is_email('a@b@c.example')":   false,
		"is_phone('+39 055 555 0142')":                        true,
		"is_phone('055 555 0142') || is_phone('+39 call me')": false,
		"is_placeholder('$(NAME)') && is_placeholder('ToDo')": true,
		"is_placeholder('Terrafuoco')":                        false,
		"day(on) == '1 June 2026'":                            true,
	} {
		out := run(t, "expect: >-\n  "+expr+"\nsay: x", level(1), "2026-06-01")
		assert.Equal(t, want, len(out.Findings) == 0, expr)
	}
}
