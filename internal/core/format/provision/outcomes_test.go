package provision_test

import (
	"testing"

	"regola.example/regola/internal/core/format/provision"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{"profile": seed.Entry(t, seed.IPA, file)}, func(data []byte) (any, error) { return provision.Parse(data, nil) })
}
