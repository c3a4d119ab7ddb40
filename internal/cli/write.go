package cli

import (
	"bufio"
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

// pending is a file that is being written: to a temporary file beside its place,
// whose name it takes in the end. A link is followed, the permissions of a file that
// is there are kept. What is no regular file (a device, a pipe) is written through.
type pending struct {
	name, target string
	old          fs.FileInfo // what has the name now; nil for nothing
	f            *os.File
	buffer       *bufio.Writer
	temp         string // empty for what is written through
}

// begin begins a file.
func begin(name string) (*pending, error) {
	p := &pending{name: name, target: name}
	info, err := os.Stat(name)
	switch {
	case err == nil && info.IsDir():
		return nil, writeProblem(name, errors.New("it is a folder"))
	case err == nil:
		p.old = info
		if info.Mode().IsRegular() {
			if p.target, err = filepath.EvalSymlinks(name); err != nil {
				return nil, writeProblem(name, err)
			}
		}
	case !errors.Is(err, fs.ErrNotExist):
		return nil, writeProblem(name, err)
	default:
		if link, err := os.Lstat(name); err == nil && link.Mode()&fs.ModeSymlink != 0 {
			return nil, writeProblem(name, errors.New("it is a link that leads nowhere"))
		}
	}
	if p.old != nil && !p.old.Mode().IsRegular() {
		p.f, err = os.OpenFile(name, os.O_WRONLY, 0)
	} else {
		p.temp = filepath.Join(filepath.Dir(p.target), fmt.Sprintf(".regola-%08x", rand.Uint32()))
		p.f, err = os.OpenFile(p.temp, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666) // less the umask
	}
	if err != nil {
		return nil, writeProblem(name, err)
	}
	if p.temp != "" {
		keepTemporary(p.temp, true)
		if p.old != nil {
			if err := p.f.Chmod(p.old.Mode().Perm()); err != nil {
				p.abort()
				return nil, writeProblem(name, err)
			}
		}
	}
	p.buffer = bufio.NewWriterSize(p.f, 64<<10)
	return p, nil
}

// Write implements io.Writer.
func (p *pending) Write(b []byte) (int, error) { return p.buffer.Write(b) }

// abort leaves everything as it was.
func (p *pending) abort() {
	if p.f == nil {
		return
	}
	p.f.Close()
	p.f = nil
	if p.temp != "" {
		os.Remove(p.temp)
		keepTemporary(p.temp, false)
	}
}

// same tells whether two files would be written to one place. What is written through,
// such as a device, may take several.
func (p *pending) same(o *pending) bool {
	if p.temp == "" || o.temp == "" {
		return false
	}
	return p.where() == o.where() || p.old != nil && o.old != nil && os.SameFile(p.old, o.old)
}

// where is the place of the file, whatever links lead to its folder.
func (p *pending) where() string { return resolved(p.target) }

// resolved is a path after the links of its folder, absolute where that can be known.
func resolved(name string) string {
	if full, err := filepath.Abs(name); err == nil {
		name = full
	}
	if dir, err := filepath.EvalSymlinks(filepath.Dir(name)); err == nil {
		return filepath.Join(dir, filepath.Base(name))
	}
	return name
}

// commit gives the file its name. Nothing that is kept is overwritten: neither a file
// nor, of a folder, anything in it.
func (p *pending) commit(kept []string) error {
	if p.temp != "" || p.old != nil {
		for _, in := range kept {
			what := ""
			other, err := os.Stat(in)
			switch {
			case err == nil && p.old != nil && os.SameFile(p.old, other):
				what = "this is an input, which would be overwritten"
			case p.temp != "" && resolved(in) == p.where():
				what = "this name belongs to the submission"
			case err == nil && other.IsDir() && p.temp != "" && inside(in, p.where()):
				what = "this folder belongs to the submission, " + in + ", and holds no reports"
			}
			if what != "" {
				p.abort()
				return &place.Problem{At: place.Place{File: p.name}, What: what, Fix: "choose another name"}
			}
		}
	}
	err := p.buffer.Flush()
	if err == nil {
		f := p.f
		if err = f.Close(); err == nil && p.temp != "" {
			if err = os.Rename(p.temp, p.target); err == nil {
				p.f = nil
				keepTemporary(p.temp, false)
			}
		}
	}
	if err != nil {
		p.abort()
		return writeProblem(p.name, err)
	}
	return nil
}

// inside tells whether a file lies in a folder, after the links of both.
func inside(folder, file string) bool {
	real, err := filepath.EvalSymlinks(folder)
	if err != nil {
		return false
	}
	if real, err = filepath.Abs(real); err != nil {
		return false
	}
	rel, err := filepath.Rel(real, file)
	return err == nil && filepath.IsLocal(rel)
}

// writeFile writes a whole file or nothing.
func writeFile(name string, inputs []string, write func(io.Writer) error) error {
	p, err := begin(name)
	if err != nil {
		return err
	}
	if err := write(p); err != nil {
		p.abort()
		return writeProblem(name, err)
	}
	return p.commit(inputs)
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
