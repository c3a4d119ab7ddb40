// Package rulebooks holds the built-in rules and reference tables, as data.
// To change a number or a rule, edit the YAML beside this file.
package rulebooks

import (
	"embed"
	"fmt"
	"io/fs"
	"path"

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

// For loads the built-in rulebooks of a store. An error is a fault of this
// program; the test suite loads them all.
func For(store string) ([]*rulebook.Book, error) {
	var books []*rulebook.Book
	for _, dir := range folders(store) {
		names, err := fs.Glob(files, dir+"/*.yaml")
		if err != nil {
			return nil, err
		}
		for _, name := range names {
			data, err := files.ReadFile(name)
			if err != nil {
				return nil, err
			}
			b, problems := rulebook.Load(Prefix+name, data)
			if len(problems) > 0 {
				return nil, fmt.Errorf("built-in rulebook: %w", problems)
			}
			b.BuiltIn = true
			books = append(books, b)
		}
	}
	return books, nil
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
