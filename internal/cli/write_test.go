package cli

import (
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
	require.NoError(t, writeFile(file, nil, say("one")))
	require.NoError(t, os.Chmod(file, 0o640))
	require.NoError(t, writeFile(file, nil, say("two")))
	assert.Equal(t, "two", read(t, file))
	if runtime.GOOS != "windows" {
		info, err := os.Stat(file)
		require.NoError(t, err)
		assert.Equal(t, fs.FileMode(0o640), info.Mode().Perm(), "the permissions stay")
		link := filepath.Join(dir, "link")
		require.NoError(t, os.Symlink(file, link))
		require.NoError(t, writeFile(link, nil, say("three")))
		info, err = os.Lstat(link)
		require.NoError(t, err)
		assert.NotZero(t, info.Mode()&fs.ModeSymlink, "a link stays one")
		assert.Equal(t, "three", read(t, file))
		nowhere := filepath.Join(dir, "nowhere")
		require.NoError(t, os.Symlink(filepath.Join(dir, "gone"), nowhere))
		assert.ErrorContains(t, writeFile(nowhere, nil, say("x")), "leads nowhere")
	}
	before := read(t, file)
	torn := func(w io.Writer) error {
		_, _ = io.WriteString(w, "half")
		return errors.New("the kiln went out")
	}
	assert.ErrorContains(t, writeFile(file, nil, torn), "the kiln went out")
	assert.ErrorContains(t, writeFile(file, []string{filepath.Join(dir, "none"), file}, say("x")), "this is an input")
	assert.ErrorContains(t, writeFile(dir, nil, say("x")), "it is a folder")
	assert.ErrorContains(t, writeFile(filepath.Join(dir, "none", "r"), nil, say("x")), "cannot be written")
	assert.ErrorContains(t, writeNew(file, say("x")), "there already")
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
	assert.ErrorContains(t, writeFile("/dev/full", nil, say("x")), "no space left")
	assert.NoError(t, writeFile("/dev/null", nil, say("x")))
	_, err := os.Stat("/dev/null")
	assert.NoError(t, err, "a device is written through, not replaced")
}

// TestAbort leaves nothing of a file that was begun, and may be called again.
func TestAbort(t *testing.T) {
	file := filepath.Join(t.TempDir(), "r")
	p, err := begin(file)
	require.NoError(t, err)
	_, err = io.WriteString(p, "half")
	require.NoError(t, err)
	p.abort()
	p.abort()
	assert.NoFileExists(t, file)
	q, err := begin(file)
	require.NoError(t, err)
	removeTemporary() // as an interrupt does
	assert.Error(t, q.commit(nil))
	assert.NoFileExists(t, file)
	require.NoError(t, writeFile(file, nil, say("whole")))
}

// TestShard parts the work the same way whatever the order of the call, and loses and
// doubles nothing.
func TestShard(t *testing.T) {
	jobs, err := inputs([]string{"../../demo/sound", "../../demo/faulty"}, "", false)
	require.NoError(t, err)
	turned, err := inputs([]string{"../../demo/faulty", "../../demo/sound"}, "", false)
	require.NoError(t, err)
	for _, shard := range []string{"1/1", "1/2", "2/2", "3/3"} {
		a, part, err := shardOf(jobs, shard)
		require.NoError(t, err)
		b, _, err := shardOf(turned, shard)
		require.NoError(t, err)
		assert.Equal(t, a, b, shard)
		require.Len(t, part.Dossiers, 2)
		require.Len(t, part.Names(), len(a))
		for i, name := range part.Names() {
			assert.Equal(t, a[i].Dossier, name)
		}
	}
	last, _, err := shardOf(jobs, "3/3")
	require.NoError(t, err)
	assert.Empty(t, last, "more parts than dossiers")
	for _, bad := range []string{"0/2", "3/2", "1", "a/b", "1/2/3", "-1/2", " 1/2"} {
		_, _, err := shardOf(jobs, bad)
		assert.Error(t, err, bad)
	}
	below, err := inputs([]string{"../../demo"}, "", false)
	require.NoError(t, err)
	assert.Len(t, below, 2, "a folder stands for the dossiers below it")
}
