package facts

import "regola.example/regola/internal/core/fact"

// Archive is the ZIP archive itself.
type Archive struct {
	fact.Mark   `json:"-"`
	Faults      []*ArchiveFault `json:"faults"`
	Unaligned   []*Unaligned    `json:"unaligned"`    // stored entries that do not begin at a multiple of 4
	TableStored bool            `json:"table_stored"` // the resource table is not compressed
}

// ArchiveFault is an oddity of the archive.
type ArchiveFault struct {
	fact.Mark `json:"-"`
	Kind      string `json:"kind"`
	Entry     string `json:"entry"`
	What      string `json:"what"`
}

// Unaligned is a stored entry that begins at an odd place.
type Unaligned struct {
	fact.Mark `json:"-"`
	Entry     string `json:"entry"`
	Offset    int64  `json:"offset"`
}
