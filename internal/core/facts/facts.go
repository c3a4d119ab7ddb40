// Package facts holds the types of what was read from a release package.
// Facts carry no opinion. Each knows its place, and a fact that could not be
// read says why (see package place).
//
// Field names in rules and in JSON are those of the json tags.
package facts

import (
	"strconv"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/store"
)

// Package is one release package of either platform.
type Package struct {
	fact.Mark `json:"-"`
	File      string   `json:"file"`              // the path as given
	Kind      string   `json:"kind"`              // aab, apk, apk-split, ipa, app, app-zip or archive
	Size      int64    `json:"size"`              // bytes of the file; of all files for a folder
	Entries   int64    `json:"entries"`           // number of files inside
	Files     []*File  `json:"files"`             // all files inside, in the archive's order
	Android   *Android `json:"android,omitempty"` // set for aab and apk
	IOS       *IOS     `json:"ios,omitempty"`     // set for the others
}

// File is one file inside a package.
type File struct {
	fact.Mark  `json:"-"`
	Path       string `json:"path"`
	Size       int64  `json:"size"`       // bytes, unpacked
	Compressed int64  `json:"compressed"` // bytes in the archive; equal to Size in a folder

	// For a weighing alone.
	Stored        bool   `json:"-"` // not compressed in the archive
	Digest        string `json:"-"` // SHA-256, of files that have a twin in size and sum
	Width, Height int64  `json:"-"` // pixels of large PNG and WebP pictures; 0 when not known
}

// Platform is the platform of the package: android or ios.
func (p *Package) Platform() string {
	if p.Android != nil {
		return store.Android
	}
	return store.IOS
}

// ID is the app's id on its platform.
func (p *Package) ID() string {
	if p.Android != nil {
		return p.Android.Manifest.ID
	}
	return p.IOS.App.Info.ID
}

// Version is the version that people see.
func (p *Package) Version() string {
	if p.Android != nil {
		return p.Android.Manifest.VersionName
	}
	return p.IOS.App.Info.Version
}

// Text is a text with its translations.
type Text struct {
	Default string            `json:"default"`
	Locales map[string]string `json:"locales,omitempty"` // by BCP 47 tag, the default one left out
}

// Build is the number by which a store tells one upload from another: the version code, or
// the build number; empty when it is not known.
func (p *Package) Build() string {
	switch {
	case p.Android != nil && p.Android.Manifest.VersionCode != nil:
		return strconv.FormatInt(*p.Android.Manifest.VersionCode, 10)
	case p.IOS != nil && p.IOS.App != nil:
		return p.IOS.App.Info.Build
	}
	return ""
}
