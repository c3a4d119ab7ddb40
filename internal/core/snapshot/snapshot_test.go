package snapshot_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/snapshot"
	"regola.example/regola/internal/run"
	"regola.example/regola/rulebooks"
)

// recorded reads a dossier and records its releases, by store.
func recorded(t *testing.T, dir string) map[string]*ledger.Release {
	t.Helper()
	on, err := day.Parse("2026-11-25")
	require.NoError(t, err)
	r, err := run.New(rulebooks.BuiltIn, run.Options{Options: check.Options{Day: on}})
	require.NoError(t, err)
	_, j, err := r.Judge(context.Background(), run.Job{Dossier: dir})
	require.NoError(t, err)
	out := map[string]*ledger.Release{}
	for _, p := range j.Pairs {
		out[p.Submission.Store] = snapshot.Of(p.Submission, dir)
	}
	return out
}

// TestOf records the demo, then changes one thing of its dossier at a time: exactly
// that is different, wherever the folder lies.
func TestOf(t *testing.T) {
	was := recorded(t, "../../../demo/sound")
	a, b := was["android"], was["ios"]
	require.NotNil(t, a)
	require.NotNil(t, b)
	assert.Equal(t, [2]string{"20%", ""}, [2]string{a.Share, b.Share}, "each store has its own")
	for _, r := range was {
		assert.Equal(t, []any{"1.4.0", "public", "free"}, []any{r.Version, r.Channel, r.Price})
		assert.Contains(t, r.Countries, "IT")
		assert.Equal(t, "false", r.Answers["answers.ads"])
		assert.Equal(t, "13", r.Answers["answers.audience.from"])
		assert.Equal(t, "[account-management]", r.Answers["answers.data.email-address.purposes"])
		assert.NotEmpty(t, r.Texts["it/description"])
		assert.NotEmpty(t, r.Pictures)
		for name := range r.Pictures {
			assert.True(t, strings.HasPrefix(name, "pictures/"), name)
		}
		assert.Positive(t, r.Sizes["package"])
		assert.Len(t, r.Certificate, 64)
	}
	assert.Contains(t, a.Permissions, "android.permission.CAMERA")
	assert.Contains(t, a.Components, "activity org.example.terrafuoco.FiringLog")
	assert.Equal(t, []any{"1400", "26", int64(36)}, []any{a.Build, a.MinLevel, a.TargetLevel})
	assert.NotEmpty(t, b.Purposes["NSCameraUsageDescription"])
	assert.NotEmpty(t, b.Extensions)
	assert.NotEmpty(t, b.Team)

	for _, c := range []struct{ file, old, new, want string }{
		{"dossier.yaml", "ads: false", "ads: true", "answer answers.ads"},
		{"dossier.yaml", "price: free", "price: 1.99 EUR", "price free → 1.99 EUR"},
		{"dossier.yaml", "FR, GB", "GB", "country FR"},
		{"dossier.yaml", "from: 13", "from: 14", "answer answers.audience.from"},
		{"listing/de.yaml", "name: Terrafuoco", "name: Terrafuoco Ofen", "text de/name"},
		{"dossier.yaml", "regola: 1", "regola: 1 # as before", ""},
	} {
		dir := t.TempDir()
		require.NoError(t, os.CopyFS(dir, os.DirFS("../../../demo/sound")))
		file := filepath.Join(dir, c.file)
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		require.Contains(t, string(text), c.old)
		require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(text), c.old, c.new, 1)), 0o644))
		for store, now := range recorded(t, dir) {
			change := ledger.Compare(was[store], now)
			var got []string
			for _, d := range append(append(change.Added, change.Removed...), change.Changed...) {
				got = append(got, d.Kind+" "+d.What)
			}
			assert.Equal(t, c.want, strings.Join(got, "; "), store)
		}
	}
}
