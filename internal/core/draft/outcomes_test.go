package draft_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/draft"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/seed"
	"regola.example/regola/internal/seed/judged"
	"regola.example/regola/rulebooks"
)

// TestOutcomes holds the drafts that follow from packages, and what changes in them with
// each field of what is known.
func TestOutcomes(t *testing.T) {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	var r seed.Record
	for _, file := range []string{"demo/faulty/build/terrafuoco.aab", seed.WholeIPA} {
		res, j := judged.Of(t, "", file)
		s := j.Pairs[0].Submission
		key := s.Store
		k := draft.Of([]*facts.Package{s.Pkg}, map[string]string{s.Pkg.Platform(): key}, map[string]string{s.Pkg.File: "build/" + key}, set)
		k.Evidence, k.Texts = append(k.Evidence, s.Evidence), set.PageTexts
		for _, v := range res.Stores[0].Verdicts {
			if v.Question != nil {
				k.Questions = append(k.Questions, v.Question)
			}
		}
		of := func() any {
			k.Settle("", "")
			files, marked := k.Files(res.Duties(), []string{"android", "ios"}, set.Vocabularies())
			out := []any{marked, k.Languages()}
			for _, f := range files {
				out = append(out, f.Path)
				for line := range strings.Lines(f.Text) {
					out = append(out, line)
				}
			}
			return out
		}
		r.Whole(file, of(), nil)
		for _, part := range []any{&k.Name, &k.Language, &k.Assumed, &k.Version, &k.IDs, &k.Packages, &k.Names, &k.Answers, &k.Questions} {
			seed.Perturb(part, func(path string) { r.Change(path, of(), nil) })
		}
	}
	seed.Golden(t, "outcomes.txt", r.String())
}
