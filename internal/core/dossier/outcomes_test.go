package dossier_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/seed"
	"regola.example/regola/internal/seed/judged"
	"regola.example/regola/rulebooks"
)

// TestOutcomes holds what is read of a dossier, and what comes of it without one of its
// lines, or with another value there.
func TestOutcomes(t *testing.T) {
	stores, err := rulebooks.BuiltIn.Stores()
	require.NoError(t, err)
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	home, err := os.Getwd()
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS(judged.Root("demo/sound"))))
	t.Chdir(dir)
	load := func() (any, error) {
		d, ps := dossier.Load(".", stores, set.Vocabularies())
		return d, ps.Err()
	}
	var r seed.Record
	v, err := load()
	r.Whole("demo", v, err)
	for _, file := range []string{dossier.FileName, filepath.Join("listing", "it.yaml")} {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		lines := strings.SplitAfter(string(data), "\n")
		try := func(change, line string, i int) {
			text := strings.Join(lines[:i], "") + line + strings.Join(lines[i+1:], "")
			require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
			v, err := load()
			r.Change(file+" "+change+" "+strings.TrimSpace(lines[i]), v, err)
		}
		for i, line := range lines {
			if strings.TrimSpace(line) == "" || strings.HasPrefix(strings.TrimSpace(line), "#") {
				continue
			}
			try("without", "", i)
			if key, _, ok := strings.Cut(line, ":"); ok {
				try("other", key+": kiln\n", i)
				try("number", key+": 7\n", i)
				try("twice", line+line, i)
			}
		}
		require.NoError(t, os.WriteFile(file, data, 0o644))
	}
	t.Chdir(home)
	seed.Golden(t, "outcomes.txt", r.String())
}
