package facts

import "regola.example/regola/internal/core/fact"

// PrivacyManifest is a bundle's privacy manifest.
type PrivacyManifest struct {
	fact.Mark `json:"-"`
	Tracking  bool            `json:"tracking"`
	Domains   []string        `json:"domains"`
	Accessed  []*Accessed     `json:"accessed"`
	Collected []*Collected    `json:"collected"`
	Faults    []*PrivacyFault `json:"faults"`
}

// Accessed is a category of calls that need a reason, as declared.
type Accessed struct {
	fact.Mark `json:"-"`
	Category  string   `json:"category"`
	Reasons   []string `json:"reasons"`
}

// Collected is a kind of data that the bundle declares to collect.
type Collected struct {
	fact.Mark `json:"-"`
	Type      string   `json:"type"`
	Linked    bool     `json:"linked"`
	Tracking  bool     `json:"tracking"`
	Purposes  []string `json:"purposes"`
}

// PrivacyFault is a fault of a privacy manifest's structure.
type PrivacyFault struct {
	fact.Mark `json:"-"`
	Key       string `json:"key"`
	What      string `json:"what"`
}
