package editor_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/editor"
	"regola.example/regola/internal/view"
	"regola.example/regola/rulebooks"
)

func newEditor(t *testing.T) *editor.Editor {
	on, err := day.Parse("2026-11-30")
	require.NoError(t, err)
	rules := func() (out []*rulebook.Rule, err error) {
		stores, err := rulebooks.BuiltIn.Stores()
		for _, s := range stores {
			books, err := rulebooks.BuiltIn.Books(s)
			require.NoError(t, err)
			for _, b := range books {
				out = append(out, b.Rules...)
			}
		}
		return out, err
	}
	return editor.New(editor.Sources{Lib: rulebooks.BuiltIn, Today: func() day.Day { return on }, Rules: rules, Keys: func([]*rulebook.Rule) []*view.Key { return nil }})
}

// spot takes the mark ¦ out of a text, and tells where it was.
func spot(text string) (doc []byte, line, column int) {
	i := strings.Index(text, "¦")
	return []byte(strings.Replace(text, "¦", "", 1)), strings.Count(text[:i], "\n") + 1, utf8.RuneCountInString(text[strings.LastIndexByte(text[:i], '\n')+1:i]) + 1
}

func TestHover(t *testing.T) {
	e := newEditor(t)
	for _, c := range []struct{ file, text, want string }{
		{"dossier.yaml", "answers:\n  accounts:\n    way¦s: [password]\n", "how people sign in"},
		{"dossier.yaml", "answers:\n  accounts: {ways: [passk¦ey]}\n", "a passkey"},
		{"dossier.yaml", "waivers:\n  - rule: android/target-le¦vel\n", "Fix: "},
		{"dossier.yaml", "confirmed:\n  - {what: tested-on-dev¦ice}\n", "`common/tested-on-device`"},
		{"dossier.yaml", "nonsense: ¦x\n", ""},
		{"listing/de.yaml", "na¦me: Kegel\n", "5 characters of 30"},
		{"listing/de.yaml", "name: 'a\n", ""},
		{"own.yaml", "rulebook: own\nrules:\n  - expect: size(oddi¦ties(it.name)) == 0\n", "what would not be seen"},
		{"own.yaml", "rulebook: own\nrules:\n  - expect: pkg.fi¦le == ''\n", "string"},
		{"own.yaml", "rulebook: own\nrules:\n  - expect: ¦ 1 == 1\n", ""},
	} {
		if !strings.Contains(c.text, "¦") {
			c.text += "¦"
		}
		doc, line, column := spot(c.text)
		if got := e.Hover(c.file, doc, line, column); c.want == "" {
			assert.Empty(t, got, c.text)
		} else {
			assert.Contains(t, got, c.want, c.text)
		}
	}
}

func TestComplete(t *testing.T) {
	e := newEditor(t)
	for _, c := range []struct {
		file, text string
		has, not   string
		from, to   int
	}{
		{"dossier.yaml", "an¦\n", "answers", "listing", 1, 3},
		{"dossier.yaml", "app:\n  name: x\n  ¦\n", "default_locale", "name", 3, 3},
		{"dossier.yaml", "app:\n  kind: ¦\n", "game", "name", 9, 9},
		{"dossier.yaml", "answers:\n  ads: t¦\n", "true", "ads", 8, 9},
		{"dossier.yaml", "answers:\n  data:\n    - {kind: email-address, purposes: [ana¦]}\n", "analytics", "kind", 40, 43},
		{"dossier.yaml", "answers:\n  data:\n    - {kind: email-address, ¦}\n", "purposes", "kind", 29, 29},
		{"dossier.yaml", "waivers:\n  - rule: ¦\n", "android/target-level", "rule", 11, 11},
		{"dossier.yaml", "confirmed:\n  - what: ¦\n", "tested-on-device", "android/target-level", 11, 11},
		{"dossier.yaml", "answers:\n  content:\n    ¦\n", "blood", "ads", 5, 5},
		{"dossier.yaml", "app:\n  name: ¦\n", "", "x", 9, 9},
		{"listing/de.yaml", "name: x\npi¦\n", "pitch", "name", 1, 3},
		{"listing/de.yaml", "description: |\n  one ¦\n", "", "name", 0, 0},
		{"own.yaml", "rulebook: own\nrules:\n  - id: own/x\n    ¦\n", "expect", "id", 5, 5},
		{"own.yaml", "rulebook: own\nrules:\n  - id: own/x\n    expect: pkg.android.manifest.targ¦\n", "pkg.android.manifest.target_level", "pkg.android.manifest.min_level", 13, 38},
		{"notes.yaml", "¦", "", "x", 1, 1},
	} {
		doc, line, column := spot(c.text)
		items, from, to := e.Complete(c.file, doc, line, column)
		var labels []string
		for _, i := range items {
			labels = append(labels, i.Label)
		}
		if c.has == "" {
			assert.Empty(t, labels, c.text)
		} else {
			assert.Contains(t, labels, c.has, c.text)
		}
		assert.NotContains(t, labels, c.not, c.text)
		assert.Equal(t, []int{c.from, c.to}, []int{from, to}, c.text)
	}
}

