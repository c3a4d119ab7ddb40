//go:build unix

package main_test

import (
	"bytes"
	"context"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/creack/pty"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"
)

// fresh makes a dossier from the demo's packages, with nothing answered.
func fresh(t *testing.T) (dir string) {
	dir = t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "build"), os.DirFS(filepath.Join(demo(t), "sound/build"))))
	_, stderr, exit := regola(t, dir, "init", "--out", ".", "build/terrafuoco.aab", "build/Terrafuoco.ipa")
	require.Zero(t, exit, stderr)
	return dir
}

// dossierIn reads a dossier as any reader of YAML does.
func dossierIn(t *testing.T, dir string) (text string, v map[string]any) {
	data, err := os.ReadFile(filepath.Join(dir, "dossier.yaml"))
	require.NoError(t, err)
	require.NoError(t, yaml.Unmarshal(data, &v), string(data))
	return string(data), v
}

// TestAnswer drives the form with keys, as a person does at a narrow terminal.
func TestAnswer(t *testing.T) {
	dir := fresh(t)
	_, stderr, exit := regola(t, dir, "answer")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "there is no terminal")

	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	c := exec.CommandContext(ctx, program, "answer", "--on", on)
	c.Dir = dir
	c.Env = append(os.Environ(), "TERM=xterm", "LC_ALL=C.UTF-8")
	tty, err := pty.StartWithSize(c, &pty.Winsize{Rows: 30, Cols: 60})
	require.NoError(t, err)
	defer tty.Close()
	var mu sync.Mutex
	var seen bytes.Buffer
	go func() {
		buf := make([]byte, 4096)
		for {
			n, err := tty.Read(buf)
			mu.Lock()
			seen.Write(buf[:n])
			mu.Unlock()
			if err != nil {
				return
			}
		}
	}()
	press := func(keys, want string) {
		t.Helper()
		mu.Lock()
		seen.Reset()
		mu.Unlock()
		_, err := io.WriteString(tty, keys)
		require.NoError(t, err)
		assert.Eventually(t, func() bool {
			mu.Lock()
			defer mu.Unlock()
			return strings.Contains(seen.String(), want)
		}, 20*time.Second, 20*time.Millisecond, "after %q: %s", keys, want)
	}
	press("", "app.kind")
	press("\x1b[B\r", "app.category") // the second choice: a game
	text, v := dossierIn(t, dir)
	assert.Equal(t, "game", v["app"].(map[string]any)["kind"])
	assert.NotContains(t, text, "# kind: app | game", "the proposal gave way")
	press("\x1b", "app.kind") // back
	_, v = dossierIn(t, dir)
	assert.NotContains(t, v["app"], "kind", "what is taken back is gone")
	press("\r", "app.category")
	press("\x0f", "left") // leave it open
	press("\x03", "1 answer is in")
	require.NoError(t, c.Wait())
	_, v = dossierIn(t, dir)
	assert.Equal(t, "app", v["app"].(map[string]any)["kind"])
	assert.NotContains(t, v["app"], "category")
}

// TestAnswerPlain answers what a dossier needs in lines of text, and sends what follows.
func TestAnswerPlain(t *testing.T) {
	dir := fresh(t)
	run := func(args []string, lines ...string) (out string) {
		c := exec.Command(program, append([]string{"answer", "--plain", "--on", on, "--width", "60"}, args...)...)
		c.Dir, c.Stdin = dir, strings.NewReader(strings.Join(lines, "\n")+"\n")
		b, err := c.CombinedOutput()
		require.NoError(t, err, string(b))
		for _, l := range strings.Split(string(b), "\n") {
			assert.LessOrEqual(t, len([]rune(l)), 60, l)
		}
		return string(b)
	}
	out := run([]string{"--only", "answers.audience"}, "thirteen", "13", "b", "?", "16", "99", "no", "q")
	assert.Contains(t, out, `"thirteen" is no whole number`)
	assert.Contains(t, out, "an empty line leaves it open")
	assert.Contains(t, out, "3 answers are in dossier.yaml.")
	_, v := dossierIn(t, dir)
	assert.Equal(t, map[string]any{"from": 16, "to": 99, "appeals_to_children": false}, v["answers"].(map[string]any)["audience"])
	run([]string{"--only", "answers.data", "--store", "ios"}, "email-address, crash-logs", "2,3", "yes", "no", "no", "", "q")
	text, v := dossierIn(t, dir)
	data := v["answers"].(map[string]any)["data"].([]any)
	require.Len(t, data, 2)
	assert.Equal(t, "email-address", data[0].(map[string]any)["kind"])
	assert.Equal(t, true, data[0].(map[string]any)["linked"])
	assert.Len(t, data[0].(map[string]any)["purposes"], 2)
	assert.NotContains(t, data[0], "shared", "the iOS store does not ask it")
	assert.Contains(t, text, "# how data travels", "comments stay")
	out = run([]string{"--only", "tested-on-device"}, "1", "Ada: Forni")
	assert.Contains(t, out, "1 answer is in dossier.yaml.")
	_, v = dossierIn(t, dir)
	assert.Equal(t, "Ada: Forni", v["confirmed"].([]any)[0].(map[string]any)["by"])
}

// TestAnswerAtRandom types at random: nothing ends the program, the dossier stays valid, and
// what was in it stays.
func TestAnswerAtRandom(t *testing.T) {
	scripts := 12
	if n, err := strconv.Atoi(os.Getenv("REGOLA_SCRIPTS")); err == nil {
		scripts = n
	}
	dir := fresh(t)
	first, _ := dossierIn(t, dir)
	lines := []string{"1", "2", "3", "0", "none", "yes", "no", "b", "b", "", "?", "13", "99", "1,2", "a: [b", "x # y", "'", `"`, "2026 Terrafuoco", "IT, DE", "https://kiln.example/a", "4.99 EUR", "é\t", "{}", "-", "2020-01-01", strings.Repeat("x", 5000), "\x1b[A", "env:X", "*a", "&a", "!!x"}
	for seed := range uint64(scripts) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "dossier.yaml"), []byte(first), 0o644))
		r := rand.New(rand.NewPCG(seed, 7))
		var in strings.Builder
		for range 10 + r.IntN(25) {
			in.WriteString(lines[r.IntN(len(lines))] + "\n")
		}
		c := exec.Command(program, "answer", "--plain", "--on", on)
		c.Dir, c.Stdin = dir, strings.NewReader(in.String())
		out, err := c.CombinedOutput()
		require.NoError(t, err, "seed %d: %s", seed, out)
		assert.NotContains(t, string(out), "panic")
		text, v := dossierIn(t, dir)
		assert.Equal(t, "Terrafuoco", v["app"].(map[string]any)["name"], "seed %d", seed)
		assert.Contains(t, text, "# one answer sheet for every store", "comments stay")
		_, stderr, exit := regola(t, dir, "check", "--on", on)
		assert.NotEqual(t, 2, exit, "seed %d: %s\n%s", seed, stderr, in.String())
	}
}
