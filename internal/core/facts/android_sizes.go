package facts

import "regola.example/regola/internal/core/fact"

// Sizes is how the bytes of an Android package are spread.
type Sizes struct {
	fact.Mark `json:"-"`
	Download  int64            `json:"download"` // estimate of what one device downloads first, in compressed bytes
	Parts     map[string]int64 `json:"parts"`    // compressed bytes by part: code, native, resources, assets, other
}
