// Package write writes files whole or not at all: to a temporary file beside their
// place, whose name they take in the end. It is the one place where files of users take
// their names, so that the end of a call can stop it.
package write

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

	"regola.example/regola/internal/core/place"
)

// naming is held while a file takes its name.
var naming sync.Mutex

// Stop keeps every file from taking its name from now on, after the one that may be about
// to. It is for the end of the program.
func Stop() { naming.Lock() }

func rename(from, to string) error {
	naming.Lock()
	defer naming.Unlock()
	return os.Rename(from, to)
}

// temporary keeps the names of files that are being written, so that an
// interrupt leaves none behind.
var temporary struct {
	sync.Mutex
	names map[string]bool
}

func keep(name string, yes bool) {
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

// RemoveTemporary removes every file that is half written.
func RemoveTemporary() {
	temporary.Lock()
	defer temporary.Unlock()
	for name := range temporary.names {
		os.Remove(name)
	}
}

// File is a file that is being written: to a temporary file beside its place,
// whose name it takes in the end. A link is followed, the permissions of a file that
// is there are kept. What is no regular file (a device, a pipe) is written through.
type File struct {
	name, target string
	old          fs.FileInfo // what has the name now; nil for nothing
	f            *os.File
	buffer       *bufio.Writer
	temp         string // empty for what is written through
}

// Begin begins a file. Errors are *place.Problem.
func Begin(name string) (*File, error) {
	p := &File{name: name, target: name}
	info, err := os.Stat(name)
	switch {
	case err == nil && info.IsDir():
		return nil, Problem(name, errors.New("it is a folder"))
	case err == nil:
		p.old = info
		if info.Mode().IsRegular() {
			if p.target, err = filepath.EvalSymlinks(name); err != nil {
				return nil, Problem(name, err)
			}
		}
	case !errors.Is(err, fs.ErrNotExist):
		return nil, Problem(name, err)
	default:
		if link, err := os.Lstat(name); err == nil && link.Mode()&fs.ModeSymlink != 0 {
			return nil, Problem(name, errors.New("it is a link that leads nowhere"))
		}
	}
	if p.old != nil && !p.old.Mode().IsRegular() {
		p.f, err = os.OpenFile(name, os.O_WRONLY, 0)
	} else {
		p.temp = filepath.Join(filepath.Dir(p.target), fmt.Sprintf(".regola-%08x", rand.Uint32()))
		p.f, err = os.OpenFile(p.temp, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666) // less the umask
	}
	if err != nil {
		return nil, Problem(name, err)
	}
	if p.temp != "" {
		keep(p.temp, true)
		if p.old != nil {
			if err := p.f.Chmod(p.old.Mode().Perm()); err != nil {
				p.Abort()
				return nil, Problem(name, err)
			}
		}
	}
	p.buffer = bufio.NewWriterSize(p.f, 64<<10)
	return p, nil
}

// Write implements io.Writer.
func (p *File) Write(b []byte) (int, error) { return p.buffer.Write(b) }

// Abort leaves everything as it was.
func (p *File) Abort() {
	if p.f == nil {
		return
	}
	p.f.Close()
	p.f = nil
	if p.temp != "" {
		os.Remove(p.temp)
		keep(p.temp, false)
	}
}

// Name is the file as it was named.
func (p *File) Name() string { return p.name }

// Same tells whether two files would be written to one place. What is written through,
// such as a device, may take several.
func (p *File) Same(o *File) bool {
	if p.temp == "" || o.temp == "" {
		return false
	}
	return p.where() == o.where() || p.old != nil && o.old != nil && os.SameFile(p.old, o.old)
}

// where is the place of the file, whatever links lead to its folder.
func (p *File) where() string { return resolved(p.target) }

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

// Commit gives the file its name. Nothing that is kept is overwritten: neither a file
// nor, of a folder, anything in it.
func (p *File) Commit(kept []string) error {
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
				p.Abort()
				return &place.Problem{At: place.Place{File: p.name}, What: what, Fix: "choose another name"}
			}
		}
	}
	err := p.buffer.Flush()
	if err == nil {
		f := p.f
		if err = f.Close(); err == nil && p.temp != "" {
			if err = rename(p.temp, p.target); err == nil {
				p.f = nil
				keep(p.temp, false)
			}
		}
	}
	if err != nil {
		p.Abort()
		return Problem(p.name, err)
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

// Whole writes a whole file or nothing. kept are files and folders that it must not
// replace or lie in.
func Whole(name string, kept []string, write func(io.Writer) error) error {
	p, err := Begin(name)
	if err != nil {
		return err
	}
	if err := write(p); err != nil {
		p.Abort()
		return Problem(name, err)
	}
	return p.Commit(kept)
}

// Synced writes data to a file of which readers see the old contents or the new ones,
// also after a power cut. The permissions stay; temp is the name beside it that is used
// on the way, of which one writer at a time may make use. allowed is asked when
// everything but the name is done.
func Synced(file, temp string, data []byte, allowed func() error) (err error) {
	mode := fs.FileMode(0o644)
	if info, err := os.Stat(file); err == nil {
		mode = info.Mode().Perm()
	}
	name := filepath.Join(filepath.Dir(file), temp)
	if err := os.Remove(name); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err // what a killed program left is written over
	}
	f, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	keep(name, true)
	defer func() {
		if err != nil {
			f.Close()
			os.Remove(name)
		}
		keep(name, false)
	}()
	if _, err = f.Write(data); err != nil {
		return err
	}
	if err = errors.Join(f.Chmod(mode), f.Sync()); err != nil {
		return err
	}
	if err = f.Close(); err != nil {
		return err
	}
	naming.Lock()
	defer naming.Unlock()
	if err = allowed(); err != nil {
		return err
	}
	if err = os.Rename(name, file); err != nil {
		return err
	}
	if dir, err := os.Open(filepath.Dir(file)); err == nil {
		_ = dir.Sync() // some systems do not know it for folders
		dir.Close()
	}
	return nil
}

// Problem says why a file cannot be written, and what to do.
func Problem(name string, err error) error {
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
