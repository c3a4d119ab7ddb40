package gifmeta_test

import (
	"bytes"
	"testing"

	"regola.example/regola/internal/core/format/gifmeta"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{"one": seed.GIF(t, 30, 20, 1), "two": seed.GIF(t, 30, 20, 2)},
		func(data []byte) (any, error) { return gifmeta.Read(bytes.NewReader(data)) })
}
