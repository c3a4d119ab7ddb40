package main_test

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/cli"
	"regola.example/regola/internal/core/rulebook"
)

// maxShownLines bounds the output of an example on a page.
const maxShownLines = 40

// withoutOutput are commands whose example waits for somebody, or reaches out.
var withoutOutput = []string{"answer", "links", "lsp", "letter", "demo", "version"}

// TestCommandPages holds the pages of docs/commands against the commands: the help, and the
// first example with what it writes on the sound demo. With -update they are written anew.
func TestCommandPages(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("the examples are written for a POSIX shell")
	}
	root := demo(t)
	folder := filepath.Join("..", "..", "docs", "commands")
	seen := map[string]bool{"README.md": true}
	index := "# Commands\n\nEach page is the command's help, with an example on the demo's sound release.\n\n"
	var walk func(c *cobra.Command)
	walk = func(c *cobra.Command) {
		if c.Runnable() && !c.HasSubCommands() && c.Name() != "help" && c.Parent() != nil && c.Parent().Name() != "completion" {
			path := strings.TrimPrefix(c.CommandPath(), "regola ")
			name := strings.ReplaceAll(path, " ", "-") + ".md"
			seen[name] = true
			index += fmt.Sprintf("- [`regola %s`](%s): %s\n", path, name, c.Short)
			page := commandPage(t, root, c, path)
			compare(t, filepath.Join(folder, name), page)
		}
		for _, sub := range c.Commands() {
			walk(sub)
		}
	}
	walk(cli.Command())
	compare(t, filepath.Join(folder, "README.md"), index)
	entries, err := os.ReadDir(folder)
	require.NoError(t, err)
	for _, e := range entries {
		assert.True(t, seen[e.Name()], "%s is the page of no command", e.Name())
	}
}

// compare holds a text against a file, or writes the file.
func compare(t *testing.T, file, text string) {
	t.Helper()
	if *update {
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
		return
	}
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, moving.ReplaceAllString(string(data), "$1$2…"), moving.ReplaceAllString(text, "$1$2…"), "%s: if it is meant: go test ./cmd/regola -run TestCommandPages -update", file)
}

func commandPage(t *testing.T, root string, c *cobra.Command, path string) string {
	help, _, exit := regola(t, root, append(strings.Fields(path), "--help", "--width", "88")...)
	require.Zero(t, exit, path)
	page := "# regola " + path + "\n\n" + c.Short + ".\n\n```\n" + strings.TrimSpace(help) + "\n```\n"
	if slices.Contains(withoutOutput, c.Name()) {
		return page
	}
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS(root)))
	example, _, _ := strings.Cut(strings.TrimSpace(c.Example), "\n")
	call := example
	if c.Flags().Lookup("on") != nil && !strings.Contains(call, "--on ") {
		call += " --on " + on
	}
	sh := exec.Command("sh", "-c", "regola() { \""+program+"\" \"$@\" --width 88 || [ $? = 1 ]; }\n"+call)
	sh.Dir = filepath.Join(dir, "sound")
	sh.Env = append(os.Environ(), "NO_COLOR=1", "LC_ALL=C.UTF-8")
	out, err := sh.CombinedOutput()
	require.NoError(t, err, "%s: %s", call, out)
	lines := strings.Split(strings.TrimRight(string(out), "\n"), "\n")
	if n := len(lines); n > maxShownLines {
		lines = append(lines[:maxShownLines], fmt.Sprintf("… %d more lines", n-maxShownLines))
	}
	return page + "\nOn the demo's sound release:\n\n```\n$ " + call + "\n" + strings.Join(lines, "\n") + "\n```\n"
}

// TestCounts holds the table of what is judged in the README against the rules.
func TestCounts(t *testing.T) {
	out, stderr, exit := regola(t, t.TempDir(), "rules", "--format", "json")
	require.Zero(t, exit, stderr)
	var doc struct {
		Rules []struct{ Stage, Store string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &doc))
	require.Greater(t, len(doc.Rules), 500)
	stores := []string{"all", "android", "ios"}
	counts := map[string]int{}
	for _, r := range doc.Rules {
		require.Contains(t, stores, r.Store)
		counts[r.Stage+r.Store]++
		counts["all rules"+r.Store]++
	}
	table := "| stage | both stores | Android store | iOS store |\n|---|--:|--:|--:|\n"
	for _, stage := range append(slices.Clone(rulebook.Stages), "all rules") {
		table += "| " + stage
		for _, s := range stores {
			table += fmt.Sprintf(" | %d", counts[stage+s])
		}
		table += " |\n"
	}
	file := filepath.Join("..", "..", "README.md")
	readme, err := os.ReadFile(file)
	require.NoError(t, err)
	head, rest, found := strings.Cut(string(readme), "<!-- counts -->\n")
	require.True(t, found)
	_, tail, found := strings.Cut(rest, "<!-- /counts -->")
	require.True(t, found)
	compare(t, file, head+"<!-- counts -->\n"+table+"<!-- /counts -->"+tail)
}
