package main_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// whatTheyKnow is what the makers of the demo know of their app, by the key that the program
// asks for.
var whatTheyKnow = map[string]string{
	"app.kind": "app", "app.category.android": "tools", "app.category.ios": "utilities", "app.copyright": "2026 Terrafuoco Example", "app.price": "free",
	"account.kind": "organization", "account.since": "2024-02-01", "contact.email": "help@terrafuoco.example", "contact.phone": "+39 055 555 0142",
	"links.privacy": "https://terrafuoco.example/privacy", "links.support": "https://terrafuoco.example/help", "links.account_deletion": "https://terrafuoco.example/delete", "links.data_deletion": "https://terrafuoco.example/delete-data",
	"answers.ads": "no", "answers.advertising_id.used": "no", "answers.accounts.created_in_app": "yes", "answers.accounts.deletion_offered": "yes", "answers.accounts.data_deletion": "yes", "answers.accounts.ways": "password",
	"answers.data": "email-address", "answers.data[0].purposes": "account-management", "answers.data[0].shared": "no", "answers.data[0].linked": "yes", "answers.data[0].tracking": "no", "answers.data[0].optional": "no", "answers.data[0].stored": "yes",
	"answers.security.encrypted_in_transit": "yes", "answers.content.others": "none", "answers.audience.from": "13", "answers.audience.to": "99", "answers.audience.appeals_to_children": "no",
	"answers.rights.third_party": "no", "answers.regulated.news": "no", "answers.regulated.government": "no", "answers.regulated.health": "0", "answers.regulated.finance": "0", "answers.regional.trader": "yes",
	"review.contact.first": "Ada", "review.contact.last": "Forni", "review.contact.email": "ada@terrafuoco.example", "review.contact.phone": "+39 055 555 0142",
	"review.sign_in.needed": "yes", "review.sign_in.user": "reviewer@terrafuoco.example", "review.sign_in.password": "env:TERRAFUOCO_REVIEW_PASSWORD",
	"release.first": "yes", "release.countries": "AT, CH, DE, FR, GB, IT",
	"app-links-served": "yes", "agreements-current": "yes", "policy-in-app": "yes", "tested-on-device": "yes", "tested-range": "yes", "confirmed": "Ada Forni",
}

// asked matches the head of a question.
var asked = regexp.MustCompile(`(?m)^(?:\d+, (?:\d+ left|the last) · (\S+)|(confirmed))$`)

// TestNewcomer goes the way of somebody who has two packages, texts and pictures, and has
// never seen the program: init, the questions, the files into their folders, next, hand-out.
// Nobody writes YAML.
func TestNewcomer(t *testing.T) {
	sound := filepath.Join(demo(t), "sound")
	dir := t.TempDir()
	copyInto := func(name string) {
		require.NoError(t, os.RemoveAll(filepath.Join(dir, name)))
		require.NoError(t, os.CopyFS(filepath.Join(dir, name), os.DirFS(filepath.Join(sound, name))))
	}
	copyInto("build")
	out, stderr, exit := regola(t, dir, "init", "--on", on, "--language", "en-GB", "build/terrafuoco.aab", "build/Terrafuoco.ipa")
	require.Zero(t, exit, stderr)
	assert.Contains(t, out, "regola answer", "the next step is named")
	draft, err := os.ReadFile(filepath.Join(dir, "dossier.yaml"))
	require.NoError(t, err)
	assert.Less(t, strings.Count(string(draft), "\n"), 150, "it can be read on the way")

	c := exec.CommandContext(t.Context(), program, "answer", "--plain", "--on", on)
	c.Dir = dir
	in, err := c.StdinPipe()
	require.NoError(t, err)
	pipe, err := c.StdoutPipe()
	require.NoError(t, err)
	c.Stderr = os.Stderr
	require.NoError(t, c.Start())
	questions := 0
	var text []byte
	for r := bufio.NewReader(pipe); ; {
		b, err := r.ReadByte()
		if err != nil {
			break
		}
		if text = append(text, b); !bytes.HasSuffix(text, []byte("\n> ")) {
			continue
		}
		m := asked.FindAllStringSubmatch(string(text), -1)
		require.NotEmpty(t, m, "an answer was not taken: %s", text)
		path := m[len(m)-1][1] + m[len(m)-1][2]
		require.Contains(t, whatTheyKnow, path, "%s", text)
		_, err = io.WriteString(in, whatTheyKnow[path]+"\n")
		require.NoError(t, err)
		questions, text = questions+1, nil
	}
	require.NoError(t, c.Wait(), string(text))
	assert.Contains(t, string(text), "regola next", "the next step is named")
	assert.Greater(t, questions, 40)

	next := func() (kind, impact string) {
		out, stderr, _ := regola(t, dir, "next", "--on", on, "--format", "json")
		var d struct{ Kind, Impact, What, How string }
		require.NoError(t, json.Unmarshal([]byte(out), &d), stderr)
		return d.Kind, d.Impact
	}
	kind, impact := next()
	assert.Equal(t, []string{"fix", "blocked"}, []string{kind, impact}, "texts and pictures are missing")
	copyInto("listing")
	copyInto("pictures")
	_, impact = next()
	assert.Equal(t, "craft", impact, "what is left only improves the release")
	out, stderr, exit = regola(t, dir, "check", "--on", on)
	assert.Zero(t, exit, stderr)
	assert.Equal(t, 2, strings.Count(out, "PASSES"), out)
	out, stderr, exit = regola(t, dir, "handout", "--on", on)
	assert.Zero(t, exit, stderr)
	assert.Contains(t, out, "Terrafuoco")
}
