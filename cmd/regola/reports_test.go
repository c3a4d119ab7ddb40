package main_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// sarifSchema is the standard's own schema.
func sarifSchema(t *testing.T) *jsonschema.Schema {
	t.Helper()
	data, err := os.ReadFile("testdata/sarif-schema-2.1.0.json")
	require.NoError(t, err)
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(data))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("sarif.json", doc))
	s, err := c.Compile("sarif.json")
	require.NoError(t, err)
	return s
}

type sarifLog struct {
	Runs []struct {
		Results []struct {
			RuleID              string
			RuleIndex           int
			Kind, Level         string
			PartialFingerprints map[string]string
			Suppressions        []any
			Locations           []struct {
				PhysicalLocation struct{ Region struct{ StartLine int } }
			}
		}
		Tool struct {
			Driver struct{ Rules []struct{ ID string } }
		}
	}
}

// TestSARIF holds the output against the standard's schema, its rules against its
// results, and its fingerprints against lines that move.
func TestSARIF(t *testing.T) {
	dir := demo(t)
	schema := sarifSchema(t)
	read := func(args ...string) (log sarifLog, out string) {
		t.Helper()
		out, _, _ = regola(t, dir, append([]string{"check", "--on", on, "--format", "sarif"}, args...)...)
		v, err := jsonschema.UnmarshalJSON(strings.NewReader(out))
		require.NoError(t, err)
		require.NoError(t, schema.Validate(v))
		require.NoError(t, json.Unmarshal([]byte(out), &log))
		return log, out
	}
	log, out := read("faulty")
	golden(t, "check-faulty.sarif", out)
	kinds := map[string]int{}
	before := map[string]int{}
	for _, r := range log.Runs[0].Results {
		kinds[r.Kind]++
		assert.Equal(t, r.RuleID, log.Runs[0].Tool.Driver.Rules[r.RuleIndex].ID)
		if r.Kind != "fail" {
			assert.Equal(t, "none", r.Level)
			continue
		}
		kinds[fmt.Sprintf("%d suppressed", len(r.Suppressions))]++
		before[r.PartialFingerprints["regola/1"]] = r.Locations[0].PhysicalLocation.Region.StartLine
	}
	assert.Equal(t, 3, kinds["review"])
	assert.Equal(t, 1, kinds["1 suppressed"])
	assert.Greater(t, kinds["0 suppressed"], 40)

	file := filepath.Join(dir, "faulty/dossier.yaml")
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, append([]byte("# moved\n# down\n"), text...), 0o644))
	log, _ = read("faulty")
	moved := 0
	for _, r := range log.Runs[0].Results {
		line, known := before[r.PartialFingerprints["regola/1"]]
		assert.True(t, known || r.Kind != "fail", r.RuleID)
		if known && line > 0 && r.Locations[0].PhysicalLocation.Region.StartLine == line+2 {
			moved++
		}
	}
	assert.Greater(t, moved, 5)
	broken(t, dir)
	read("sound", "faulty", "none")
}

// broken writes a dossier that cannot be judged.
func broken(t *testing.T, dir string) {
	t.Helper()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "none"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "none/dossier.yaml"), []byte("regola: 1\n"), 0o644))
}

// TestBriefLines matches every line of --brief with the expression that the recipes give to
// task runners.
func TestBriefLines(t *testing.T) {
	recipes, err := os.ReadFile("../../docs/recipes.md")
	require.NoError(t, err)
	m := regexp.MustCompile(`(?m)^\^\(.*\$$`).FindString(string(recipes))
	require.NotEmpty(t, m, "the expression is in docs/recipes.md")
	out, _, _ := regola(t, demo(t), "check", "--on", on, "--brief", "faulty")
	lines := strings.Split(strings.TrimSuffix(out, "\n"), "\n")
	require.Greater(t, len(lines), 30)
	for _, l := range lines {
		assert.Regexp(t, m, l)
	}
}

