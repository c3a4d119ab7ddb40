package check_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/core/submission"
)

const book = `
rulebook: kiln
store: both
edition: 2026-11-23
rules:
  - id: kiln/countries
    title: Some country
    stage: release
    impact: blocked
    needs: [dossier]
    expect: size(release.countries) > 0
    at: release.countries
    say: no country
    mend: Choose one.
    basis: {topic: t, checked: 2026-11-23, confidence: high}
    examples:
      - {given: {release: {countries: []}}, breaks: true}
      - {given: {release: {countries: [IT]}}, breaks: false}
  - id: kiln/unsure
    title: Perhaps
    stage: package
    impact: refused
    needs: [dossier]
    expect: size(release.countries) > 1
    say: perhaps
    mend: Choose two.
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
    mend: Test it.
    basis: {topic: t, checked: 2026-11-23, confidence: high}
`

func day(t *testing.T, s string) strictyaml.Day {
	d, err := strictyaml.ParseDay(s)
	require.NoError(t, err)
	return d
}

// judge runs the book above for both stores on a dossier.
func judge(t *testing.T, d *dossier.Dossier, on string) *check.Result {
	t.Helper()
	b, ps := rulebook.Load("kiln.yaml", []byte(book))
	require.Empty(t, ps)
	var pairs []check.Pair
	opt := check.Options{Day: day(t, on)}
	for _, store := range []string{"android", "ios"} {
		j, err := check.NewJudge(store, []*rulebook.Book{b}, opt)
		require.NoError(t, err)
		pairs = append(pairs, check.Pair{Submission: submission.New(store, nil, d, nil), Judge: j})
	}
	res, err := check.Run(pairs, d, opt)
	require.NoError(t, err)
	return res
}

func TestRun(t *testing.T) {
	d := &dossier.Dossier{Release: dossier.Release{Version: "1.4.0"}}
	res := judge(t, d, "2026-11-23")
	require.Len(t, res.Findings, 2, "a finding that both stores share is told once")
	assert.Equal(t, []string{"android", "ios"}, res.Findings[0].Stores)
	assert.Equal(t, "kiln/unsure", res.Findings[0].Rule.ID, "stages come in their order")
	assert.Equal(t, rulebook.Craft, res.Findings[0].Impact, "a rule that is not certain only warns")
	assert.Equal(t, 1, res.Stores[1].Counts[rulebook.Blocked])
	assert.Equal(t, rulebook.Error, res.Worst())
	require.Len(t, res.Asked, 1)
	assert.Equal(t, "Tested 1.4.0?", res.Asked[0].Ask)
	assert.False(t, res.Asked[0].Confirmed)
}

func TestConfirmations(t *testing.T) {
	d := &dossier.Dossier{Release: dossier.Release{Version: "1.4.0"}}
	d.Confirmed = []*dossier.Confirmation{{What: "tested", Version: "1.3.2", By: "Ada"}}
	q := judge(t, d, "2026-11-23").Asked[0]
	assert.False(t, q.Confirmed)
	assert.Equal(t, "1.3.2", q.Stale)
	d.Confirmed = append(d.Confirmed, &dossier.Confirmation{What: "tested", Version: "1.4.0", By: "Bea"})
	q = judge(t, d, "2026-11-23").Asked[0]
	assert.True(t, q.Confirmed)
	assert.Equal(t, "Bea", q.By)
}

func TestWaivers(t *testing.T) {
	d := &dossier.Dossier{}
	d.Waivers = []*dossier.Waiver{
		{Rule: "kiln/countries", Because: "later", By: "Ada", Until: day(t, "2026-12-31")},
		{Rule: "kiln/gone", Until: day(t, "2026-12-31")},
	}
	res := judge(t, d, "2026-11-23")
	assert.Equal(t, 1, res.Waived)
	assert.Equal(t, rulebook.Note, res.Worst())
	assert.Len(t, res.Unused, 1)
	assert.Zero(t, res.Stores[0].Counts[rulebook.Blocked])
	late := judge(t, d, "2027-01-01")
	assert.Zero(t, late.Waived)
	assert.Len(t, late.Expired, 2)
	assert.Equal(t, rulebook.Error, late.Worst())
}
