package run

import (
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/late"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/work"
)

// notes are what some rulebooks say beside facts, with the environment of what they say.
type notes struct {
	env   *check.Env
	books []*rulebook.Book
	set   *tables.Set // those that the notes look at
}

// tableNames finds the tables that a note looks at.
var tableNames = late.Regexp(`\btable\.([a-z0-9_]+)`)

// noting loads the built-in rulebooks that say something beside facts, without all others.
func (r *Runner) noting(s *store.Store) (*notes, error) {
	books, err := r.lib.Noting(s)
	if err != nil {
		return nil, err
	}
	var names []string
	for _, b := range books {
		for _, n := range b.Notes {
			for _, m := range tableNames().FindAllStringSubmatch(n.When.Src+" "+n.Say.Src, -1) {
				names = append(names, m[1])
			}
		}
	}
	set, err := r.lib.TablesOf(names...)
	if err != nil {
		return nil, err
	}
	env, ps := check.NewEnv(books, set, r.lib.Typed(s))
	return &notes{env, books, set}, ps.Err()
}

// Warm loads what Notes needs for the packages of a platform, for a call that has
// something else to do meanwhile. What goes wrong is an error of Notes.
func (r *Runner) Warm(platform string) {
	for _, s := range r.stores {
		if s.Platform == platform {
			work.Ahead(func() { _, _ = r.notes[s.ID]() })
		}
	}
}

// Notes are what the stores' rulebooks say beside the facts of a package today,
// by the fact's path.
func (r *Runner) Notes(p *facts.Package) (map[string]string, error) {
	out := map[string]string{}
	for _, s := range r.stores {
		if !s.Takes(p.Platform(), p.Kind) {
			continue
		}
		noting, err := r.notes[s.ID]()
		if err != nil {
			return nil, err
		}
		sub := submission.New(submission.Sources{Store: s, Package: p, Tables: noting.set.On(r.opt.Day)})
		for _, b := range noting.books {
			for _, n := range b.Notes {
				if text := noting.env.Note(b, n, sub, r.opt.Day); text != "" {
					out[strings.TrimPrefix(n.Of, "pkg.")] = text
				}
			}
		}
	}
	return out, nil
}
