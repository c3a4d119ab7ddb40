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
	Counts    string   `json:"counts" enum:"code-points|graphemes"` // how it counts the characters of texts; code points where it does not say
	Tests     []*Test  `json:"tests"`                               // what releases to testers need; one that is not there needs all
	Blocks    []string `json:"dossier" need:"the keys under which a dossier speaks of it; of several the first that is there counts"`
}

// Test says what a release to testers needs, by the stages of rules. A rule that names
// channels of its own is not asked by it.
type Test struct {
	fact.Mark `json:"-"`
	Channel   string   `json:"channel" need:"to whom it goes" enum:"open-test|invited-test|team-test"`
	Name      string   `json:"name" need:"how texts call it, such as team test"`
	Stages    []string `json:"stages" need:"the stages of rules that it needs" enum:"package|graphics|listing|declarations|release|review"`
	Next      string   `json:"next" need:"the channel to which it is promoted" enum:"public|open-test|invited-test"`
}

// Concerns tells whether a rule of a stage, which may name channels, concerns a release
// that goes to a channel.
func (s *Store) Concerns(channels []string, stage, channel string) bool {
	if len(channels) > 0 {
		return slices.Contains(channels, channel)
	}
	t := s.Test(channel)
	return t == nil || slices.Contains(t.Stages, stage)
}

// Test is what a channel needs, or nil for one that needs everything.
func (s *Store) Test(channel string) *Test {
	for _, t := range s.Tests {
		if t.Channel == channel {
			return t
		}
	}
	return nil
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
