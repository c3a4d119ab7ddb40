// Package facts holds the types of what was read from a release package.
// Facts carry no opinion. Each knows its place, and a fact that could not be
// read says why (see package place).
//
// Field names in rules and in JSON are those of the json tags.
package facts

import (
	"regola.example/regola/internal/core/place"
)

// Package is one release package of either platform.
type Package struct {
	place.Mark `json:"-"`
	File       string   `json:"file"`              // the path as given
	Kind       string   `json:"kind"`              // aab, apk, apk-split, ipa, app, app-zip or archive
	Size       int64    `json:"size"`              // bytes of the file; of all files for a folder
	Entries    int64    `json:"entries"`           // number of files inside
	Names      []string `json:"-"`                 // paths of all files inside
	Android    *Android `json:"android,omitempty"` // set for aab and apk
	IOS        *IOS     `json:"ios,omitempty"`     // set for the others
}

// Store is the store a package is for: android or ios.
func (p *Package) Store() string {
	if p.Android != nil {
		return "android"
	}
	return "ios"
}

// ID is the app's id on its platform.
func (p *Package) ID() string {
	if p.Android != nil {
		return p.Android.ID
	}
	return p.IOS.ID
}

// Version is the version that people see.
func (p *Package) Version() string {
	if p.Android != nil {
		return p.Android.VersionName
	}
	return p.IOS.Version
}

// Text is a text with its translations.
type Text struct {
	Default string            `json:"default"`
	Locales map[string]string `json:"locales,omitempty"` // by BCP 47 tag, the default one left out
}
