package webpmeta_test

import (
	"bytes"
	"testing"

	"regola.example/regola/internal/core/format/webpmeta"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{
		"lossy": riff(chunk("VP8 ", lossy)), "lossless": riff(canvas(0x30, 192, 144), chunk("ICCP", "abc"), chunk("VP8L", lossless)), "made": seed.WebP(30, 20),
	}, func(data []byte) (any, error) { return webpmeta.Read(bytes.NewReader(data), int64(len(data))) })
}
