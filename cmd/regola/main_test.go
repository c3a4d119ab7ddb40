package main_test

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/seed"
)

var (
	update  = flag.Bool("update", false, "write the golden files anew")
	program string
)

// on pins the day, so that nothing turns red as the calendar moves on.
const on = "2026-11-23"

// watch looks at every source of the program. The tests run it as a process, and
// go test keeps a result for as long as the files that a test looked at stay.
var watch = sync.OnceFunc(func() {
	for _, dir := range []string{"../../internal", "../../rulebooks", "../../demo"} {
		_ = filepath.WalkDir(dir, func(path string, _ os.DirEntry, _ error) error {
			_, _ = os.Stat(path)
			return nil
		})
	}
})

// TestMain builds the program as a user would; every test runs it as a process.
func TestMain(m *testing.M) {
	flag.Parse()
	if os.Getenv(withinCopy) != "" {
		if f := flag.Lookup("test.run"); f.Value.String() == "" {
			_ = f.Value.Set("^(TestGolden|TestReference|TestSchemas|TestRulebookTest)$")
		}
	}
	dir, err := os.MkdirTemp("", "regola-test-")
	if err == nil {
		program = filepath.Join(dir, "regola")
		build := exec.Command("go", "build", "-o", program, ".")
		build.Env = append(os.Environ(), "CGO_ENABLED=0")
		var out []byte
		if out, err = build.CombinedOutput(); err != nil {
			fmt.Fprintf(os.Stderr, "%s", out)
		}
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	code := m.Run()
	os.RemoveAll(dir)
	os.Exit(code)
}

// regola runs the program in a folder.
func regola(t *testing.T, dir string, args ...string) (stdout, stderr string, exit int) {
	t.Helper()
	watch()
	var out, errs bytes.Buffer
	c := exec.Command(program, args...)
	c.Dir, c.Stdout, c.Stderr = dir, &out, &errs
	c.Env = append(os.Environ(), "NO_COLOR=1", "LC_ALL=C.UTF-8")
	err := c.Run()
	if err != nil {
		require.IsType(t, &exec.ExitError{}, err)
	}
	assert.NotContains(t, errs.String(), "goroutine", "no stack trace is ever shown")
	return out.String(), errs.String(), c.ProcessState.ExitCode()
}

// demo writes the demo into a temporary folder.
func demo(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	_, stderr, exit := regola(t, dir, "demo", "--on", on, ".")
	require.Zero(t, exit, stderr)
	return dir
}

func golden(t *testing.T, name, got string) {
	t.Helper()
	file, err := filepath.Abs(filepath.Join("testdata", name))
	require.NoError(t, err)
	if *update {
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(got), 0o644))
	}
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	// Lines of rule files and their editions move whenever a rule is corrected.
	want, got := moving.ReplaceAllString(string(data), "$1$2…"), moving.ReplaceAllString(got, "$1$2…")
	if want == got {
		return
	}
	a, b := strings.Split(want, "\n"), strings.Split(got, "\n")
	for i := range max(len(a), len(b)) {
		if i >= len(a) || i >= len(b) || a[i] != b[i] {
			at := func(list []string) string { return strings.Join(list[min(i, len(list)):min(i+3, len(list))], "\n") }
			assert.Fail(t, name+" differs", "from line %d on it was\n%s\nand is\n%s\nIf it is meant: go test ./cmd/regola -run TestGolden -update", i+1, at(a), at(b))
			return
		}
	}
}

// moving matches the line of a rule, and the edition of a file.
var moving = regexp.MustCompile(`(rulebooks/[a-z]+/[a-z]+\.yaml:)\d+:\d+|("rulebooks/[a-z/.]+": )"\d{4}-\d\d-\d\d"`)

