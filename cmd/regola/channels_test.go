package main_test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"google.golang.org/protobuf/encoding/protowire"

	"regola.example/regola/internal/seed"
)

// variant writes the demo's bundle with another version code, and with what parts name: a
// device feature, a permission (permission:NAME), or a service that the system binds
// (service:NAME:PERMISSION).
func variant(t *testing.T, file string, code uint64, parts ...string) {
	t.Helper()
	entries := map[string][]byte{}
	const archive = "demo/sound/build/terrafuoco.aab"
	for _, name := range seed.Names(t, archive) {
		entries[name] = seed.Entry(t, archive, name)
	}
	const manifest = "base/manifest/AndroidManifest.xml"
	number := func(n uint64) []byte { return protowire.AppendVarint(nil, n) }
	data := bytes.ReplaceAll(entries[manifest], []byte("1400"), []byte(string(rune('0'+code/1000))+string(rune('0'+code/100%10))+string(rune('0'+code/10%10))+string(rune('0'+code%10))))
	data = bytes.ReplaceAll(data, number(1400), number(code))
	for _, part := range parts {
		if part == "" {
			continue
		}
		kind, name, ok := strings.Cut(part, ":")
		if !ok {
			kind, name = "feature", part
		}
		name, permission, _ := strings.Cut(name, ":")
		switch kind {
		case "feature":
			data = addElement(t, data, "", xmlNode("uses-feature", "name", name))
		case "permission":
			data = addElement(t, data, "", xmlNode("uses-permission", "name", name))
		case "service":
			data = addElement(t, data, "application", xmlNode("service", "name", name, "permission", permission))
		}
	}
	entries[manifest] = data
	require.NoError(t, os.WriteFile(file, seed.Zip(t, entries), 0o644))
}

func protoField(b []byte, n protowire.Number, v []byte) []byte {
	return protowire.AppendBytes(protowire.AppendTag(b, n, protowire.BytesType), v)
}

// xmlNode is an element of a manifest in the form of a bundle, with attributes of the
// platform's namespace.
func xmlNode(name string, attrs ...string) []byte {
	element := protoField(nil, 3, []byte(name))
	for i := 0; i < len(attrs); i += 2 {
		attr := protoField(nil, 1, []byte("http://schemas.android.com/apk/res/android"))
		element = protoField(element, 4, protoField(protoField(attr, 2, []byte(attrs[i])), 3, []byte(attrs[i+1])))
	}
	return protoField(nil, 1, element)
}

// addElement adds a node below the root of a document, or below the root's child of a name.
func addElement(t *testing.T, doc []byte, parent string, node []byte) (out []byte) {
	t.Helper()
	_, _, n := protowire.ConsumeTag(doc)
	element, m := protowire.ConsumeBytes(doc[n:])
	require.Positive(t, m)
	if parent == "" {
		return append(protoField(nil, 1, protoField(bytes.Clone(element), 5, node)), doc[n+m:]...)
	}
	var root []byte
	for b := element; len(b) > 0; {
		num, typ, n := protowire.ConsumeTag(b)
		m := protowire.ConsumeFieldValue(num, typ, b[n:])
		require.Positive(t, m)
		field := b[:n+m]
		if num == 5 {
			child, _ := protowire.ConsumeBytes(b[n:])
			if bytes.Contains(child, append([]byte{3<<3 | 2, byte(len(parent))}, parent...)) {
				field = protoField(nil, 5, addElement(t, child, "", node))
			}
		}
		root, b = append(root, field...), b[n+m:]
	}
	return append(protoField(nil, 1, root), doc[n+m:]...)
}

// brokenRules lists the rules that are broken, as rule@subject, and gives the document.
func brokenRules(t *testing.T, dir string, args ...string) (rules []string, doc map[string]any) {
	t.Helper()
	out, stderr, _ := regola(t, dir, append([]string{"check", "--on", on, "--format", "json"}, args...)...)
	require.NoError(t, json.Unmarshal([]byte(out), &doc), stderr)
	require.Contains(t, doc, "verdicts", out)
	for _, v := range doc["verdicts"].([]any) {
		if v := v.(map[string]any); v["state"] == "broken" {
			rules = append(rules, v["key"].(string))
		}
	}
	return rules, doc
}

// edit replaces texts in a file of the dossier.
func edit(t *testing.T, file string, pairs ...string) {
	t.Helper()
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	text := string(data)
	for i := 0; i < len(pairs); i += 2 {
		require.Contains(t, text, pairs[i])
		text = strings.Replace(text, pairs[i], pairs[i+1], 1)
	}
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
}

