// Package git reads a folder as a repository has it in a revision: names with ls-tree
// and contents with cat-file --batch. No attributes, filters, hooks, replacements,
// remotes or settings of the system take part, so that what is read is what the revision
// holds, and a repository of a stranger runs nothing. Reading is bounded while it goes
// on: in entries, in bytes and in time.
package git

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Bounds of what is read of a revision.
const (
	MaxEntries = 20_000    // files and folders
	MaxBytes   = 256 << 20 // of all files
	MaxTime    = 20 * time.Second
	maxName    = 4 << 10 // bytes of one path
)

// Error is why a revision could not be read, in words.
type Error struct{ What string }

// Error implements error.
func (e *Error) Error() string { return e.What }

// Folder gives each regular file of a folder in a revision to put, with its path from the
// current folder on, as git writes it: with slashes, and never leaving the folder. Links and nested
// repositories are left out. put must read size bytes or fewer before it returns.
//
// folder is a local path; revision must not begin with a hyphen.
func Folder(ctx context.Context, revision, folder string, put func(name string, size int64, r io.Reader) error) error {
	if revision == "" || strings.HasPrefix(revision, "-") {
		return &Error{"this is no revision"}
	}
	limited, cancel := context.WithTimeout(ctx, MaxTime)
	defer cancel()
	err := read(limited, revision, folder, put)
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case limited.Err() != nil:
		return &Error{fmt.Sprintf("it takes longer than %d seconds", int(MaxTime.Seconds()))}
	}
	return err
}

func read(ctx context.Context, revision, folder string, put func(string, int64, io.Reader) error) error {
	files, err := list(ctx, revision, folder)
	if err != nil {
		return err
	}
	if len(files) == 0 {
		return &Error{"the revision has no such folder"}
	}
	return contents(ctx, files, put)
}

// file is one file of a tree.
type file struct {
	name, object string
	size         int64
}

// list lists the files of a folder. The sizes are known before anything is read.
func list(ctx context.Context, revision, folder string) (files []file, err error) {
	c := command(ctx, "ls-tree", "-r", "-t", "-z", "-l", "--end-of-options", revision, "--", folder)
	out, err := c.StdoutPipe()
	if err != nil {
		return nil, err
	}
	errs := &head{}
	c.Stderr = errs
	if err := c.Start(); err != nil {
		return nil, started(err)
	}
	files, err = entries(bufio.NewReaderSize(out, 64<<10))
	if err != nil {
		_ = c.Process.Kill()
		_ = c.Wait()
		return nil, err
	}
	if err := c.Wait(); err != nil {
		return nil, errs.problem(err)
	}
	return files, nil
}

// entries reads what ls-tree -z -l writes: mode, kind, object and size, a tab, the path
// and a NUL.
func entries(r *bufio.Reader) (files []file, err error) {
	var total int64
	for n := 0; ; n++ {
		line, err := upTo(r, 0, maxName+200)
		if errors.Is(err, io.EOF) && len(line) == 0 {
			return files, nil
		}
		if err != nil {
			return nil, &Error{"git's list of files cannot be read"}
		}
		if n >= MaxEntries {
			return nil, &Error{fmt.Sprintf("the folder holds more than %d files and folders", MaxEntries)}
		}
		about, name, ok := strings.Cut(string(line), "\t")
		f := strings.Fields(about)
		if !ok || len(f) != 4 {
			return nil, &Error{"git's list of files cannot be read"}
		}
		if f[1] != "blob" || !strings.HasPrefix(f[0], "100") || !local(name) {
			continue // a folder, a link, a nested repository
		}
		size, err := strconv.ParseInt(f[3], 10, 64)
		if err != nil || size < 0 {
			return nil, &Error{"the repository does not have all of the revision: " + strconv.Quote(name) + " is missing"}
		}
		if total += size; total > MaxBytes {
			return nil, &Error{fmt.Sprintf("the folder holds more than %d MB", MaxBytes>>20)}
		}
		files = append(files, file{name, f[2], size})
	}
}

// local tells whether a path of a tree stays below the folder in which it is listed.
func local(name string) bool {
	return name != "" && !path.IsAbs(name) && !strings.ContainsAny(name, "\\:") && name == path.Clean(name) && name != ".." && !strings.HasPrefix(name, "../")
}