func TestGolden(t *testing.T) {
	dir := demo(t)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "letter.txt"), []byte(storeLetter), 0o644))
	for name, c := range map[string]struct {
		exit int
		args []string
	}{
		"check-faulty.txt":   {1, []string{"check", "--on", on, "faulty"}},
		"check-faulty.json":  {1, []string{"check", "--on", on, "--format", "json", "faulty"}},
		"check-sound.txt":    {0, []string{"check", "--on", on, "sound"}},
		"brief.lines":        {1, []string{"check", "--on", on, "--brief", "faulty"}},
		"duties.txt":         {0, []string{"duties", "--on", on, "faulty"}},
		"duties-alone.txt":   {0, []string{"duties", "--on", on, "--alone", "faulty/build/terrafuoco.aab"}},
		"duties-since.txt":   {0, []string{"duties", "--on", on, "--since", "sound/build/terrafuoco.aab", "faulty"}},
		"rate.txt":           {0, []string{"rate", "--on", on, "faulty"}},
		"data.txt":           {0, []string{"privacy", "--on", on, "faulty"}},
		"data.csv":           {0, []string{"privacy", "--on", on, "--format", "csv", "faulty"}},
		"evidence.txt":       {0, []string{"facts", "--on", on, "--evidence", "--table", "faulty/sdks.yaml", "faulty/build/terrafuoco.aab"}},
		"facts-aab.txt":      {0, []string{"facts", "--on", on, "faulty/build/terrafuoco.aab"}},
		"facts-ipa.txt":      {0, []string{"facts", "--on", on, "sound/build/Terrafuoco.ipa"}},
		"facts-sound.txt":    {0, []string{"facts", "--on", on, "--digests", "sound/build/terrafuoco.aab"}},
		"privacy.txt":        {0, []string{"privacy", "faulty/build/Terrafuoco.ipa"}},
		"privacy-sound.txt":  {0, []string{"privacy", "sound/build/Terrafuoco.ipa"}},
		"explain.txt":        {0, []string{"explain", "--on", on, "android/target-level"}},
		"explain-answer.txt": {0, []string{"explain", "--on", on, "answers.accounts.ways"}},
		"rules.txt":          {0, []string{"rules", "--store", "ios", "--stage", "graphics,review"}},
		"ledger.txt":         {0, []string{"ledger", "show", "--dossier", "sound"}},
		"calendar.txt":       {0, []string{"calendar", "--on", "2026-06-01", "--all", "sound"}},
		"changes.txt":        {0, []string{"changes", "sound/build/terrafuoco.aab", "faulty/build/terrafuoco.aab"}},
		"next.txt":           {0, []string{"next", "--on", on, "faulty"}},
		"next-all.txt":       {0, []string{"next", "--on", on, "--all", "faulty"}},
		"handout.txt":        {0, []string{"handout", "--on", on, "sound"}},
		"handout.md":         {1, []string{"handout", "--on", on, "--store", "ios", "--format", "markdown", "faulty"}},
		"letter.txt":         {0, []string{"letter", "--on", on, "letter.txt", "faulty"}},
		"letter.md":          {0, []string{"letter", "--on", on, "--format", "markdown", "letter.txt", "faulty"}},
		"needed.txt":         {0, []string{"pictures", "--on", on, "--needed", "faulty"}},
		"explain-number.txt": {0, []string{"explain", "5.1.1(ii)"}},
	} {
		t.Run(name, func(t *testing.T) {
			out, stderr, exit := regola(t, dir, c.args...)
			assert.Equal(t, c.exit, exit)
			assert.Empty(t, stderr)
			golden(t, name, out)
			if strings.HasSuffix(name, ".txt") {
				for _, l := range strings.Split(out, "\n") {
					assert.LessOrEqual(t, len([]rune(l)), 100, l)
				}
			}
		})
	}
}

// storeLetter is what a store could write about the faulty demo.
const storeLetter = `Review date: November 27, 2026
Version reviewed: 1.4.0 (1400)

Guideline 5.1.1(ii) - Legal - Privacy - Data Collection and Storage
One or more purpose strings in the app do not sufficiently explain the use of protected resources. Please revise NSCameraUsageDescription.

Guideline 1.2 - Safety - User-Generated Content
The app includes user-generated content, and there is no mechanism to block abusive users.

Guideline 2.3.3 - Performance - Accurate Metadata
The screenshots do not show the app in use. No new binary is needed for this.
`

