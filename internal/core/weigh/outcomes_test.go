package weigh_test

import (
	"testing"

	"regola.example/regola/internal/core/weigh"
	"regola.example/regola/internal/seed"
	"regola.example/regola/internal/seed/judged"
)

// TestOutcomes holds what is weighed of packages, and what changes with each of their facts.
func TestOutcomes(t *testing.T) {
	set := builtIn(t)
	var r seed.Record
	for _, file := range []string{seed.WholeIPA, seed.Bundle, "demo/faulty/build/terrafuoco.aab", seed.APK} {
		_, j := judged.Of(t, "", file)
		s := j.Pairs[0].Submission
		of := func() any { return weigh.Of(s.Pkg, s.Evidence, set, set.Devices) }
		r.Whole(file, of(), nil)
		visit := func(path string) { r.Change(path, of(), nil) }
		seed.Perturb(&s.Pkg.Files, visit)
		if s.Pkg.IOS != nil {
			seed.Perturb(&s.Pkg.IOS.Catalogues, visit)
			seed.Perturb(&s.Pkg.IOS.App.Code, visit)
		} else {
			seed.Perturb(&s.Pkg.Android.Native, visit)
			seed.Perturb(&s.Pkg.Android.Bundle, visit)
			seed.Perturb(&s.Pkg.Android.Resources, visit)
		}
	}
	seed.Golden(t, "outcomes.txt", r.String())
}
