package view

import (
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/letter"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/store"
)

// Letter is a letter of a store, held against the release of a dossier.
type Letter struct {
	*letter.Letter
	Store   *store.Store // nil where the letter does not show which
	Other   string       // why the letter is about another app; empty when it can be about this one
	Release string       // the release of the ledger that it is about, as 1.4.0 (1402); empty when there is none
	Missing string       // why there is none
	Issues  []*LetterIssue
	Word    string // the decision, as the ledger takes it
}

// LetterIssue is one issue of a letter with what the release shows of it.
type LetterIssue struct {
	*letter.Issue
	Causes []*Cause // what is broken
	Held   []string // rules that were judged and hold
	Open   []string // rules that wait for an answer or a confirmation, or could not be judged
	Seen   []Seen   // what the letter names, in the package
	About  []string // its subject, as the ledger keeps it
}

// Cause is a broken rule that explains an issue.
type Cause struct {
	Rule   string
	Faults []*check.Fault
	Named  bool // it is about the very thing that the letter names
}

// Seen is a thing that a letter names, and what it is here.
type Seen struct {
	What string
	Is   string
	Gone bool // it is a part of packages, and this one has it not
	At   place.Place
}
