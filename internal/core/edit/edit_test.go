package edit_test

import (
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/edit"
)

func TestSet(t *testing.T) {
	for _, c := range []struct{ name, doc, path, value, want string }{
		{"another value", "a: 1 # one\nb: 2\n", "a", "3", "a: 3 # one\nb: 2\n"},
		{"in quotes", "a: 'it''s' # x\n", "a", "no", "a: no # x\n"},
		{"in double quotes", `a: "x\"y"` + "\n", "a", "z", "a: z\n"},
		{"a list in flow style", "a: [1, ']', 2] # x\n", "a", "[3]", "a: [3] # x\n"},
		{"nothing written", "a:\nb: 2\n", "a", "1", "a: 1\nb: 2\n"},
		{"nothing written, with a comment", "a: # x\nb: 2\n", "a", "1", "a: 1 # x\nb: 2\n"},
		{"a new key", "a: 1\n", "b", "2", "a: 1\nb: 2\n"},
		{"no end of line", "a: 1", "b", "2", "a: 1\nb: 2"},
		{"an empty document", "", "a.b", "1", "a:\n  b: 1\n"},
		{"comments alone", "# x\n", "a", "1", "# x\na: 1\n"},
		{"a new key in a block", "a:\n  b: 1\n\nc: 2\n", "a.d", "3", "a:\n  b: 1\n  d: 3\n\nc: 2\n"},
		{"behind a comment of the block", "a:\n  b: 1\n  # about d\nc: 2\n", "a.d", "3", "a:\n  b: 1\n  # about d\n  d: 3\nc: 2\n"},
		{"a block that is missing", "a: 1\n", "b.c.d", "2", "a: 1\nb:\n  c:\n    d: 2\n"},
		{"a block of comments", "a:\n  # b: …\nc: 1\n", "a.b", "2", "a:\n  b: 2\nc: 1\n"},
		{"a proposal", "a:\n  # whether\n  # needed: android\n  # b: true | false\n  c: 1\n", "a.b", "true", "a:\n  # whether\n  b: true\n  c: 1\n"},
		{"a proposal of the document", "# kind: app | game\na: 1\n", "kind", "app", "kind: app\na: 1\n"},
		{"no proposal of another block", "a:\n  x: 1\nb:\n  # y: …\n  z: 1\n", "a.y", "2", "a:\n  x: 1\n  y: 2\nb:\n  # y: …\n  z: 1\n"},
		{"in flow style", "a: {b: 1}\n", "a.c", "2", "a: {b: 1, c: 2}\n"},
		{"in empty flow style", "a: {}\n", "a.c.d", "2", "a: {c: {d: 2}}\n"},
		{"in flow style over lines", "a: {b: 1,\n  c: 2,\n}\n", "a.d", "3", "a: {b: 1,\n  c: 2, d: 3\n}\n"},
		{"an item of a list", "a:\n  - {k: x}\n  - {k: y} # z\n", "a[1].p", "[q]", "a:\n  - {k: x}\n  - {k: y, p: [q]} # z\n"},
		{"an item in block style", "a:\n  - k: x\n    l: 1\n  - k: y\n", "a[0].p", "1", "a:\n  - k: x\n    l: 1\n    p: 1\n  - k: y\n"},
		{"behind letters of several bytes", "a: {name: größe, b: 1}\n", "a.b", "2", "a: {name: größe, b: 2}\n"},
		{"lines of another system", "a: 1\r\nb: 2\r\n", "c", "3", "a: 1\r\nb: 2\r\nc: 3\r\n"},
		{"before a block with deeper lines", "a:\n  b:\n    c: 1\n    # deep\nd: 1\n", "a.e", "2", "a:\n  b:\n    c: 1\n    # deep\n  e: 2\nd: 1\n"},
		{"an apostrophe in a word", "a: {b: it's, c: d}\n", "a.e", "1", "a: {b: it's, c: d, e: 1}\n"},
	} {
		got, err := edit.Set([]byte(c.doc), c.path, c.value)
		if assert.NoError(t, err, c.name) {
			assert.Equal(t, c.want, string(got), c.name)
		}
	}
	for _, c := range []struct{ name, doc, path, value string }{
		{"a text over lines", "a: |\n  x\n", "a", "1"}, {"a plain text over lines", "a: x\n  y\n", "a", "1"}, {"a block", "a:\n  b: 1\n", "a", "1"},
		{"an alias", "x: &x {a: 1}\nb: *x\n", "b.c", "1"}, {"an anchor", "x: &x 1\nb: *x\n", "x", "2"}, {"below a text", "a: x\n", "a.b", "1"},
		{"no such item", "a: [1]\n", "a[3].b", "1"}, {"no mapping", "- 1\n", "a", "1"}, {"two lines", "a: 1\n", "a", "1\n2"}, {"no YAML", "a: [\n", "a", "1"}, {"no value", "a: 1\n", "a", "[1"},
	} {
		_, err := edit.Set([]byte(c.doc), c.path, c.value)
		assert.Error(t, err, c.name)
	}
}

