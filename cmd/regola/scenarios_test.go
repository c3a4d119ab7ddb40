package main_test

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/seed"
)

// step is one thing that somebody does to a dossier, and what the program then says.
type step struct {
	Edit      words // file, old, new
	Write     words // file, text, and how often it is repeated, with its number for %d
	Remove    words // files and folders
	Package   words // file of a variant, then "CODE [FEATURE]", or "VERSION BUILD" of an .ipa
	Run       string
	Exit      int
	Want, Not words
}

// TestScenarios tells the stories of testdata/scenarios.yaml, each in a copy of the sound
// demo without its ledger.
func TestScenarios(t *testing.T) {
	var cases []struct {
		Name  string
		Steps []step
	}
	decodeCases(t, "testdata/scenarios.yaml", &cases)
	sound := filepath.Join(demo(t), "sound")
	for _, c := range cases {
		t.Run(c.Name, func(t *testing.T) {
			t.Parallel()
			dir := unrecorded(t, sound)
			for i, s := range c.Steps {
				s.take(t, dir, fmt.Sprintf("step %d", i+1))
			}
		})
	}
}

// unrecorded is a copy of a dossier without its ledger.
func unrecorded(t *testing.T, dossier string) string {
	t.Helper()
	dir := t.TempDir()
	copyDossier(t, dossier, dir)
	require.NoError(t, os.Remove(filepath.Join(dir, "ledger.jsonl")))
	return dir
}

// decodeCases reads a file of cases, in which no key may be unknown.
func decodeCases(t *testing.T, file string, cases any) {
	t.Helper()
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	dec := yaml.NewDecoder(bytes.NewReader(data))
	dec.KnownFields(true)
	require.NoError(t, dec.Decode(cases))
}

func (s *step) take(t *testing.T, dir, name string) {
	path := func(file string) string { return filepath.Join(dir, file) }
	for _, file := range s.Remove {
		require.NoError(t, os.RemoveAll(path(file)))
	}
	if len(s.Edit) > 0 {
		edit(t, path(s.Edit[0]), s.Edit[1:]...)
	}
	if len(s.Write) > 0 {
		require.NoError(t, os.MkdirAll(filepath.Dir(path(s.Write[0])), 0o755))
		text := s.Write[1]
		if len(s.Write) > 2 {
			var b strings.Builder
			n, err := strconv.Atoi(s.Write[2])
			require.NoError(t, err)
			for i := range n {
				fmt.Fprintf(&b, s.Write[1], i)
			}
			text = b.String()
		}
		require.NoError(t, os.WriteFile(path(s.Write[0]), []byte(text), 0o644))
	}
	if len(s.Package) > 0 {
		var version, feature string
		var code uint64
		if strings.HasSuffix(s.Package[0], ".ipa") {
			_, err := fmt.Sscan(s.Package[1], &version, &code)
			require.NoError(t, err)
			variantIPA(t, path(s.Package[0]), version, code)
		} else {
			_, _ = fmt.Sscan(s.Package[1], &code, &feature)
			variant(t, path(s.Package[0]), code, feature)
		}
	}
	if s.Run == "" {
		return
	}
	args := strings.Fields(s.Run)
	if args[0] == "check" || args[0] == "ledger" && args[1] != "show" || args[0] == "calendar" || args[0] == "duties" {
		args = append(args, "--on", on)
	}
	out, stderr, exit := regola(t, dir, args...)
	text := strings.Join(strings.Fields(out+stderr), " ")
	require.Equal(t, s.Exit, exit, "%s: %s\n%s%s", name, s.Run, out, stderr)
	for _, want := range s.Want {
		assert.Contains(t, text, want, "%s: %s\n%s", name, s.Run, out)
	}
	for _, not := range s.Not {
		assert.NotContains(t, text, not, "%s: %s\n%s", name, s.Run, out)
	}
}

// variantIPA writes the demo's archive with another version, of five characters, and
// another build number, of four.
func variantIPA(t *testing.T, file, version string, build uint64) {
	t.Helper()
	entries := map[string][]byte{}
	const archive = "demo/sound/build/Terrafuoco.ipa"
	for _, name := range seed.Names(t, archive) {
		data := seed.Entry(t, archive, name)
		if strings.HasSuffix(name, "Info.plist") {
			data = bytes.ReplaceAll(data, []byte("1.4.0"), []byte(version))
			data = bytes.ReplaceAll(data, []byte("T1400"), fmt.Appendf(nil, "T%d", build))
		}
		entries[name] = data
	}
	require.NoError(t, os.WriteFile(file, seed.Zip(t, entries), 0o644))
}

// TestOldPackage tells of a package that lies about, in the head of the result.
func TestOldPackage(t *testing.T) {
	dir := filepath.Join(demo(t), "sound")
	file := filepath.Join(dir, "build/terrafuoco.aab")
	for changed, want := range map[string]string{"2026-10-24": "", "2026-10-22": "but terrafuoco.aab was last changed 32 days before"} {
		at, err := time.Parse(time.DateOnly, changed)
		require.NoError(t, err)
		require.NoError(t, os.Chtimes(file, at, at))
		out, stderr, exit := regola(t, dir, "check", "--on", on, "--store", "android")
		require.Zero(t, exit, stderr)
		assert.Equal(t, want != "", strings.Contains(out, "last changed"), changed)
		assert.Contains(t, strings.Join(strings.Fields(out), " "), want)
	}
}