// contents asks for the files one after another, so that git never waits for a reader
// that waits for it.
func contents(ctx context.Context, files []file, put func(string, int64, io.Reader) error) error {
	c := command(ctx, "cat-file", "--batch")
	in, err := c.StdinPipe()
	if err != nil {
		return err
	}
	out, err := c.StdoutPipe()
	if err != nil {
		return err
	}
	errs := &head{}
	c.Stderr = errs
	if err := c.Start(); err != nil {
		return started(err)
	}
	err = func() error {
		r := bufio.NewReaderSize(out, 64<<10)
		for _, f := range files {
			if _, err := io.WriteString(in, f.object+"\n"); err != nil {
				return errs.problem(err)
			}
			if err := one(r, f, put); err != nil {
				return err
			}
		}
		return nil
	}()
	in.Close()
	if err != nil {
		_ = c.Process.Kill()
		_ = c.Wait()
		return err
	}
	if err := c.Wait(); err != nil {
		return errs.problem(err)
	}
	return nil
}

// one reads what cat-file --batch answers: a line with object, kind and size, the
// contents, a line break.
func one(r *bufio.Reader, f file, put func(string, int64, io.Reader) error) error {
	line, err := upTo(r, '\n', 1<<10)
	if err != nil {
		return &Error{"git ended before it gave " + strconv.Quote(f.name)}
	}
	about := strings.Fields(string(line))
	if len(about) != 3 || about[1] != "blob" || about[2] != strconv.FormatInt(f.size, 10) {
		return &Error{"the repository does not have all of the revision: " + strconv.Quote(f.name) + " is missing"}
	}
	body := io.LimitReader(r, f.size)
	if err := put(f.name, f.size, body); err != nil {
		return err
	}
	if _, err := io.Copy(io.Discard, body); err != nil {
		return err
	}
	if b, err := r.ReadByte(); err != nil || b != '\n' {
		return &Error{"git ended within " + strconv.Quote(f.name)}
	}
	return nil
}

// upTo reads up to a byte, which is left out; at most so many bytes.
func upTo(r *bufio.Reader, end byte, most int) ([]byte, error) {
	var line []byte
	for len(line) <= most {
		b, err := r.ReadByte()
		if err != nil {
			return line, err
		}
		if b == end {
			return line, nil
		}
		line = append(line, b)
	}
	return nil, &Error{"a name is too long"}
}

// command calls git with nothing that a repository or the system could have set to run
// another program or to reach the network.
func command(ctx context.Context, args ...string) *exec.Cmd {
	c := exec.CommandContext(ctx, "git", append([]string{
		"--no-pager", "--no-replace-objects", "--literal-pathspecs",
		"-c", "protocol.allow=never", "-c", "core.fsmonitor=false", "-c", "core.hooksPath=" + os.DevNull, "-c", "core.attributesFile=" + os.DevNull, "-c", "core.commitGraph=false",
	}, args...)...)
	for _, e := range os.Environ() {
		// What the caller's shell says of tracing, attributes or settings has no part.
		name, _, _ := strings.Cut(e, "=")
		if !strings.HasPrefix(name, "GIT_") || slices.Contains(where, name) {
			c.Env = append(c.Env, e)
		}
	}
	c.Env = append(c.Env, "LC_ALL=C", "GIT_NO_LAZY_FETCH=1", "GIT_ALLOW_PROTOCOL=none", "GIT_CONFIG_NOSYSTEM=1", "GIT_ATTR_NOSYSTEM=1",
		"GIT_TERMINAL_PROMPT=0", "GIT_ASKPASS=", "SSH_ASKPASS=", "GIT_OPTIONAL_LOCKS=0", "GIT_NO_REPLACE_OBJECTS=1")
	c.WaitDelay = time.Second
	return c
}

// where are the variables that say which repository is meant.
var where = []string{"GIT_DIR", "GIT_WORK_TREE", "GIT_COMMON_DIR", "GIT_OBJECT_DIRECTORY", "GIT_ALTERNATE_OBJECT_DIRECTORIES", "GIT_CEILING_DIRECTORIES", "GIT_DISCOVERY_ACROSS_FILESYSTEM"}

// started is why git could not be started.
func started(err error) error {
	if errors.Is(err, exec.ErrNotFound) {
		return &Error{"there is no git on this system"}
	}
	return &Error{"git cannot be started"}
}

// head keeps the beginning of what git complains of.
type head struct{ b bytes.Buffer }

// Write implements io.Writer.
func (h *head) Write(p []byte) (int, error) {
	if room := 4096 - h.b.Len(); room > 0 {
		h.b.Write(p[:min(room, len(p))])
	}
	return len(p), nil
}

// problem is git's first line, or the error.
func (h *head) problem(err error) error {
	line, _, _ := strings.Cut(strings.TrimSpace(h.b.String()), "\n")
	if line == "" {
		line = err.Error()
	}
	return &Error{"git does not give it: " + line}
}
