package facts

import "regola.example/regola/internal/core/fact"

// Layout is what lies where in the package.
type Layout struct {
	fact.Mark        `json:"-"`
	ArchiveFaults    []*ArchiveFault `json:"archive_faults"`  // oddities of the ZIP archive
	StrayManifests   []string        `json:"stray_manifests"` // privacy manifests where nobody looks for them
	Beside           []string        `json:"beside"`          // names at the archive's root and in Payload, beside the app
	LooseCode        []*LooseCode    `json:"loose_code"`      // code that is no bundle's executable
	MissingLibraries []*MissingLib   `json:"missing_libraries"`
	CaseClashes      []string        `json:"case_clashes"` // paths that differ from another one in letter case only
}

// LooseCode is compiled code that is no bundle's executable.
type LooseCode struct {
	fact.Mark `json:"-"`
	Path      string `json:"path"`
	Kind      string `json:"kind"` // executable, library, static library, object …
}

// MissingLib is a library that code links and that neither the package nor
// the system has.
type MissingLib struct {
	fact.Mark `json:"-"`
	Binary    string `json:"binary"`
	Library   string `json:"library"`
}
