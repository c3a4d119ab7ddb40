package main_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// add appends to a file of a dossier, or makes it.
func add(t *testing.T, file, text string) {
	t.Helper()
	require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
	old, _ := os.ReadFile(file)
	require.NoError(t, os.WriteFile(file, append(old, text...), 0o644))
}

// TestPages judges the texts of further pages, and what belongs to none.
func TestPages(t *testing.T) {
	dir := filepath.Join(demo(t), "sound")
	add(t, filepath.Join(dir, "dossier.yaml"), "pages:\n  - {id: alps, store: android, countries: [AT, NO]}\nevents:\n  - {id: glaze, from: 2026-12-01, until: 2027-01-05, link: 'https://terrafuoco.example/glaze', texts: [{locale: en-GB, name: Glaze week, short: A glaze a day}]}\n")
	add(t, filepath.Join(dir, "listing/alps/de.yaml"), "name: Terrafuoco, das Brennbuch für Keramik\ndescription: Jetzt auch auf dem iPhone.\n")
	out, _, exit := regola(t, dir, "check", "--on", on)
	assert.Equal(t, 1, exit)
	for _, want := range []string{"characters; 30 fit", "listing/alps/de.yaml:1:1", `names another platform: "iPhone"`, "listing/alps/de.yaml:2:3", "does not reach: NO", "the event glaze lasts 36 days", "the event glaze lacks texts"} {
		assert.Contains(t, out, want)
	}
	add(t, filepath.Join(dir, "listing/other/de.yaml"), "name: X\n")
	_, stderr, exit := regola(t, dir, "check", "--on", on)
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "no page of the dossier has this folder")
}

// TestBackend reads what a dossier says of its backend, and mistakes in it.
func TestBackend(t *testing.T) {
	dir := filepath.Join(demo(t), "sound")
	file := filepath.Join(dir, "dossier.yaml")
	source, err := os.ReadFile(file)
	require.NoError(t, err)
	block := func(b string) {
		text := strings.Replace(string(source), "backend: {schema: backend/schema.sql, anonymous: [anon], signed_in: [app_user], server: [app_owner]}", b, 1)
		require.NotEqual(t, string(source), text)
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	}
	add(t, filepath.Join(dir, "rules.yaml"), "regola: 1\ndefault: allow\ncollections:\n  - {name: profiles, holds: [phone-number], owner_field: id, read: signed-in, fields: [is_admin], update: owner, until: 2027-01-01, on_account_deletion: keep}\n")
	block("backend: {rules: rules.yaml}")
	out, _, exit := regola(t, dir, "check", "--on", on, "--all")
	assert.Zero(t, exit, "an open backend is no finding of a store")
	for _, want := range []string{"the default is allow", "profiles: anyone, or anyone who is signed in, may write", "people can change is_admin", "hold until 2027-01-01 only", "is kept when a person deletes the account", "the backend holds phone-number", "rules.yaml:4:5"} {
		assert.Contains(t, out, want)
	}
	block("backend: {schema: backend/schema.sql}")
	out, _, _ = regola(t, dir, "check", "--on", on, "--all")
	assert.Contains(t, out, "which roles stand for clients is guessed by their names: anon, app_user")

	add(t, filepath.Join(dir, "bare.sql"), "CREATE TABLE a (id int);\n")
	block("backend: {schema: bare.sql}")
	out, _, exit = regola(t, dir, "check", "--on", on, "--strict")
	assert.Equal(t, 1, exit)
	assert.Contains(t, out, "the dump was made without privileges")

	// One that is too much for the rules on backends is a gap in them alone.
	var huge strings.Builder
	for i := range 5_001 {
		fmt.Fprintf(&huge, "CREATE TABLE a%d (id int);\n", i)
	}
	add(t, filepath.Join(dir, "huge.sql"), huge.String())
	add(t, filepath.Join(dir, "large.sql"), strings.Repeat("-- fire and clay\n", 1<<20))
	for file, want := range map[string]string{"huge.sql": "huge.sql: the dump holds more than 5000 tables, functions and roles", "large.sql": "large.sql: it is larger than the 16 MiB"} {
		block("backend: {schema: " + file + "}")
		out, stderr, exit := regola(t, dir, "check", "--on", on)
		assert.Equal(t, 1, exit, stderr)
		assert.Contains(t, out, "OPEN")
		assert.Contains(t, out, want)
		assert.Contains(t, out, "common/backend-check")
		_, _, exit = regola(t, dir, "check", "--on", on, "--strict")
		assert.Equal(t, 1, exit)
	}
	add(t, filepath.Join(dir, "custom.sql"), "PGDMP\x01\x0e")
	add(t, filepath.Join(dir, "wrong.yaml"), "regola: 1\ndefault: deny\ncollections:\n  - {name: a, read: everybody, holds: [fone]}\n")
	for b, want := range map[string][]string{
		"backend: {schema: custom.sql}":      {"custom form", "pg_dump --schema-only DATABASE > custom.sql"},
		"backend: {schema: none.sql}":        {"none.sql: there is no such file"},
		"backend: {schema: ../none.sql}":     {"leads out of the dossier's folder", "dossier.yaml:"},
		"backend: {rules: wrong.yaml}":       {"wrong.yaml:4:", `"everybody"`, `"fone"`},
		"backend: {rules: rules.yaml, a: 1}": {`unknown key "a"`},
	} {
		block(b)
		_, stderr, exit := regola(t, dir, "check", "--on", on)
		assert.Equal(t, 2, exit, b)
		for _, w := range want {
			assert.Contains(t, stderr, w, b)
		}
	}
}

