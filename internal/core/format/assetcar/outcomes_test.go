package assetcar_test

import (
	"testing"

	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{
		"made": catalogue(), "app": seed.Entry(t, seed.WholeIPA, "Payload/Terrafuoco.app/Assets.car"),
	}, func(data []byte) (any, error) { return read(data) })
}
