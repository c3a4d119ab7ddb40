package safeopen

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestRead(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "a")
	require.NoError(t, os.WriteFile(file, []byte("kiln"), 0o644))
	data, err := Read(file, 4)
	require.NoError(t, err)
	assert.Equal(t, "kiln", string(data))
	_, err = Read(file, 3)
	var large *TooLarge
	require.ErrorAs(t, err, &large)
	assert.EqualError(t, &TooLarge{5 << 20}, "it is larger than the 5 MiB that are read of such a file")
	_, err = Read(dir, 4)
	assert.ErrorIs(t, err, ErrKind)
	_, err = Read(filepath.Join(dir, "none"), 4)
	assert.ErrorIs(t, err, fs.ErrNotExist)

	sum, err := SHA256(t.Context(), file)
	require.NoError(t, err)
	assert.Equal(t, "cdfe9ad58b46226d63eb322dacd35f4f7ac38096180c87258c142e4bca9a3cf5", sum)
	_, err = SHA256(t.Context(), dir)
	assert.Error(t, err)
}

func TestProblem(t *testing.T) {
	dir := t.TempDir()
	for _, c := range []struct {
		err       error
		what, fix string
	}{
		{fs.ErrNotExist, "there is no such file", "look elsewhere"},
		{fs.ErrPermission, "no permission to read it", "change its permissions, or run as its owner"},
		{ErrKind, "this is a folder", "name the file"},
		{&TooLarge{1 << 20}, "it is larger than the 1 MiB that are read of such a file", "shorten it; is it the file that was meant?"},
		{&fs.PathError{Op: "read", Path: "x", Err: errors.New("disk on fire")}, "it cannot be read: disk on fire", "check the path and the disk"},
		{errors.New("odd"), "it cannot be read: odd", "check the path and the disk"},
	} {
		p := Problem(dir, c.err, "look elsewhere")
		assert.Equal(t, []string{dir, c.what, c.fix}, []string{p.At.File, p.What, p.Fix})
	}
	assert.Equal(t, "this is not a regular file", Problem(filepath.Join(dir, "none"), ErrKind, "").What)
}
