package htmltext_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/htmltext"
)

func TestOf(t *testing.T) {
	for page, want := range map[string]string{
		"a<b>b</b> &amp; c":                       "ab & c",
		"<p>a</p><p>b":                            "a\n\nb",
		"a<br>b<br/>c":                            "a\nb\nc",
		"<ul><li>a<li>b</ul>":                     "- a\n- b\n\n",
		"<style>p{}</style>a<script>x<b</script>": "a",
		"a<script>b":                              "a",
		"<div>a</div><div>b</div>c":               "a\nb\nc", "a<br><br>b": "a\n\nb",
		"a < b": "a < b",
		"":      "",
	} {
		assert.Equal(t, want, htmltext.Of(page), page)
	}
}

func FuzzOf(f *testing.F) {
	f.Add("<p>a<script>b")
	f.Fuzz(func(t *testing.T, page string) {
		assert.LessOrEqual(t, len(htmltext.Of(page)), 4*len(page)+8)
	})
}

// TestBlocks parts words at every element that stands on lines of its own, and at no other.
func TestBlocks(t *testing.T) {
	for _, tag := range []string{"address", "article", "blockquote", "br", "dd", "div", "dl", "dt", "footer", "h1", "h2", "h3", "h4", "h5", "h6", "header", "hr", "li", "main", "ol", "p", "pre", "section", "td", "th", "tr", "ul", "table"} {
		assert.Contains(t, htmltext.Of("a<"+tag+">b"), "\n", tag)
	}
	for _, tag := range []string{"span", "b", "a", "code", "em"} {
		assert.Equal(t, "ab", htmltext.Of("a<"+tag+">b"), tag)
	}
}
