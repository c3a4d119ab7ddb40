package ios_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/artifact/ios"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound packages, and of copies in which one file is
// missing, cut or changed.
func TestOutcomes(t *testing.T) {
	var r seed.Record
	for _, archive := range []string{seed.WholeIPA, seed.FaultyIPA} {
		seed.Archives(t, archive, func(change string, entries map[string][]byte) {
			z := seed.Zip(t, entries)
			tree, err := files.FromZip(t.Context(), bytes.NewReader(z), int64(len(z)))
			require.NoError(t, err)
			a, err := ios.Read("t", tree, "Payload/Terrafuoco.app", ios.Options{Digests: true})
			if change == "" {
				r.Whole(archive, a, err)
			} else {
				r.Change(change, a, err)
			}
		})
	}
	seed.Golden(t, "outcomes.txt", r.String())
}
