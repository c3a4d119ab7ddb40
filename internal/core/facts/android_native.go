package facts

import "regola.example/regola/internal/core/fact"

// Native is the native code of an Android package.
type Native struct {
	fact.Mark     `json:"-"`
	Architectures []*ABI     `json:"architectures"`
	Libraries     []*Library `json:"libraries"`
}

// ABI is one processor architecture that the package brings native code for.
type ABI struct {
	fact.Mark `json:"-"`
	Name      string   `json:"name"` // arm64-v8a …
	Bits      int64    `json:"bits"`
	Libraries []string `json:"libraries"`
}

// Library is one native library.
type Library struct {
	fact.Mark       `json:"-"`
	Path            string   `json:"path"`
	Name            string   `json:"name"`
	ABI             string   `json:"abi"` // the folder it lies in
	Module          string   `json:"module,omitempty"`
	Machine         string   `json:"machine"` // by its header: arm64, arm, x86, x86_64 …
	Bits            int64    `json:"bits"`    // by its header
	Fits            bool     `json:"fits"`    // header and folder agree
	Align           int64    `json:"align"`   // smallest alignment of a load segment, in bytes
	Congruent       bool     `json:"congruent"`
	Stored          bool     `json:"stored"`                   // not compressed in the archive
	Offset          int64    `json:"offset"`                   // of its bytes in the archive; 0 when not known
	Size            int64    `json:"size"`                     // bytes
	Symbols         bool     `json:"symbols"`                  // a symbol table is left in
	Debug           int64    `json:"debug"`                    // bytes of debugging information
	DebugSections   []string `json:"debug_sections,omitempty"` // that hold it
	Sections        bool     `json:"sections"`
	TextRelocations bool     `json:"text_relocations"`
	WriteExec       bool     `json:"write_exec"`
	Needed          []string `json:"needed"`
	BuildID         string   `json:"build_id,omitempty"`
	Level           int64    `json:"level,omitempty"` // API level for which it was built; 0 when it does not say
}
