//go:build unix

package main_test

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/gofrs/flock"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestKept writes reports over everything that belongs to a submission: each is refused,
// and what was there stays.
func TestKept(t *testing.T) {
	dir := filepath.Join(demo(t), "sound")
	read := func(name string) string { return string(must(os.ReadFile(filepath.Join(dir, name)))) }
	for _, name := range []string{"ledger.jsonl", "pictures/android/icon.png", "listing/it.yaml", "sdks.yaml", "backend/schema.sql", "dossier.yaml", "build/terrafuoco.aab"} {
		before := read(name)
		_, stderr, exit := regola(t, dir, "check", "--on", on, "--out", "html="+name)
		assert.Equal(t, 2, exit, name)
		assert.Contains(t, stderr, name+": this ", name)
		assert.Equal(t, before, read(name), name)
	}
	for _, name := range []string{"pictures/new.html", "listing/new.html", "pictures/ios/deep.html", ".ledger.lock"} {
		_, stderr, exit := regola(t, dir, "check", "--on", on, "--out", "html="+name)
		assert.Equal(t, 2, exit, name+stderr)
		assert.NoFileExists(t, filepath.Join(dir, name))
	}
	// A dossier that cannot be judged keeps what is its own, too.
	require.NoError(t, os.CopyFS(filepath.Join(dir, "../other"), os.DirFS(dir)))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "../other/dossier.yaml"), []byte("regola: 1\nbogus: 1\n"), 0o644))
	_, _, exit := regola(t, filepath.Dir(dir), "check", "--on", on, "sound", "other", "--out", "html=other/ledger.jsonl")
	assert.Equal(t, 2, exit)
	assert.Equal(t, read("ledger.jsonl"), read("../other/ledger.jsonl"))
	_, stderr, exit := regola(t, dir, "check", "--on", on, "--out", "json=a", "--out", "html=./a")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "./a: --out names this file twice")
	assert.NoFileExists(t, filepath.Join(dir, "a"))
	_, stderr, exit = regola(t, dir, "check", "--on", on, "--out", "json=a", "--out", "html=b")
	assert.Equal(t, 0, exit, stderr)
}

// TestStrangersPaths gives dossiers that name files of the reader: nothing of them is
// read, listed or shown.
func TestStrangersPaths(t *testing.T) {
	dir := demo(t)
	in := func(name string) string { return filepath.Join(dir, "sound", name) }
	text := string(must(os.ReadFile(in("dossier.yaml"))))
	const named = "packages: {android: build/terrafuoco.aab, ios: build/Terrafuoco.ipa}"
	require.Contains(t, text, named)
	require.NoError(t, os.Rename(in("build/terrafuoco.aab"), filepath.Join(dir, "secret-name.aab")))
	require.NoError(t, os.Symlink("../../secret-name.aab", in("build/linked.aab")))
	for _, pattern := range []string{"/etc/s*", "/*/*/*/*/*/*/*", "../*.aab", "../secret-name.aab", "build/linked.aab", "build/l*.aab", filepath.Join(dir, "secret-name.aab")} {
		require.NoError(t, os.WriteFile(in("dossier.yaml"), []byte(strings.Replace(text, named, "packages: {android: '"+pattern+"'}", 1)), 0o644))
		start := time.Now()
		out, stderr, exit := regola(t, in("."), "check", "--on", on, "--store", "android")
		assert.Less(t, time.Since(start), 10*time.Second)
		assert.NotContains(t, out+stderr, "shadow", pattern)
		if pattern == "build/l*.aab" { // a pattern passes over what leads out
			assert.Equal(t, 1, exit)
			assert.Contains(t, out, "no package matches")
			continue
		}
		assert.Equal(t, 2, exit, pattern)
		assert.Contains(t, stderr, "leads out of the dossier's folder", pattern)
		assert.Contains(t, stderr, "name it in the call")
		if !strings.Contains(pattern, "secret") {
			assert.NotContains(t, out+stderr, "secret-name", pattern)
		}
	}
	// Named in the call, the same file is judged.
	require.NoError(t, os.WriteFile(in("dossier.yaml"), []byte(text), 0o644))
	out, stderr, _ := regola(t, in("."), "check", "--on", on, "--store", "android", "../secret-name.aab")
	assert.Contains(t, out, "PASSES", stderr)

	require.NoError(t, os.Remove(in("ledger.jsonl")))
	require.NoError(t, os.Symlink("/etc/passwd", in("ledger.jsonl")))
	out, stderr, exit := regola(t, in("."), "check", "--on", on, "--store", "ios")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "ledger.jsonl: \"ledger.jsonl\" leads out")
	assert.NotContains(t, out+stderr, "invalid character")
	require.NoError(t, os.Remove(in("ledger.jsonl")))

	for _, password := range []string{"*hunter2", "&hunter2 x", "!hunter2 x", "*hunter2, x: y"} {
		require.NoError(t, os.WriteFile(in("dossier.yaml"), []byte(strings.Replace(text, "env:TERRAFUOCO_REVIEW_PASSWORD", password, 1)), 0o644))
		for _, form := range []string{"text", "json"} {
			out, stderr, _ := regola(t, in("."), "check", "--on", on, "--store", "ios", "--format", form)
			assert.NotContains(t, out+stderr, "hunter2", password)
		}
	}
}

