package run

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/tables"
)

// additions are the rules and tables for a dossier: those of the runner, with what the
// dossier adds.
type additions struct {
	own      []*rulebook.Book
	set      *tables.Set
	problems place.Problems // with them nothing is compiled
	judges   func() *compiled
}

// compiled is the judges by store, or why there are none.
type compiled struct {
	by       map[string]*check.Judge
	problems place.Problems
	err      error
}

// prepare gives the judges and tables for a dossier, which may be nil.
func (r *Runner) prepare(d *dossier.Dossier) (map[string]*check.Judge, *tables.Set, error) {
	a, err := r.additions(d)
	if err != nil {
		return nil, nil, err
	}
	if len(a.problems) > 0 {
		return nil, nil, a.problems
	}
	problems := append(twice(a.own), r.names(d, a.own)...)
	j := a.judges()
	if j.err != nil {
		return nil, nil, j.err
	}
	return j.by, a.set, unique(append(problems, j.problems...)).Err()
}

// additions reads what a dossier adds; where all of it lies in a base, once for all
// dossiers that stand on it.
func (r *Runner) additions(d *dossier.Dossier) (*additions, error) {
	set, err := r.tables()
	if err != nil {
		return nil, err
	}
	if d == nil || len(d.Rulebooks)+len(d.Tables) == 0 {
		return r.join(nil, nil, set, nil), nil
	}
	books, tables := filesOf(d, d.Rulebooks), filesOf(d, d.Tables)
	var key strings.Builder
	for _, file := range slices.Concat(books, []string{""}, tables) {
		s, ok := stateOf(file)
		if file != "" && (!ok || inside(d.Root, file)) {
			return r.join(books, tables, set, d), nil
		}
		fmt.Fprintf(&key, "%s\x00%d\x00%d\x00", s.name, s.size, s.since)
	}
	read := r.added.Of(key.String(), func() func() *additions {
		return sync.OnceValue(func() *additions { return r.join(books, tables, set, d) })
	})
	return read(), nil
}

// filesOf are the files that a dossier names; what leads out of it was reported when it
// was read.
func filesOf(d *dossier.Dossier, names []string) (files []string) {
	for _, name := range names {
		if file, problem := d.Inside(name); problem == nil {
			files = append(files, file)
		}
	}
	return files
}

// join reads rulebooks and tables and adds them to those of the runner. d says where they
// are named.
func (r *Runner) join(books, files []string, set *tables.Set, d *dossier.Dossier) *additions {
	a := &additions{own: slices.Clip(r.own), set: set}
	typed, plain := set, false // the tables that rules may name
	for _, file := range books {
		b, ps := ReadBook(r.lib, file)
		a.problems = append(a.problems, namedAt(ps, file, fact.PlaceOf(d, &d.Rulebooks))...)
		if b != nil {
			a.own = append(a.own, b)
		}
	}
	if len(files) > 0 {
		a.set = set.Clone()
	}
	for _, file := range files {
		more, ps := ReadTables(file)
		a.problems = append(a.problems, namedAt(ps, file, fact.PlaceOf(d, &d.Tables))...)
		if more == nil {
			continue
		}
		a.set.Add(more)
		if len(more.Plain) > 0 {
			typed, plain = a.set, true
		}
	}
	a.judges = sync.OnceValue(func() *compiled { return r.judgesOf(a.own, typed, plain) })
	return a
}

// judgesOf are the built-in judges, or new ones where own rules, or tables that rules may
// name, come to them.
func (r *Runner) judgesOf(own []*rulebook.Book, typed *tables.Set, plain bool) *compiled {
	out := &compiled{by: map[string]*check.Judge{}}
	for _, s := range r.stores {
		j, err := r.judges[s.ID]()
		if err == nil && (len(own) > len(r.own) || plain) {
			j, err = r.newJudge(s, j.books, own, typed)
		}
		var ps place.Problems
		switch {
		case errors.As(err, &ps):
			out.problems = append(out.problems, ps...)
		case err != nil:
			out.err = err
		default:
			out.by[s.ID] = j.Judge
		}
	}
	return out
}
