package check_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/rulebook"
)

// TestAgainst counts what an earlier result did not have, and lets only that fail.
func TestAgainst(t *testing.T) {
	rule := &rulebook.Rule{ID: "ios/a", Stage: "package"}
	result := func(state check.State, faults ...check.Fault) *check.Result {
		v := &check.Verdict{Rule: rule, Store: "ios", State: state}
		for _, f := range faults {
			v.Faults = append(v.Faults, &f)
		}
		return &check.Result{Basis: &check.Basis{Dossier: true}, Stores: []*check.Store{{ID: "ios", Verdicts: []*check.Verdict{v}}}}
	}
	a := check.Fault{Key: "a", Impact: rulebook.Refused, Say: "a"}
	b := check.Fault{Key: "b", Impact: rulebook.Blocked, Say: "b"}
	craft := check.Fault{Key: "c", Impact: rulebook.Craft, Say: "c"}
	waived := check.Fault{Key: "a", Impact: rulebook.Refused, Say: "a", Waiver: &dossier.Waiver{}}
	for _, c := range []struct {
		name            string
		old, now        *check.Result
		is, known, gone int
		fails, strict   bool
	}{
		{"the same", result(check.Broken, a), result(check.Broken, a), 0, 1, 0, false, false},
		{"one more", result(check.Broken, a), result(check.Broken, a, b), 1, 1, 0, true, true},
		{"only craft more", result(check.Broken, a), result(check.Broken, a, craft), 1, 1, 0, false, false},
		{"one less", result(check.Broken, a, b), result(check.Broken, b), 0, 1, 1, false, false},
		{"nothing before", &check.Result{}, result(check.Broken, a), 1, 0, 0, true, true},
		{"waived now", result(check.Broken, a), result(check.Waived, waived), 0, 0, 0, false, false},
		{"waived before", result(check.Waived, waived), result(check.Broken, a), 1, 0, 0, true, true},
		{"open before", result(check.ToAnswer), result(check.ToAnswer), 0, 0, 0, false, false},
		{"open in another way", result(check.Held), result(check.ToAnswer), 0, 0, 0, true, true},
	} {
		c.now.Against("old.json", c.old)
		got := c.now.Baseline
		assert.Equal(t, []int{c.is, c.known, c.gone}, []int{got.New, got.Known, len(got.Gone)}, c.name)
		assert.Equal(t, c.fails, c.now.Fails("", false), c.name)
		assert.Equal(t, c.strict, c.now.Fails("", true), c.name)
	}
}
