package files

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var sample = map[string]string{"a.txt": "kiln", "base/dex/classes.dex": strings.Repeat("x", 200), "base/res/deep/b.xml": "<b/>", "baseline": "no folder", "Z": ""}

// trees are the same files in an archive and in a folder.
func trees(t *testing.T) map[string]*Tree {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	dir := t.TempDir()
	for _, name := range []string{"Z", "a.txt", "base/dex/classes.dex", "base/res/deep/b.xml", "baseline"} {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = io.WriteString(w, sample[name])
		require.NoError(t, err)
		file := filepath.Join(dir, filepath.FromSlash(name))
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(sample[name]), 0o644))
	}
	_, err := z.Create("folder/")
	require.NoError(t, err)
	require.NoError(t, z.Close())
	archive, err := FromZip(t.Context(), bytes.NewReader(b.Bytes()), int64(b.Len()))
	require.NoError(t, err)
	folder, err := FromFolder(t.Context(), dir)
	require.NoError(t, err)
	return map[string]*Tree{"archive": archive, "folder": folder}
}

func names(list []*Entry) (out []string) {
	for _, e := range list {
		out = append(out, e.Name)
	}
	return out
}

func TestTree(t *testing.T) {
	for kind, tr := range trees(t) {
		assert.Equal(t, []string{"Z", "a.txt", "base/dex/classes.dex", "base/res/deep/b.xml", "baseline"}, names(tr.Entries), "%s: folders are no files", kind)
		assert.Equal(t, []string{"base/dex/classes.dex", "base/res/deep/b.xml"}, names(tr.Below("base")), kind)
		assert.Empty(t, tr.Below("bas"))
		assert.Equal(t, []string{"base"}, tr.Folders(""))
		assert.Equal(t, []string{"base/dex", "base/res"}, tr.Folders("base"))
		assert.Equal(t, []string{"base/res/deep"}, tr.Folders("base/res"))
		sub := tr.Sub("base")
		assert.Equal(t, []string{"dex/classes.dex", "res/deep/b.xml"}, names(sub.Entries))
		assert.NotNil(t, sub.Get("res/deep/b.xml"))
		assert.Nil(t, sub.Get("a.txt"))
		assert.Same(t, tr, tr.Sub("."))
		assert.Same(t, tr, tr.Sub(""))
		data, err := tr.Read("base/res/deep/b.xml", 4)
		require.NoError(t, err)
		assert.Equal(t, "<b/>", string(data))
		_, err = tr.Read("none", 0)
		assert.ErrorIs(t, err, os.ErrNotExist)
		assert.Equal(t, kind == "folder", tr.Archive == nil)
		at, err := tr.Get("a.txt").DataOffset()
		assert.Equal(t, kind == "folder", err != nil, "only an archive has offsets")
		assert.Equal(t, kind == "archive", at > 0)
		assert.Equal(t, kind == "folder", tr.Get("a.txt").Stored)
	}
}

// TestOnce holds that each file is unpacked once, whoever reads it, and that what is small
// stays held.
func TestOnce(t *testing.T) {
	for kind, tr := range trees(t) {
		e := tr.Get("base/dex/classes.dex")
		head, err := e.Head()
		require.NoError(t, err)
		assert.Equal(t, strings.Repeat("x", 64), string(head), kind)
		again, err := e.Head()
		require.NoError(t, err)
		assert.Equal(t, head, again)
		data, err := e.Read(200)
		require.NoError(t, err)
		assert.Len(t, data, 200, "the stream goes on where the head ended")
		_, err = e.Read(0)
		require.NoError(t, err)
		sum, err := e.SHA256(make([]byte, 10))
		require.NoError(t, err)
		want := sha256.Sum256([]byte(sample["base/dex/classes.dex"]))
		assert.Equal(t, want[:], sum)
		assert.Equal(t, 1, e.Opened(), kind)

		other := tr.Get("a.txt")
		_, err = other.Read(3)
		assert.ErrorContains(t, err, "it has 4 bytes; at most 3 are read")
		assert.Zero(t, other.Opened())
		data, err = other.ReadOnce(4)
		require.NoError(t, err)
		assert.Equal(t, "kiln", string(data))
		_, err = other.ReadOnce(4)
		require.NoError(t, err)
		assert.Equal(t, 2, other.Opened(), "what is read once is not held")
		src, finish, err := other.OpenSHA256()
		require.NoError(t, err)
		first := make([]byte, 1)
		_, err = io.ReadFull(src, first)
		require.NoError(t, err)
		sum, err = finish(make([]byte, 10))
		require.NoError(t, err)
		require.NoError(t, src.Close())
		want = sha256.Sum256([]byte("kiln"))
		assert.Equal(t, want[:], sum, "what was read before counts, too")
		sum, err = other.SHA256(nil)
		require.NoError(t, err)
		assert.Equal(t, want[:], sum)
		assert.Equal(t, 3, other.Opened(), "the digest is kept")
		empty, err := tr.Get("Z").Head()
		require.NoError(t, err)
		assert.Empty(t, empty)
	}
}

// TestPending holds only so many streams open behind their heads, and lets go of those
// that somebody took.
func TestPending(t *testing.T) {
	s := &store{}
	for range maxPending {
		assert.True(t, s.begin())
	}
	assert.False(t, s.begin())
	s.done()
	assert.True(t, s.begin())
	assert.True(t, s.keep(maxCached))
	assert.False(t, s.keep(1))
}

func TestFolder(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a"), []byte("kiln"), 0o600))
	require.NoError(t, os.Symlink("a", filepath.Join(dir, "link")))
	through := filepath.Join(t.TempDir(), "through")
	require.NoError(t, os.Symlink(dir, through))
	tr, err := FromFolder(t.Context(), through)
	require.NoError(t, err)
	assert.Equal(t, []string{"a", "link"}, names(tr.Entries), "a link inside is listed")
	_, err = tr.Read("link", 0)
	assert.ErrorContains(t, err, "regular", "and never followed")
	assert.EqualValues(t, 4, tr.Get("a").Size)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = FromFolder(ctx, dir)
	assert.ErrorIs(t, err, context.Canceled)
	_, err = FromFolder(t.Context(), filepath.Join(dir, "none"))
	assert.ErrorIs(t, err, os.ErrNotExist)
	_, err = FromZip(t.Context(), bytes.NewReader([]byte("no archive")), 10)
	assert.Error(t, err)
}
