package facts

import "regola.example/regola/internal/core/fact"

// Seal is the resource seal of a bundle: the digests of its files.
type Seal struct {
	fact.Mark  `json:"-"`
	Present    bool         `json:"present"`
	Faults     []*SealFault `json:"faults"`
	MoreFaults int64        `json:"more_faults"` // further ones that are only counted
}

// SealFault is a file that does not agree with the resource seal.
type SealFault struct {
	fact.Mark `json:"-"`
	Path      string `json:"path"`
	What      string `json:"what"`
}

// CodeSignature is the signature of a bundle's executable.
type CodeSignature struct {
	fact.Mark       `json:"-"`
	Identifier      string         `json:"identifier"`
	Team            string         `json:"team"`
	Adhoc           bool           `json:"adhoc"` // nobody signed it
	SHA256          bool           `json:"sha256"`
	Version         int64          `json:"version"` // of the code directory
	CDHash          string         `json:"cdhash"`  // digest of the SHA-256 code directory, 20 bytes as hex
	Signer          *Certificate   `json:"signer"`
	Chain           []*Certificate `json:"chain"` // the certificates above the signer's that came along
	Entitlements    []*Entitlement `json:"entitlements"`
	EntitlementsDER bool           `json:"entitlements_der"`
	PagesVerified   bool           `json:"pages_verified"`
	Faults          []string       `json:"faults"`
}

// Entitlement is one entitlement, of a signature or of a profile.
type Entitlement struct {
	fact.Mark `json:"-"`
	Key       string   `json:"key"`
	Values    []string `json:"values"` // one for a plain value
	Set       bool     `json:"set"`
}
