package view

import (
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/tables"
)

// NeededStore is the pictures that one store wants of a release.
type NeededStore struct {
	Store *store.Store
	Rows  []*Needed
}

// Needed is one kind of picture that a page wants.
type Needed struct {
	Classes []*tables.PictureClass // of which one is enough
	What    string
	Device  string // for which it is; empty for every app
	Sure    bool   // the app is known to run on such a device; otherwise it depends
	Least   int    // how many are needed in the default language
	Impact  string // what a store does without it
	Looked  bool   // somebody looked for pictures
	Has     []HasPictures
}

// HasPictures is how many pictures a language has.
type HasPictures struct {
	Language string // empty for pictures without one
	Count    int
}