func TestAppend(t *testing.T) {
	for _, c := range []struct{ name, doc, path, item, want string }{
		{"a block list", "a:\n  - 1\n  - 2 # x\nb: 1\n", "a", "3", "a:\n  - 1\n  - 2 # x\n  - 3\nb: 1\n"},
		{"at the margin", "a:\n- x: 1\n  y: 2\nb: 1\n", "a", "{x: 2}", "a:\n- x: 1\n  y: 2\n- {x: 2}\nb: 1\n"},
		{"a flow list", "a: [1]\n", "a", "2", "a: [1, 2]\n"},
		{"an empty list", "a: []\n", "a", "2", "a: [2]\n"},
		{"nothing written", "a:\nb: 1\n", "a", "2", "a: [2]\nb: 1\n"},
		{"no list yet", "b: 1\n", "a", "{w: x}", "b: 1\na: [{w: x}]\n"},
		{"a proposal", "# a: […]\nb: 1\n", "a", "2", "a: [2]\nb: 1\n"},
	} {
		got, err := edit.Append([]byte(c.doc), c.path, c.item)
		if assert.NoError(t, err, c.name) {
			assert.Equal(t, c.want, string(got), c.name)
		}
	}
	_, err := edit.Append([]byte("a: 1\n"), "a", "2")
	assert.ErrorIs(t, err, edit.ErrByHand)
}

// TestDemo edits the demo's dossier at random: each result is valid, and differs in the one
// value alone.
func TestDemo(t *testing.T) {
	doc, err := os.ReadFile("../../../demo/faulty/dossier.yaml")
	require.NoError(t, err)
	paths := []string{"app.kind", "app.copyright", "answers.ads", "answers.accounts.ways", "answers.audience.from", "answers.security.encrypted_in_transit", "answers.content.blood", "review.sign_in.user", "release.planned", "links.terms", "contact.phone", "account.kind", "answers.moderation.block", "new.block.key", "answers.data[0].purposes"}
	values := []string{"true", "'x: y'", "[a, b]", "13", `"é # no comment"`, "{k: v}", "[]"}
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 1))
		text := doc
		for range 4 {
			path, value := paths[r.IntN(len(paths))], values[r.IntN(len(values))]
			next, err := edit.Set(text, path, value)
			if err != nil {
				require.ErrorIs(t, err, edit.ErrByHand)
				continue
			}
			var v map[string]any
			require.NoError(t, yaml.Unmarshal(next, &v))
			assert.GreaterOrEqual(t, strings.Count(string(next), "#"), strings.Count(string(text), "#")-strings.Count(string(text), value)-2, "comments stay")
			text = next
		}
	}
}

func FuzzSet(f *testing.F) {
	f.Add("a:\n  b: {c: 1}\n", "a.b.d", "2")
	f.Fuzz(func(t *testing.T, doc, path, value string) {
		if len(doc) > 4096 || len(path) > 64 {
			return
		}
		out, err := edit.Set([]byte(doc), path, value)
		if err == nil {
			var v any
			assert.NoError(t, yaml.Unmarshal(out, &v))
		}
	})
}

