package jpegmeta_test

import (
	"bytes"
	"testing"

	"regola.example/regola/internal/core/format/jpegmeta"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{"turned": seed.JPEG(t, 30, 20, 6), "progressive": file(frame(0xc2, 8, 20, 30, 3))},
		func(data []byte) (any, error) { return jpegmeta.Read(bytes.NewReader(data), int64(len(data))) })
}
