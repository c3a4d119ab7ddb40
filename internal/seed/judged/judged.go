// Package judged gives tests releases that were judged whole. It is for tests only.
package judged

import (
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/run"
	"regola.example/regola/rulebooks"
)

// Day is the day on which the releases of tests are judged.
const Day = "2026-11-25"

// Root is a path from the folder of the test to a file of the repository: no machine's
// paths shall stand in what tests compare.
func Root(path string) string {
	_, here, _, _ := runtime.Caller(0)
	to := filepath.Join(filepath.Dir(here), "../../..", path)
	if dir, err := os.Getwd(); err == nil {
		if rel, err := filepath.Rel(dir, to); err == nil {
			return rel
		}
	}
	return to
}

// Of judges a dossier, packages or both. Paths are relative to the repository's root, or
// absolute; dir may be empty.
func Of(t testing.TB, dir string, packages ...string) (*check.Result, *run.Judged) {
	t.Helper()
	on, err := day.Parse(Day)
	require.NoError(t, err)
	r, err := run.New(rulebooks.BuiltIn, run.Options{Options: check.Options{Day: on}})
	require.NoError(t, err)
	job := run.Job{Dossier: dir}
	if dir != "" && !filepath.IsAbs(dir) {
		job.Dossier = Root(dir)
	}
	for _, p := range packages {
		if !filepath.IsAbs(p) {
			p = Root(p)
		}
		job.Packages = append(job.Packages, p)
	}
	res, j, err := r.Judge(t.Context(), job)
	require.NoError(t, err)
	return res, j
}
