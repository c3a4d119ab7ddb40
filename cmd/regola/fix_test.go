package main_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// spoil changes a text in a file of a dossier, which must have it.
func spoil(t *testing.T, file, was, becomes string) {
	t.Helper()
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Contains(t, string(data), was)
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(data), was, becomes, 1)), 0o644))
}

// TestFix spoils a sound dossier in ways of which one correction can be meant, and gets every
// byte back; what somebody has to decide stays.
func TestFix(t *testing.T) {
	dir := filepath.Join(demo(t), "sound")
	file := func(name string) string { return filepath.Join(dir, filepath.FromSlash(name)) }
	before := map[string]string{}
	for _, name := range []string{"dossier.yaml", "listing/de.yaml", "listing/en-GB.yaml", "listing/it.yaml"} {
		data, err := os.ReadFile(file(name))
		require.NoError(t, err)
		before[name] = string(data)
	}
	out, _, exit := regola(t, dir, "fix")
	assert.Zero(t, exit)
	assert.Contains(t, out, "Nothing to correct")

	spoil(t, file("dossier.yaml"), "answers:", "answres:")
	spoil(t, file("dossier.yaml"), "deletion_offered: true", "deletion_offered: yes")
	spoil(t, file("dossier.yaml"), "purposes: [account-management]", "purposes: [acount-management]")
	spoil(t, file("dossier.yaml"), "since: 2024-02-01", "since: 2024/2/1")
	spoil(t, file("dossier.yaml"), "countries: [AT, CH, DE, FR, GB, IT]", "countries: [AT, CH, DE, FR, UK, IT]")
	spoil(t, file("listing/de.yaml"), "dein Ofen tut", "dein     Ofen\u200b tut")
	spoil(t, file("listing/de.yaml"), "für deinen", "fÃ¼r deinen")
	require.NoError(t, os.Rename(file("listing/en-GB.yaml"), file("listing/en_gb.yaml")))

	_, complaint, exit := regola(t, dir, "check")
	assert.Equal(t, 2, exit)
	assert.Contains(t, complaint, `"regola fix" corrects 3 of them`)
	spoiled, err := os.ReadFile(file("dossier.yaml"))
	require.NoError(t, err)

	patch, _, exit := regola(t, dir, "fix", "--format", "diff")
	assert.Equal(t, 1, exit)
	assert.Contains(t, patch, "-answres:\n+answers:\n")
	now, err := os.ReadFile(file("dossier.yaml"))
	require.NoError(t, err)
	assert.Equal(t, string(spoiled), string(now), "nothing is written without --write")

	out, _, exit = regola(t, dir, "fix", "--rule", "common/locale-spelling", "--format", "json")
	assert.Equal(t, 1, exit)
	var doc struct {
		Made []struct{ Rule, Was, Becomes string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &doc))
	require.Len(t, doc.Made, 6, "the form has to be corrected before rules can be asked")
	assert.Equal(t, "en-GB.yaml", doc.Made[5].Becomes)

	out, _, exit = regola(t, dir, "fix", "--write")
	assert.Zero(t, exit, out)
	for name, want := range before {
		data, err := os.ReadFile(file(name))
		require.NoError(t, err)
		assert.Equal(t, want, string(data), name)
	}
	assert.NoFileExists(t, file("listing/en_gb.yaml"))

	// A choice between two stays, as does a text of which something is lost.
	spoil(t, file("listing/it.yaml"), "name: ", "name: \"Il\ufffd forno\" #")
	out, _, exit = regola(t, dir, "fix", "--write")
	assert.Zero(t, exit)
	assert.Contains(t, out, "Nothing to correct")
	spoil(t, file("dossier.yaml"), "\nanswers:", "\nxyz: 1\nansers:")
	out, _, exit = regola(t, dir, "fix", "--write")
	assert.Equal(t, 1, exit, "one problem is left")
	assert.Contains(t, out, `unknown key "xyz"`)
	assert.Contains(t, out, `"ansers"`)

	_, complaint, exit = regola(t, dir, "fix", "--rule", "common/locale-speling")
	assert.Equal(t, 2, exit)
	assert.Contains(t, complaint, "common/locale-spelling")
}