// TestForge reads the two forms that forges show beside the code.
func TestForge(t *testing.T) {
	dir := demo(t)
	out, _, _ := regola(t, dir, "check", "--on", on, "--format", "annotations", "faulty")
	lines := strings.Split(strings.TrimSuffix(out, "\n"), "\n")
	for _, l := range lines {
		assert.Regexp(t, `^::(error|warning|notice) (file=[^,:]+,)?(line=\d+,col=\d+,)?title=[a-z]+/[a-z0-9-]+::\S`, l)
	}
	assert.Regexp(t, `::warning file=faulty/dossier.yaml,line=\d+,col=\d+,title=[^:]+::rejected: `, out)
	out, _, _ = regola(t, dir, "check", "--on", on, "--format", "quality", "faulty", "sound")
	var issues []struct {
		Description, Fingerprint, Severity string
		Check                              string `json:"check_name"`
		Location                           struct {
			Path  string
			Lines struct{ Begin int }
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &issues))
	assert.Len(t, issues, len(lines), "the sound release adds nothing")
	seen := map[string]bool{}
	for _, i := range issues {
		assert.False(t, seen[i.Fingerprint], i.Fingerprint)
		seen[i.Fingerprint] = true
		assert.Contains(t, []string{"blocker", "critical", "major", "minor", "info"}, i.Severity)
		assert.Positive(t, i.Location.Lines.Begin)
		assert.NotEmpty(t, i.Location.Path+i.Check+i.Description)
	}
	out, _, _ = regola(t, dir, "check", "--on", on, "--format", "quality", "sound")
	assert.JSONEq(t, "[]", out)
	out, _, _ = regola(t, dir, "check", "--on", on, "--format", "annotations", "sound")
	assert.Empty(t, out)
}

type junitTest struct {
	Name    string    `xml:"name,attr"`
	Failure *struct{} `xml:"failure"`
	Skipped *struct {
		Message string `xml:"message,attr"`
	} `xml:"skipped"`
}

// TestJUnit reads the output as XML and holds its counts against its cases.
func TestJUnit(t *testing.T) {
	dir := demo(t)
	for _, c := range []struct {
		args     []string
		failures int // of both suites
		suites   int
	}{{[]string{"sound"}, 0, 2}, {[]string{"faulty"}, 25, 2}, {[]string{"--fail-on", "never", "faulty"}, 0, 2}, {[]string{"faulty", "sound"}, 25, 3}} {
		out, _, _ := regola(t, dir, append([]string{"check", "--on", on, "--format", "junit"}, c.args...)...)
		var doc struct {
			Suites []struct {
				Name     string      `xml:"name,attr"`
				Tests    int         `xml:"tests,attr"`
				Failures int         `xml:"failures,attr"`
				Skipped  int         `xml:"skipped,attr"`
				Cases    []junitTest `xml:"testcase"`
			} `xml:"testsuite"`
		}
		require.NoError(t, xml.Unmarshal([]byte(out), &doc))
		require.Len(t, doc.Suites, c.suites)
		failures := 0
		for _, s := range doc.Suites {
			failed, skipped := 0, 0
			for _, x := range s.Cases {
				if x.Failure != nil {
					failed++
				}
				if x.Skipped != nil {
					skipped++
					assert.NotEmpty(t, x.Skipped.Message, x.Name)
				}
			}
			assert.Equal(t, []int{s.Tests, s.Failures, s.Skipped}, []int{len(s.Cases), failed, skipped})
			if s.Name == "without a failure" { // of several dossiers: one case each
				assert.Equal(t, []int{1, 0, 0}, []int{s.Tests, failed, skipped})
				continue
			}
			assert.Greater(t, s.Tests-failed-skipped, 100, "rules that hold pass")
			assert.False(t, slices.ContainsFunc(s.Cases[failed:], func(x junitTest) bool { return x.Failure != nil }), "failures come first")
			failures += failed
		}
		assert.Equal(t, c.failures, failures, "%v", c.args)
	}
}

