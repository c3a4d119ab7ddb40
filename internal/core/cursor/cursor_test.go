package cursor_test

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/cursor"
	"regola.example/regola/internal/seed"
)

// spot finds the | in a document, and describes the spot there without it.
func spot(doc string) cursor.Spot {
	i := strings.Index(doc, "|")
	line := strings.Count(doc[:i], "\n") + 1
	column := utf8.RuneCountInString(doc[strings.LastIndexByte(doc[:i], '\n')+1:i]) + 1
	return cursor.At([]byte(doc[:i]+doc[i+1:]), line, column)
}

func TestAt(t *testing.T) {
	for doc, want := range map[string]struct {
		path, word, have string
		inKey            bool
	}{
		"app:\n  na|me: x\n  kind: y\n": {"app.name", "name", "kind", true},
		"app:\n  name: x|y z\n":         {"app.name", "xy", "", false},
		"app:\n  name: |\n":             {"app.name", "", "", false},
		"app:\n  name: x\n  |\n":        {"app", "", "name", true},
		"app:\n  name: x\n|\n":          {"", "", "app", true},
		"|":                             {"", "", "", true},
		"ap|":                           {"", "ap", "", true},
		"app:\n  na|\nanswers:\n":       {"app", "na", "", true},
		"answers:\n  data:\n    - kind: a\n      pur|: [x]\n":           {"answers.data[0].pur", "pur", "kind", true},
		"answers:\n  data:\n    - kind: a\n    - kind: b|\n":            {"answers.data[1].kind", "b", "", false},
		"answers:\n  data:\n  - kind: a\n  - |kind: b\n":                {"answers.data[1].kind", "kind", "", true},
		"answers:\n  data:\n    - {kind: a, pur|}\n":                    {"answers.data[0]", "pur", "kind,pur", true},
		"answers:\n  data:\n    - {kind: a, purposes: [x, y|], z: 1}\n": {"answers.data[0].purposes[1]", "y", "", false},
		"answers:\n  data:\n    - {kind: |, purposes: [x]}\n":           {"answers.data[0].kind", "", "purposes", false},
		"app: {name: x, |}\n":                                           {"app", "", "name", true},
		"app: {na|me: x, kind: y}\n":                                    {"app.name", "name", "kind", true},
		"app: {name: \"a, b\", ki|nd: y}\n":                             {"app.kind", "kind", "name", true},
		"app: {name: x,\n  kind: y|}\n":                                 {"app.kind", "y", "name", false},
		"app: {name: x} |\n":                                            {"app", "", "", false},
		"release:\n  countries: [A|T, CH]\n":                            {"release.countries[0]", "AT", "", false},
		"waivers:\n  - rule: android/tar|\n    until: x\n":              {"waivers[0].rule", "android/tar", "until", false},
		"waivers:\n  - |\n":                                             {"waivers[0]", "", "", true},
		"description: >-\n  one t|wo\n":                                 {"description", "two", "", false},
		"a:\n  # note\n\n  b:\n    c: 1\n    |\n":                       {"a.b", "", "c", true},
		"töne: ü|ber\n":                                                 {"töne", "über", "", false},
		"links:\n  support: https://x.example/|a\n":                     {"links.support", "//x.example/a", "", false},
	} {
		s := spot(doc)
		assert.Equal(t, want.path, s.Dotted(), "%q path", doc)
		assert.Equal(t, want.word, s.Word, "%q word", doc)
		assert.Equal(t, want.inKey, s.InKey, "%q in the key", doc)
		assert.Equal(t, want.have, strings.Join(s.Have, ","), "%q beside", doc)
	}
	assert.True(t, spot("a: >\n  one|\n").Text)
	s := spot("app:\n  naïve: ünt|er x\n")
	assert.Equal(t, []int{10, 15}, []int{s.From, s.To}, "columns count characters")
}

// TestFind goes down a path as far as it is written.
func TestFind(t *testing.T) {
	doc := []byte("a:\n  b: 1\n  c:\n    - d: 2\n    - {d: 3}\ne: x\n")
	for path, want := range map[string][2]int{
		"a": {1, 1}, "a.b": {2, 3}, "a.c[0].d": {4, 7}, "a.c[1].d": {5, 8}, "a.c[1]": {5, 7}, "a.c[2].d": {3, 3}, "a.x.y": {1, 1}, "e": {6, 1}, "e.f": {6, 1}, "z": {1, 1}, "": {1, 1}, "a[0]": {1, 1},
	} {
		line, column := cursor.Find(doc, path)
		assert.Equal(t, want, [2]int{line, column}, path)
	}
	line, column := cursor.Find([]byte("a: ["), "a")
	assert.Equal(t, []int{1, 1}, []int{line, column})
}

// TestOutline lists keys with the lines that their values take.
func TestOutline(t *testing.T) {
	type row struct {
		name, detail string
		line, end    int
	}
	var got []row
	var walk func(list []*cursor.Symbol)
	walk = func(list []*cursor.Symbol) {
		for _, s := range list {
			got = append(got, row{s.Name, s.Detail, s.Line, s.EndLine})
			walk(s.Below)
		}
	}
	walk(cursor.Outline([]byte("a: |\n  one\n  two\nb:\n  - id: x\n    c: 1\n  - {}\n  - text\n")))
	assert.Equal(t, []row{{"a", "one", 1, 3}, {"b", "", 4, 8}, {"x", "", 5, 6}, {"id", "x", 5, 5}, {"c", "1", 6, 6}, {"[1]", "", 7, 7}}, got)
	assert.Nil(t, cursor.Outline([]byte("a: [")))
	assert.Nil(t, cursor.Outline(nil))
}

func FuzzAt(f *testing.F) {
	f.Add([]byte("a: {b: [c, 'd']}\n- e:\n    f: |\n      g\n"), 1, 8)
	f.Fuzz(func(t *testing.T, data []byte, line, column int) {
		defer seed.Bounds(t, len(data))()
		s := cursor.At(data, line, max(1, min(column, 1<<16)))
		assert.LessOrEqual(t, s.From, s.To)
	})
}
