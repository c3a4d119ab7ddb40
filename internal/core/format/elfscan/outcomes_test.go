package elfscan_test

import (
	"bytes"
	"testing"

	"regola.example/regola/internal/core/format/elfscan"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{"arm64": library(t, "arm64-v8a"), "arm": library(t, "armeabi-v7a")},
		func(data []byte) (any, error) { return elfscan.Scan(bytes.NewReader(data), int64(len(data))) })
}
