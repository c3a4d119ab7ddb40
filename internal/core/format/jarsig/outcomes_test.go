package jarsig_test

import (
	"maps"
	"slices"
	"testing"

	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	s := signed(t)
	names := []string{"META-INF/KILN.RSA", "META-INF/KILN.SF", "META-INF/MANIFEST.MF"}
	parts := map[string][]byte{}
	for _, name := range names {
		parts[name] = s[name]
	}
	seed.Outcomes(t, parts, func(data []byte) (any, error) {
		// Which of the three it is says its beginning.
		all := maps.Clone(s)
		switch {
		case len(data) > 0 && data[0] == 0x30:
			all[names[0]] = data
		case len(data) > 9 && string(data[:9]) == "Signature":
			all[names[1]] = data
		default:
			all[names[2]] = data
		}
		faults := verify(all)
		slices.Sort(faults)
		return faults, nil
	})
}
