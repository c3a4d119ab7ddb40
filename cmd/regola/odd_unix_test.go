//go:build unix

package main_test

import (
	"bytes"
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestSafeOutput writes reports beside, onto and through what is there.
func TestSafeOutput(t *testing.T) {
	dir := demo(t)
	in := func(name string) string { return filepath.Join(dir, name) }
	check := func(out string) (stderr string, exit int) {
		_, stderr, exit = regola(t, dir, "check", "--on", on, "--out", "json="+out, "sound")
		return stderr, exit
	}
	report := func(data []byte) {
		t.Helper()
		assert.True(t, json.Valid(data) && bytes.Contains(data, []byte(`"verdicts"`)) || json.Valid(data) && bytes.Contains(data, []byte(`"stores"`)), "%.200s", data)
	}

	require.NoError(t, os.WriteFile(in("kept.json"), []byte("old"), 0o600))
	require.NoError(t, os.Chmod(in("kept.json"), 0o640))
	require.NoError(t, os.Symlink("kept.json", in("link.json")))
	_, exit := check("link.json")
	assert.Zero(t, exit)
	data, err := os.ReadFile(in("kept.json"))
	require.NoError(t, err)
	report(data)
	info, err := os.Lstat(in("link.json"))
	require.NoError(t, err)
	assert.NotZero(t, info.Mode()&os.ModeSymlink, "the link stays a link")
	info, err = os.Stat(in("kept.json"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o640), info.Mode().Perm())

	require.NoError(t, syscall.Mkfifo(in("pipe"), 0o600))
	read := make(chan []byte)
	go func() {
		f, err := os.Open(in("pipe"))
		if err == nil {
			data, _ = io.ReadAll(f)
			f.Close()
		}
		read <- data
	}()
	_, exit = check("pipe")
	assert.Zero(t, exit)
	report(<-read)
	info, err = os.Lstat(in("pipe"))
	require.NoError(t, err)
	assert.NotZero(t, info.Mode()&os.ModeNamedPipe, "the pipe stays a pipe")

	before, err := os.ReadFile(in("sound/build/terrafuoco.aab"))
	require.NoError(t, err)
	for _, input := range []string{"sound/build/terrafuoco.aab", "sound/dossier.yaml", "sound/listing/it.yaml"} {
		stderr, exit := check(input)
		assert.Equal(t, 2, exit, input)
		assert.Contains(t, stderr, "this is an input", input)
	}
	after, err := os.ReadFile(in("sound/build/terrafuoco.aab"))
	require.NoError(t, err)
	assert.True(t, bytes.Equal(before, after))

	require.NoError(t, os.Symlink("nowhere/r.json", in("broken.json")))
	stderr, exit := check("broken.json")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "broken.json")
	left, err := filepath.Glob(in(".regola-*"))
	require.NoError(t, err)
	assert.Empty(t, left, "no temporary file is left")

	if _, err := os.Stat("/dev/full"); err == nil {
		stderr, exit := check("/dev/full")
		assert.Equal(t, 2, exit)
		assert.Contains(t, stderr, "no space left")
		for _, args := range [][]string{{"version"}, {"--help"}, {"rules"}, {"completion", "bash"}, {"facts", "sound/build/Terrafuoco.ipa"}, {"schema", "facts"}} {
			full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
			require.NoError(t, err)
			c := exec.Command(program, args...)
			c.Dir, c.Stdout = dir, full
			_ = c.Run()
			full.Close()
			assert.Equal(t, 2, c.ProcessState.ExitCode(), args)
		}
	}
}

// TestOddFiles gives what is no regular file: refused at once, not waited for.
func TestOddFiles(t *testing.T) {
	dir := demo(t)
	in := func(name string) string { return filepath.Join(dir, name) }
	for _, name := range []string{"pipe.aab", "piped/dossier.yaml", "demo/faulty/dossier.yaml", "rules.yaml"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(in(name)), 0o755))
		require.NoError(t, syscall.Mkfifo(in(name), 0o600))
	}
	require.NoError(t, os.Symlink("/dev/zero", in("zero.ipa")))
	require.NoError(t, os.MkdirAll(in("linked"), 0o755))
	require.NoError(t, os.WriteFile(in("linked/dossier.yaml"), []byte("regola: 1\napp: {name: T, default_locale: en}\nrulebooks: [../../../../etc/passwd]\n"), 0o600))
	require.NoError(t, os.MkdirAll(in("secret/listing"), 0o755))
	require.NoError(t, os.WriteFile(in("mine.txt"), []byte("a private line\n"), 0o600))
	require.NoError(t, os.WriteFile(in("secret/dossier.yaml"), []byte("regola: 1\napp: {name: T, default_locale: en}\n"), 0o600))
	require.NoError(t, os.Symlink("../../mine.txt", in("secret/listing/it.yaml")))
	for name, args := range map[string][]string{
		"a pipe as package":      {"check", "--alone", "pipe.aab"},
		"a pipe as dossier":      {"check", "piped"},
		"a pipe as rulebook":     {"check", "--rulebook", "rules.yaml", "sound"},
		"a pipe in the demo":     {"demo", "demo"},
		"endless zeros":          {"facts", "zero.ipa"},
		"a rulebook from beyond": {"check", "linked"},
		"a listing from beyond":  {"check", "secret"},
	} {
		t.Run(name, func(t *testing.T) {
			start := time.Now()
			timer := time.AfterFunc(10*time.Second, func() { panic(name + " is waited for") })
			out, stderr, exit := regola(t, dir, args...)
			timer.Stop()
			assert.Less(t, time.Since(start), 5*time.Second)
			assert.Equal(t, 2, exit, stderr)
			assert.Contains(t, stderr, "fix")
			assert.NotContains(t, out+stderr, "root:")
			assert.NotContains(t, out+stderr, "private line")
		})
	}
	// An app folder given through a link is read.
	require.NoError(t, os.MkdirAll(in("T.app"), 0o755))
	list := `<plist version="1.0"><dict><key>CFBundleIdentifier</key><string>a.b</string><key>CFBundleName</key><string>T` + "\u202e" + `</string></dict></plist>`
	require.NoError(t, os.WriteFile(in("T.app/Info.plist"), []byte(list), 0o600))
	require.NoError(t, os.Symlink("T.app", in("L.app")))
	out, stderr, exit := regola(t, dir, "facts", "L.app")
	assert.Zero(t, exit, stderr)
	assert.NotContains(t, out, "\u202e")
	out, _, exit = regola(t, dir, "facts", "--format", "json", "L.app")
	assert.Zero(t, exit)
	assert.Contains(t, out, `\u202e`)
	assert.NotContains(t, out, "\u202e")

	// A reader that goes away is no fault of ours.
	c := exec.Command("sh", "-c", program+" rules --format json | head -c 10; true")
	var errs bytes.Buffer
	c.Stderr = &errs
	require.NoError(t, c.Run())
	assert.Empty(t, errs.String())

	// What a rulebook says is shown, not run.
	book := "rulebook: house\nstore: all\nedition: 2026-11-20\nlimits: {'(': 3}\nrules: []\n"
	require.NoError(t, os.WriteFile(in("odd.yaml"), []byte(book), 0o600))
	_, stderr, exit = regola(t, dir, "rules", "--format", "markdown", "--rulebook", "odd.yaml")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "odd.yaml:")
}
