// Package rulebooks holds the built-in rules and reference tables, as data.
// To change a number or a rule, edit the YAML beside this file.
package rulebooks

import (
	"bytes"
	"embed"
	"fmt"
	"io/fs"
	"path"
	"sync"

	"regola.example/regola/internal/core/catalogue"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/strictyaml"
)

//go:embed android ios common catalogue
var files embed.FS

// Prefix stands before the path of a built-in file wherever it is named.
const Prefix = "rulebooks/"

// Folders lists the folders of rules that serve a store.
func folders(store string) []string { return []string{store, "common"} }

// For loads the built-in rulebooks of a store, without their examples: the
// test suite runs those (see WithExamples). An error is a fault of this program.
func For(store string) ([]*rulebook.Book, error) { return load(store, loadOnce) }

// WithExamples loads the built-in rulebooks of a store whole.
func WithExamples(store string) ([]*rulebook.Book, error) {
	return load(store, func(name string) (*rulebook.Book, error) {
		data, err := files.ReadFile(name)
		if err != nil {
			return nil, err
		}
		return parse(name, data)
	})
}

func load(store string, one func(name string) (*rulebook.Book, error)) ([]*rulebook.Book, error) {
	var books []*rulebook.Book
	for _, dir := range folders(store) {
		names, err := fs.Glob(files, dir+"/*.yaml")
		if err != nil {
			return nil, err
		}
		for _, name := range names {
			b, err := one(name)
			if err != nil {
				return nil, err
			}
			books = append(books, b)
		}
	}
	return books, nil
}

// loaded keeps books that were loaded: both stores share some.
var loaded sync.Map // name → func() (*rulebook.Book, error)

func loadOnce(name string) (*rulebook.Book, error) {
	f, _ := loaded.LoadOrStore(name, sync.OnceValues(func() (*rulebook.Book, error) {
		data, err := files.ReadFile(name)
		if err != nil {
			return nil, err
		}
		b, err := parse(name, withoutExamples(data))
		if err == nil {
			b.BuiltIn = true
		}
		return b, err
	}))
	return f.(func() (*rulebook.Book, error))()
}

func parse(name string, data []byte) (*rulebook.Book, error) {
	b, problems := rulebook.Load(Prefix+name, data)
	if len(problems) > 0 {
		return nil, fmt.Errorf("built-in rulebook: %w", problems)
	}
	return b, nil
}

// withoutExamples blanks the examples of the rules, which are half of the text
// and serve the tests only. Lines keep their numbers. A rule without examples
// says so, since the loader demands them of everybody else.
func withoutExamples(data []byte) []byte {
	var out bytes.Buffer
	out.Grow(len(data))
	inside := false
	for line := range bytes.Lines(data) {
		switch {
		case bytes.Equal(line, []byte("    examples:\n")):
			inside = true
			out.WriteString("    tested: true\n")
			continue
		case inside && (bytes.HasPrefix(line, []byte("      ")) || len(bytes.TrimSpace(line)) == 0):
			out.WriteByte('\n')
			continue
		}
		inside = false
		out.Write(line)
	}
	return out.Bytes()
}

// Catalogue loads the built-in reference tables.
func Catalogue() (*catalogue.Catalogue, error) {
	names, err := fs.Glob(files, "catalogue/*.yaml")
	if err != nil {
		return nil, err
	}
	all := &catalogue.Catalogue{}
	for _, name := range names {
		data, err := files.ReadFile(name)
		if err != nil {
			return nil, err
		}
		more, problems := ParseCatalogue(Prefix+name, data)
		if len(problems) > 0 {
			return nil, fmt.Errorf("built-in catalogue: %w", problems)
		}
		all.Add(more)
	}
	return all, nil
}

// ParseCatalogue reads one catalogue file, built in or a team's own.
func ParseCatalogue(file string, data []byte) (*catalogue.Catalogue, place.Problems) {
	c := &catalogue.Catalogue{}
	if ps := strictyaml.Decode(file, data, c); len(ps) > 0 {
		return nil, ps
	}
	return c, nil
}

// Source is the text of a built-in file, for explanations.
func Source(file string) ([]byte, error) {
	return files.ReadFile(path.Clean(file[len(Prefix):]))
}