// TestLetter records what a letter decides, and refuses a letter about another app.
func TestLetter(t *testing.T) {
	dir := filepath.Join(demo(t), "sound")
	letter := func(text string, args ...string) (string, string, int) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "mail.txt"), []byte(text), 0o644))
		return regola(t, dir, append([]string{"letter", "mail.txt", "--on", on}, args...)...)
	}
	_, stderr, exit := letter(storeLetter, "--record")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "the ledger has no release 1.4.0 (1400)")
	_, _, exit = regola(t, dir, "ledger", "record", "--on", on)
	require.Zero(t, exit)
	out, stderr, exit := letter(storeLetter, "--record")
	require.Zero(t, exit, stderr)
	assert.Contains(t, out, "iOS store 1.4.0 (1400): rejected on "+on[8:]+" November 2026, recorded with 3 reasons")
	last := lines(t, dir)[len(lines(t, dir))-1]
	assert.Equal(t, "rejected", last["decision"])
	assert.Equal(t, "purpose:NSCameraUsageDescription", last["reasons"].([]any)[0].(map[string]any)["about"])
	out, _, _ = regola(t, dir, "check", "--on", on, "--all")
	assert.Contains(t, out, "1.4.0 was sent back, and the text of NSCameraUsageDescription is the same")
	for _, c := range []struct{ text, want string }{
		{"Your app \"Glazes\", bundle ID org.other.glaze, was rejected.\n\nGuideline 2.1 - x\nThe app crashed.", "about another app: it names org.other.glaze"},
		{"Good morning, the kiln is warm.", "does not show which store wrote it"},
		{" \n", "the letter is empty"},
	} {
		_, stderr, exit := letter(c.text, "--record")
		assert.Equal(t, 2, exit)
		assert.Contains(t, stderr, c.want)
	}
	out, _, exit = letter("Guideline 2.1 - x\nYour app \"Glazes\" crashed.")
	assert.Zero(t, exit)
	assert.Contains(t, out, "This letter is about another app")
	assert.NotContains(t, out, "--record")
}

// TestBaseline holds a release against an earlier result: only what is new makes it fail.
func TestBaseline(t *testing.T) {
	dir := filepath.Join(demo(t), "faulty")
	out, _, exit := regola(t, dir, "check", "--on", on, "--format", "json")
	require.Equal(t, 1, exit)
	base := filepath.Join(t.TempDir(), "base.json")
	require.NoError(t, os.WriteFile(base, []byte(out), 0o644))
	check := func(args ...string) (string, int) {
		out, _, exit := regola(t, dir, append([]string{"check", "--on", on, "--baseline", base}, args...)...)
		return out, exit
	}
	out, exit = check("--strict")
	assert.Zero(t, exit)
	assert.Contains(t, out, ": 0 new, ")
	assert.Contains(t, out, ", 0 gone;")
	assert.Contains(t, out, "REFUSED", "the verdict stays what it is")
	file := filepath.Join(dir, "listing/it.yaml")
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, regexp.MustCompile("(?m)^name: .*").ReplaceAll(text, []byte("name: Terrafuoco numero uno")), 0o644))
	out, exit = check("--brief", "--fail-on", "rejected")
	assert.Equal(t, 1, exit)
	assert.Regexp(t, "it.yaml:[0-9:]+ rejected: .*wording-ranking", out)
	assert.NotContains(t, regexp.MustCompile("(?m)^.*(known).*$").ReplaceAllString(out, ""), "android/target-level", "what is known is marked")
	_, exit = check()
	assert.Zero(t, exit, "rejected is no error")
	out, _ = check("--format", "sarif", "../sound")
	assert.Contains(t, out, `"baselineState":"absent"`)
	assert.NotContains(t, out, `"baselineState":"unchanged"`)
	out, _ = check("--format", "json")
	assert.Contains(t, out, `"known": true`)
	_, stderr, exit := regola(t, dir, "check", "--baseline", "dossier.yaml")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "give files that regola check --format json")
}

