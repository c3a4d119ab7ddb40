package main_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// withinCopy is set for tests that run in the copy of TestContributing: they leave out
// that test itself, and what does not depend on rules.
const withinCopy = "REGOLA_TEST_WITHIN_COPY"

// pages asks for the tests that follow a page word by word and build the program anew.
const pages = "REGOLA_PAGES"

// TestContributing follows CONTRIBUTING.md on a copy of the repository: it corrects a
// rule as the page says and runs its commands word by word.
func TestContributing(t *testing.T) {
	if os.Getenv(withinCopy) != "" || testing.Short() || runtime.GOOS == "windows" {
		t.Skip("it runs the tests of a copy, with a shell")
	}
	if os.Getenv(pages) == "" {
		t.Skip("it builds the program in a copy, for minutes: set " + pages + "=1, as .ci/run does")
	}
	dir := t.TempDir()
	for _, part := range []string{"cmd", "demo", "docs", "internal", "rulebooks", "scripts"} {
		require.NoError(t, os.CopyFS(filepath.Join(dir, part), os.DirFS("../../"+part)))
	}
	for _, file := range []string{"go.mod", "go.sum", "README.md", "CONTRIBUTING.md", "CHANGELOG.md", "LICENSE", ".gitattributes"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, file), must(os.ReadFile("../../"+file)), 0o644))
	}
	page := string(must(os.ReadFile("../../CONTRIBUTING.md")))

	// 1. Find it.
	const rule = "android/target-level"
	require.Contains(t, page, "`grep -rn 'id: "+rule+"$' rulebooks`")
	found, err := shell(dir, "grep -rn 'id: "+rule+"$' rulebooks")
	require.NoError(t, err, found)
	name, _, _ := strings.Cut(found, ":")
	file := filepath.Join(dir, name)
	require.Contains(t, page, "rulebook test "+name)

	// 2. to 4. A further step of a limit, and the edition.
	text := string(must(os.ReadFile(file)))
	const last = "  # Watches and television sets;"
	require.Contains(t, text, last)
	text = strings.Replace(text, last, "    - {from: 2040-08-31, value: 60, date_confidence: low}\n"+last, 1)
	_, edition, ok := strings.Cut(text, "\nedition: ")
	require.True(t, ok)
	text = strings.Replace(text, "\nedition: "+edition[:10], "\nedition: 2040-01-01", 1)
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))

	// 5. Run it.
	_, block, ok := strings.Cut(page, "   ```sh\n")
	require.True(t, ok)
	block, _, _ = strings.Cut(block, "   ```")
	commands := 0
	for line := range strings.Lines(block) {
		line, _, _ = strings.Cut(strings.TrimSpace(line), "   #")
		if line == "" {
			continue
		}
		commands++
		if strings.HasPrefix(line, "go test") { // the rest of the suite is run beside this test
			line += " -run 'TestRules|TestGenerated|TestGolden|TestReference'"
		}
		out, err := shell(dir, line)
		if err != nil && strings.HasPrefix(line, "go test") { // the explanation of the rule has a further line
			const meant = "go test ./cmd/regola -run TestGolden -update"
			require.Contains(t, page, "`"+meant+"`")
			require.Contains(t, out, meant)
			_, err = shell(dir, meant)
			require.NoError(t, err)
			out, err = shell(dir, line)
		}
		assert.NoError(t, err, "%s\n%s", line, out)
	}
	assert.Equal(t, 3, commands)

	// Hand it out without a new program.
	newer := filepath.Join(t.TempDir(), "newer", "android")
	require.NoError(t, os.MkdirAll(newer, 0o755))
	_, call, ok := strings.Cut(page, "```sh\nregola ")
	require.True(t, ok)
	call, _, _ = strings.Cut(call, "\n")
	args := strings.Fields(call)
	require.Equal(t, "--rulebook", args[1])
	require.NoError(t, os.WriteFile(filepath.Join(newer, filepath.Base(args[2])), []byte(text), 0o644))
	args[2] = filepath.Join(newer, filepath.Base(args[2]))
	out, stderr, exit := regola(t, filepath.Join(demo(t), "sound"), append(args, "--on", on, "--format", "json")...)
	assert.Equal(t, 0, exit, stderr)
	assert.Contains(t, out, `": "2040-01-01"`)
}

// shell runs a line in a folder.
func shell(dir, line string) (string, error) {
	c := exec.Command("sh", "-c", line)
	c.Dir = dir
	c.Env = append(os.Environ(), withinCopy+"=1", "GOFLAGS=-vet=off")
	out, err := c.CombinedOutput()
	return string(out), err
}
