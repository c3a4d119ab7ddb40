package cli

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/write"
)

// writeNew writes a file that must not exist yet.
func writeNew(name string, fill func(io.Writer) error) error {
	if _, err := os.Lstat(name); err == nil {
		return &place.Problem{At: place.Place{File: name}, What: "this file is there already", Fix: "choose another name, or move the file away"}
	}
	return write.Whole(name, nil, fill)
}

// newFolder makes a folder that does not exist yet, or is empty, with what fill
// writes into it: whole or not at all. It is made beside its place and moved there.
func newFolder(dir string, fill func(made string) error) error {
	if entries, err := os.ReadDir(dir); err == nil && len(entries) > 0 {
		return &place.Problem{At: place.Place{File: dir}, What: "this folder is not empty", Fix: "name a folder that does not exist yet"}
	} else if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return write.Problem(dir, err)
	}
	parent := filepath.Dir(filepath.Clean(dir))
	if err := os.MkdirAll(parent, 0o755); err != nil {
		return write.Problem(parent, err)
	}
	made, err := os.MkdirTemp(parent, ".regola-")
	if err != nil {
		return write.Problem(parent, err)
	}
	defer os.RemoveAll(made)
	if err := fill(made); err != nil {
		return err
	}
	if err := os.Chmod(made, 0o755); err != nil {
		return write.Problem(made, err)
	}
	_ = os.Remove(dir) // empty, or not there
	if err := os.Rename(made, dir); err != nil {
		return write.Problem(dir, err)
	}
	return nil
}

// output is standard output: it remembers the first error, which a command
// may not look at. Nobody reading any more is no error.
type output struct {
	io.Writer
	err error
}

// Write implements io.Writer.
func (o *output) Write(b []byte) (int, error) {
	if o.err != nil {
		return 0, o.err
	}
	n, err := o.Writer.Write(b)
	o.err = err
	return n, err
}

// problem is what to complain of when all is written, or nil.
func (o *output) problem() error {
	if o.err == nil || errors.Is(o.err, syscall.EPIPE) || errors.Is(o.err, io.ErrClosedPipe) {
		return nil
	}
	return write.Problem("standard output", o.err)
}
