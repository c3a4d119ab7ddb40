package rulebooks_test

import (
	"flag"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/rulebooks"
)

var update = flag.Bool("update", false, "write the generated files anew")

// TestGenerated holds that what the program brings along parsed is made from its
// rules and tables as they are, and with -update makes it.
func TestGenerated(t *testing.T) {
	stores, err := rulebooks.BuiltIn.Stores()
	require.NoError(t, err)
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	trees, err := rulebooks.Trees()
	require.NoError(t, err)
	current(t, "trees.bin", trees)
	for _, s := range stores {
		books, err := rulebooks.BuiltIn.Books(s)
		require.NoError(t, err)
		env, problems := check.NewEnv(books, set, nil)
		require.Empty(t, problems)
		kept := env.Keep()
		for _, b := range books {
			for _, r := range b.Rules {
				require.Empty(t, env.Prepare(r).Check())
			}
		}
		current(t, filepath.Join(s.ID, "typed.bin"), kept.Bytes())
	}
}

// current holds that a generated file is as it is made today.
func current(t *testing.T, file string, want []byte) {
	if *update {
		require.NoError(t, os.WriteFile(file, want, 0o644))
	}
	have, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.True(t, string(have) == string(want), "%s is not up to date: run scripts/docs", file)
}
