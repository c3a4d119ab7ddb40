package rulebooks_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/rulebooks"
)

// TestRules compiles every built-in rule and runs its examples.
func TestRules(t *testing.T) {
	seen := map[string]bool{}
	for _, store := range []string{"android", "ios"} {
		books, err := rulebooks.WithExamples(store)
		require.NoError(t, err)
		for _, b := range books {
			if seen[b.File] {
				continue
			}
			seen[b.File] = true
			env, err := rulebook.NewEnv(b)
			require.NoError(t, err)
			for _, r := range b.Rules {
				t.Run(r.ID, func(t *testing.T) {
					assert.False(t, seen[r.ID], "the id stands in two files")
					seen[r.ID] = true
					p, problems := env.Compile(r)
					require.Empty(t, problems)
					assert.NoError(t, p.TestExamples())
				})
			}
		}
	}
	assert.Greater(t, len(seen), 24)
}

// TestCatalogue loads the reference tables and looks at an entry of each.
func TestCatalogue(t *testing.T) {
	c, err := rulebooks.Catalogue()
	require.NoError(t, err)
	assert.Equal(t, "background-location", c.Permissions["android.permission.ACCESS_BACKGROUND_LOCATION"].Declaration)
	assert.NotEmpty(t, c.Purposes)
	for _, p := range c.Purposes {
		assert.NotEmpty(t, p.Signs, p.Key)
	}
}

// TestExamplesBlanked holds that what the program loads is what the tests
// tested, but for the examples.
func TestExamplesBlanked(t *testing.T) {
	for _, store := range []string{"android", "ios"} {
		whole, err := rulebooks.WithExamples(store)
		require.NoError(t, err)
		bare, err := rulebooks.For(store)
		require.NoError(t, err)
		require.Len(t, bare, len(whole))
		for i, b := range bare {
			require.Len(t, b.Rules, len(whole[i].Rules), b.File)
			for j, r := range b.Rules {
				w := whole[i].Rules[j]
				assert.Empty(t, r.Examples, r.ID)
				assert.Equal(t, w.ID, r.ID)
				assert.Equal(t, w.Expect, r.Expect)
				assert.Equal(t, w.Mend, r.Mend)
				assert.Equal(t, w.Self(), r.Self())
			}
		}
	}
}
