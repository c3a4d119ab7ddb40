package write

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func say(text string) func(io.Writer) error {
	return func(w io.Writer) error { _, err := io.WriteString(w, text); return err }
}

func read(t *testing.T, name string) string {
	t.Helper()
	data, err := os.ReadFile(name)
	require.NoError(t, err)
	return string(data)
}

// TestWriteFile writes whole files or nothing: where something goes wrong, what was
// there stays, and no other file is left.
func TestWriteFile(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "r.json")
	require.NoError(t, Whole(file, nil, say("one")))
	require.NoError(t, os.Chmod(file, 0o640))
	require.NoError(t, Whole(file, nil, say("two")))
	assert.Equal(t, "two", read(t, file))
	if runtime.GOOS != "windows" {
		info, err := os.Stat(file)
		require.NoError(t, err)
		assert.Equal(t, fs.FileMode(0o640), info.Mode().Perm(), "the permissions stay")
		link := filepath.Join(dir, "link")
		require.NoError(t, os.Symlink(file, link))
		require.NoError(t, Whole(link, nil, say("three")))
		info, err = os.Lstat(link)
		require.NoError(t, err)
		assert.NotZero(t, info.Mode()&fs.ModeSymlink, "a link stays one")
		assert.Equal(t, "three", read(t, file))
		nowhere := filepath.Join(dir, "nowhere")
		require.NoError(t, os.Symlink(filepath.Join(dir, "gone"), nowhere))
		assert.ErrorContains(t, Whole(nowhere, nil, say("x")), "leads nowhere")
	}
	before := read(t, file)
	torn := func(w io.Writer) error {
		_, _ = io.WriteString(w, "half")
		return errors.New("the kiln went out")
	}
	assert.ErrorContains(t, Whole(file, nil, torn), "the kiln went out")
	assert.ErrorContains(t, Whole(file, []string{filepath.Join(dir, "none"), file}, say("x")), "this is an input")
	assert.ErrorContains(t, Whole(dir, nil, say("x")), "it is a folder")
	assert.ErrorContains(t, Whole(filepath.Join(dir, "none", "r"), nil, say("x")), "cannot be written")
	assert.Equal(t, before, read(t, file))
	left, err := filepath.Glob(filepath.Join(dir, ".regola-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

// TestFull writes to a device that is full, and through one that takes everything.
func TestFull(t *testing.T) {
	if _, err := os.Stat("/dev/full"); err != nil {
		t.Skip("this system has no device that is always full")
	}
	assert.ErrorContains(t, Whole("/dev/full", nil, say("x")), "no space left")
	assert.NoError(t, Whole("/dev/null", nil, say("x")))
	_, err := os.Stat("/dev/null")
	assert.NoError(t, err, "a device is written through, not replaced")
}

// TestAbort leaves nothing of a file that was begun, and may be called again.
func TestAbort(t *testing.T) {
	file := filepath.Join(t.TempDir(), "r")
	p, err := Begin(file)
	require.NoError(t, err)
	_, err = io.WriteString(p, "half")
	require.NoError(t, err)
	p.Abort()
	p.Abort()
	assert.NoFileExists(t, file)
	q, err := Begin(file)
	require.NoError(t, err)
	RemoveTemporary() // as an interrupt does
	assert.Error(t, q.Commit(nil))
	assert.NoFileExists(t, file)
	require.NoError(t, Whole(file, nil, say("whole")))
}

// TestKept refuses names that belong to somebody else: files, whether they are there
// or not, and everything in folders, also by way of links.
func TestKept(t *testing.T) {
	dir := t.TempDir()
	in := func(name string) string { return filepath.Join(dir, name) }
	for _, name := range []string{"pictures/ios/icon.png", "ledger.jsonl", "other/x"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(in(name)), 0o755))
		require.NoError(t, os.WriteFile(in(name), []byte("kept"), 0o644))
	}
	require.NoError(t, os.Symlink(in("pictures"), in("way")))
	require.NoError(t, os.Symlink(in("ledger.jsonl"), in("to-ledger")))
	require.NoError(t, os.Link(in("ledger.jsonl"), in("twin")))
	kept := []string{in("ledger.jsonl"), in("pictures"), in("none.yaml"), in("absent")}
	for name, want := range map[string]string{
		"ledger.jsonl": "an input", "to-ledger": "an input", "twin": "an input", "pictures/ios/icon.png": "holds no reports", "pictures/r.html": "holds no reports", "pictures/ios/r.html": "holds no reports",
		"way/r.html": "holds no reports", "none.yaml": "belongs to the submission", "other/../none.yaml": "belongs to the submission", "absent": "belongs to the submission",
		"r.html": "", "pictures.html": "", "other/x": "", "none.yaml.html": "",
	} {
		err := Whole(in(name), kept, say("x"))
		if want == "" {
			assert.NoError(t, err, name)
			continue
		}
		assert.ErrorContains(t, err, want, name)
	}
	assert.Equal(t, "kept", read(t, in("ledger.jsonl")))
	assert.Equal(t, "kept", read(t, in("pictures/ios/icon.png")))
}

// TestSame knows two names of one place.
func TestSame(t *testing.T) {
	t.Chdir(t.TempDir())
	require.NoError(t, os.Mkdir("d", 0o755))
	require.NoError(t, os.Symlink("d", "e"))
	require.NoError(t, os.WriteFile("old", nil, 0o644))
	require.NoError(t, os.Symlink("old", "link"))
	full, err := filepath.Abs("r")
	require.NoError(t, err)
	for _, c := range []struct {
		a, b string
		same bool
	}{{"r", "./r", true}, {"r", "d/../r", true}, {"r", full, true}, {"d/r", "e/r", true}, {"old", "link", true}, {"r", "s", false}, {"d/r", "r", false}, {os.DevNull, os.DevNull, false}} {
		p, err := Begin(c.a)
		require.NoError(t, err)
		q, err := Begin(c.b)
		require.NoError(t, err)
		assert.Equal(t, c.same, p.Same(q), "%s %s", c.a, c.b)
		p.Abort()
		q.Abort()
	}
}

// TestSynced writes over a file at once, and leaves it as it was when it may not.
func TestSynced(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "l")
	yes := func() error { return nil }
	require.NoError(t, os.WriteFile(filepath.Join(dir, ".new"), []byte("of a killed program"), 0o600))
	require.NoError(t, Synced(file, ".new", []byte("one"), yes))
	require.NoError(t, os.Chmod(file, 0o600))
	require.NoError(t, Synced(file, ".new", []byte("two"), yes))
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, fs.FileMode(0o600), info.Mode().Perm())
	assert.ErrorIs(t, Synced(file, ".new", []byte("three"), func() error { return context.Canceled }), context.Canceled)
	assert.Equal(t, "two", read(t, file))
	assert.NoFileExists(t, filepath.Join(dir, ".new"))
	assert.Error(t, Synced(filepath.Join(dir, "none", "l"), ".new", nil, yes))
}