// TestReports writes every form in one call, and reads back what merge makes of the
// JSON: the same, to the byte.
func TestReports(t *testing.T) {
	dir := demo(t)
	forms := []string{"text", "brief", "json", "markdown", "sarif", "junit"}
	args := []string{"check", "--on", on, "faulty", "--out", "html=r.html"}
	for _, f := range forms {
		args = append(args, "--out", f+"=r."+f)
	}
	_, stderr, exit := regola(t, dir, args...)
	require.Equal(t, 1, exit, stderr)
	read := func(name string) string {
		data, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		return string(data)
	}
	for _, f := range forms {
		out, stderr, exit := regola(t, dir, "merge", "r.json", "--format", f)
		assert.Equal(t, 1, exit, stderr)
		assert.True(t, read("r."+f) == out, "%s of merged results differs", f)
	}
	golden(t, "check-faulty.md", read("r.markdown"))

	// Two parts of the work, joined, are the whole.
	for _, part := range []string{"1/2", "2/2"} {
		_, stderr, _ := regola(t, dir, "check", "--on", on, "--shard", part, "--out", "json=part"+part[:1]+".json", "sound", "faulty")
		assert.Empty(t, stderr)
	}
	whole, _, _ := regola(t, dir, "check", "--on", on, "--format", "json", "faulty", "sound")
	joined, _, exit := regola(t, dir, "merge", "part1.json", "part2.json", "--format", "json")
	assert.True(t, whole == joined)
	assert.Equal(t, 1, exit)
	out, _, exit := regola(t, dir, "merge", "part1.json", "part2.json", "--fail-on", "never")
	assert.Zero(t, exit)
	golden(t, "many.txt", out)
	_, stderr, exit = regola(t, dir, "merge", "part1.json", "part2.json", "--out", "html=part1.json")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "this is an input")
	for name, text := range map[string]string{"a.json": "[]", "b.json": `{"regola":1}`, "c.json": `{"regola":7,"results":[]}`, "d.json": read("part1.json")[:5000], "e.json": `{"regola":1,"results":[{"on":"2026-01-01","verdicts":[{"key":"x","state":"odd"}]}]}`} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
		_, stderr, exit := regola(t, dir, "merge", name)
		assert.Equal(t, 2, exit, name)
		assert.Contains(t, stderr, name+": ")
	}
	// A part that is empty joins with the others.
	for _, n := range []string{"1", "2", "3"} {
		_, stderr, exit = regola(t, dir, "check", "--on", on, "--shard", n+"/3", "--fail-on", "error", "--out", "json=third"+n+".json", "sound", "faulty")
		assert.NotEqual(t, 2, exit, stderr)
	}
	assert.Zero(t, exit, stderr)
	again, stderr, _ := regola(t, dir, "merge", "third1.json", "third3.json", "third2.json", "--format", "json")
	assert.True(t, whole == again, stderr)
	_, stderr, exit = regola(t, dir, "check", "--shard", "3/2", "sound", "faulty")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "--shard")

	// A file that cannot be written is reported before anything is judged, and no other
	// is left half written.
	_, stderr, exit = regola(t, dir, "check", "--on", on, "faulty", "--out", "html=new.html", "--out", "json=none/x.json")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "none/x.json")
	assert.NoFileExists(t, filepath.Join(dir, "new.html"))
	left, err := filepath.Glob(filepath.Join(dir, ".regola-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

// TestPage holds what a page must not have: scripts, addresses from outside, ids that
// are there twice, links that lead nowhere.
func TestPage(t *testing.T) {
	dir := demo(t)
	broken(t, dir)
	for _, args := range [][]string{{"faulty"}, {"sound"}, {"sound", "faulty", "none"}} {
		out, _, _ := regola(t, dir, append([]string{"check", "--on", on, "--format", "html"}, args...)...)
		assert.NotRegexp(t, `(?i)<script|<link|<iframe|javascript:| on[a-z]+=`, out)
		for _, m := range regexp.MustCompile(`(?:src|href)="([^"]{0,12})`).FindAllStringSubmatch(out, -1) {
			assert.Regexp(t, `^(#|data:image/)`, m[1])
		}
		ids := map[string]bool{}
		for _, m := range regexp.MustCompile(`\bid="([^"]*)"`).FindAllStringSubmatch(out, -1) {
			assert.False(t, ids[m[1]], "the id %s is there twice", m[1])
			ids[m[1]] = true
		}
		for _, m := range regexp.MustCompile(`href="#([^"]*)"`).FindAllStringSubmatch(out, -1) {
			assert.True(t, ids[m[1]], "the link to %s leads nowhere", m[1])
		}
		assert.Equal(t, 1, strings.Count(out, "<h1>"))
		assert.NotContains(t, out, "ZgotmplZ")
	}
}

// TestHostileReports puts strings that act in terminals, pages and Markdown into every
// text that a dossier controls, and looks for them in every form.
func TestHostileReports(t *testing.T) {
	dir := demo(t)
	const bad = `\e[31m\u202e\u2066<script>alert(1)</script><img src=x onerror=y>]]>|](http://e.example)@team`
	edit := func(name string, pairs ...string) {
		file := filepath.Join(dir, "faulty", name)
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		text := string(data)
		for i := 0; i < len(pairs); i += 2 {
			require.Contains(t, text, pairs[i])
			text = strings.Replace(text, pairs[i], pairs[i+1], 1)
		}
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	}
	edit("dossier.yaml", "name: Terrafuoco", `name: "T`+bad+`"`, "because: ", `because: "`+bad+`" # `, "privacy: ", `privacy: "`+bad+`" # `)
	edit("listing/de.yaml", "name: ", `name: "`+bad+`" # `, "pitch: ", `pitch: "free `+bad+strings.Repeat(" wort", 20)+`" # `)
	require.NoError(t, os.Rename(filepath.Join(dir, "faulty/pictures/android/feature.png"), filepath.Join(dir, "faulty/pictures/android/a<b>\x1b[1m\u202e.png")))
	// A package whose names act, too: an APK holds any.
	apk := new(bytes.Buffer)
	z := zip.NewWriter(apk)
	data, err := os.ReadFile(filepath.Join(dir, "sound/build/terrafuoco.aab"))
	require.NoError(t, err)
	from, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	for _, f := range from.File {
		require.NoError(t, z.Copy(f))
	}
	w, err := z.Create("base/assets/\x1b[31m\u202e<script>alert(1)</script>.png")
	require.NoError(t, err)
	_, err = w.Write(bytes.Repeat([]byte{7}, 9000))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	require.NoError(t, os.WriteFile(filepath.Join(dir, "odd.aab"), apk.Bytes(), 0o644))
	_, stderr, _ := regola(t, dir, "ledger", "reply", "--dossier", "faulty", "--store", "ios", "\x1b[31m\u202e<script>")
	require.Empty(t, stderr)
	for _, args := range [][]string{{"duties", "faulty"}, {"privacy", "faulty"}, {"privacy", "--format", "csv", "faulty"}, {"rate", "faulty"}, {"next", "faulty"}, {"pictures", "faulty"}, {"ledger", "show", "--dossier", "faulty"},
		{"calendar", "faulty"}, {"calendar", "--format", "ical", "faulty"}, {"changes", "sound", "faulty"}, {"changes", "--format", "markdown", "sound", "faulty"}, {"weigh", "odd.aab", "--all"}, {"weigh", "--format", "json", "odd.aab"}, {"facts", "odd.aab"},
		{"facts", "--evidence", "odd.aab"}, {"facts", "--format", "json", "odd.aab"}, {"changes", "sound/build/terrafuoco.aab", "odd.aab"}, {"check", "--alone", "--all", "odd.aab"}, {"init", "odd.aab", "--out", "drafted"}, {"sheet", "faulty", "--out", "sheet"}} {
		out, stderr, exit := regola(t, dir, args...)
		assert.NotEqual(t, 2, exit, "%v %s", args, stderr)
		for _, c := range []string{"\x1b", "\u202e", "\u2066"} {
			assert.NotContains(t, out+stderr, c, "%v", args)
		}
	}
	for _, form := range []string{"text", "brief", "json", "html", "markdown", "sarif", "junit"} {
		for _, args := range [][]string{{"faulty"}, {"faulty", "sound"}} {
			out, stderr, _ := regola(t, dir, append([]string{"check", "--on", on, "--all", "--format", form}, args...)...)
			require.Empty(t, stderr)
			require.Contains(t, out, "alert", form)
			for _, c := range []string{"\x1b", "\u202e", "\u2066"} {
				assert.NotContains(t, out, c, form)
			}
			switch form {
			case "html", "markdown", "junit":
				assert.NotContains(t, out, "<script>", form)
				assert.NotContains(t, out, "<img src=x", form)
			}
			if form == "markdown" {
				assert.NotRegexp(t, `[^\\]\]\(http`, out, form)
				assert.NotContains(t, out, "@team", form)
			}
		}
	}
}

// TestBase stands two dossiers on one: what they say holds, everything else comes from
// the base, and places name the file that holds the value.
func TestBase(t *testing.T) {
	dir := demo(t)
	write := func(name, text string) {
		file := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	}
	check := func(args ...string) (string, int) {
		out, stderr, exit := regola(t, dir, append([]string{"check", "--on", on}, args...)...)
		return out + stderr, exit
	}
	write("a/dossier.yaml", "regola: 1\nbase: ../sound\n")
	out, exit := check("--strict", "a")
	assert.Zero(t, exit, out)
	assert.Contains(t, out, "PASSES")
	assert.Contains(t, out, "sound/build/terrafuoco.aab")

	// Faults in the base are reported there, those of its own here.
	write("b/dossier.yaml", "regola: 1\nbase: ../faulty\nanswers:\n  ads: true\nreview:\n  contact: {phone: '12'}\n")
	write("b/listing/de.yaml", "name: Terrafuoco\n")
	brief, _ := check("--brief", "b")
	assert.NotContains(t, brief, "says no ads")
	assert.Contains(t, brief, "faulty/listing/de.yaml:3:1: blocked: the pitch in German")
	assert.Contains(t, brief, "faulty/listing/it.yaml:6:65: rejected")
	assert.Regexp(t, `b/dossier.yaml:\d+:\d+: blocked: the reviewer's contact`, brief)
	assert.Contains(t, brief, "faulty/dossier.yaml:47:3: blocked: no country is chosen")
	assert.Contains(t, brief, "faulty/pictures/android/feature.png:1:1: blocked")

	// A folder of screenshots replaces the same one of the base; graphics one by one.
	data, err := os.ReadFile(filepath.Join(dir, "sound/pictures/android/feature.png"))
	require.NoError(t, err)
	write("b/pictures/android/feature.png", string(data))
	shots, err := filepath.Glob(filepath.Join(dir, "sound/pictures/ios/en-GB/phone-6.9/*.png"))
	require.NoError(t, err)
	require.NotEmpty(t, shots)
	data, err = os.ReadFile(shots[0])
	require.NoError(t, err)
	write("b/pictures/ios/en-GB/phone-6.9/1.png", string(data))
	brief, _ = check("--brief", "b")
	assert.NotContains(t, brief, "feature.png")
	assert.NotContains(t, brief, "en-GB/phone-6.9/1-firing.png")
	assert.Contains(t, brief, "faulty/pictures/android/icon.png")

	for text, want := range map[string]string{
		"base: ../none":  "c/dossier.yaml:2:7: there is no dossier in ",
		"base: ../c":     "c/dossier.yaml:2:7: the dossier is its own base",
		"base: ../d":     "d/dossier.yaml:2:7: the dossier is its own base",
		"base: /etc":     "c/dossier.yaml:2:7: the base is no relative path",
		"base: [a]":      "expected a text",
		"base: ../wrong": `wrong/dossier.yaml:2:1: unknown key "kidn"`,
	} {
		write("d/dossier.yaml", "regola: 1\nbase: ../c\n")
		write("wrong/dossier.yaml", "regola: 1\nkidn: app\n")
		write("c/dossier.yaml", "regola: 1\n"+text+"\napp: {name: T, default_locale: en}\n")
		out, exit := check("c")
		assert.Equal(t, 2, exit)
		assert.Contains(t, out, want)
	}
}

// TestMany judges a folder of dossiers, of which one is damaged.
func TestMany(t *testing.T) {
	dir := demo(t)
	for i := range 6 {
		file := filepath.Join(dir, fmt.Sprintf("clients/x/app-%d/dossier.yaml", i))
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		text := fmt.Sprintf("regola: 1\nbase: ../../../sound\napp: {name: Brand %d, ids: {android: org.example.brand%d, ios: org.example.brand%d}}\n", i, i, i)
		if i == 3 {
			text = "regola: 1\nnonsense\n"
		}
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	}
	out, stderr, exit := regola(t, dir, "check", "--on", on, "clients", "--out", "json=all.json", "--out", "junit=all.xml", "--out", "html=all.html")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "1 dossier could not be judged")
	lines := strings.Split(out, "\n")
	n := 0
	for _, l := range lines { // in the order of the call, each with what is gravest below it
		if strings.Contains(l, fmt.Sprintf("app-%d  ", n)) {
			n++
		}
	}
	assert.Equal(t, 6, n, out)
	assert.Contains(t, out, "  refused   the package is named")
	assert.Contains(t, out, "app-3  NOT JUDGED")
	assert.Contains(t, out, "the same icon (ios): clients/x/app-0, clients/x/app-1, clients/x/app-2")
	var doc struct {
		Results []struct{ Dossier, App string }
		Failed  []struct{ Dossier string }
		Alike   []struct{ Kind, Store string }
	}
	data, err := os.ReadFile(filepath.Join(dir, "all.json"))
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &doc))
	assert.Len(t, doc.Results, 5)
	assert.Equal(t, "Brand 5", doc.Results[4].App)
	assert.Len(t, doc.Failed, 1)
	assert.Len(t, doc.Alike, 8, "icon, description, screenshots and name, of each store")
	again, stderr, _ := regola(t, dir, "merge", "all.json")
	assert.Contains(t, again, "app-3  NOT JUDGED", stderr)
	page, err := os.ReadFile(filepath.Join(dir, "all.html"))
	require.NoError(t, err)
	assert.Contains(t, string(page), "Brand 5")
}

