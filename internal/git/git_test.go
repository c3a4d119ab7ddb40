package git_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/git"
)

// repository makes one in a folder of its own, and makes it the current one.
func repository(t *testing.T) (call func(in string, args ...string) string) {
	t.Helper()
	if _, err := exec.LookPath("git"); err != nil {
		t.Skip("there is no git here")
	}
	t.Chdir(t.TempDir())
	t.Setenv("HOME", t.TempDir())
	call = func(in string, args ...string) string {
		t.Helper()
		c := exec.Command("git", append([]string{"-c", "user.name=Ada", "-c", "user.email=ada@terrafuoco.example"}, args...)...)
		c.Stdin = strings.NewReader(in)
		out, err := c.CombinedOutput()
		require.NoError(t, err, "%v: %s", args, out)
		return strings.TrimSpace(string(out))
	}
	call("", "init", "-q")
	return call
}

func put(t *testing.T, name, text string) {
	t.Helper()
	require.NoError(t, os.MkdirAll(filepath.Dir(name), 0o755))
	require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
}

// read gives the files of a folder in a revision.
func read(revision, folder string) (map[string]string, error) {
	files := map[string]string{}
	err := git.Folder(context.Background(), revision, folder, func(name string, size int64, r io.Reader) error {
		var b bytes.Buffer
		n, err := b.ReadFrom(r)
		if n != size {
			return fmt.Errorf("%s has %d bytes of %d", name, n, size)
		}
		files[name] = b.String()
		return err
	})
	return files, err
}

// TestStranger reads a revision of a repository whose settings and attributes would run
// programs, reach a remote, and change what is read: nothing of it happens, and the
// files are what the revision holds.
func TestStranger(t *testing.T) {
	call := repository(t)
	mark := filepath.Join(t.TempDir(), "ran")
	program := filepath.Join(t.TempDir(), "program")
	put(t, program, "#!/bin/sh\necho \"$0 $*\" >> "+mark+"\ncat\n")
	require.NoError(t, os.Chmod(program, 0o755))
	const id = "id: $Format:%H$ $Id$\n"
	put(t, "store/dossier.yaml", id)
	put(t, "store/left.txt", "kept")
	put(t, "store/deep/a b\tü.yaml", "name: Terrafuoco\r\n")
	require.NoError(t, os.Symlink("/etc/passwd", "store/link.yaml"))
	call("", "add", ".")
	call("", "commit", "-qm", "one")
	put(t, ".gitattributes", "* filter=x export-subst ident\nstore/left.txt export-ignore\n*.yaml working-tree-encoding=UTF-16 diff=x text eol=crlf\n")
	call("", "add", ".gitattributes")
	call("", "commit", "-qm", "two")
	for key, value := range map[string]string{
		"filter.x.smudge": program, "filter.x.process": program, "filter.x.clean": program, "diff.x.textconv": program, "diff.external": program,
		"core.fsmonitor": program, "core.sshCommand": program, "core.askPass": program, "core.pager": program, "tar.tar.command": program, "alias.ls-tree": "!" + program,
		"core.hooksPath": filepath.Dir(program), "remote.o.url": "ext::" + program, "remote.o.promisor": "true", "protocol.ext.allow": "always", "extensions.partialClone": "o", "core.repositoryFormatVersion": "1",
	} {
		call("", "config", key, value)
	}
	files, err := read("HEAD", "store")
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"store/dossier.yaml": id, "store/left.txt": "kept", "store/deep/a b\tü.yaml": "name: Terrafuoco\r\n"}, files, "links are left out")

	// From below the top, names are relative.
	t.Chdir("store")
	files, err = read("HEAD~1", ".")
	require.NoError(t, err)
	assert.Equal(t, id, files["dossier.yaml"])
	files, err = read("HEAD", "deep")
	require.NoError(t, err)
	assert.Len(t, files, 1)
	t.Chdir("..")

	// An object that is not there is not fetched.
	object := call("", "rev-parse", "HEAD:store/left.txt")
	require.NoError(t, os.Remove(filepath.Join(".git/objects", object[:2], object[2:])))
	_, err = read("HEAD", "store")
	assert.Error(t, err)
	assert.NoFileExists(t, mark, "a program of the repository was run")

	for _, c := range [][2]string{{"none", "store"}, {"HEAD", "none"}, {"--output=x", "store"}, {"", "store"}} {
		_, err := read(c[0], c[1])
		var why *git.Error
		assert.ErrorAs(t, err, &why, "%v", c)
	}
}

// TestBounds ends within the bounds, whatever the repository holds, and takes little
// memory.
func TestBounds(t *testing.T) {
	call := repository(t)
	tree := func(lines string) string { return call(lines, "mktree") }
	// Ten levels of ten equal folders: a few kilobytes that are 10^10 files.
	object := call("x", "hash-object", "-w", "--stdin")
	wide := func(mode, kind, object string) (lines string) {
		for i := range 10 {
			lines += fmt.Sprintf("%s %s %s\t%d\n", mode, kind, object, i)
		}
		return lines
	}
	at, empty := tree(wide("100644", "blob", object)), tree("")
	for range 9 {
		at, empty = tree(wide("040000", "tree", at)), tree(wide("040000", "tree", empty))
	}
	zeros := filepath.Join(t.TempDir(), "zeros")
	require.NoError(t, os.WriteFile(zeros, nil, 0o644))
	require.NoError(t, os.Truncate(zeros, 300<<20))
	large := tree("100644 blob " + call("", "hash-object", "-w", zeros) + "\tdossier.yaml\n")
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	for revision, want := range map[string]string{at: "more than 20000 files and folders", empty: "more than 20000 files and folders", large: "more than 256 MB"} {
		_, err := read(revision, ".")
		assert.ErrorContains(t, err, want)
	}
	runtime.ReadMemStats(&after)
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(64<<20))

	// A name that leads out of the folder is left out.
	odd := tree("100644 blob " + object + "\ta:b\n100644 blob " + object + "\tc\n100755 blob " + object + "\td\n120000 blob " + object + "\te\n160000 commit " + strings.Repeat("a", 40) + "\tf\n")
	files, err := read(odd, ".")
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"c": "x", "d": "x"}, files)

	// An end of the call ends git.
	ctx, cancel := context.WithCancel(context.Background())
	start := time.Now()
	err = git.Folder(ctx, odd, ".", func(string, int64, io.Reader) error { cancel(); <-ctx.Done(); return ctx.Err() })
	assert.ErrorIs(t, err, context.Canceled)
	assert.Less(t, time.Since(start), git.MaxTime)
}
