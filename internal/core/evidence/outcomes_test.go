package evidence_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/seed"
	"regola.example/regola/internal/seed/judged"
	"regola.example/regola/rulebooks"
)

// TestOutcomes holds what is drawn from packages, and what changes with each of their facts.
func TestOutcomes(t *testing.T) {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	var r seed.Record
	for _, file := range []string{seed.WholeIPA, seed.FaultyIPA, "demo/faulty/build/terrafuoco.aab", seed.APK} {
		_, j := judged.Of(t, "", file)
		p := j.Pairs[0].Submission.Pkg
		of := func() any {
			if p.IOS != nil {
				return evidence.Of(p, signs.Of(p.IOS), set)
			}
			return evidence.Of(p, nil, set)
		}
		r.Whole(file, of(), nil)
		visit := func(path string) { r.Change(path, of(), nil) }
		if p.IOS != nil {
			seed.Perturb(p.IOS.App, visit)
		} else {
			seed.Perturb(&p.Android.Manifest, visit)
			seed.Perturb(p.Android.Code, visit)
		}
	}
	seed.Golden(t, "outcomes.txt", r.String())
}