// TestSchemas holds every JSON output against its published schema, and the
// published schemas against the program's.
func TestSchemas(t *testing.T) {
	dir := demo(t)
	compile := func(name string) *jsonschema.Schema {
		schema, _, exit := regola(t, dir, "schema", name)
		require.Zero(t, exit)
		doc, err := jsonschema.UnmarshalJSON(strings.NewReader(schema))
		require.NoError(t, err)
		assert.Contains(t, doc.(map[string]any)["$id"], name)
		c := jsonschema.NewCompiler()
		require.NoError(t, c.AddResource("schema.json", doc))
		sch, err := c.Compile("schema.json")
		require.NoError(t, err)
		return sch
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "letter.txt"), []byte(storeLetter), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "film.mp4"), seed.Film(886, 1920, 40, true), 0o644))
	for name, args := range map[string][]string{
		"pictures":   {"pictures", "--format", "json", "."},
		"check":      {"check", "--on", on, "--format", "json", "faulty"},
		"facts":      {"facts", "--format", "json", "faulty/build/terrafuoco.aab"},
		"rules":      {"rules", "--format", "json"},
		"explain":    {"explain", "--on", on, "--format", "json", "ios/icon-looks"},
		"duties":     {"duties", "--on", on, "--format", "json", "faulty"},
		"tables":     {"tables", "--format", "json", "restricted"},
		"problems":   {"check", "--format", "json", "none.aab"},
		"privacy":    {"privacy", "--format", "json", "faulty/build/Terrafuoco.ipa"},
		"disclosure": {"privacy", "--on", on, "--format", "json", "faulty"},
		"evidence":   {"facts", "--evidence", "--format", "json", "--table", "faulty/sdks.yaml", "faulty/build/terrafuoco.aab"},
		"rate":       {"rate", "--on", on, "--format", "json", "faulty"},
		"ledger":     {"ledger", "show", "--dossier", "faulty", "--format", "json"},
		"calendar":   {"calendar", "--on", on, "--format", "json", "--all", "faulty"},
		"changes":    {"changes", "--format", "json", "sound/build/terrafuoco.aab", "faulty/build/terrafuoco.aab"},
		"weigh":      {"weigh", "--format", "json", "faulty/build/terrafuoco.aab", "--against", "sound/build/terrafuoco.aab"},
		"checks":     {"check", "--on", on, "--format", "json", "faulty", "sound"},
		"next":       {"next", "--on", on, "--format", "json", "--all", "faulty"},
		"letter":     {"letter", "letter.txt", "--on", on, "--format", "json", "faulty"},
		"handout":    {"handout", "--on", on, "--format", "json", "faulty"},
		"needed":     {"pictures", "--on", on, "--needed", "--format", "json", "faulty"},
		"cited":      {"explain", "--format", "json", "5.1.1"},
	} {
		sch := compile(name)
		out, _, _ := regola(t, dir, args...)
		v, err := jsonschema.UnmarshalJSON(strings.NewReader(out))
		require.NoError(t, err)
		assert.NoError(t, sch.Validate(v), name)
		delete(v.(map[string]any), "regola")
		assert.Error(t, sch.Validate(v), "%s without its version number", name)
	}
	// The demo's own documents, as any reader of YAML 1.2 sees them.
	for file, name := range map[string]string{"../../rulebooks/android/bundle.yaml": "rulebook", "../../rulebooks/common/texts.yaml": "rulebook", "../../rulebooks/ios/nested.yaml": "rulebook", "faulty/dossier.yaml": "dossier", "sound/dossier.yaml": "dossier", "sound/listing/it.yaml": "listing", "faulty/listing/de.yaml": "listing"} {
		if !strings.HasPrefix(file, "..") {
			file = filepath.Join(dir, file)
		}
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		var doc map[string]any
		require.NoError(t, yaml.Unmarshal(data, &doc))
		plain, err := json.Marshal(doc)
		require.NoError(t, err)
		v, err := jsonschema.UnmarshalJSON(bytes.NewReader(plain))
		require.NoError(t, err)
		assert.NoError(t, compile(name).Validate(v), file)
		v.(map[string]any)["bogus"] = true
		assert.Error(t, compile(name).Validate(v), file)
	}
	for _, name := range []string{"dossier", "listing", "rulebook", "check", "facts", "rules", "explain", "duties", "tables", "privacy", "problems", "pictures", "disclosure", "evidence", "rate", "backend", "ledger", "calendar", "changes", "next", "weigh", "checks", "letter", "handout", "cited", "needed"} {
		published, err := os.ReadFile("../../docs/schema/" + name + ".json")
		require.NoError(t, err)
		now, _, _ := regola(t, dir, "schema", name)
		assert.True(t, now == string(published), "docs/schema/%s.json is out of date: run scripts/docs", name)
	}
}

// TestReference holds the generated pages against what the program says now.
func TestReference(t *testing.T) {
	for page, args := range map[string][]string{
		"rules.md":  {"rules", "--format", "markdown"},
		"fields.md": {"rulebook", "fields"},
	} {
		published, err := os.ReadFile("../../docs/" + page)
		require.NoError(t, err)
		now, _, exit := regola(t, ".", args...)
		assert.Zero(t, exit)
		assert.True(t, now == string(published), "docs/%s is out of date: run scripts/docs", page)
	}
}