// TestCheck marks a dossier where it is written, and proposes changes with which the mark goes.
func TestCheck(t *testing.T) {
	e := newEditor(t)
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS("../../demo/sound")))
	main, german := filepath.Join(dir, "dossier.yaml"), filepath.Join(dir, "listing", "de.yaml")
	read := func(file string) string {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		return string(data)
	}
	check := func(changed map[string][]byte) *editor.State {
		s, err := e.Check(context.Background(), dir, changed)
		require.NoError(t, err)
		return s
	}
	assert.Empty(t, check(nil).Marks[main])
	for _, c := range []struct {
		file, was, becomes string
		at                 editor.Span
		message            string
		severity           editor.Severity
		action             string // with which it goes
	}{
		{german, "name: Terrafuoco Brennbuch", "name: 'Terrafuoco Brennbuch '", editor.Span{1, 1, 1, 5}, "spaces at the end", editor.Better, "Write Terrafuoco"},
		{main, "created_in_app: true, ", "", editor.Span{29, 13, 29, 36}, "whether people can make an account", editor.Open, "Answer answers.accounts.created_in_app: yes"},
		{main, "\nanswers:", "\nanswres:", editor.Span{26, 1, 26, 8}, "unknown key", editor.Stops, "Write answers"},
		{main, "FR, GB", "FR, UK", editor.Span{51, 31, 51, 33}, "not the code of a country", editor.Stops, "Write GB"},
	} {
		require.Contains(t, read(c.file), c.was)
		changed := map[string][]byte{c.file: []byte(strings.Replace(read(c.file), c.was, c.becomes, 1))}
		s := check(changed)
		require.Len(t, s.Marks[c.file], 1, c.becomes)
		m := s.Marks[c.file][0]
		assert.Equal(t, c.at, m.Span, c.becomes)
		assert.Contains(t, m.Message, c.message)
		assert.Equal(t, c.severity, m.Severity, c.message)
		assert.Empty(t, e.Actions(s, c.file, editor.Span{Line: 999, Column: 1, EndLine: 999, EndColumn: 1}, changed))
		done := false
		for _, a := range e.Actions(s, c.file, m.Span, changed) {
			if !strings.HasPrefix(a.Title, c.action) {
				continue
			}
			done = true
			for file, list := range a.Changes {
				changed[file] = apply(changed[file], list)
			}
			if c.file == german {
				assert.Equal(t, strings.Replace(read(german), c.was, "name: 'Terrafuoco Brennbuch'", 1), string(changed[german]), "byte for byte")
			}
			assert.Empty(t, check(changed).Marks[c.file], a.Title)
		}
		assert.True(t, done, c.action)
	}

	rule := "pkg.android.manifest.target_level"
	own := filepath.Join(dir, "own-rules.yaml")
	for _, m := range e.CheckFile(own, []byte(read(own))) {
		assert.Fail(t, m.Message)
	}
	marks := e.CheckFile(own, []byte(strings.Replace(read(own), "expect: ", "expect: "+rule+"_x > 3 && ", 1)))
	require.NotEmpty(t, marks)
	assert.Contains(t, marks[0].Message, "target_level_x")
	assert.Empty(t, e.CheckFile(filepath.Join(dir, "other.yaml"), []byte("a: 1\n")))

	doc, line, column := spot(strings.Replace(read(main), "sdks.yaml", "sd¦ks.yaml", 1))
	assert.Equal(t, filepath.Join(dir, "sdks.yaml"), e.Definition(main, doc, line, column).File)
}

// apply makes changes of a text from the last on.
func apply(doc []byte, list []editor.Change) []byte {
	lines := func(line, column int) int {
		at := 0
		for range line - 1 {
			at += strings.IndexByte(string(doc[at:]), '\n') + 1
		}
		for range column - 1 {
			_, n := utf8.DecodeRune(doc[at:])
			at += n
		}
		return at
	}
	for i := len(list) - 1; i >= 0; i-- {
		c := list[i]
		from, to := lines(c.Line, c.Column), lines(c.EndLine, c.EndColumn)
		doc = append(append(append([]byte{}, doc[:from]...), c.Text...), doc[to:]...)
	}
	return doc
}
