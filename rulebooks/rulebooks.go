// Package rulebooks holds the built-in stores, rules and reference tables, as
// data. To change a number or a rule, edit the YAML beside this file; to add a
// store, add a folder with a store.yaml.
package rulebooks

import (
	"bytes"
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"sync"

	"regola.example/regola/internal/core/letter"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/work"
)

//go:embed */*.yaml */generated.txt
var files embed.FS

// Prefix stands before the path of a built-in file wherever it is named.
const Prefix = "rulebooks/"

// tablesFolder holds the reference tables.
const tablesFolder = "tables"

// Library is a folder of stores, their rulebooks and tables. Everything is
// read once. An error is a fault of the files.
type Library struct {
	files   fs.FS
	prefix  string // before the name of each file
	loaded  sync.Map
	stores  func() ([]*store.Store, error)
	tables  func() (*tables.Set, error)
	letters func() ([]*letter.Row, error)
}

// BuiltIn is the library that the program brings along.
var BuiltIn = NewLibrary(files, Prefix)

// NewLibrary is a library in a folder of the same form.
func NewLibrary(files fs.FS, prefix string) *Library {
	l := &Library{files: files, prefix: prefix}
	l.stores = sync.OnceValues(l.loadStores)
	l.tables = sync.OnceValues(func() (*tables.Set, error) { return l.loadTables(func([]byte) bool { return true }) })
	l.letters = sync.OnceValues(l.loadLetters)
	return l
}

// lettersFolder holds the reasons for which stores send things back.
const lettersFolder = "letters"

// Letters are the reasons for which the stores send things back, by store and number. They
// are read when somebody asks for them.
func (l *Library) Letters() ([]*letter.Row, error) { return l.letters() }

func (l *Library) loadLetters() (rows []*letter.Row, err error) {
	names, err := fs.Glob(l.files, lettersFolder+"/*.yaml")
	if err != nil {
		return nil, err
	}
	for _, name := range names {
		data, err := fs.ReadFile(l.files, name)
		if err != nil {
			return nil, err
		}
		more, problems := letter.Load(l.prefix+name, data)
		if len(problems) > 0 {
			return nil, problems
		}
		rows = append(rows, more...)
	}
	return rows, nil
}

// Stores lists the stores, by id.
func (l *Library) Stores() ([]*store.Store, error) { return l.stores() }

func (l *Library) loadStores() ([]*store.Store, error) {
	names, err := fs.Glob(l.files, "*/"+store.FileName)
	if err != nil {
		return nil, err
	}
	var out []*store.Store
	for _, name := range names {
		data, err := fs.ReadFile(l.files, name)
		if err != nil {
			return nil, err
		}
		s, ps := store.Load(l.prefix+name, data)
		if len(ps) > 0 {
			return nil, ps
		}
		if dir := path.Dir(name); s.ID != dir {
			return nil, &place.Problem{At: s.Field("store"), What: fmt.Sprintf("the store %q is described in the folder %q", s.ID, dir), Fix: "give both one name"}
		}
		out = append(out, s)
	}
	return out, nil
}

// Books loads the rulebooks of a store without their examples, which the test
// suite runs (see WithExamples).
func (l *Library) Books(s *store.Store) ([]*rulebook.Book, error) { return l.books(s, l.book) }

// Noting are those of the rulebooks of a store that say something beside facts: two
// of forty.
func (l *Library) Noting(s *store.Store) ([]*rulebook.Book, error) {
	all, err := l.books(s, func(name string) (*rulebook.Book, error) {
		data, err := fs.ReadFile(l.files, name)
		if err != nil || !bytes.Contains(data, []byte("\nnotes:")) {
			return nil, err
		}
		return l.book(name)
	})
	return slices.DeleteFunc(all, func(b *rulebook.Book) bool { return b == nil }), err
}

// book loads one rulebook, once.
func (l *Library) book(name string) (*rulebook.Book, error) {
	f, _ := l.loaded.LoadOrStore(name, sync.OnceValues(func() (*rulebook.Book, error) {
		y, err := l.document(name)
		if err != nil {
			return nil, err
		}
		b, ps := rulebook.Decode(y)
		return b, ps.Err()
	}))
	return f.(func() (*rulebook.Book, error))()
}

// WithExamples loads the rulebooks of a store whole.
func (l *Library) WithExamples(s *store.Store) ([]*rulebook.Book, error) {
	return l.books(s, func(name string) (*rulebook.Book, error) {
		data, err := fs.ReadFile(l.files, name)
		if err != nil {
			return nil, err
		}
		b, ps := rulebook.Load(l.prefix+name, data)
		return b, ps.Err()
	})
}

func (l *Library) books(s *store.Store, one func(name string) (*rulebook.Book, error)) ([]*rulebook.Book, error) {
	var names []string
	for _, dir := range s.Rulebooks {
		more, err := fs.Glob(l.files, dir+"/*.yaml")
		if err != nil {
			return nil, err
		}
		names = append(names, slices.DeleteFunc(more, func(n string) bool { return path.Base(n) == store.FileName })...)
	}
	books, errs := make([]*rulebook.Book, len(names)), make([]error, len(names))
	err := work.Each(context.Background(), len(names), func(i int) { books[i], errs[i] = one(names[i]) })
	if err = errors.Join(append(errs, err)...); err != nil {
		return nil, fmt.Errorf("built-in rulebook: %w", err)
	}
	return books, nil
}

// Names lists the names of all rulebooks: they belong to the built-in rules.
func (l *Library) Names() ([]string, error) {
	stores, err := l.Stores()
	if err != nil {
		return nil, err
	}
	var out []string
	for _, s := range stores {
		for _, dir := range s.Rulebooks {
			if !slices.Contains(out, dir) {
				out = append(out, dir)
			}
		}
	}
	return out, nil
}

// Tables loads the reference tables.
func (l *Library) Tables() (*tables.Set, error) { return l.tables() }

// TablesOf loads some tables only, by their names, and those that lie in one file with
// them: for calls that need two of forty.
func (l *Library) TablesOf(names ...string) (*tables.Set, error) {
	return l.loadTables(func(data []byte) bool {
		return slices.ContainsFunc(names, func(n string) bool { return bytes.Contains(data, []byte("\n"+n+":")) })
	})
}

// loadTables loads the files of tables whose text is wanted.
func (l *Library) loadTables(wanted func(data []byte) bool) (*tables.Set, error) {
	names, err := fs.Glob(l.files, tablesFolder+"/*.yaml")
	if err != nil {
		return nil, err
	}
	names = slices.DeleteFunc(names, func(name string) bool {
		data, err := fs.ReadFile(l.files, name)
		return err == nil && !wanted(data) // else it is reported where it is read
	})
	sets, errs := make([]*tables.Set, len(names)), make([]error, len(names))
	err = work.Each(context.Background(), len(names), func(i int) {
		y, err := l.document(names[i])
		if err != nil {
			errs[i] = err
			return
		}
		var ps place.Problems
		sets[i], ps = tables.Decode(y)
		errs[i] = ps.Err()
	})
	if err = errors.Join(append(errs, err)...); err != nil {
		return nil, fmt.Errorf("built-in table: %w", err)
	}
	all := &tables.Set{}
	for _, s := range sets {
		all.Add(s)
	}
	return all, nil
}
