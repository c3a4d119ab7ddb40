package run

import (
	"fmt"
	"slices"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/didyoumean"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
)

// mostWaived is how long a waiver may last, and what is postponed may wait, in days.
const mostWaived = 366

// names holds what own rules and a dossier say of rules against the rules:
// predecessors, waivers and confirmations.
func (r *Runner) names(d *dossier.Dossier, own []*rulebook.Book) (ps place.Problems) {
	if len(own) == 0 && (d == nil || len(d.Waivers)+len(d.Postponed)+len(d.Confirmed) == 0) {
		return nil
	}
	var ids, words []string
	note := func(books []*rulebook.Book) {
		for _, b := range books {
			for _, rule := range b.Rules {
				ids = append(ids, rule.ID)
				if rule.Confirm != "" {
					words = append(words, rule.Confirm)
				}
			}
		}
	}
	all, err := r.lib.Stores()
	if err != nil {
		return nil // reported where the rules are loaded
	}
	for _, s := range all {
		books, err := r.books(s)
		if err != nil {
			return nil
		}
		note(books)
	}
	note(own)
	isID, isWord := setOf(ids), setOf(words)
	dropped := 0
	check := func(at place.Place, word, what string, known []string, is map[string]bool, otherwise string) {
		if is[word] {
			return
		}
		if len(ps) >= maxNames { // what was meant takes long to find
			dropped++
			return
		}
		fix := otherwise
		if near := didyoumean.Nearest(word, known); near != "" {
			fix = fmt.Sprintf("did you mean %q? %s", near, otherwise)
		}
		p := &place.Problem{At: at, What: fmt.Sprintf("there is no %s %q", what, word), Fix: fix}
		if meant := didyoumean.Sure(word, known); meant != "" {
			p.Edit = &place.Edit{At: at, Was: word, Becomes: meant}
		}
		ps = append(ps, p)
	}
	for _, b := range own {
		for _, rule := range b.Rules {
			for _, id := range rule.After {
				check(fact.PlaceOf(rule, &rule.After), id, "rule", ids, isID, `"regola rules" lists them`)
			}
		}
	}
	if d == nil {
		return ps
	}
	limit := r.opt.Day.AddDate(0, 0, mostWaived)
	bounded := func(at place.Place, until day.Day, what string) {
		if until.After(limit) && len(ps) < maxNames {
			ps = append(ps, &place.Problem{At: at, What: what + " longer than a year", Fix: "write a day up to " + limit.Format("2006-01-02") + ", and look at it again then"})
		}
	}
	for _, w := range d.Waivers {
		check(fact.PlaceOf(w, &w.Rule), w.Rule, "rule", ids, isID, `"regola rules" lists them`)
		bounded(fact.PlaceOf(w, &w.Until), w.Until, "the waiver lasts")
	}
	for _, p := range d.Postponed {
		check(fact.PlaceOf(p, &p.Rule), p.Rule, "rule", ids, isID, `"regola rules" lists them`)
		bounded(fact.PlaceOf(p, &p.Until), p.Until, "this waits")
	}
	for _, c := range d.Confirmed {
		check(fact.PlaceOf(c, &c.What), c.What, "confirmation", words, isWord, `"regola tables confirmations" lists them`)
	}
	if dropped > 0 {
		ps = append(ps, &place.Problem{At: d.Self(), What: fmt.Sprintf("%d more names of rules and confirmations are not known", dropped), Fix: "correct these first"})
	}
	return ps
}

// maxNames bounds how many names that are not known are listed.
const maxNames = 50

func setOf(list []string) map[string]bool {
	out := make(map[string]bool, len(list))
	for _, s := range list {
		out[s] = true
	}
	return out
}

// namedAt says where the dossier names a file that cannot be opened.
func namedAt(ps place.Problems, file string, at place.Place) place.Problems {
	for _, p := range ps {
		if p.At == (place.Place{File: file}) {
			p.Fix += "; it is named at " + at.String()
		}
	}
	return ps
}

// unique drops problems that several stores have in common.
func unique(ps place.Problems) place.Problems {
	seen := map[string]bool{}
	return slices.DeleteFunc(ps, func(p *place.Problem) bool {
		key := p.Error()
		twice := seen[key]
		seen[key] = true
		return twice
	})
}

// twice finds rulebooks of one name: their rules could not be told apart, and
// the same file twice would be judged twice.
func twice(books []*rulebook.Book) (ps place.Problems) {
	seen := map[string]*rulebook.Book{}
	for _, b := range books {
		if other := seen[b.Name]; other != nil {
			ps = append(ps, &place.Problem{At: fact.PlaceOf(b, &b.Name), What: fmt.Sprintf("the rulebook %q is given twice; the other is %s", b.Name, other.File), Fix: "name each file once, and give each rulebook a name of its own"})
		}
		seen[b.Name] = b
	}
	return ps
}
