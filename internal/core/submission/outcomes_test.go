package submission_test

import (
	"testing"

	"regola.example/regola/internal/seed"
	"regola.example/regola/internal/seed/judged"
)

// TestOutcomes holds the tree that rules see of the demo's releases, and of packages alone.
func TestOutcomes(t *testing.T) {
	var r seed.Record
	for _, c := range []struct{ dir, file string }{{"demo/sound", ""}, {"demo/faulty", ""}, {"", seed.APK}, {"", seed.WholeIPA}} {
		_, j := judged.Of(t, c.dir, []string{c.file}[min(1, max(0, 1-len(c.file))):]...)
		for _, p := range j.Pairs {
			s := p.Submission
			pkg, set, code, gallery := s.Pkg, s.Tables, s.Code, s.Pictures
			s.Pkg, s.Tables, s.Code, s.Pictures = nil, nil, nil, nil
			r.Whole(c.dir+c.file+" "+s.Store, s, nil)
			s.Pkg, s.Tables, s.Code, s.Pictures = pkg, set, code, gallery
		}
	}
	seed.Golden(t, "outcomes.txt", r.String())
}
