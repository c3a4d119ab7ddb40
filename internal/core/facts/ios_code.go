package facts

import "regola.example/regola/internal/core/fact"

// BundleCode is the executable of a bundle: its slices, and the names it uses.
// The names are many; they serve rules and evidence and are not printed.
type BundleCode struct {
	fact.Mark      `json:"-"`
	Fault          string   `json:"fault"`           // why it cannot be read as an executable; empty when it can
	StaticLibrary  bool     `json:"static_library"`  // it is an archive of objects
	ExecutableMode bool     `json:"executable_mode"` // it has its execute permission
	Slices         []*Slice `json:"slices"`
	Path           string   `json:"path"`
	CPU            string   `json:"cpu"` // of the slice whose names were read
	Libraries      []string `json:"libraries"`
	WeakLibraries  []string `json:"weak_libraries"`
	SearchPaths    []string `json:"search_paths"`
	Imported       int64    `json:"imported"` // number of names
	Exported       int64    `json:"exported"` // number of names
	Imports        []string `json:"-" alias:"imports"`
	Exports        []string `json:"-" alias:"exports"`
	Classes        []string `json:"-" alias:"classes"` // Objective-C classes that it defines
	Selectors      []string `json:"-" alias:"selectors"`
	Literals       []string `json:"-" alias:"literals"` // addresses and paths
}

// Slice is one architecture of the main executable.
type Slice struct {
	fact.Mark     `json:"-"`
	CPU           string `json:"cpu"`
	Bits          int64  `json:"bits"`
	Platform      string `json:"platform"`
	MinOS         string `json:"min_os"`
	SDK           string `json:"sdk"`
	Encrypted     bool   `json:"encrypted"`
	Text          int64  `json:"text"` // bytes of the text segment
	Bitcode       bool   `json:"bitcode"`
	Swift         bool   `json:"swift"`
	PIE           bool   `json:"pie"`            // it can be loaded anywhere
	FileType      string `json:"file_type"`      // executable, library, bundle, object, or a number
	UUID          string `json:"uuid"`           // of the build
	Encryptable   bool   `json:"encryptable"`    // there is room for the store's encryption
	ExtensionSafe bool   `json:"extension_safe"` // linked for use in extensions
	Stripped      bool   `json:"stripped"`       // no local symbols are left in
}

// codeNames are the fields that say which names the code uses.
const codeNames = "imported"

// LoseNames records that the names that the code uses are not wholly known.
func (c *BundleCode) LoseNames(g fact.Gap) {
	c.Lose(codeNames, g)
	fact.Lose(c, &c.Exported, g)
}

// NamesGap is why the names that the code uses are not wholly known, or nil.
// Code that is not there has none.
func (c *BundleCode) NamesGap() *fact.Gap {
	g := c.Gap(codeNames)
	if g == nil || c.StaticLibrary || g.Kind == fact.NotGiven && c.Gone() != nil {
		return nil
	}
	out := *g
	out.What = c.Path + ": " + g.What
	return &out
}
