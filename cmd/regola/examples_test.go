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