// TestWeigh weighs the demo's packages against each other.
func TestWeigh(t *testing.T) {
	dir := demo(t)
	out, stderr, exit := regola(t, dir, "weigh", "faulty/build/terrafuoco.aab", "--table", "faulty/sdks.yaml", "--against", "sound/build/terrafuoco.aab", "--map", "map.svg")
	require.Zero(t, exit, stderr)
	golden(t, "weigh.txt", out)
	picture, err := os.ReadFile(filepath.Join(dir, "map.svg"))
	require.NoError(t, err)
	require.NoError(t, xml.Unmarshal(picture, new(struct{})))
	for args, want := range map[string]string{"abi=riscv64,density=xxhdpi": "gets nothing", "phone": "a phone of today"} {
		out, _, exit := regola(t, dir, "weigh", "sound/build/terrafuoco.aab", "--device", args)
		assert.Zero(t, exit)
		assert.Contains(t, out, want)
	}
	for _, args := range [][]string{{"--device", "toaster"}, {"--device", "density=thin"}, {"--device", "abi="}, {"--against", "sound/build/Terrafuoco.ipa"}, {"--map", "sound/build/terrafuoco.aab"}} {
		_, _, exit := regola(t, dir, append([]string{"weigh", "sound/build/terrafuoco.aab"}, args...)...)
		assert.Equal(t, 2, exit, "%v", args)
	}
}

