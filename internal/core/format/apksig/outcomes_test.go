package apksig_test

import (
	"bytes"
	"testing"

	"regola.example/regola/internal/core/format/apksig"
	"regola.example/regola/internal/core/format/zipscan"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	data := apk(t)
	z, err := zipscan.Scan(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	b, err := apksig.Read(bytes.NewReader(data), z.Directory)
	if err != nil {
		t.Fatal(err)
	}
	seed.Outcomes(t, map[string][]byte{"block": data[b.Offset:z.Directory]},
		func(block []byte) (any, error) { return apksig.Read(bytes.NewReader(block), int64(len(block))) })
}
