package isobmff_test

import (
	"bytes"
	"testing"

	"regola.example/regola/internal/core/format/isobmff"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{"film": seed.Film(300, 200, 30, false), "fragments": seed.Film(300, 200, 30, true), "still": seed.HEIC(30, 20)},
		func(data []byte) (any, error) {
			film, err := read(data)
			still, stillErr := isobmff.ReadStill(bytes.NewReader(data), int64(len(data)))
			if err != nil && stillErr != nil {
				return nil, err
			}
			return []any{film, err, still, stillErr}, nil
		})
}