// TestParts holds that no part of a call is lost or counted twice on the way to one
// report.
func TestParts(t *testing.T) {
	dir := demo(t)
	for _, name := range []string{"a", "b", "c", "d"} {
		from := "sound"
		if name == "b" {
			from = "faulty"
		}
		require.NoError(t, os.CopyFS(filepath.Join(dir, "clients", name), os.DirFS(filepath.Join(dir, from))))
	}
	for _, n := range []string{"1", "2", "3"} {
		_, stderr, exit := regola(t, dir, "check", "clients", "--on", on, "--shard", n+"/3", "--out", "json="+n+".json")
		assert.NotEqual(t, 2, exit, stderr)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "all.json"), bytes.Join([][]byte{must(os.ReadFile(filepath.Join(dir, "1.json"))), must(os.ReadFile(filepath.Join(dir, "3.json"))), must(os.ReadFile(filepath.Join(dir, "2.json")))}, nil), 0o644))
	_, _, exit := regola(t, dir, "check", "clients", "--on", on, "--shard", "1/4", "--out", "json=quarter.json")
	assert.NotEqual(t, 2, exit)
	for _, c := range []struct {
		args         []string
		exit         int
		says, report string
	}{
		{[]string{"1.json", "2.json", "3.json"}, 1, "", "4 dossiers"},
		{[]string{"all.json"}, 1, "", "4 dossiers"}, // several documents in one file
		{[]string{"1.json", "3.json"}, 2, "a part of the call is missing, with 1 dossier: clients/b", ""},
		{[]string{"1.json", "3.json", "--partial"}, 1, "a part of the call is missing; 1 dossier is not judged", "NOT JUDGED"},
		{[]string{"1.json", "1.json", "2.json", "3.json"}, 2, "part 1 of 3 is in 1.json already", ""},
		{[]string{"all.json", "2.json"}, 2, "part 2 of 3 is in all.json already", ""},
		{[]string{"quarter.json", "2.json", "3.json"}, 2, "one of 4, of the same dossiers", ""},
	} {
		out, stderr, exit := regola(t, dir, append([]string{"merge"}, c.args...)...)
		assert.Equal(t, c.exit, exit, "%v: %s", c.args, stderr)
		assert.Contains(t, stderr, c.says, "%v", c.args)
		assert.Contains(t, out, c.report, "%v", c.args)
	}
	// Without parts, the same result twice is a mistake, and two stores of one dossier none.
	for _, store := range []string{"android", "ios"} {
		_, stderr, exit := regola(t, dir, "check", "sound", "--on", on, "--store", store, "--out", "json="+store+".json")
		assert.Equal(t, 0, exit, stderr)
	}
	_, stderr, exit := regola(t, dir, "merge", "android.json", "ios.json")
	assert.Equal(t, 0, exit, stderr)
	_, stderr, exit = regola(t, dir, "merge", "android.json", "ios.json", "android.json")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "this result is in android.json already")
}

