package snapshot_test

import (
	"testing"

	"regola.example/regola/internal/core/snapshot"
	"regola.example/regola/internal/seed"
	"regola.example/regola/internal/seed/judged"
)

// TestOutcomes holds what is recorded of a release, and what changes with each field of
// its submission.
func TestOutcomes(t *testing.T) {
	var r seed.Record
	dir := judged.Root("demo/sound")
	_, j := judged.Of(t, "demo/sound")
	for _, p := range j.Pairs {
		s := p.Submission
		of := func() any { return snapshot.Of(s, dir) }
		r.Whole(s.Store, of(), nil)
		visit := func(path string) { r.Change(path, of(), nil) }
		if s.Pkg.IOS != nil {
			seed.Perturb(s.Pkg.IOS.App, visit)
		} else {
			seed.Perturb(&s.Pkg.Android.Manifest, visit)
		}
		for _, part := range []any{s.App, s.Answers, s.Release, &s.Products, &s.Texts, s.Evidence} {
			seed.Perturb(part, visit)
		}
	}
	seed.Golden(t, "outcomes.txt", r.String())
}