// TestChannels takes an app through tests beside public releases: each line of its history
// is held against itself.
func TestChannels(t *testing.T) {
	dir := filepath.Join(demo(t), "sound")
	file := filepath.Join(dir, "dossier.yaml")
	call := func(want int, args ...string) string {
		t.Helper()
		out, stderr, exit := regola(t, dir, args...)
		require.Equal(t, want, exit, "%v: %s%s", args, out, stderr)
		return out + stderr
	}
	require.NoError(t, os.Remove(filepath.Join(dir, "ledger.jsonl")))
	call(0, "ledger", "record", "--on", on) // 1400 is public
	call(0, "ledger", "decide", "accepted", "--store", "ios", "--on", on)
	call(0, "ledger", "decide", "accepted", "--store", "android", "--on", on)

	// The team tests 1500, and a hotfix 1410 goes to the public.
	for name, code := range map[string]uint64{"1410": 1410, "1500": 1500, "1390": 1390, "1420": 1420} {
		variant(t, filepath.Join(dir, "build", name+".aab"), code, "")
	}
	variant(t, filepath.Join(dir, "build", "watch.aab"), 1401, "android.hardware.type.watch")
	variant(t, filepath.Join(dir, "build", "same.aab"), 1400, "android.hardware.type.watch")
	edit(t, file, "\nconfirmed:", "\ntests:\n  team: {store: android, packages: {android: build/1500.aab}, version: 1.5.0}\n\nconfirmed:")
	call(0, "ledger", "record", "--on", on, "--channel", "team-test", "--anyway")
	assert.Contains(t, call(0, "ledger", "show"), "team-test")
	edit(t, file, "build/terrafuoco.aab, ios", "build/1410.aab, ios")
	rules, doc := brokenRules(t, dir, "--store", "android")
	assert.NotContains(t, strings.Join(rules, " "), "common/build-")
	assert.Len(t, doc["stores"], 2)
	edit(t, file, "packages: {android: build/1500.aab}", "packages: {android: build/1390.aab}")
	rules, _ = brokenRules(t, dir, "--store", "android")
	assert.Contains(t, rules, "common/build-shadowed@android/team-test", "a test below the public release reaches nobody")
	edit(t, file, "build/1410.aab, ios", "build/1390.aab, ios")
	rules, _ = brokenRules(t, dir, "--store", "android", "--channel", "public")
	assert.Contains(t, rules, "common/build-order@android")

	// A version that was accepted takes no further build, for testers neither.
	edit(t, file, "tests:\n  team: {store: android, packages: {android: build/1390.aab}, version: 1.5.0}", "tests:\n  team: {store: ios}")
	rules, _ = brokenRules(t, dir, "--store", "ios")
	assert.NotContains(t, strings.Join(rules, " "), "common/version-closed", "the very package was accepted")
	ipa, err := os.ReadFile(filepath.Join(dir, "../faulty/build/Terrafuoco.ipa"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "build/next.ipa"), ipa, 0o644))
	edit(t, file, "team: {store: ios}", "team: {store: ios, packages: {ios: build/next.ipa}}")
	rules, _ = brokenRules(t, dir, "--store", "ios")
	assert.Contains(t, rules, "common/version-closed@ios/team-test")

	// A watch beside the phone: its own line, one more verdict, codes that differ.
	edit(t, file, "build/1390.aab, ios", "[build/1420.aab, build/watch.aab], ios", "tests:\n  team: {store: ios, packages: {ios: build/next.ipa}}\n", "")
	rules, doc = brokenRules(t, dir, "--store", "android")
	assert.Equal(t, []any{"android", "android/watch"}, []any{doc["stores"].([]any)[0].(map[string]any)["store"], doc["stores"].([]any)[1].(map[string]any)["store"]})
	assert.NotContains(t, strings.Join(rules, " "), "common/devices-lost")
	assert.NotContains(t, strings.Join(rules, " "), "common/build-order")
	edit(t, file, "[build/1420.aab, build/watch.aab]", "[build/terrafuoco.aab, build/same.aab]")
	rules, _ = brokenRules(t, dir, "--store", "android")
	assert.Contains(t, rules, "common/artefact-codes@android")
	assert.Contains(t, call(2, "check", "--on", on, "--alone", "build/1410.aab", "build/1420.aab"), "a second package for the same store and the same kind of device (phone)")

	// A halted roll-out is resumed before it goes on.
	call(0, "ledger", "decide", "halted", "--store", "android", "--channel", "public", "--on", on)
	rules, _ = brokenRules(t, dir, "--store", "android", "build/terrafuoco.aab")
	assert.Contains(t, rules, "common/rollout-halted@android")
	call(0, "ledger", "decide", "resumed", "--store", "android", "--channel", "public", "--on", on)
	rules, _ = brokenRules(t, dir, "--store", "android", "build/terrafuoco.aab")
	assert.NotContains(t, rules, "common/rollout-halted@android")
}

// TestTeamTest needs no page, no answers and no confirmations; what promotes it does.
func TestTeamTest(t *testing.T) {
	dir := filepath.Join(demo(t), "sound")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "dossier.yaml"), []byte("regola: 1\napp: {name: Terrafuoco, default_locale: en-GB}\npackages: {android: build/terrafuoco.aab, ios: build/Terrafuoco.ipa}\ntests: {team: {version: 1.4.0}}\n"), 0o644))
	for _, name := range []string{"listing", "pictures", "ledger.jsonl"} {
		require.NoError(t, os.RemoveAll(filepath.Join(dir, name)))
	}
	out, stderr, exit := regola(t, dir, "check", "--on", on, "--strict")
	assert.Zero(t, exit, out+stderr)
	assert.Equal(t, 2, strings.Count(out, "PASSES"), out)
	assert.Contains(t, out, "for the invited test in the Android store still to do")
	_, stderr, exit = regola(t, dir, "check", "--on", on, "--channel", "public")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "it has team-test")
	edit(t, filepath.Join(dir, "dossier.yaml"), "team:", "invited:")
	rules, _ := brokenRules(t, dir, "--store", "ios")
	assert.ElementsMatch(t, []string{"ios/test-feedback@ios/invited-test", "ios/test-about@ios/invited-test", "ios/test-notes@ios/invited-test", "ios/reviewer-contact@ios/invited-test"}, rules)

	// Values of the release by store.
	edit(t, filepath.Join(dir, "dossier.yaml"), "tests: {invited: {version: 1.4.0}}", "release: {version: {android: 1.4.0, ios: 9.9.9}, countries: [IT]}")
	rules, doc := brokenRules(t, dir)
	assert.Contains(t, rules, "ios/version-agrees@ios")
	assert.NotContains(t, rules, "android/version-agrees@android")
	assert.NotNil(t, doc["basis"])
}
