package report

import (
	"bytes"
	"encoding/xml"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/weigh"
)

// TestPlainTemplate shows templates with their expressions as gaps.
func TestPlainTemplate(t *testing.T) {
	for src, want := range map[string]string{
		"Raise it to {limit.least}.":                                        "Raise it to ….",
		`{a ? "Add the permission." : "Remove the permission."} Build.`:     "Add the permission. / Remove the permission. Build.",
		`Write {{used: true}} or {x ? "say {y: \"z\"} there" : "nothing"}.`: `Write {used: true} or ….`,
		`{f("a}b")} and {list.map(x, {"k": x})}`:                            "… and …",
		"a brace { that never ends":                                         "a brace …",
		"none":                                                              "none",
	} {
		assert.Equal(t, want, PlainTemplate(src), src)
	}
}

// TestMarkdownText keeps the texts of strangers from acting.
func TestMarkdownText(t *testing.T) {
	for text, want := range map[string]string{
		"a_b*c":             `a\_b\*c`,
		"<b>&":              "&lt;b&gt;&amp;",
		"[x](http://e)":     "\\[x\\](http:\u200b//e)",
		"@team #12 | `x`":   "@\u200bteam \\#12 \\| \\`x\\`",
		"line\nbreak\x1b[m": `line break\\u{1b}\[m`,
	} {
		got := md(text)
		assert.Equal(t, want, strings.ReplaceAll(got, `\\u\{`, `\\u{`), text)
	}
	assert.Equal(t, "`a b`", mdCode("a b"))
	assert.Equal(t, "a\\`b", mdCode("a`b"))
}

// TestFileURI writes paths as addresses.
func TestFileURI(t *testing.T) {
	for path, want := range map[string]string{"a b/c#d.yaml": "a%20b/c%23d.yaml", "/x/ü.png": "file:///x/%C3%BC.png", "build/app.aab": "build/app.aab"} {
		assert.Equal(t, want, fileURI(path))
	}
	assert.Nil(t, sarifLocations(place.Place{}))
}

// TestNothingJudged writes every form of a call in which nothing was judged.
func TestNothingJudged(t *testing.T) {
	bad := &Item{Name: "clients/<b>", Exit: 2, Problems: place.Problems{{At: place.Place{File: "d.yaml", Line: 3, Column: 1}, What: "unknown key \x1b", Fix: "remove it"}}}
	for _, f := range Forms {
		var b bytes.Buffer
		w := f.Open(&b, Style{}, Call{Names: []string{"clients/<b>", "other"}})
		require.NoError(t, w.Add(bad), f.Name)
		require.NoError(t, w.Close(), f.Name)
		if f.Name != "brief" { // lines of findings alone
			assert.Contains(t, b.String(), "clients/", f.Name)
		}
		assert.NotContains(t, b.String(), "\x1b", f.Name)
		if f.Name == "json" {
			var items []*Item
			require.NoError(t, EachResult("x", bytes.NewReader(b.Bytes()), func(string) *rulebook.Rule { return nil }, func(i *Item) error { items = append(items, i); return nil }, nil))
			require.Len(t, items, 1)
			assert.Equal(t, bad.Problems[0].At, items[0].Problems[0].At)
		}
	}
}

// TestTreemap draws a package whose names try to leave the picture.
func TestTreemap(t *testing.T) {
	w := &weigh.Weight{Tree: []*weigh.Branch{{Name: "code", What: "compiled code", Packed: 900, Leaves: []weigh.Leaf{{Name: `"/><script>x`, Packed: 600}, {Name: "b\u202e", Packed: 300}}}, {Name: "odd", What: "other", Packed: 1, Leaves: []weigh.Leaf{{Name: "c", Packed: 1}}}}}
	var b bytes.Buffer
	require.NoError(t, Treemap(&b, w, 400, 300))
	require.NoError(t, xml.Unmarshal(b.Bytes(), new(struct{})))
	assert.NotContains(t, b.String(), "<script>")
	assert.NotContains(t, b.String(), "\u202e")
	assert.Equal(t, 4, strings.Count(b.String(), "<rect"), "what is too small to be seen is left out")
	for in, want := range map[string]string{"abcdef": "…cdef", "ab": "ab"} {
		assert.Equal(t, want, fitEnd(in, 5.9))
	}
	assert.Equal(t, "abcd…", fit("abcdefgh", 5))
	assert.Equal(t, []string{"1,234,567", "12", "-1.0 KiB", "+2 bytes"}, []string{thousands(1234567), thousands(12), signed(-1024), signed(2)})
	assert.Equal(t, []GrownEntry{{"b", 1, 9}, {"a", 5, 0}, {"c", 0, 2}}, grown(map[string]int64{"a": 5, "b": 1, "d": 4}, map[string]int64{"b": 9, "c": 2, "d": 4}, 3))
}
