// Package tree presents a package's files alike, whether they lie in an
// archive or in a folder. The directory is read once; contents are streamed
// when asked for. Nothing is ever written.
package tree

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"sort"
	"strings"

	"regola.example/regola/internal/core/format/zipscan"
)

// MaxWhole bounds one file that is read whole, in bytes.
const MaxWhole = 128 << 20

// Entry is one file of a package.
type Entry struct {
	Name       string // with forward slashes, relative to the root
	Size       int64  // bytes, inflated
	Compressed int64  // bytes in the archive; equal to Size in a folder
	Stored     bool   // not compressed
	Mode       fs.FileMode
	open       func() (io.ReadCloser, error)
	data       func() (int64, error)
}

// Open streams the contents.
func (e *Entry) Open() (io.ReadCloser, error) { return e.open() }

// DataOffset is where the contents begin in the archive, in bytes. It is
// computed from the local header, which may be padded for alignment.
func (e *Entry) DataOffset() (int64, error) {
	if e.data == nil {
		return 0, errors.New("a file in a folder has no archive offset")
	}
	return e.data()
}

// Tree is the files of a package.
type Tree struct {
	Entries []*Entry         // in the archive's order; sorted by name in a folder
	Archive *zipscan.Archive // nil for a folder
	byName  map[string]*Entry
}

// Get finds a file by its exact name, or nil.
func (t *Tree) Get(name string) *Entry { return t.byName[name] }

// Read reads a file whole, up to limit bytes (0 for MaxWhole). Memory follows
// what arrives, not what the directory claims.
func (t *Tree) Read(name string, limit int64) ([]byte, error) {
	e := t.Get(name)
	if e == nil {
		return nil, fs.ErrNotExist
	}
	return e.Read(limit)
}

// Read reads the file whole, up to limit bytes (0 for MaxWhole).
func (e *Entry) Read(limit int64) ([]byte, error) {
	if limit == 0 {
		limit = MaxWhole
	}
	r, err := e.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	b, err := io.ReadAll(io.LimitReader(r, limit+1))
	if err != nil {
		return nil, fmt.Errorf("cannot be unpacked: %w", err)
	}
	if int64(len(b)) > limit {
		return nil, fmt.Errorf("larger than the %d bytes that are read of such a file", limit)
	}
	return b, nil
}

// Below lists the files under a folder, which is given without a slash at its end.
func (t *Tree) Below(folder string) []*Entry {
	var out []*Entry
	for _, e := range t.Entries {
		if strings.HasPrefix(e.Name, folder+"/") {
			out = append(out, e)
		}
	}
	return out
}

func (t *Tree) add(e *Entry) {
	t.Entries = append(t.Entries, e)
	if _, twice := t.byName[e.Name]; !twice {
		t.byName[e.Name] = e
	}
}

// FromZip reads an archive's directory.
func FromZip(r io.ReaderAt, size int64) (*Tree, error) {
	z, err := zipscan.Scan(r, size)
	if err != nil {
		return nil, err
	}
	t := &Tree{Archive: z, byName: make(map[string]*Entry, len(z.Entries))}
	for _, f := range z.Entries {
		if strings.HasSuffix(f.Name, "/") {
			continue
		}
		t.add(&Entry{
			Name: f.Name, Size: f.Size, Compressed: f.Compressed,
			Stored: f.Method == zipscan.Stored, Mode: f.Mode, open: f.Open, data: f.DataOffset,
		})
	}
	return t, nil
}

// FromFolder lists a folder. Links are listed but never followed.
func FromFolder(root string) (*Tree, error) {
	t := &Tree{byName: make(map[string]*Entry)}
	var total int64
	err := filepath.WalkDir(root, func(p string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() {
			return nil
		}
		info, err := d.Info()
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(root, p)
		if err != nil {
			return err
		}
		if len(t.Entries) >= zipscan.MaxEntries {
			return fmt.Errorf("the folder holds more than %d files", zipscan.MaxEntries)
		}
		total += info.Size()
		t.add(&Entry{
			Name: filepath.ToSlash(rel), Size: info.Size(), Compressed: info.Size(), Stored: true, Mode: info.Mode(),
			open: func() (io.ReadCloser, error) {
				if !info.Mode().IsRegular() {
					return nil, errors.New("not a regular file")
				}
				return os.Open(p)
			},
		})
		return nil
	})
	if err != nil {
		return nil, err
	}
	sort.Slice(t.Entries, func(i, j int) bool { return t.Entries[i].Name < t.Entries[j].Name })
	return t, nil
}

// Sub is the part of the tree below a folder, with names relative to it. An
// empty folder gives the tree itself.
func (t *Tree) Sub(folder string) *Tree {
	if folder == "" {
		return t
	}
	s := &Tree{Archive: t.Archive, byName: make(map[string]*Entry)}
	for _, e := range t.Below(folder) {
		sub := *e
		sub.Name = e.Name[len(folder)+1:]
		s.add(&sub)
	}
	return s
}

// Folders lists the folders directly below a folder ("" for the root).
func (t *Tree) Folders(below string) []string {
	seen := map[string]bool{}
	var out []string
	for _, e := range t.Entries {
		rest := e.Name
		if below != "" {
			if !strings.HasPrefix(rest, below+"/") {
				continue
			}
			rest = rest[len(below)+1:]
		}
		if dir, _, ok := strings.Cut(rest, "/"); ok && !seen[dir] {
			seen[dir] = true
			out = append(out, path.Join(below, dir))
		}
	}
	sort.Strings(out)
	return out
}
