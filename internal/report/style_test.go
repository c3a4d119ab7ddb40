package report

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/sanitize"
)

func TestWrap(t *testing.T) {
	assert.Equal(t, "one two three four\nfive", wrap("one two three four five", 20))
	assert.Equal(t, "see\nfirst/second/third/fourth", wrap("see first/second/third/fourth", 20), "a path stays whole")
	assert.Equal(t, "android/restricted\ncommon/demo-account", wrap("android/restricted common/demo-account", 20), "a hyphen is no place to break")
	assert.Equal(t, "a\n"+strings.Repeat("a", 25)+"\na", wrap("a "+strings.Repeat("a", 25)+" a", 20), "so does a digest")
	assert.Equal(t, "陶器陶器陶器陶器陶器\n陶器", wrap("陶器陶器陶器陶器陶器陶器", 20), "wide characters take two columns")
}

func TestFill(t *testing.T) {
	l := Style{Width: 40}
	assert.Equal(t, "one two three four five six seven eight\nnine\n\nten:\n  as it  is\n  and so\nend", l.Fill("one two three\nfour five six seven eight nine\n\nten:\n  as it  is\n  and so\nend"))
	assert.Equal(t, "", l.Fill(""))
}

func TestVisible(t *testing.T) {
	assert.Equal(t, `a\u{1b}[31m b\u{202e}c`, sanitize.Text("a\x1b[31m\nb\u202ec"))
	assert.Equal(t, "שלום\u200f", sanitize.Text("שלום\u200f"), "plain direction marks belong to their text")
}

func TestWhere(t *testing.T) {
	for want, at := range map[string]place.Place{
		"at dossier.yaml:3:5\n":                                {File: "dossier.yaml", Line: 3, Column: 5},
		"at a.aab › m.xml › uses-sdk\n":                        {File: "a.aab", Entry: "m.xml", Key: "uses-sdk"},
		"at " + strings.Repeat("x", 98) + ".aab\n   › m.xml\n": {File: strings.Repeat("x", 98) + ".aab", Entry: "m.xml"},
		"": {},
	} {
		var b bytes.Buffer
		(&printer{w: &b}).where(0, "at ", at)
		assert.Equal(t, want, b.String())
	}
}

func TestASCII(t *testing.T) {
	var b bytes.Buffer
	p := &printer{w: &b, look: Style{ASCII: true}}
	p.line("a › b · %s…", "Ofen 陶器")
	assert.Equal(t, "a > b - Ofen 陶器...\n", b.String())
}

func TestColor(t *testing.T) {
	assert.EqualValues(t, "x", Style{}.paint(styleStrong, "x"))
	assert.Contains(t, Style{Color: true}.paint(styleStrong, "x"), "\x1b[1m")
}

func TestSizes(t *testing.T) {
	for n, want := range map[int64]string{5: "5 bytes", 2048: "2.0 KiB", 3 << 20: "3.0 MiB", 5 << 29: "2.50 GiB"} {
		assert.Equal(t, want, size(n))
	}
}
