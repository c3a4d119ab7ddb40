package macho_test

import (
	"bytes"
	"testing"

	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{"executable": executable(t), "fat": fat(executable(t)), "made": made(part{"__cstring", []byte("kiln:a\x00")}, part{"__ustring", wide("kiln:ö")}, part{"__objc_classname", []byte("KLN\x00")})},
		func(data []byte) (any, error) { return macho.Read(bytes.NewReader(data), true, nil) })
}
