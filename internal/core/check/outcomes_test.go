package check_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/seed"
	"regola.example/regola/internal/seed/judged"
)

// said is a result in lines: verdicts, what they found and lacked, duties and counts.
func said(r *check.Result) []any {
	var out []any
	line := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	for _, s := range r.Stores {
		line("%s: %s %s %v", s.ID, s.Outcome(false), s.Outcome(true), s.Broken())
		for _, v := range s.Verdicts {
			if v.State == check.NotApplicable {
				continue
			}
			line("%s %s %s judged %d more %d", s.ID, v.Rule.ID, v.State, v.Judged, v.More)
			for _, f := range v.Faults {
				line("  %s %s %s", f.Impact, f.Path, f.At)
			}
			for _, g := range v.Gaps {
				line("  gap %s %s %s %s", g.Kind, g.Path, g.What, g.At)
			}
			if q := v.Question; q != nil {
				line("  question %s %v %s %s", q.What, q.Confirmed, q.Stale, q.Doubt)
			}
		}
		for _, state := range check.States {
			line("%s %s %d", s.ID, state, s.Count(state))
		}
	}
	for _, waived := range []bool{false, true} {
		for _, f := range r.Findings(waived) {
			line("finding %s %s %v %d of %d with %d", f.Rule.ID, f.Impact, f.Stores, len(f.Faults), f.Places(), len(f.With))
		}
	}
	for _, o := range r.Open() {
		line("open %s %s %v", o.Rule.ID, o.State, o.Stores)
	}
	line("worst %s", r.Worst())
	for _, failOn := range []string{"error", "warning", "note", "never", "blocked"} {
		line("fails on %s: %v, strictly %v", failOn, r.Fails(failOn, false), r.Fails(failOn, true))
	}
	for _, d := range r.Duties() {
		line("duty %s %s %s %s %s %v %s", d.State, d.What, d.Because, d.Write, d.Act, d.Stores, d.Impact)
	}
	return out
}

// TestOutcomes holds how releases are judged, and what changes with each answer of a
// dossier: states, places, counts and duties, without the texts of the rules.
func TestOutcomes(t *testing.T) {
	on, err := day.Parse(judged.Day)
	require.NoError(t, err)
	var r seed.Record
	for _, c := range []struct {
		dir   string
		files []string
	}{{"demo/faulty", nil}, {"", []string{seed.APK}}, {"", []string{seed.WholeIPA}}, {"demo/sound", nil}} {
		res, j := judged.Of(t, c.dir, c.files...)
		r.Whole(c.dir+strings.Join(c.files, ""), said(res), nil)
		if c.dir != "demo/sound" {
			continue
		}
		again := func(path string) {
			res, err := check.Run(t.Context(), j.Pairs, j.Dossier, check.Options{Day: on, Stages: []string{"declarations", "release"}})
			if err != nil {
				r.Change(path, nil, err)
				return
			}
			r.Change(path, said(res), nil)
		}
		again("two stages")
		d := j.Dossier
		for _, part := range []any{&d.Account, &d.Contact, &d.Answers, &d.Review, &d.Release, &d.Confirmed, &d.Waivers} {
			seed.Perturb(part, func(path string) {
				again(fmt.Sprintf("%T%s", part, path))
			})
		}
	}
	seed.Golden(t, "outcomes.txt", r.String())
}

// TestSince holds which duties are new against an older package.
func TestSince(t *testing.T) {
	old, _ := judged.Of(t, "demo/sound", "demo/sound/build/terrafuoco.aab")
	now, _ := judged.Of(t, "demo/sound", "demo/faulty/build/terrafuoco.aab", "demo/faulty/build/Terrafuoco.ipa")
	var r seed.Record
	lines := func(list []*check.Duty) (out []any) {
		for _, d := range list {
			out = append(out, fmt.Sprintf("%s %s because %s at %s: %s %v", d.State, d.What, d.Because, d.At, d.Write, d.Stores))
		}
		return out
	}
	r.Whole("all", lines(now.Duties()), nil)
	r.Whole("since", lines(check.Since(now.Duties(), old)), nil)
	r.Whole("since itself", lines(check.Since(now.Duties(), now)), nil)
	seed.Golden(t, "since.txt", r.String())
}
