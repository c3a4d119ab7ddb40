package disclosure_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/disclosure"
	"regola.example/regola/internal/seed"
	"regola.example/regola/internal/seed/judged"
	"regola.example/regola/rulebooks"
)

// TestOutcomes holds each store's form on the demo's data, and what changes in it with
// each answer.
func TestOutcomes(t *testing.T) {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	var r seed.Record
	_, j := judged.Of(t, "demo/faulty")
	for _, p := range j.Pairs {
		s := p.Submission
		of := func() any { return disclosure.Of(s.Store, s.Answers, s.Evidence, set) }
		r.Whole(s.Store, of(), nil)
		for _, part := range []any{&s.Answers.Data, &s.Answers.Security, &s.Answers.Accounts, &s.Evidence.Data} {
			seed.Perturb(part, func(path string) { r.Change(path, of(), nil) })
		}
	}
	seed.Golden(t, "outcomes.txt", r.String())
}
