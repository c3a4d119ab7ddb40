package run

import (
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/rulebooks"
)

// edition reads a further edition of a built-in rulebook: a file with the name of a
// built-in one, store and file, such as android/bundle.yaml. It is nil, without a
// problem, for any other file.
func (r *Runner) edition(file string) (*rulebook.Book, place.Problems) {
	all, err := r.lib.Stores()
	if err != nil {
		return nil, nil // reported where the rules are loaded
	}
	at := path.Join(filepath.Base(filepath.Dir(file)), filepath.Base(file))
	for _, s := range all {
		books, err := r.lib.Books(s)
		if err != nil {
			return nil, nil
		}
		for _, old := range books {
			if !strings.HasSuffix(old.File, "/"+at) {
				continue
			}
			data, err := safeopen.Read(file, maxYAML)
			if err != nil {
				return nil, nil // reported when it is read as a rulebook
			}
			b, ps := rulebook.Load(file, data)
			if len(ps) > 0 || b.Name != old.Name || b.Store != old.Store {
				return nil, ps
			}
			if b.Edition.Before(old.Edition.Time) {
				return nil, place.Problems{{At: fact.PlaceOf(b, &b.Edition), What: fmt.Sprintf("this edition of %s is older than the built-in one, of %s", at, old.Edition), Fix: "leave it out, or take a newer one"}}
			}
			if r.newer == nil {
				r.newer = map[string]*rulebook.Book{}
			}
			r.newer[old.File] = b
			return b, nil
		}
	}
	return nil, nil
}

// books are the built-in rulebooks of a store, in the editions that the call gives.
func (r *Runner) books(s *store.Store) ([]*rulebook.Book, error) {
	all, err := r.lib.Books(s)
	if err != nil || len(r.newer) == 0 {
		return all, err
	}
	out := slices.Clone(all)
	for i, b := range out {
		if n := r.newer[b.File]; n != nil {
			out[i] = n
		}
	}
	return out, nil
}

// Editions are those of the rulebooks and tables by which this runner judges, by file.
func (r *Runner) Editions() (map[string]string, error) {
	out := map[string]string{}
	for _, s := range r.stores {
		books, err := r.books(s)
		if err != nil {
			return nil, err
		}
		for _, b := range append(slices.Clone(books), r.own...) {
			out[b.File] = b.Edition.String()
		}
	}
	set, err := r.tables()
	if err != nil {
		return nil, err
	}
	out[rulebooks.Prefix+"tables"] = set.Edition.String()
	return out, nil
}
