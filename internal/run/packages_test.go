package run

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/facts"
)

// A package outside the dossier's folder is read once for several dossiers, until its file
// changes; one inside belongs to its dossier alone.
func TestShelf(t *testing.T) {
	dir := t.TempDir()
	data, err := os.ReadFile("../../demo/sound/build/terrafuoco.aab")
	require.NoError(t, err)
	shared, own := filepath.Join(dir, "common", "app.aab"), filepath.Join(dir, "kiln", "app.aab")
	for _, file := range []string{shared, own} {
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, data, 0o644))
	}
	s := &shelf{}
	open := func(file string) *facts.Package {
		pkgs, err := s.open(t.Context(), &dossier.Dossier{Root: filepath.Join(dir, "kiln")}, []string{file}, artifact.Options{})
		require.NoError(t, err)
		return pkgs[0]
	}
	first := open(shared)
	assert.Same(t, first, open(shared))
	assert.NotSame(t, open(own), open(own))
	require.NoError(t, os.Chtimes(shared, time.Time{}, time.Now().Add(time.Hour)))
	assert.NotSame(t, first, open(shared), "the file changed")
	for range maxShelf {
		s.find(&shelved{file: t.Name()})
		s.find(&shelved{file: t.Name() + "2"})
	}
	assert.Len(t, s.kept, maxShelf)
}
