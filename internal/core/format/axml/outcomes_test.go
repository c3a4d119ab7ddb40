package axml_test

import (
	"testing"

	"regola.example/regola/internal/core/format/axml"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{"plain": manifest(t), "short": seed.Entry(t, seed.ShortAPK, "AndroidManifest.xml")}, func(data []byte) (any, error) { return axml.Parse(data, nil) })
}