// interrupt runs the program, sends a signal after a time, and tells how long it then
// took to end.
func interrupt(t *testing.T, dir string, after time.Duration, s os.Signal, args ...string) (took time.Duration, stderr string, exit int) {
	t.Helper()
	var errs bytes.Buffer
	c := exec.Command(program, args...)
	c.Dir, c.Stdout, c.Stderr = dir, io.Discard, &errs
	require.NoError(t, c.Start())
	time.Sleep(after)
	start := time.Now()
	_ = c.Process.Signal(s)
	kill := time.AfterFunc(20*time.Second, func() { _ = c.Process.Kill() })
	defer kill.Stop()
	_ = c.Wait()
	return time.Since(start), errs.String(), c.ProcessState.ExitCode()
}

// soon is how soon a call ends after a signal: 200 ms, and what a loaded machine takes.
const soon = time.Second

// TestInterrupt ends a call that reads a large package, and one that waits for a ledger
// that another program holds; afterwards nothing is written.
func TestInterrupt(t *testing.T) {
	dir := demo(t)
	large := filepath.Join(dir, "large.aab")
	f, err := os.Create(large)
	require.NoError(t, err)
	z := zip.NewWriter(f)
	z.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) { return flate.NewWriter(w, flate.BestSpeed) })
	old, err := zip.OpenReader(filepath.Join(dir, "sound/build/terrafuoco.aab"))
	require.NoError(t, err)
	for _, e := range old.File {
		if e.Name != "META-INF/MANIFEST.MF" {
			require.NoError(t, z.Copy(e))
		}
	}
	require.NoError(t, old.Close())
	w, err := z.Create("META-INF/MANIFEST.MF")
	require.NoError(t, err)
	_, err = io.WriteString(w, "Manifest-Version: 1.0\r\n\r\nName: base/assets/large\r\nSHA-256-Digest: AAAA\r\n\r\n")
	require.NoError(t, err)
	w, err = z.Create("base/assets/large")
	require.NoError(t, err)
	zeros := make([]byte, 1<<20)
	for range 450 {
		_, err = w.Write(zeros)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	require.NoError(t, f.Close())
	took, stderr, exit := interrupt(t, dir, 300*time.Millisecond, os.Interrupt, "check", "--alone", "--on", on, "large.aab", "--out", "json=r.json")
	assert.Less(t, took, soon)
	assert.Equal(t, 2, exit)
	assert.Equal(t, "regola: interrupted\n", stderr)
	left, err := filepath.Glob(filepath.Join(dir, "*r.json*"))
	require.NoError(t, err)
	assert.Empty(t, left)

	sound := filepath.Join(dir, "sound")
	before := must(os.ReadFile(filepath.Join(sound, "ledger.jsonl")))
	lock := filepath.Join(sound, ".ledger.lock")
	held := flock.New(lock)
	require.NoError(t, held.Lock())
	decide := []string{"ledger", "decide", "accepted", "--store", "ios", "--on", on}
	took, stderr, exit = interrupt(t, sound, 300*time.Millisecond, syscall.SIGTERM, decide...)
	assert.Less(t, took, soon)
	assert.Equal(t, 2, exit)
	assert.Equal(t, "regola: interrupted\n", stderr)
	require.NoError(t, held.Unlock())
	assert.Equal(t, before, must(os.ReadFile(filepath.Join(sound, "ledger.jsonl"))))

	// A lock that is no file of its own is refused at once, and never written through.
	target := filepath.Join(dir, "target")
	for what, make := range map[string]func() error{"pipe": func() error { return syscall.Mkfifo(lock, 0o600) }, "link": func() error { return os.Symlink(target, lock) }, "folder": func() error { return os.Mkdir(lock, 0o755) }} {
		require.NoError(t, os.RemoveAll(lock))
		require.NoError(t, make())
		_, stderr, exit := regola(t, sound, decide...)
		assert.Equal(t, 2, exit, what)
		assert.Contains(t, stderr, ".ledger.lock: the ledger cannot be locked: this is no regular file", what)
	}
	assert.NoFileExists(t, target)
	require.NoError(t, os.RemoveAll(lock))
	_, stderr, exit = regola(t, sound, decide...)
	assert.Equal(t, 0, exit, stderr)
}
