package facts

import (
	"time"

	"regola.example/regola/internal/core/fact"
)

// Profile is an embedded provisioning profile.
type Profile struct {
	fact.Mark      `json:"-"`
	Name           string         `json:"name"`
	Kind           string         `json:"kind"` // store, ad-hoc, development, enterprise
	Team           string         `json:"team"`
	AppID          string         `json:"app_id"`
	Platforms      []string       `json:"platforms"`
	Expires        time.Time      `json:"expires"`
	Devices        int64          `json:"devices"`
	Entitlements   []*Entitlement `json:"entitlements"`
	HasSigner      *bool          `json:"has_signer"`      // the code's signer is among its certificates
	SignatureFault string         `json:"signature_fault"` // why the envelope's signature does not hold; empty when it does
	Certificates   []*Certificate `json:"certificates"`    // with which it lets sign
}
