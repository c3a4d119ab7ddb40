package cli

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"sync"
	"syscall"

	"regola.example/regola/internal/core/place"
)

// temporary keeps the names of files that are being written, so that an
// interrupt leaves none behind.
var temporary struct {
	sync.Mutex
	names map[string]bool
}

func keepTemporary(name string, yes bool) {
	temporary.Lock()
	defer temporary.Unlock()
	if temporary.names == nil {
		temporary.names = map[string]bool{}
	}
	if yes {
		temporary.names[name] = true
	} else {
		delete(temporary.names, name)
	}
}

// removeTemporary removes every file that is half written.
func removeTemporary() {
	temporary.Lock()
	defer temporary.Unlock()
	for name := range temporary.names {
		os.Remove(name)
	}
}

// writeFile writes a whole file or nothing: to a temporary file beside the
// target, which then takes its name. A link is followed, the permissions of a
// file that is there are kept. What is no regular file (a device, a pipe) is
// written through. None of the inputs is overwritten.
func writeFile(name string, inputs []string, write func(io.Writer) error) error {
	target := name
	info, err := os.Stat(name)
	if err == nil {
		for _, in := range inputs {
			if other, err := os.Stat(in); err == nil && os.SameFile(info, other) {
				return &place.Problem{At: place.Place{File: name}, What: "this is an input, which would be overwritten", Fix: "choose another name"}
			}
		}
		switch {
		case info.IsDir():
			return writeProblem(name, errors.New("it is a folder"))
		case !info.Mode().IsRegular():
			return writeThrough(name, write)
		}
		if target, err = filepath.EvalSymlinks(name); err != nil {
			return writeProblem(name, err)
		}
	} else if !errors.Is(err, fs.ErrNotExist) {
		return writeProblem(name, err)
	} else if link, err := os.Lstat(name); err == nil && link.Mode()&fs.ModeSymlink != 0 {
		return writeProblem(name, errors.New("it is a link that leads nowhere"))
	}
	return replace(name, target, info, write)
}

// replace writes beside a target and then takes its name.
func replace(name, target string, old fs.FileInfo, write func(io.Writer) error) (err error) {
	temp := filepath.Join(filepath.Dir(target), fmt.Sprintf(".regola-%08x", rand.Uint32()))
	f, err := os.OpenFile(temp, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666) // less the umask
	if err != nil {
		return writeProblem(name, err)
	}
	keepTemporary(temp, true)
	defer func() {
		if err != nil {
			f.Close()
			os.Remove(temp)
		}
		keepTemporary(temp, false)
	}()
	if old != nil {
		if err := f.Chmod(old.Mode().Perm()); err != nil {
			return writeProblem(name, err)
		}
	}
	if err := write(f); err != nil {
		return writeProblem(name, err)
	}
	if err := f.Close(); err != nil {
		return writeProblem(name, err)
	}
	if err := os.Rename(temp, target); err != nil {
		return writeProblem(name, err)
	}
	return nil
}

func writeThrough(name string, write func(io.Writer) error) error {
	f, err := os.OpenFile(name, os.O_WRONLY, 0)
	if err != nil {
		return writeProblem(name, err)
	}
	err = write(f)
	if closeErr := f.Close(); err == nil {
		err = closeErr
	}
	if err != nil {
		return writeProblem(name, err)
	}
	return nil
}

// writeNew writes a file that must not exist yet.
func writeNew(name string, write func(io.Writer) error) error {
	if _, err := os.Lstat(name); err == nil {
		return &place.Problem{At: place.Place{File: name}, What: "this file is there already", Fix: "choose another name, or move the file away"}
	}
	return writeFile(name, nil, write)
}

// newFolder makes a folder that does not exist yet, or is empty, with what fill
// writes into it: whole or not at all. It is made beside its place and moved there.
func newFolder(dir string, fill func(made string) error) error {
	if entries, err := os.ReadDir(dir); err == nil && len(entries) > 0 {
		return &place.Problem{At: place.Place{File: dir}, What: "this folder is not empty", Fix: "name a folder that does not exist yet"}
	} else if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return writeProblem(dir, err)
	}
	parent := filepath.Dir(filepath.Clean(dir))
	if err := os.MkdirAll(parent, 0o755); err != nil {
		return writeProblem(parent, err)
	}
	made, err := os.MkdirTemp(parent, ".regola-")
	if err != nil {
		return writeProblem(parent, err)
	}
	defer os.RemoveAll(made)
	if err := fill(made); err != nil {
		return err
	}
	if err := os.Chmod(made, 0o755); err != nil {
		return writeProblem(made, err)
	}
	_ = os.Remove(dir) // empty, or not there
	if err := os.Rename(made, dir); err != nil {
		return writeProblem(dir, err)
	}
	return nil
}

func writeProblem(name string, err error) error {
	what := err.Error()
	var pe *fs.PathError
	var le *os.LinkError
	switch {
	case errors.As(err, &pe):
		what = pe.Err.Error()
	case errors.As(err, &le):
		what = le.Err.Error()
	}
	return &place.Problem{At: place.Place{File: name}, What: "cannot be written: " + what, Fix: "check that the folder exists, that you may write there, and that the disk has room"}
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
	return writeProblem("standard output", o.err)
}
