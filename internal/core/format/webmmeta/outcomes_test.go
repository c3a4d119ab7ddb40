package webmmeta_test

import (
	"bytes"
	"testing"

	"regola.example/regola/internal/core/format/webmmeta"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{"film": seed.WebM(30, 20)}, func(data []byte) (any, error) { return webmmeta.Read(bytes.NewReader(data), int64(len(data))) })
}