// TestWholeDocuments writes one whole document, or none, whatever is wrong with what is
// judged.
func TestWholeDocuments(t *testing.T) {
	dir := demo(t)
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "wrong"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "wrong/dossier.yaml"), []byte("regola: 1\nbogus: 1\n"), 0o644))
	for _, args := range [][]string{{"wrong"}, {"sound", "wrong"}, {"wrong", "sound"}} {
		for _, form := range []string{"json", "sarif", "junit"} {
			out, stderr, exit := regola(t, dir, append([]string{"check", "--on", on, "--format", form, "--out", "html=r.html"}, args...)...)
			assert.Equal(t, 2, exit)
			assert.Contains(t, stderr, `unknown key "bogus"`)
			assert.Contains(t, out, "bogus", "%v as %s", args, form)
			if form == "junit" {
				dec := xml.NewDecoder(strings.NewReader(out))
				dec.Strict = true
				for {
					if _, err := dec.Token(); errors.Is(err, io.EOF) {
						break
					} else if !assert.NoError(t, err, "%v", args) {
						break
					}
				}
				continue
			}
			assert.True(t, json.Valid([]byte(out)), "%v as %s: %s", args, form, out)
		}
	}
	assert.FileExists(t, filepath.Join(dir, "r.html"), "of the calls with several dossiers")
}

