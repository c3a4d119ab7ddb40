package rulebooks_test

import (
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/rulebooks"
)

// TestRules compiles every built-in rule and runs its examples.
func TestRules(t *testing.T) {
	stores, err := rulebooks.BuiltIn.Stores()
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(stores), 2)
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	seen, after := map[string]string{}, []string(nil)
	for _, s := range stores {
		books, err := rulebooks.BuiltIn.WithExamples(s)
		require.NoError(t, err)
		require.NotEmpty(t, books)
		env, problems := check.NewEnv(books, set, nil)
		require.Empty(t, problems)
		for _, b := range books {
			assert.Empty(t, env.CheckNotes(b), b.File)
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
					reaches(t, p)
					assert.NotEmpty(t, r.Why)
					after = append(after, r.After...)
					if r.Confirm != "" {
						assert.Contains(t, set.Vocabularies()["confirmations"], r.Confirm)
					}
				})
			}
		}
	}
	assert.Greater(t, len(seen), 400)
	for _, id := range after {
		assert.NotEmpty(t, seen[id], "after: %s is no rule", id)
	}
}

// reaches holds that the examples of a rule show what they claim: one that
// passes because the condition holds, not because it was never asked; and where
// the rule is bound to a case, one outside it.
func reaches(t *testing.T, p *check.Program) {
	r, held, outside := p.Rule, false, false
	for _, ex := range r.Examples {
		if pkg := ex.Given.Pkg; pkg != nil && pkg.IOS != nil {
			for _, b := range pkg.IOS.Bundles { // a word that no reader writes proves nothing
				assert.Contains(t, []string{"", "app", "app-clip", "watch-app", "extension", "framework", "resources"}, b.Kind, r.ID)
			}
		}
		v := p.Example(ex)
		held = held || ex.Breaks == "false" && (v.State == check.Held || r.Ask.Src != "")
		outside = outside || v.State == check.NotApplicable
	}
	if r.Expect.Src != "" && r.Expect.Src != "false" {
		assert.True(t, held, "no passing example reaches the condition")
	}
	if r.When.Src != "" && r.Ask.Src == "" {
		assert.True(t, outside, "no example lies outside of when")
	}
}

// TestLimitTitles holds that every limit is said in words, and nothing else.
func TestLimitTitles(t *testing.T) {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	stores, err := rulebooks.BuiltIn.Stores()
	require.NoError(t, err)
	left := maps.Clone(set.LimitTitles)
	for _, s := range stores {
		books, err := rulebooks.BuiltIn.WithExamples(s)
		require.NoError(t, err)
		for _, b := range books {
			for name := range b.Limits {
				assert.NotEmpty(t, set.LimitTitles[name], "the limit %s of %s has no title in tables/limits.yaml", name, b.File)
				delete(left, name)
			}
		}
	}
	assert.Empty(t, left, "no rulebook has these limits")
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

// TestParts holds that what is loaded in part is the same as in the whole.
func TestParts(t *testing.T) {
	whole, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	some, err := rulebooks.BuiltIn.TablesOf("permissions", "debug_certificates")
	require.NoError(t, err)
	assert.Equal(t, whole.Permissions, some.Permissions)
	assert.Equal(t, whole.DebugCertificates, some.DebugCertificates)
	assert.Empty(t, some.SDKs)
	stores, err := rulebooks.BuiltIn.Stores()
	require.NoError(t, err)
	for _, s := range stores {
		all, err := rulebooks.BuiltIn.Books(s)
		require.NoError(t, err)
		noting, err := rulebooks.BuiltIn.Noting(s)
		require.NoError(t, err)
		assert.Equal(t, slices.DeleteFunc(all, func(b *rulebook.Book) bool { return len(b.Notes) == 0 }), noting, s.ID)
		env, ps := check.NewEnv(noting, &tables.Set{}, nil)
		require.Empty(t, ps)
		for _, b := range noting {
			assert.Empty(t, env.CheckNotes(b), "with the limits of these books alone")
		}
	}
}
