package rulebooks_test

import (
	"flag"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/engine"
	"regola.example/regola/rulebooks"
)

var update = flag.Bool("update", false, "write the generated files anew")

// TestGenerated holds that what the program brings along parsed is made from its rules and
// tables as they are, and with -update makes it. Lines of other versions may stand beside,
// as a merge leaves them, until somebody runs scripts/docs.
func TestGenerated(t *testing.T) {
	stores, err := rulebooks.BuiltIn.Stores()
	require.NoError(t, err)
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	typed := map[string]*engine.Typed{"common": nil, "tables": nil}
	for _, s := range stores {
		books, err := rulebooks.BuiltIn.Books(s)
		require.NoError(t, err)
		env, problems := check.NewEnv(books, set, nil)
		require.Empty(t, problems)
		typed[s.ID] = env.Keep()
		for _, b := range books {
			for _, r := range b.Rules {
				require.Empty(t, env.Prepare(r).Check())
			}
		}
	}
	for folder, conditions := range typed {
		want, err := rulebooks.BuiltIn.Generate(folder, conditions)
		require.NoError(t, err)
		file := filepath.Join(folder, "generated.txt")
		if *update {
			require.NoError(t, os.WriteFile(file, []byte(strings.Join(want, "")), 0o644))
		}
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		have := map[string]bool{}
		for line := range strings.Lines(string(data)) {
			have[line] = true
		}
		missing := 0
		for _, line := range want {
			if !have[line] {
				missing++
			}
		}
		assert.Zero(t, missing, "%s lacks so many lines: run scripts/docs", file)
		assert.Less(t, len(have)-len(want), 400, "%s holds many lines of older versions: run scripts/docs", file)
	}
}

// TestGeneratedMerge holds that two branches which touch different rule files merge
// without a conflict, and that the result lacks nothing: the files are merged line by
// line, as .gitattributes says.
func TestGeneratedMerge(t *testing.T) {
	if _, err := exec.LookPath("git"); err != nil {
		t.Skip("git is not here")
	}
	dir := t.TempDir()
	git := func(args ...string) string {
		cmd := exec.Command("git", args...)
		cmd.Dir = dir
		cmd.Env = append(os.Environ(), "GIT_CONFIG_NOSYSTEM=1", "GIT_CONFIG_GLOBAL="+os.DevNull, "GIT_AUTHOR_NAME=a", "GIT_AUTHOR_EMAIL=a@b.example", "GIT_COMMITTER_NAME=a", "GIT_COMMITTER_EMAIL=a@b.example")
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "git %v: %s", args, out)
		return string(out)
	}
	require.NoError(t, os.CopyFS(filepath.Join(dir, "rulebooks"), os.DirFS(".")))
	attributes, err := os.ReadFile("../.gitattributes")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, ".gitattributes"), attributes, 0o644))
	lib := rulebooks.NewLibrary(os.DirFS(filepath.Join(dir, "rulebooks")), "rulebooks/")
	generate := func() {
		lines, err := lib.Generate("android", nil)
		require.NoError(t, err)
		data, err := os.ReadFile("android/generated.txt")
		require.NoError(t, err)
		for line := range strings.Lines(string(data)) {
			if strings.HasPrefix(line, "cond ") {
				lines = append(lines, line)
			}
		}
		slices.Sort(lines)
		require.NoError(t, os.WriteFile(filepath.Join(dir, "rulebooks/android/generated.txt"), []byte(strings.Join(lines, "")), 0o644))
	}
	change := func(branch, file string) {
		git("checkout", "-q", "-b", branch, "main")
		name := filepath.Join(dir, "rulebooks/android", file)
		data, err := os.ReadFile(name)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(name, append(data, []byte("\n# "+branch+"\n")...), 0o644))
		generate()
		git("commit", "-qam", branch)
	}
	git("init", "-q", "-b", "main")
	git("add", "-A")
	git("commit", "-qm", "begin")
	change("one", "manifest.yaml")
	change("two", "package.yaml")
	git("merge", "-q", "-m", "both", "one")
	want, err := lib.Generate("android", nil)
	require.NoError(t, err)
	merged, err := os.ReadFile(filepath.Join(dir, "rulebooks/android/generated.txt"))
	require.NoError(t, err)
	for _, line := range want {
		assert.Contains(t, string(merged), line, "the tree of each file as it is now")
	}
}
