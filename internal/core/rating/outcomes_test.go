package rating_test

import (
	"fmt"
	"testing"

	"regola.example/regola/internal/core/rating"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what each answer to each question on the content leads to.
func TestOutcomes(t *testing.T) {
	set := built(t)
	var r seed.Record
	for _, store := range []string{"android", "ios"} {
		for _, game := range []bool{false, true} {
			r.Whole(fmt.Sprint(store, game), rating.Of(store, game, map[string]string{"others": "none"}, nil, set), nil)
			for _, q := range set.Vocabulary("content") {
				for _, v := range q.Values {
					r.Change(q.Word+": "+v, rating.Of(store, game, map[string]string{"others": "none", q.Word: v}, nil, set), nil)
				}
				r.Change(q.Word+" alone", rating.Of(store, game, map[string]string{q.Word: q.Values[len(q.Values)-1]}, map[string]string{"advertising": "none"}, set), nil)
			}
		}
	}
	seed.Golden(t, "outcomes.txt", r.String())
}
