package view

import "regola.example/regola/internal/core/place"

// Fixes are the corrections of a dossier that need no decision.
type Fixes struct {
	Files  []*FixedFile
	Made   []*Fix         // in the order in which they were found
	Left   []*Fix         // that are not made here, with the reason
	Broken place.Problems // what keeps the dossier from being judged, and has to be corrected by hand
}

// FixedFile is one file with its corrections.
type FixedFile struct {
	Name   string // the path
	Before []byte
	After  []byte
	Rename string // the path that it becomes; empty when it keeps its name
}

// Fix is one correction.
type Fix struct {
	place.Edit
	Rule string // that asks for it; empty when it is the form of the file
	Why  string // what is wrong
	Left string // why it is not made; empty when it is
}
