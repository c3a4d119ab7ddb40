package run

import (
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/rulebooks"
)

// Tested is what became of a rulebook whose examples were run.
type Tested struct {
	Rules, Examples int
	Failures        []error // examples that do not come out as they say
}

// TestBook types a rulebook and runs its examples: one of a team's own, or an edition of
// a built-in file, which is typed among the other rules of its store. own are files of
// further tables.
func TestBook(lib *rulebooks.Library, file string, own []string) (*Tested, place.Problems) {
	set, err := lib.Tables()
	if err != nil {
		return nil, place.Problems{{What: err.Error()}}
	}
	if len(own) > 0 {
		set = set.Clone()
	}
	for _, name := range own {
		more, ps := ReadTables(name)
		if len(ps) > 0 {
			return nil, ps
		}
		set.Add(more)
	}
	r, err := New(lib, Options{})
	if err != nil {
		return nil, place.Problems{{What: err.Error()}}
	}
	b, ps := r.edition(file)
	if len(ps) > 0 {
		return nil, ps
	}
	if b == nil {
		if b, ps = ReadBook(lib, file); len(ps) > 0 {
			return nil, ps
		}
		return testBook(b, []*rulebook.Book{b}, set)
	}
	for _, s := range r.stores {
		if !b.For(s.ID) {
			continue
		}
		books, err := r.books(s)
		if err != nil {
			return nil, place.Problems{{What: err.Error()}}
		}
		return testBook(b, books, set) // examples of rules for all stores name theirs
	}
	return nil, place.Problems{{At: fact.PlaceOf(b, &b.Store), What: "no store has these rules", Fix: "name a store, or all"}}
}

// CheckBook types a rulebook of a team's own whose contents are known, and runs its examples.
// set holds the tables that it may look things up in.
func CheckBook(lib *rulebooks.Library, file string, data []byte, set *tables.Set) (*Tested, place.Problems) {
	b, ps := ParseBook(lib, file, data)
	if len(ps) > 0 {
		return nil, ps
	}
	return testBook(b, []*rulebook.Book{b}, set)
}

// testBook tests one of the books of an environment.
func testBook(b *rulebook.Book, among []*rulebook.Book, set *tables.Set) (*Tested, place.Problems) {
	env, ps := check.NewEnv(among, set, nil)
	if len(ps) > 0 {
		return nil, ps
	}
	out := &Tested{Rules: len(b.Rules)}
	ps = env.CheckNotes(b)
	for _, rule := range b.Rules {
		p := env.Prepare(rule)
		if more := p.Check(); len(more) > 0 {
			ps = append(ps, more...)
			continue
		}
		out.Examples += len(rule.Examples)
		if err := p.TestExamples(); err != nil {
			out.Failures = append(out.Failures, err)
		}
	}
	if len(ps) > 0 {
		return nil, ps
	}
	return out, nil
}
