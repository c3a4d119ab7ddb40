package main_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/cli"
)

// TestExamples pastes the examples of every command's help into a shell, in the folder
// of the demo's sound release, each command in a fresh copy.
func TestExamples(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("the examples are written for a POSIX shell")
	}
	root := demo(t)
	run := func(c *cobra.Command) {
		t.Run(c.CommandPath(), func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			require.NoError(t, os.CopyFS(dir, os.DirFS(root)))
			if c.Name() == "links" {
				return // they would reach out to the network; links have a test against a server of their own
			}
			if c.Name() == "letter" { // they are about a release that was sent, and files that a user has
				for _, name := range []string{"mail.eml", "letter.txt"} {
					require.NoError(t, os.WriteFile(filepath.Join(dir, "sound", name), []byte(storeLetter), 0o644))
				}
				_, stderr, exit := regola(t, filepath.Join(dir, "sound"), "ledger", "record")
				require.Zero(t, exit, stderr)
			}
			if c.Name() == "answer" {
				require.NoError(t, os.WriteFile(filepath.Join(dir, "sound", "answers.txt"), []byte("q\n"), 0o644))
			}
			sh := exec.Command("sh", "-c", "set -e; regola() { \""+program+"\" \"$@\" || [ $? = 1 ]; }\n"+c.Example)
			sh.Dir = filepath.Join(dir, "sound")
			sh.Env = append(os.Environ(), "NO_COLOR=1", "LC_ALL=C.UTF-8")
			out, err := sh.CombinedOutput()
			assert.NoError(t, err, "%s\n%s", c.Example, out)
			assert.NotContains(t, string(out), "regola: ", c.Example)
		})
	}
	var walk func(c *cobra.Command)
	walk = func(c *cobra.Command) {
		if c.Runnable() && !c.HasSubCommands() && c.Name() != "help" {
			if assert.NotEmpty(t, c.Example, "%s has no example", c.CommandPath()) {
				run(c)
			}
		}
		for _, sub := range c.Commands() {
			walk(sub)
		}
	}
	walk(cli.Command())
}

// TestGuide runs every command of the guide, in its order.
func TestGuide(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("the guide is written for a POSIX shell")
	}
	text, err := os.ReadFile("../../docs/guide.md")
	require.NoError(t, err)
	var commands strings.Builder
	for i, block := range strings.Split(string(text), "```sh\n") {
		if code, _, ok := strings.Cut(block, "```"); ok && i > 0 {
			commands.WriteString(code)
		}
	}
	require.Greater(t, strings.Count(commands.String(), "regola "), 20)
	sh := exec.Command("sh", "-c", "set -e; regola() { \""+program+"\" \"$@\" > /dev/null || [ $? = 1 ]; }\n"+commands.String())
	sh.Dir = t.TempDir()
	out, err := sh.CombinedOutput()
	assert.NoError(t, err, string(out))
}

// TestPreCommit runs the hook of docs/recipes.md in a fresh clone, which has no packages.
func TestPreCommit(t *testing.T) {
	if _, err := exec.LookPath("git"); err != nil || runtime.GOOS == "windows" {
		t.Skip("the hook needs git and a shell")
	}
	_, hook, ok := strings.Cut(string(must(os.ReadFile("../../docs/recipes.md"))), "pre-commit`, executable:\n\n```sh\n")
	require.True(t, ok)
	hook, _, _ = strings.Cut(hook, "```")
	hook = strings.Replace(hook, "regola check store", "regola check store --on "+on, 1)
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "store"), os.DirFS("../../demo/sound")))
	require.NoError(t, os.RemoveAll(filepath.Join(dir, "store", "build")))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "bin"), 0o755))
	require.NoError(t, os.Symlink(program, filepath.Join(dir, "bin", "regola")))
	git := func(args ...string) (string, error) {
		c := exec.Command("git", append([]string{"-c", "user.name=Ada", "-c", "user.email=ada@terrafuoco.example"}, args...)...)
		c.Dir, c.Env = dir, append(os.Environ(), "PATH="+filepath.Join(dir, "bin")+string(os.PathListSeparator)+os.Getenv("PATH"))
		out, err := c.CombinedOutput()
		return string(out), err
	}
	_, err := git("init", "-q")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, ".git/hooks/pre-commit"), []byte(hook), 0o755))
	_, err = git("add", "store")
	require.NoError(t, err)
	out, err := git("commit", "-qm", "a sound dossier without packages")
	require.NoError(t, err, out)
	file := filepath.Join(dir, "store", "dossier.yaml")
	text := string(must(os.ReadFile(file)))
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(text, "deletion_offered: true", "deletion_offered: false", 1)), 0o644))
	_, err = git("add", "store")
	require.NoError(t, err)
	out, err = git("commit", "-qm", "an answer that is rejected")
	assert.Error(t, err, "the hook lets it pass")
	assert.Contains(t, out, "dossier.yaml:")
}
