package main_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestInit drafts a dossier from the demo's packages: what a check then asks is
// what is marked, and who fills in the marked lines gets a clean result.
func TestInit(t *testing.T) {
	dir := demo(t)
	// What lies outside the dossier's folder is named in the call.
	out, stderr, exit := regola(t, dir, "init", "--on", on, "--out", "apart", "sound/build/terrafuoco.aab", "sound/build/Terrafuoco.ipa", "--language", "en-GB")
	require.Equal(t, 0, exit, stderr)
	assert.Contains(t, strings.Join(strings.Fields(out), " "), "run: regola check sound/build/terrafuoco.aab sound/build/Terrafuoco.ipa --dossier apart")
	_, stderr, exit = regola(t, dir, "check", "--on", on, "sound/build/terrafuoco.aab", "sound/build/Terrafuoco.ipa", "--dossier", "apart")
	assert.Equal(t, 1, exit, stderr)
	assert.Contains(t, string(must(os.ReadFile(filepath.Join(dir, "apart/dossier.yaml")))), `# "../sound/build/terrafuoco.aab" lies outside this folder: name it in the call`)

	short := string(must(os.ReadFile(filepath.Join(dir, "apart/dossier.yaml"))))
	golden(t, "init-short.yaml", short)
	assert.Less(t, strings.Count(short, "\n"), 200)

	require.NoError(t, os.CopyFS(filepath.Join(dir, "new", "build"), os.DirFS(filepath.Join(dir, "sound", "build"))))
	out, stderr, exit = regola(t, dir, "init", "--on", on, "--full", "--out", "new", "new/build/terrafuoco.aab", "new/build/Terrafuoco.ipa", "--language", "en-GB")
	require.Equal(t, 0, exit, stderr)
	golden(t, "init.txt", out)
	file := filepath.Join(dir, "new", "dossier.yaml")
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	draft := string(data)
	golden(t, "init.yaml", draft)

	js, stderr, _ := regola(t, dir, "duties", "--on", on, "--format", "json", "new")
	var duties struct {
		Duties []struct{ State, Write string }
	}
	require.NoError(t, json.Unmarshal([]byte(js), &duties), stderr)
	require.NotEmpty(t, duties.Duties)
	lines := strings.Split(draft, "\n")
	for _, d := range duties.Duties {
		if d.State == "done" {
			continue
		}
		parts := strings.Split(d.Write, ".")
		key := parts[len(parts)-1]
		i := slices.IndexFunc(lines, func(l string) bool {
			return strings.HasPrefix(strings.TrimLeft(l, " #"), key+":") && !strings.Contains(l, "# needed: android") && !strings.Contains(l, "# needed: ios") && !strings.Contains(l, "# needed: a store")
		})
		if key == "pictures" {
			assert.Contains(t, draft, "# needed: android, ios; blocked without it: the pictures")
			continue
		}
		require.Positive(t, i, d.Write)
		marked := slices.ContainsFunc(lines[max(0, i-3):i], func(l string) bool { return strings.Contains(l, "# needed") })
		assert.True(t, marked, "%s is asked and not marked", d.Write)
	}

	// Run again it writes nothing.
	again, _, exit := regola(t, dir, "init", "--on", on, "--out", "new", "sound/build/terrafuoco.aab")
	assert.Equal(t, 0, exit)
	assert.Contains(t, again, "nothing was written")
	same, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, draft, string(same))

	// A person fills in the marked lines.
	for _, r := range [][2]string{
		{"# kind: app | game", "kind: app"}, {"# category: {android: …, ios: …}", "category: {android: tools, ios: [utilities]}"}, {"# price: …", "price: free"}, {"# copyright: …", "copyright: 2026 Terrafuoco Example"},
		{"# kind: person | organization", "kind: organization"}, {"# email: …\n  # a phone", "email: help@terrafuoco.example\n  # a phone"}, {"# privacy: …", "privacy: https://terrafuoco.example/privacy"}, {"# support: …", "support: https://terrafuoco.example/help"},
		{"# account_deletion: …", "account_deletion: https://terrafuoco.example/delete"},
		{"# ads: true | false", "ads: false"}, {"# used: true | false", "used: false"}, {"# created_in_app: true | false", "created_in_app: true"}, {"# deletion_offered: true | false", "deletion_offered: true"},
		{"# ways: [password | code | passkey | provider | platform | two-factor | other]", "ways: [password]"}, {"# data_deletion: yes | no | automatic", "data_deletion: automatic"},
		{"# third_party: true | false", "third_party: false"}, {"# trader: true | false", "trader: false"},
		{"# data:\n  #   - {kind", "data:\n    - {kind: email-address, purposes: [account-management], shared: false, linked: true, tracking: false, optional: false, stored: true}\n  #   - {kind"},
		{"# encrypted_in_transit: true | false", "encrypted_in_transit: true"}, {"# content:\n", "content: {others: none}\n"},
		{"# from: …\n    # the highest", "from: 13\n    # the highest"}, {"# to: …", "to: 99"}, {"# appeals_to_children: true | false", "appeals_to_children: false"},
		{"# news: true | false", "news: false"}, {"# government: true | false", "government: false"}, {"# health: […]", "health: []"}, {"# finance: […]", "finance: []"}, {"# restricted: []   # none", "restricted: []"},
		{"# first: …\n", "first: Ada\n"}, {"# last: …", "last: Forni"}, {"# email: …\n    # phone", "email: ada@terrafuoco.example\n    # phone"}, {"# phone: …\n  # the demo", "phone: '+39 055 555 0142'\n  # the demo"},
		{"# needed: true | false", "needed: false"}, {"# first: true | false", "first: false"}, {"# countries: […]", "countries: [IT]"},
		{"# confirmed:\n", "confirmed:" + confirm("tested-on-device", "app-links-served", "agreements-current", "policy-in-app", "tested-range") + "\n"},
	} {
		assert.Contains(t, draft, r[0])
		draft = strings.Replace(draft, r[0], r[1], 1)
	}
	require.NoError(t, os.WriteFile(file, []byte(draft), 0o644))
	require.NoError(t, os.CopyFS(filepath.Join(dir, "new", "pictures"), os.DirFS(filepath.Join(dir, "sound", "pictures"))))
	for _, l := range []string{"en-GB", "de", "it"} {
		texts, err := os.ReadFile(filepath.Join(dir, "sound", "listing", l+".yaml"))
		require.NoError(t, err)
		require.FileExists(t, filepath.Join(dir, "new", "listing", l+".yaml"))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "new", "listing", l+".yaml"), texts, 0o644))
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "new", "sdks.yaml"), must(os.ReadFile(filepath.Join(dir, "sound", "sdks.yaml"))), 0o644))
	out, stderr, exit = regola(t, dir, "check", "--on", on, "--strict", "new")
	assert.Equal(t, 0, exit, out+stderr)
}

func must(data []byte, err error) []byte {
	if err != nil {
		panic(err)
	}
	return data
}

// TestInitBare begins without a package, and says what it needs for that.
func TestInitBare(t *testing.T) {
	dir := t.TempDir()
	_, stderr, exit := regola(t, dir, "init")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "--name")
	_, stderr, exit = regola(t, dir, "init", "--on", on, "--name", "No: 'kiln' #1", "--language", "it")
	require.Equal(t, 0, exit, stderr)
	_, stderr, exit = regola(t, dir, "check", "--on", on)
	assert.Equal(t, 1, exit, stderr)
	_, stderr, exit = regola(t, dir, "init", "--name", "x", "--language", "not a tag")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "language tag")
}

// confirm writes the lines that confirm these things.
func confirm(what ...string) (out string) {
	for _, w := range what {
		out += "\n  - {what: " + w + ", version: 1.4.0, by: Ada Forni, on: 2026-11-20}"
	}
	return out
}
