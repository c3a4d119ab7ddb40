package facts

import (
	"time"

	"regola.example/regola/internal/core/fact"
)

// Signing is how the package is signed and whether that holds.
type Signing struct {
	fact.Mark   `json:"-"`
	Schemes     []string          `json:"schemes"`     // jar, 2, 3, 3.1
	Announced   []string          `json:"announced"`   // schemes that the JAR signature says were applied too
	Certificate *Certificate      `json:"certificate"` // of the newest scheme; nil when unsigned
	Signers     []*Signer         `json:"signers"`
	SideFile    bool              `json:"side_file"` // a scheme-4 file lies beside the package
	Verified    *bool             `json:"verified"`  // every digest was verified and fits; nil when not asked for
	Faults      []*SignatureFault `json:"faults"`
	MoreFaults  int64             `json:"more_faults"` // further ones that are only counted
}

// Signer is one certificate and the scheme it signs by.
type Signer struct {
	fact.Mark   `json:"-"`
	Scheme      string       `json:"scheme"`
	Certificate *Certificate `json:"certificate"`
	Algorithms  []string     `json:"algorithms"`
	Rotated     bool         `json:"rotated"` // a proof of rotation is there
	MinLevel    int64        `json:"min_level,omitempty"`
}

// Certificate is a signer's certificate.
type Certificate struct {
	fact.Mark   `json:"-"`
	Subject     string    `json:"subject"`
	Key         string    `json:"key"`
	Bits        int64     `json:"bits"`
	Algorithm   string    `json:"algorithm"` // with which the certificate itself was signed
	NotBefore   time.Time `json:"not_before"`
	NotAfter    time.Time `json:"not_after"`
	Fingerprint string    `json:"fingerprint"`     // SHA-256
	Marks       []string  `json:"marks,omitempty"` // extensions by which an authority says what it is for
}

// SignatureFault is a place where signature and contents do not agree.
type SignatureFault struct {
	fact.Mark `json:"-"`
	Scheme    string `json:"scheme"`
	Entry     string `json:"entry"` // empty when the package as a whole is meant
	What      string `json:"what"`
}