// TestPrivacyManifest writes a manifest from the code, and never over a file.
func TestPrivacyManifest(t *testing.T) {
	dir := demo(t)
	file := filepath.Join(dir, "new.xcprivacy")
	_, stderr, _ := regola(t, dir, "privacy", "faulty/build/Terrafuoco.ipa", "--manifest", file)
	data, err := os.ReadFile(file)
	require.NoError(t, err, stderr)
	v, _, err := plist.Parse(data, nil)
	require.NoError(t, err)
	var categories []string
	for _, a := range v.Get("NSPrivacyAccessedAPITypes").Items {
		categories = append(categories, a.Get("NSPrivacyAccessedAPIType").Text())
	}
	assert.Contains(t, categories, "NSPrivacyAccessedAPICategoryUserDefaults")
	_, stderr, exit := regola(t, dir, "privacy", "sound/build/Terrafuoco.ipa", "--manifest", file)
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "new.xcprivacy")
	after, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, data, after)

	widget := filepath.Join(dir, "widget.xcprivacy")
	_, stderr, exit = regola(t, dir, "privacy", "sound/build/Terrafuoco.ipa", "--manifest", widget, "--bundle", "PlugIns/FiringWidget.appex")
	assert.Zero(t, exit, stderr)
	assert.FileExists(t, widget)
	_, stderr, exit = regola(t, dir, "privacy", "sound/build/Terrafuoco.ipa", "--manifest", widget+"2", "--bundle", "PlugIns/Other.appex")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, `no bundle "PlugIns/Other.appex"`)
	assert.NoFileExists(t, widget+"2")
}

// TestExitStatus holds the table of docs/exit-status.md: a row for what was found, a column
// for each call.
func TestExitStatus(t *testing.T) {
	text, err := os.ReadFile("../../docs/exit-status.md")
	require.NoError(t, err)
	calls := [][]string{nil, {"--fail-on", "rejected"}, {"--strict"}, {"--fail-on", "never"}}
	found := map[string][]string{ // what is changed in the sound dossier: old, new; or files to remove, or the call
		"every rule holds":                             {},
		"a craft finding":                              {"share: {android: 20%}", "share: 20%"},
		"a rejected finding":                           {"user: reviewer@terrafuoco.example, ", ""},
		"a blocked finding":                            {"privacy: https", "privacy: http"},
		"to answer, and blocked without it":            {"  ads: false\n", ""},
		"to confirm, and craft without it":             {"  - {what: app-links-served, version: 1.4.0, by: Ada Forni, on: 2026-11-20}\n", ""},
		"the package is not there":                     {"build/terrafuoco.aab", "build/none.aab"},
		"the package is not there, its stage left out": {"build/terrafuoco.aab", "build/none.aab"},
		"a lone package, and questions":                {},
	}
	for _, line := range strings.Split(string(text), "\n") {
		cells := strings.Split(strings.Trim(line, "| "), " | ")
		change, known := found[cells[0]]
		if !known {
			continue
		}
		delete(found, cells[0])
		t.Run(cells[0], func(t *testing.T) {
			t.Parallel()
			dir := filepath.Join(demo(t), "sound")
			edit(t, filepath.Join(dir, "dossier.yaml"), change...)
			args := []string{"check", "--on", on}
			switch cells[0] {
			case "the package is not there, its stage left out":
				args = append(args, "--stage", "graphics,listing")
			case "a lone package, and questions":
				args = append(args, "--alone", "build/terrafuoco.aab")
			}
			for i, call := range calls {
				out, stderr, exit := regola(t, dir, append(slices.Clone(args), call...)...)
				assert.Equal(t, cells[i+1], fmt.Sprint(exit), "%v: %s%s", call, out, stderr)
			}
		})
	}
	assert.Empty(t, found, "rows that the page lacks")
	_, _, exit := regola(t, ".", "check", "--on", "soon")
	assert.Equal(t, 2, exit)
}

const ownRules = `
rulebook: house
store: android
edition: 2026-11-23
rules:
  - id: house/min-level
    title: We serve from level 28
    stage: package
    impact: refused
    expect: pkg.android.manifest.min_level >= 28
    say: from level {pkg.android.manifest.min_level}
    fix: Raise it.
    basis: {topic: our own, checked: 2026-11-23, confidence: high}
    examples:
      - {given: {pkg: {android: {manifest: {min_level: 26}}}}, breaks: true}
      - {given: {pkg: {android: {manifest: {min_level: 28}}}}, breaks: false}
`

