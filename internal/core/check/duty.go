package check

import (
	"cmp"
	"slices"
	"strings"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
)

// DutyState is how far a duty is done.
type DutyState string

// The states of a duty.
const (
	Due          DutyState = "open"         // the dossier does not answer it
	Contradicted DutyState = "contradicted" // what the dossier says, or leaves out, breaks a rule
	Done         DutyState = "done"
)

// DutyStates lists the states in the order of work.
var DutyStates = []DutyState{Due, Contradicted, Done}

// Duty is what a store will make people answer, declare, host or hand in
// because of this package and dossier.
type Duty struct {
	Rule    *rulebook.Rule
	State   DutyState
	What    string      // in a few words
	Because string      // the evidence; empty for what every release is asked
	At      place.Place // of the evidence
	Write   string      // where the dossier answers it
	Act     string      // what is to be done: answer, declare, host or hand in
	Stores  []string
	Impact  rulebook.Impact // what the store does without it
}

// Duties lists what the stores ask: open ones first, the gravest first in
// each. What no rule words as a duty, and is needed and not answered, is one by
// itself: the question is the dossier's own.
func (r *Result) Duties() []*Duty {
	if r.Asked != nil {
		return r.Asked
	}
	var out []*Duty
	add := func(d Duty, store string) {
		for _, o := range out {
			if o.Write != d.Write || o.What != d.What {
				continue
			}
			if !slices.Contains(o.Stores, store) {
				o.Stores = append(o.Stores, store)
			}
			if d.Because != "" && o.Because == "" {
				o.Because, o.At = d.Because, d.At
			}
			o.Impact = graver(o.Impact, d.Impact)
			if rank(d.State) < rank(o.State) {
				o.State, o.Rule = d.State, d.Rule
			}
			return
		}
		d.Stores = []string{store}
		out = append(out, &d)
	}
	for _, s := range r.Stores {
		for _, v := range s.Verdicts {
			for _, d := range v.Duties {
				add(*d, s.ID)
			}
		}
	}
	worded := slices.Clone(out)
	for _, s := range r.Stores {
		for _, v := range s.Verdicts {
			if len(v.Duties) > 0 {
				continue
			}
			for _, g := range v.Gaps {
				what, path := dossier.Question(g.Path), dossier.Own(g.Path)
				if g.Kind == fact.NotRead || what == "" || slices.ContainsFunc(worded, func(d *Duty) bool { return within(path, d.Write) && (d.State == Due || path == d.Write) }) {
					continue
				}
				add(Duty{Rule: v.Rule, State: Due, What: what, Write: path, Act: actOf(path, ""), Impact: v.Rule.Fixed()}, s.ID)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b *Duty) int {
		return cmp.Or(rank(a.State)-rank(b.State), gravity(a.Impact)-gravity(b.Impact), cmp.Compare(b2i(a.Because == ""), b2i(b.Because == "")))
	})
	return out
}

// actOf is what is to be done, as the rule says or as the dossier's field does.
func actOf(path, said string) string {
	if said != "" {
		return strings.ReplaceAll(said, "-", " ")
	}
	return dossier.ActAt(path)
}

// Since leaves out of duties what the stores asked before: because of an older
// package, with the same dossier. Only stores with an older package are looked at.
func Since(now []*Duty, old *Result) []*Duty {
	asked := map[string]bool{}
	had := map[string]bool{}
	for _, s := range old.Stores {
		had[s.ID] = s.Package != ""
	}
	for _, d := range old.Duties() {
		for _, s := range d.Stores {
			asked[s+"\x00"+d.What+"\x00"+d.Because+"\x00"+d.Write] = true
			asked[s+"\x00"+d.What+"\x00"+d.Write] = true
		}
	}
	var out []*Duty
	for _, d := range now {
		var stores []string
		for _, s := range d.Stores {
			// What is done already is new only when it was not asked at all.
			before := asked[s+"\x00"+d.What+"\x00"+d.Because+"\x00"+d.Write] || d.State == Done && asked[s+"\x00"+d.What+"\x00"+d.Write]
			if had[s] && !before {
				stores = append(stores, s)
			}
		}
		if len(stores) > 0 {
			one := *d
			one.Stores = stores
			out = append(out, &one)
		}
	}
	return out
}

// within tells whether a path is another, or leads into it.
func within(path, other string) bool { return path == other || strings.HasPrefix(path, other+".") }

func b2i(b bool) int {
	if b {
		return 1
	}
	return 0
}

func rank(s DutyState) int { return slices.Index(DutyStates, s) }

// graver is the graver of two impacts; the empty one is that of a rule whose
// impact depends on its item.
func graver(a, b rulebook.Impact) rulebook.Impact {
	if a == "" || b != "" && gravity(b) < gravity(a) {
		return b
	}
	return a
}
