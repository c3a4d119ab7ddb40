package rulebooks_test

import (
	"encoding/csv"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/rulebooks"
)

// TestCoverage holds that every requirement of the lists in docs/coverage names rules that
// exist, or the command that answers it, and that what is not judged says why.
func TestCoverage(t *testing.T) {
	known := map[string]bool{}
	stores, err := rulebooks.BuiltIn.Stores()
	require.NoError(t, err)
	for _, s := range stores {
		books, err := rulebooks.BuiltIn.WithExamples(s)
		require.NoError(t, err)
		for _, b := range books {
			for _, r := range b.Rules {
				known[r.ID] = true
			}
		}
	}
	letters, err := rulebooks.BuiltIn.Letters()
	require.NoError(t, err)
	require.NotEmpty(t, letters)
	for _, r := range letters {
		for _, rule := range r.Rules {
			assert.True(t, known[rule], "%s names %s, which is no rule", r.ID, rule)
		}
	}
	files, err := filepath.Glob("../docs/coverage/*.tsv")
	require.NoError(t, err)
	require.Len(t, files, 2)
	for _, file := range files {
		f, err := os.Open(file)
		require.NoError(t, err)
		r := csv.NewReader(f)
		r.Comma, r.LazyQuotes = '\t', true
		rows, err := r.ReadAll()
		f.Close()
		require.NoError(t, err, file)
		for _, row := range rows[1:] {
			topic, state, by, remark := row[1], row[3], row[4], row[5]
			assert.Contains(t, []string{"covered", "partly", "not-visible"}, state, topic)
			assert.False(t, state == "covered" && by == "", "%s: %s is covered by nothing", file, topic)
			assert.False(t, state != "covered" && by+remark == "", "%s: %s has no reason", file, topic)
			for rule := range strings.SplitSeq(by, "; ") {
				assert.True(t, rule == "" || strings.HasPrefix(rule, "regola ") || known[rule], "%s: %s names %s, which is no rule", file, topic, rule)
			}
		}
	}
}
