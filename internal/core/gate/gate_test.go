package gate_test

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/gate"
)

// tree makes folders "app" and "common" beside a file that is not theirs.
func tree(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	for _, name := range []string{"app/build/a.aab", "app/build/b.aab", "app/build/.hidden.aab", "app/deep/x/c.aab", "common/d.aab", "secret/shadow", "application/e.aab"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(name), 0o644))
	}
	for name, to := range map[string]string{
		"app/out.aab": "../secret/shadow", "app/inside.aab": "build/a.aab", "app/base.aab": "../common/d.aab",
		"app/nowhere.aab": "../secret/none", "app/far": "../secret", "app/absolute.aab": filepath.Join(dir, "app/build/a.aab"),
	} {
		require.NoError(t, os.Symlink(to, filepath.Join(dir, name)))
	}
	return dir
}

func TestPath(t *testing.T) {
	dir := tree(t)
	g := gate.New(filepath.Join(dir, "app"), filepath.Join(dir, "common"))
	for name, passes := range map[string]bool{
		"build/a.aab": true, "build/../build/a.aab": true, ".": true, "not/there.aab": true, "inside.aab": true, "absolute.aab": true,
		"base.aab": true, "../common/d.aab": true, filepath.Join(dir, "common/d.aab"): true,
		"../secret/shadow": false, "../secret/none": false, "out.aab": false, "far/shadow": false, "far/none": false,
		"nowhere.aab": false, "../application/e.aab": false, "/etc/passwd": false, "..": false, "build/../../secret/shadow": false,
	} {
		_, problem := g.Path(name)
		assert.Equal(t, passes, problem == nil, "%s: %v", name, problem)
		if problem != nil {
			assert.NotEmpty(t, problem.Fix)
		}
	}
	// What exists outside and what does not look alike.
	_, there := g.Path("../secret/shadow")
	_, not := g.Path("../secret/none")
	assert.Equal(t, `"../secret/shadow" leads out of the dossier's folder`, there.What)
	assert.Equal(t, `"../secret/none" leads out of the dossier's folder`, not.What)

	data, problem := g.Read(filepath.Join(dir, "app/build/a.aab"), "a", 100, "build it")
	require.Nil(t, problem)
	assert.Equal(t, "app/build/a.aab", string(data))
	for file, want := range map[string]string{"app/out.aab": "leads out", "app/none": "no such file", "app/build": "this is a folder"} {
		_, problem := g.Read(filepath.Join(dir, file), file, 100, "build it")
		require.NotNil(t, problem, file)
		assert.Contains(t, problem.Error(), want)
	}
	_, problem = g.Read(filepath.Join(dir, "app/build/a.aab"), "a", 5, "build it")
	assert.ErrorContains(t, problem, "larger")
}

func TestGlob(t *testing.T) {
	dir := tree(t)
	g := gate.New(filepath.Join(dir, "app"), filepath.Join(dir, "common"))
	for pattern, want := range map[string][]string{
		"build/*.aab": {"build/a.aab", "build/b.aab"}, "build/?.aab": {"build/a.aab", "build/b.aab"}, "build/[b]*": {"build/b.aab"},
		"*/x/*.aab": {"deep/x/c.aab"}, "build/.h*": {"build/.hidden.aab"}, "build/none*": nil, "none/*": nil,
		"*.aab": {"absolute.aab", "base.aab", "inside.aab"}, "far/*": nil, "../secret/*": nil, "/etc/*": nil, "../common/*": {"../common/d.aab"},
	} {
		got, err := g.Glob(pattern)
		require.NoError(t, err, pattern)
		for i := range got {
			got[i] = filepath.ToSlash(got[i])
		}
		assert.Equal(t, want, got, pattern)
	}
	_, err := g.Glob("build/[")
	assert.ErrorIs(t, err, gate.ErrPattern)

	for i := range 10_001 {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "app/deep", fmt.Sprint(i)), nil, 0o644))
	}
	_, err = g.Glob("deep/*.aab")
	assert.ErrorIs(t, err, gate.ErrTooMany)
	got, err := g.Glob("build/*.aab")
	require.NoError(t, err)
	assert.Len(t, got, 2)
}
