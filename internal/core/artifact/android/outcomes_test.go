package android_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/artifact/android"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound packages, and of copies in which one file is
// missing, cut or changed.
func TestOutcomes(t *testing.T) {
	var r seed.Record
	for _, p := range []struct {
		archive string
		bundle  bool
	}{{seed.Bundle, true}, {"demo/faulty/build/terrafuoco.aab", true}, {seed.APK, false}, {"internal/core/artifact/testdata/android/base.apk", false}, {"internal/core/artifact/testdata/android/split.it.apk", false}} {
		seed.Archives(t, p.archive, func(change string, entries map[string][]byte) {
			z := seed.Zip(t, entries)
			tree, err := files.FromZip(t.Context(), bytes.NewReader(z), int64(len(z)))
			require.NoError(t, err)
			a, err := android.Read("t", tree, p.bundle, true)
			if change == "" {
				r.Whole(p.archive, a, err)
			} else {
				r.Change(change, a, err)
			}
		})
	}
	seed.Golden(t, "outcomes.txt", r.String())
}