func TestRulebookTest(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "house.yaml")
	require.NoError(t, os.WriteFile(file, []byte(ownRules), 0o644))
	out, _, exit := regola(t, dir, "rulebook", "test", "house.yaml")
	assert.Zero(t, exit)
	assert.Contains(t, out, "1 rule, 2 examples: all pass")
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(ownRules, "min_level: 28}}}}, breaks: false", "min_level: 27}}}}, breaks: false", 1)), 0o644))
	out, _, exit = regola(t, dir, "rulebook", "test", "house.yaml")
	assert.Equal(t, 1, exit)
	assert.Contains(t, out, "house.yaml:16:9: rule house/min-level: the example says breaks: false, the rule says true")
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(ownRules, "min_level >= 28", "min_levl >= 28", 1)), 0o644))
	_, stderr, exit := regola(t, dir, "rulebook", "test", "house.yaml")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "house.yaml:10:33: house/min-level: expect: undefined field 'min_levl'")

	// The rulebook of the guide, and one that looks at a table of its own.
	guide, err := os.ReadFile("../../docs/writing-rules.md")
	require.NoError(t, err)
	_, book, _ := strings.Cut(string(guide), "```yaml\n")
	book, _, _ = strings.Cut(book, "```")
	require.NoError(t, os.WriteFile(file, []byte(book), 0o644))
	out, stderr, _ = regola(t, dir, "rulebook", "test", "house.yaml")
	assert.Contains(t, out, ": all pass", stderr)
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(ownRules, ">= 28", ">= table.our_levels[0].level", 1)), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "levels.yaml"), []byte("our_levels: [{level: 28}]\n"), 0o644))
	out, stderr, _ = regola(t, dir, "rulebook", "test", "--tables", "levels.yaml", "house.yaml")
	assert.Contains(t, out, ": all pass", stderr)
}

func TestOutFile(t *testing.T) {
	dir := demo(t)
	text, _, exit := regola(t, dir, "check", "--on", on, "--out", "json=r.json", "faulty")
	assert.Equal(t, 1, exit)
	assert.Contains(t, text, "TO CONFIRM")
	data, err := os.ReadFile(filepath.Join(dir, "r.json"))
	require.NoError(t, err)
	var doc struct {
		Exit     int
		Findings []struct{ Rule, Level string }
	}
	require.NoError(t, json.Unmarshal(data, &doc))
	assert.Equal(t, 1, doc.Exit)
	assert.NotEmpty(t, doc.Findings)
	_, stderr, exit := regola(t, dir, "check", "--on", on, "--out", "json=none/r.json", "faulty")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "none/r.json: cannot be written")
}

// TestBadInput holds what the messages alone do not show: a refused demo leaves
// nothing behind, and a file that may not be read is reported.
func TestBadInput(t *testing.T) {
	dir := demo(t)
	write := func(name, text string) {
		file := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	}
	write("taken/faulty/dossier.yaml", "mine")
	_, _, exit := regola(t, dir, "demo", "taken")
	assert.Equal(t, 2, exit)
	kept, err := os.ReadFile(filepath.Join(dir, "taken/faulty/dossier.yaml"))
	require.NoError(t, err)
	assert.Equal(t, "mine", string(kept))
	assert.NoDirExists(t, filepath.Join(dir, "taken/sound"))

	aab, err := os.ReadFile(filepath.Join(dir, "sound/build/terrafuoco.aab"))
	require.NoError(t, err)
	write("cut.aab", string(aab[:5000]))
	_, stderr, exit := regola(t, dir, "check", "--alone", "cut.aab")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "cut.aab: the archive cannot be opened")
	write("locked.aab", string(aab))
	require.NoError(t, os.Chmod(filepath.Join(dir, "locked.aab"), 0))
	if os.Geteuid() != 0 { // root reads everything
		_, stderr, exit := regola(t, dir, "check", "--alone", "locked.aab")
		assert.Equal(t, 2, exit)
		assert.Contains(t, stderr, "locked.aab: no permission to read it")
	}
}

// TestHostileText prints a package's text with its control characters visible.
func TestHostileText(t *testing.T) {
	dir := demo(t)
	file := filepath.Join(dir, "sound/listing/en-GB.yaml")
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, append([]byte(`name: "free app \e[31m\u202e Terrafuoco"`+"\n"), data[bytes.IndexByte(data, '\n')+1:]...), 0o644))
	out, _, _ := regola(t, dir, "check", "--on", on, "sound")
	assert.Contains(t, out, `\u{1b}[31m\u{202e}`)
	assert.NotContains(t, out, "\x1b")
}

