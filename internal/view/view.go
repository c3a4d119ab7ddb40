// Package view is what the driver hands to renderers: plain values, without the means by
// which they were found. A renderer knows results and views, and neither files nor rules.
package view

import (
	"strings"

	"regola.example/regola/internal/core/calendar"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/draft"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/weigh"
)

// Milestone is a day on which something changes, with what would be found from then on.
type Milestone struct {
	Day   day.Day
	Left  int // days from the day of the judgement
	Dates []calendar.Date
	New   []*check.Finding // that was not found the day before
	Gone  []string         // rules that are broken no more
}

// Side is one side of a comparison: a release for each store that it is for.
type Side struct {
	Name     string
	Releases map[string]*ledger.Release // by store, and by kind of device where that is no phone: android, android/watch
	Page     bool                       // it has texts, pictures and answers
}

// Compared is what differs for one store, and kind of device.
type Compared struct {
	Store    *store.Store
	Name     string          // the store's, with the kind of device where that is no phone
	Old, New *ledger.Release // nil where a side has no such package
	Change   *ledger.Change
}

// Draft is a dossier to fill in.
type Draft struct {
	Known  *draft.Known
	Files  []draft.File
	Marked []string      // the paths of what is marked as needed
	Result *check.Result // of the draft as it is
	Apart  []string      // packages that lie outside the dossier's folder, as the call named them
	Old    bool          // the folder has a dossier: Files are only those that it lacks
}

// Weight is what a package weighs, beside what the stores allow.
type Weight struct {
	*weigh.Weight
	Package *facts.Package
	Bounds  []Bound
}

// Bound is a limit of a store, and the size that is held against it.
type Bound struct {
	Store string // its id
	What  string
	Is    int64 // bytes
	Most  int64 // bytes
}

// Gallery is the pictures of one store with what is wrong with them.
type Gallery struct {
	*pictures.Gallery
	Store    *store.Store
	Classes  []*tables.PictureClass
	Needs    []*tables.PictureNeed
	Verdicts []*check.Verdict // of the rules on pictures
}

// Fault is one thing that is wrong with a picture, with its rule.
type Fault struct {
	*check.Fault
	Rule *rulebook.Rule
}

// Faults are what is wrong with a gallery, by the path of its part.
type Faults map[string][]Fault

// Faults puts what is wrong together by the item or the set that it is about.
func (g *Gallery) Faults() Faults {
	out := Faults{}
	for _, v := range g.Verdicts {
		for _, f := range v.Faults {
			part, _, _ := strings.Cut(f.Path, "]")
			if part == f.Path { // no item of a list
				part = ""
			}
			out[part] = append(out[part], Fault{f, v.Rule})
		}
	}
	return out
}

// Of lists what is wrong with an item or a set.
func (f Faults) Of(part fact.Marked) []Fault {
	path, _, _ := strings.Cut(fact.Of(part).Path(), "]")
	return f[path]
}

// Page lists what is wrong with the page as a whole.
func (f Faults) Page() []Fault { return f[""] }