// TestAbsent judges a dossier whose packages are not built yet.
func TestAbsent(t *testing.T) {
	dir := filepath.Join(demo(t), "sound")
	require.NoError(t, os.RemoveAll(filepath.Join(dir, "build")))
	out, stderr, exit := regola(t, dir, "check", "--on", on)
	assert.Equal(t, 1, exit, stderr)
	assert.Contains(t, out, "(package not there)  OPEN")
	assert.Contains(t, out, "the package build/terrafuoco.aab is not there")
	for _, c := range []struct {
		exit int
		args []string
	}{
		{0, []string{"--stage", "listing,graphics,declarations", "--fail-on", "rejected"}}, {0, []string{"--stage", "listing"}}, {1, []string{"--stage", "package"}}, {1, []string{"--stage", "listing", "--strict"}},
		{0, []string{"--fail-on", "never"}}, {1, []string{"--fail-on", "refused"}}, {2, []string{"build/terrafuoco.aab"}},
	} {
		_, stderr, exit := regola(t, dir, append([]string{"check", "--on", on}, c.args...)...)
		assert.Equal(t, c.exit, exit, "%v: %s", c.args, stderr)
	}
	// What is wrong elsewhere is found.
	text := string(must(os.ReadFile(filepath.Join(dir, "dossier.yaml"))))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "dossier.yaml"), []byte(strings.Replace(text, "privacy: https://terrafuoco.example/privacy", "privacy: terrafuoco", 1)), 0o644))
	out, _, exit = regola(t, dir, "check", "--on", on, "--stage", "declarations", "--brief")
	assert.Equal(t, 1, exit)
	assert.Contains(t, out, "[common/privacy-link]")
	for _, form := range []string{"json", "html", "markdown", "sarif", "junit"} {
		_, stderr, exit := regola(t, dir, "check", "--on", on, "--format", form)
		assert.Equal(t, 1, exit, stderr)
	}
	for _, command := range []string{"next", "duties"} {
		_, stderr, exit := regola(t, dir, command, "--on", on)
		assert.Equal(t, 0, exit, command+stderr)
	}
	_, stderr, exit = regola(t, dir, "check", "--on", on, "--out", "json=r.json")
	require.Equal(t, 1, exit, stderr)
	merged, _, exit := regola(t, dir, "merge", "r.json", "--fail-on", "refused")
	assert.Equal(t, 1, exit, "what was read back knows that a package is not there")
	assert.Contains(t, merged, "(package not there)")
}