// TestTry tries answers that are not written down, and calls that are wrong.
func TestTry(t *testing.T) {
	dir := demo(t)
	out, _, exit := regola(t, dir, "rate", "--on", on, "--with", "unrestricted_web=yes", "sound")
	assert.Zero(t, exit)
	assert.Contains(t, out, "16+")
	assert.Contains(t, out, "the audience begins at 13")
	out, _, _ = regola(t, dir, "rate", "--on", "2025-04-01", "--with", "unrestricted_web=yes", "sound")
	assert.Contains(t, out, "17+")
	same, err := os.ReadFile(filepath.Join(dir, "sound/dossier.yaml"))
	require.NoError(t, err)
	assert.NotContains(t, string(same), "unrestricted_web")
	for call, want := range map[string]string{
		"rate --with x=y sound":        "there is no question x",
		"rate --with blood=lots sound": "none, little, much",
		"rate --with blood sound":      "a question and its answer",
		"rate":                         "neither this folder nor one above it",
		"privacy --format csv sound/build/Terrafuoco.ipa": "for a dossier",
		"explain answers.adz":                             `did you mean "answers.ads"`,
		"explain common/acount-deletion":                  `did you mean "android/account-deletion"`,
		"weigh":                                           `name it: "regola weigh app.aab"`,
		"check --dossier none/dossier.yaml":               "none/dossier.yaml",
		"explain app.nmae":                                `did you mean "app.name"`,
		"explain release.zzzzzzzz":                        `"regola explain release" lists the keys there`,
		"duties --since none.aab sound":                   "none.aab",
		"facts --evidence --table none.yaml sound/build/terrafuoco.aab": "none.yaml",
	} {
		_, stderr, exit := regola(t, dir, strings.Fields(call)...)
		assert.Equal(t, 2, exit, call)
		assert.Contains(t, stderr, want, call)
	}
	// Every key of the dossier is known, and groups of them, as text and as JSON.
	for key, want := range map[string]string{
		"answers.accounts": "answers.accounts.ways", "release.testing": "release.testing.testers", "app.price": "free, or an amount", "products": "products.sent",
		"pictures": "the folder pictures", "answers.data": "answers.data.tracking", "account.kind": "organization", "listing.pitch": "listing.pitch", "packages": "packages",
	} {
		for _, format := range []string{"text", "json"} {
			out, stderr, exit := regola(t, dir, "explain", key, "--format", format)
			assert.Zero(t, exit, key+stderr)
			assert.Contains(t, out, want, key)
			assert.Equal(t, format == "json", json.Valid([]byte(out)), key)
		}
	}
	// A confirmation by nobody, or of a day that lies ahead, does not count.
	text := string(must(os.ReadFile(filepath.Join(dir, "sound/dossier.yaml"))))
	for old, now := range map[string]string{"by: Ada Forni, on: 2026-11-20": "by: …, on: 2026-11-20", "tested-on-device, version: 1.4.0, by: Ada Forni, on: 2026-11-20": "tested-on-device, version: 1.4.0, by: Ada Forni, on: 2026-11-24"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "sound/dossier.yaml"), []byte(strings.Replace(text, old, now, 1)), 0o644))
		out, _, exit := regola(t, dir, "check", "--on", on, "--strict", "sound")
		assert.Equal(t, 1, exit, now)
		assert.Contains(t, out, "which does not count", now)
	}
	// Who holds the account is asked, and is never taken for an organization.
	first := strings.Replace(strings.Replace(text, "first: false", "first: true", 1), "  share: {android: 20%}\n", "", 1)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "sound/dossier.yaml"), []byte(strings.Replace(first, "kind: organization, ", "", 1)), 0o644))
	require.NoError(t, os.Remove(filepath.Join(dir, "sound/ledger.jsonl")))
	out, _, _ = regola(t, dir, "check", "--on", on, "--store", "android", "--all", "sound")
	assert.Contains(t, out, "OPEN")
	assert.Regexp(t, "(?s)TO ANSWER.*account", out)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "sound/dossier.yaml"), []byte(text), 0o644))

	out, _, exit = regola(t, dir, "duties", "--on", on, "--since", "faulty/build/terrafuoco.aab", "--format", "json", "sound")
	assert.Zero(t, exit)
	assert.NotContains(t, out, "ACCESS_BACKGROUND_LOCATION")
	out, _, _ = regola(t, dir, "duties", "--on", on, "--since", "sound/build/terrafuoco.aab", "sound")
	assert.Contains(t, out, "brings no new duty")
}
