package calendar_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/calendar"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/tables"
)

func on(s string) day.Day {
	d, err := day.Parse(s)
	if err != nil {
		panic(err)
	}
	return d
}

func say(dates []calendar.Date) (out []string) {
	for _, d := range dates {
		out = append(out, fmt.Sprintf("%s %s %s %s: %s", d.Day, d.Store, d.Kind, d.Name, d.What))
	}
	return out
}

// TestBuiltIn lists the days of a rulebook: the first day is behind, the last ahead.
func TestBuiltIn(t *testing.T) {
	book, problems := rulebook.Load("house.yaml", []byte(`
rulebook: house
store: android
edition: 2026-11-23
limits:
  least_level:
    - {value: 24, from: 2020-01-01}
    - {value: 26, from: 2027-01-01}
    - {value: 28, from: 2028-01-01}
rules:
  - id: house/level
    title: We serve from level 28
    stage: package
    impact: refused
    from: 2026-11-23
    until: 2027-03-31
    expect: pkg.android.manifest.min_level >= limit.least_level
    say: from level {pkg.android.manifest.min_level}
    fix: Raise it.
    basis: {topic: ours, checked: 2026-11-23, confidence: high}
    examples:
      - {given: {pkg: {android: {manifest: {min_level: 20}}}}, breaks: true}
      - {given: {pkg: {android: {manifest: {min_level: 28}}}}, breaks: false}
`))
	require.Empty(t, problems)
	assert.Equal(t, []string{
		"2027-01-01 android limit least_level: least level becomes 26",
		"2027-04-01 android rule house/level: binds no more: We serve from level 28",
	}, say(calendar.BuiltIn([]*rulebook.Book{book}, nil, on("2026-11-23"), on("2027-12-31"))))
	assert.Len(t, calendar.BuiltIn([]*rulebook.Book{book, book}, nil, on("2026-11-22"), on("2028-01-01")), 4, "a day is listed once")
}

// TestOwn lists what ends for one release.
func TestOwn(t *testing.T) {
	end := time.Date(2027, 2, 3, 23, 0, 0, 0, time.UTC)
	a := &facts.Android{Signing: &facts.Signing{}}
	a.Signing.Certificate = &facts.Certificate{Subject: "CN=Terrafuoco", NotAfter: end}
	app := &facts.Bundle{Path: ".", Profile: &facts.Profile{Expires: end.AddDate(0, 1, 0)}}
	app.Signature = &facts.CodeSignature{Signer: &facts.Certificate{Subject: "CN=Ada", NotAfter: end.AddDate(5, 0, 0)}}
	d := &dossier.Dossier{Waivers: []*dossier.Waiver{{Rule: "android/x", Until: on("2026-12-31")}}}
	d.Review.SignIn.Expires = "2027-01-31"
	until := on("2027-01-15")
	d.Release.Testing.Until = &until
	pkgs := map[string]*facts.Package{"android": {Android: a}, "ios": {IOS: &facts.IOS{Bundles: []*facts.Bundle{app}}}, "other": nil}
	assert.Equal(t, []string{
		"2027-01-01  waiver android/x: the waiver of android/x is over",
		"2027-01-15  test release.testing: the test ends",
		"2027-02-01  account review.sign_in: the demo account works no more",
		"2027-02-03 android certificate CN=Terrafuoco: the certificate of the package ends",
		"2027-03-03 ios profile .: the provisioning profile of . ends",
	}, say(calendar.Own(pkgs, d, on("2026-11-23"), on("2027-11-23"))))
	assert.Empty(t, calendar.Own(nil, nil, on("2026-11-23"), on("2027-11-23")))
}

// TestRegional lists what countries ask, and who asks it.
func TestRegional(t *testing.T) {
	from := on("2027-01-01")
	rows := []*tables.Regional{
		{ID: "law", Countries: []string{"FR"}, Dated: tables.Dated{From: &from}, For: "all", What: "an age"},
		{ID: "store", Countries: []string{"AT", "BE", "DE", "FR"}, Dated: tables.Dated{From: &from}, For: "games", What: "a mark", AskedBy: []string{"android", "ios"}},
		{ID: "other", Countries: []string{"US"}, Dated: tables.Dated{From: &from}},
		{ID: "always", Countries: []string{"FR"}},
	}
	assert.Equal(t, []string{
		"2027-01-01  region law: FR: an age (for all; by law; no store asks about it yet)",
		"2027-01-01  region store: 4 countries: a mark (for games; asked by android and ios)",
	}, say(calendar.Regional(rows, []string{"FR"}, on("2026-11-23"), on("2027-11-23"))))
	assert.Empty(t, calendar.Regional(rows, []string{"FR"}, on("2027-01-01"), on("2027-11-23")), "the day itself is over")
}

// TestHistory lists the last days of builds of tests and of decisions.
func TestHistory(t *testing.T) {
	until := on("2026-12-10")
	l := &ledger.Ledger{Events: []*ledger.Event{
		{Event: ledger.Released, On: on("2026-11-20"), Store: "ios", Version: "1.4.0", Build: "1390", Release: &ledger.Release{Channel: ledger.InvitedTest}},
		{Event: ledger.Released, On: on("2026-11-20"), Store: "ios", Version: "1.4.0", Build: "1400", Release: &ledger.Release{}},
		{Event: ledger.Decided, Decision: "warning", On: on("2026-11-21"), Store: "android", Version: "1.3.2", Build: "1320", Until: &until},
	}}
	assert.Equal(t, []string{
		"2026-12-10 android decision 1.3.2 (1320): the last day for the warning about 1.3.2 (1320)",
		"2027-02-18 ios build 1.4.0 (1390): testers can no longer start 1.4.0 (1390)",
	}, say(calendar.History(l, map[string]int{"ios": 90}, on("2026-11-23"), on("2027-11-23"))))
}