// TestNextSkip lets a thing wait, by its rule and by its key, and keeps it in the dossier.
func TestNextSkip(t *testing.T) {
	dir := demo(t)
	skip := func(name, because, until string, wants string) string {
		out, stderr, exit := regola(t, dir, "next", "--on", on, "faulty", "--skip", name, "--because", because, "--until", until)
		if wants != "" {
			assert.Equal(t, 2, exit)
			assert.Contains(t, stderr, wants)
			return ""
		}
		require.Zero(t, exit, stderr)
		return out
	}
	file := filepath.Join(dir, "faulty/dossier.yaml")
	before, err := os.ReadFile(file)
	require.NoError(t, err)
	skip("android/has-64-bi", "a library", "2027-01-15", `did you mean "android/has-64-bit"?`)
	skip("android/has-64-bit", " ", "2027-01-15", "--skip needs --because and --until")
	skip("android/has-64-bit", "a library", "2026-11-01", "no day to come")
	skip("android/has-64-bit", "a library", "2029-01-15", "longer than a year")
	_, stderr, exit := regola(t, dir, "next", "--on", on, "faulty", "--until", "2027-01-15")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "belong to --skip")
	same, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, string(before), string(same), "what is refused leaves the dossier as it was")
	out := skip("android/has-64-bit", "a library: new in January", "2027-01-15", "")
	assert.NotContains(t, out, "has no x86_64 twin")
	assert.Contains(t, out, "1 thing that is postponed")
	after, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, string(before)+"postponed: [{rule: android/has-64-bit, because: 'a library: new in January', until: 2027-01-15}]\n", string(after))
	skip("android/has-64-bit", "again", "2027-01-15", "is postponed already")
	out, stderr, exit = regola(t, dir, "next", "--on", "2027-01-16", "faulty")
	require.Zero(t, exit, stderr)
	assert.Contains(t, out, "has no x86_64 twin", "it waits no more")
	_, _, exit = regola(t, dir, "check", "--on", on, "faulty", "--fail-on", "refused")
	assert.Equal(t, 1, exit, "the verdict stays as it is")
}