// TestPictures sorts a folder of pictures by their sizes, copies them into class
// folders, and finds nothing wrong with what it copied but what is in them.
func TestPictures(t *testing.T) {
	dir := t.TempDir()
	for name, data := range map[string][]byte{
		"shots/it/2.png": seed.PNG(t, 640, 960, false), "shots/it/10.png": seed.PNG(t, 640, 960, false), "shots/it/wrong.png": seed.PNG(t, 640, 950, false),
		"shots/android/icon.png": seed.PNG(t, 512, 512, true), "shots/cut.jpg": seed.JPEG(t, 100, 100, 0)[:300], "shots/film.mp4": seed.Film(886, 1920, 40, false),
	} {
		file := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, data, 0o644))
	}
	out, stderr, exit := regola(t, dir, "pictures", "--on", on, "shots", "--sort-into", "sorted")
	assert.Equal(t, 1, exit, stderr)
	golden(t, "pictures.txt", out)
	var copied []string
	require.NoError(t, filepath.WalkDir(filepath.Join(dir, "sorted"), func(path string, e fs.DirEntry, err error) error {
		if err == nil && !e.IsDir() {
			rel, _ := filepath.Rel(dir, path)
			copied = append(copied, filepath.ToSlash(rel))
		}
		return err
	}))
	assert.Equal(t, []string{"sorted/android/icon/01.png", "sorted/android/it/phone/01.png", "sorted/android/it/phone/02.png", "sorted/android/it/phone/03.png",
		"sorted/ios/it/phone-3.5/01.png", "sorted/ios/it/phone-3.5/02.png", "sorted/ios/preview-phone-6.9/01.mp4"}, copied)
	_, stderr, exit = regola(t, dir, "pictures", "shots", "--sort-into", "sorted")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "sorted: this folder is not empty")
	js, _, _ := regola(t, dir, "pictures", "--on", on, "--format", "json", "shots")
	var doc struct {
		Pictures []struct {
			Wrong []struct{ Say string }
		}
	}
	require.NoError(t, json.Unmarshal([]byte(js), &doc))
	require.Len(t, doc.Pictures, 6)
	require.Len(t, doc.Pictures[1].Wrong, 1)
	assert.Contains(t, doc.Pictures[1].Wrong[0].Say, "cut off")
}

// TestDemoPlace runs the demo without a folder: it takes the same temporary one
// each time, and leaves what is not its own alone.
func TestDemoPlace(t *testing.T) {
	tmp := t.TempDir()
	t.Setenv("TMPDIR", tmp)
	first, _, _ := regola(t, tmp, "demo", "--on", on)
	again, _, _ := regola(t, tmp, "demo", "--on", on)
	assert.Equal(t, first, again)
	folders, err := filepath.Glob(filepath.Join(tmp, "*"))
	require.NoError(t, err)
	require.Len(t, folders, 1)
	mine := filepath.Join(folders[0], "faulty/dossier.yaml")
	require.NoError(t, os.WriteFile(mine, []byte("mine"), 0o644))
	other, _, exit := regola(t, tmp, "demo", "--on", on)
	assert.Zero(t, exit)
	assert.NotEqual(t, first, other)
	kept, err := os.ReadFile(mine)
	require.NoError(t, err)
	assert.Equal(t, "mine", string(kept))
}

func TestVersionAndCompletion(t *testing.T) {
	out, _, exit := regola(t, t.TempDir(), "version")
	assert.Zero(t, exit)
	assert.Contains(t, out, "commit ")
	assert.Regexp(t, `rulebooks/ios/package.yaml +edition \d{4}-\d\d-\d\d`, out)
	out, _, exit = regola(t, t.TempDir(), "completion", "bash")
	assert.Zero(t, exit)
	assert.Contains(t, out, "__start_regola")
	for call, want := range map[string]string{
		"explain ios/ic": "ios/icon-name\t", "check --out ": "sarif=\n", "check --out json=": ":0\n", "merge --format ": "junit\n",
		"rate --with ": "unrestricted_web=yes\n", "weigh --device ": "phone\ta phone of today\n", "check --fo": "--format\tFORM of the output",
	} {
		out, _, _ = regola(t, t.TempDir(), append([]string{"__complete"}, strings.Split(call, " ")...)...)
		assert.Contains(t, out, want, call)
	}
}
