package rulebooks_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/rulebooks"
)

// TestRules compiles every built-in rule and runs its examples.
func TestRules(t *testing.T) {
	stores, err := rulebooks.BuiltIn.Stores()
	require.NoError(t, err)
	require.Len(t, stores, 2)
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	seen := map[string]string{}
	for _, s := range stores {
		books, err := rulebooks.BuiltIn.WithExamples(s)
		require.NoError(t, err)
		require.NotEmpty(t, books)
		env, problems := check.NewEnv(books, set, nil)
		require.Empty(t, problems)
		for _, b := range books {
			for _, r := range b.Rules {
				if seen[r.ID] == b.File {
					continue // of a book that another store has too
				}
				t.Run(r.ID, func(t *testing.T) {
					assert.Empty(t, seen[r.ID], "the id occurs in two files")
					seen[r.ID] = b.File
					p := env.Prepare(r)
					require.Empty(t, p.Check())
					assert.NoError(t, p.TestExamples())
				})
			}
		}
	}
	assert.Greater(t, len(seen), 400)
}

// TestTables loads the reference tables and looks at an entry of each.
func TestTables(t *testing.T) {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	assert.Equal(t, "background-location", set.Permissions["android.permission.ACCESS_BACKGROUND_LOCATION"].Declaration)
	for _, name := range set.Names() {
		assert.NotEmpty(t, set.Get(name), name)
	}
	for _, p := range set.Purposes {
		assert.NotEmpty(t, p.Signs, p.Key)
	}
}

// TestExamplesBlanked holds that what the program loads is what the tests
// tested, but for the examples.
func TestExamplesBlanked(t *testing.T) {
	stores, err := rulebooks.BuiltIn.Stores()
	require.NoError(t, err)
	for _, s := range stores {
		whole, err := rulebooks.BuiltIn.WithExamples(s)
		require.NoError(t, err)
		bare, err := rulebooks.BuiltIn.Books(s)
		require.NoError(t, err)
		require.Len(t, bare, len(whole))
		for i, b := range bare {
			require.Len(t, b.Rules, len(whole[i].Rules), b.File)
			for j, r := range b.Rules {
				w := whole[i].Rules[j]
				assert.Empty(t, r.Examples, r.ID)
				r.Book, w.Book, w.Examples = nil, nil, nil
				assert.Equal(t, w.Expect, r.Expect, r.ID)
				assert.Equal(t, w.Fix, r.Fix)
				assert.Equal(t, w.Self(), r.Self())
			}
		}
	}
}