// TestText changes texts in every form in which YAML writes them, and leaves all else.
func TestText(t *testing.T) {
	for name, c := range map[string]struct {
		doc          string
		line, column int
		was, becomes string
		want         string
	}{
		"plain":              {"a: kiln log # here\nb: 1\n", 1, 4, "kiln log", "kiln-log", "a: kiln-log # here\nb: 1\n"},
		"a key":              {"nmae: x\n", 1, 1, "nmae", "name", "name: x\n"},
		"a word of a list":   {"a: [one, tow]\n", 1, 10, "tow", "two", "a: [one, two]\n"},
		"not readable":       {"a: b: c\nd: e: f\n", 1, 4, "b: c", "'b: c'", "a: 'b: c'\nd: e: f\n"},
		"a tab":              {"a:\n \tb: 1\n", 2, 1, " \t", "   ", "a:\n   b: 1\n"},
		"by its key":         {"k: [{a: 'x '}]\n", 1, 6, "x ", "x", "k: [{a: 'x'}]\n"},
		"between commas":     {"a: one, tow, three\n", 1, 8, " tow", "two", "a: one, two, three\n"},
		"single quotes":      {"a: ' it''s hot '\n", 1, 4, " it's hot ", "it's hot", "a: 'it''s hot'\n"},
		"a quote comes":      {"a: 'its'\n", 1, 4, "its", "it's", "a: 'it''s'\n"},
		"double quotes":      {"a: \"fu\\u0308r \\\"x\\\" \"\n", 1, 4, "fu\u0308r \"x\" ", "fu\u0308r \"x\"", "a: \"fu\\u0308r \\\"x\\\"\"\n"},
		"an escape goes":     {"a: \"one\\u200Btwo\"\n", 1, 4, "one\u200btwo", "onetwo", "a: \"onetwo\"\n"},
		"over lines":         {"a: one\n  two  \n\n  three\n", 1, 4, "one two\nthree", "one too\nthree", "a: one\n  too  \n\n  three\n"},
		"quoted over lines":  {"a: \"one \\\n  two\n  three \"\n", 1, 4, "one two three ", "one two three", "a: \"one \\\n  two\n  three\"\n"},
		"literal":            {"a: |\n  one \n\n    two\u200b\n  three\nb: 2\n", 1, 4, "one \n\n  two\u200b\nthree\n", "one\n\n  two\nthree\n", "a: |\n  one\n\n    two\n  three\nb: 2\n"},
		"literal, a line":    {"a: |-\n   one two\nb: 2\n", 1, 4, "one two", "one\ntwo", "a: |-\n   one\n   two\nb: 2\n"},
		"literal, CRLF":      {"a: |\r\n  one \r\n  two\r\n", 1, 4, "one \ntwo\n", "one\ntwo\n", "a: |\r\n  one\r\n  two\r\n"},
		"folded":             {"a: >\n  one\n  tow\n\n  three \n", 1, 4, "one tow\nthree \n", "one two\nthree\n", "a: >\n  one\n  two\n\n  three\n"},
		"needs marks":        {"a: kiln\n", 1, 4, "kiln", "kiln: log", "a: 'kiln: log'\n"},
		"becomes a truth":    {"a: yes\n", 1, 4, "yes", "true", "a: true\n"},
		"would be a comment": {"a: x y\n", 1, 4, "x y", "x #y", "a: 'x #y'\n"},
	} {
		ranges, err := edit.Text([]byte(c.doc), c.line, c.column, c.was, c.becomes)
		if assert.NoError(t, err, name) {
			assert.Equal(t, c.want, string(edit.Apply([]byte(c.doc), ranges)), name)
		}
	}
	for name, c := range map[string]struct{ doc, was, becomes string }{
		"another text":        {"a: kiln\n", "klin", "kiln"},
		"told indentation":    {"a: |2\n   one \n", " one \n", " one\n"},
		"key or value":        {"k: {a: a}\n", "a", "b"}, // at column 4 stands the mapping
		"an anchor":           {"a: &x kiln\n", "kiln", "log"},
		"a control character": {"a: kiln\n", "kiln", "ki\x00ln"},
	} {
		_, err := edit.Text([]byte(c.doc), 1, 4, c.was, c.becomes)
		assert.Error(t, err, name)
	}
	assert.Equal(t, "aXXd", string(edit.Apply([]byte("abcd"), []edit.Range{{1, 3, "XX"}, {2, 4, "lost"}, {9, 10, "far"}})), "what overlaps is left out")
}

// TestHas tells what is written from what is empty, missing or below a text.
func TestHas(t *testing.T) {
	doc := []byte("a: {b: 1, c: }\nd:\n  - e: 2\n  - f\n")
	for path, want := range map[string]bool{"a": true, "a.b": true, "a.c": false, "a.x": false, "a.b.x": false, "d": true, "d[0].e": true, "d[1]": true, "d[2]": false, "x": false} {
		assert.Equal(t, want, edit.Has(doc, path), path)
	}
	assert.False(t, edit.Has([]byte("a: ["), "a"), "a document that cannot be read has nothing")
	assert.False(t, edit.Has(nil, "a"))
}
