// Package store describes the stores that submissions are judged for. A store
// is a folder of rulebooks with a description of its own, store.yaml; nothing
// in the program knows a store by its name.
package store

import (
	"slices"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/strictyaml"
)

// FileName is the description in a store's folder.
const FileName = "store.yaml"

// Platforms of packages.
const (
	Android = "android"
	IOS     = "ios"
)

// Store is one store.
type Store struct {
	fact.Mark `json:"-"`
	ID        string   `json:"store" need:"its id, in commands, files and output" like:"^[a-z][a-z0-9-]*$" hint:"small letters, digits and hyphens"`
	Name      string   `json:"name" need:"how texts call it, such as Android store"`
	Platform  string   `json:"platform" need:"the platform of its packages" enum:"android|ios"`
	Packages  []string `json:"packages" need:"the kinds of package that it is judged on" enum:"aab|apk|apk-split|ipa|app|app-zip|archive"`
	Rulebooks []string `json:"rulebooks" need:"the folders of its rulebooks"`
	Blocks    []string `json:"dossier" need:"the keys under which a dossier speaks of it; of several the first that is there counts"`
}

// Load reads a description.
func Load(file string, data []byte) (*Store, place.Problems) {
	s := &Store{}
	if ps := strictyaml.Decode(file, data, s); len(ps) > 0 {
		return nil, ps
	}
	return s, nil
}

// Takes tells whether the store is judged on packages of a platform and kind.
func (s *Store) Takes(platform, kind string) bool {
	return s.Platform == platform && slices.Contains(s.Packages, kind)
}

// Keys lists the keys of all stores' blocks in a dossier, each once.
func Keys(stores []*Store) []string {
	var out []string
	for _, s := range stores {
		for _, b := range s.Blocks {
			if !slices.Contains(out, b) {
				out = append(out, b)
			}
		}
	}
	return out
}
