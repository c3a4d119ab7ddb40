package rulebooks_test

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/rulebooks"
)

// number finds whole numbers outside of names; limit finds limits.
var number, limit = regexp.MustCompile(`[\w.'"]*\b\d+\b[\w.'"]*`), regexp.MustCompile(`\blimit\.\w+\b`)

// mutants are the conditions that come of one by moving a number or a limit a
// step up or down, or by dropping a part of a conjunction.
func mutants(src string, parts bool) (out []string) {
	quoted := regexp.MustCompile(`'[^']*'|"[^"]*"`).FindAllStringIndex(src, -1)
	outside := func(at []int) bool {
		for _, q := range quoted {
			if at[0] < q[1] && at[1] > q[0] {
				return false
			}
		}
		return true
	}
	with := func(at []int, s string) { out = append(out, src[:at[0]]+s+src[at[1]:]) }
	for _, at := range number.FindAllStringIndex(src, -1) {
		n, err := strconv.Atoi(src[at[0]:at[1]])
		if err != nil || n < 2 || !outside(at) {
			continue
		}
		with(at, fmt.Sprint(n+1))
		with(at, fmt.Sprint(n-1))
	}
	for _, at := range limit.FindAllStringIndex(src, -1) {
		if outside(at) {
			with(at, "("+src[at[0]:at[1]]+" + 1)")
			with(at, "("+src[at[0]:at[1]]+" - 1)")
		}
	}
	if parts {
		depth, from := 0, 0
		cuts := [][]int{}
		for i := 0; i < len(src); i++ {
			switch src[i] {
			case '(', '[':
				depth++
			case ')', ']':
				depth--
			case '&':
				if depth == 0 && outside([]int{i, i + 1}) && strings.HasPrefix(src[i:], "&&") {
					cuts = append(cuts, []int{from, i})
					from, i = i+2, i+1
				}
			}
		}
		if len(cuts) > 0 && !strings.Contains(src, "||") {
			for _, at := range append(cuts, []int{from, len(src)}) {
				with(at, "true")
			}
		}
	}
	return out
}

// TestMutants moves every number and limit of every rule a step up and down,
// and takes every part of a when away: some example must notice.
func TestMutants(t *testing.T) {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	stores, err := rulebooks.BuiltIn.Stores()
	require.NoError(t, err)
	seen := map[string]bool{}
	for _, s := range stores {
		books, err := rulebooks.BuiltIn.WithExamples(s)
		require.NoError(t, err)
		env, ps := check.NewEnv(books, set, nil)
		require.Empty(t, ps)
		for _, b := range books {
			for _, r := range b.Rules {
				if seen[r.ID] || r.Ask.Src != "" {
					continue
				}
				seen[r.ID] = true
				for _, p := range []struct {
					name string
					src  *string
					cut  bool
				}{{"when", &r.When.Src, true}, {"each", &r.Each.Src, false}, {"faults", &r.Faults.Src, false}, {"expect", &r.Expect.Src, false}} {
					was := *p.src
					for _, m := range mutants(was, p.cut) {
						*p.src = m
						prog := env.Prepare(r)
						if ps := prog.Check(); len(ps) == 0 && prog.TestExamples() == nil {
							t.Errorf("%s: no example notices %s: %s", r.ID, p.name, m)
						}
					}
					*p.src = was
				}
			}
		}
	}
}
