package sanitize

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestText(t *testing.T) {
	for in, want := range map[string]string{
		"kiln": "kiln", "a\nb\tc": "a b c", "a\x1b[31mb": `a\u{1b}[31mb`, "a\u202eb": `a\u{202e}b`, "a\u200bb": `a\u{200b}b`, "\ufeffx": `\u{feff}x`,
		"\u061c": "\u061c", "\u200d": "\u200d", "\u2027\u2028\u202f": "\u2027" + `\u{2028}` + "\u202f", "\u205f\u2060\u206f\u2070": "\u205f" + `\u{2060}\u{206f}` + "\u2070",
		"\ufff8\ufff9\ufffb": "\ufff8" + `\u{fff9}\u{fffb}`, "\U000e0000\U000e007f\U000e0080": `\u{e0000}\u{e007f}` + "\U000e0080", "\x7f\u0085": `\u{7f}\u{85}`,
		"\u180e": `\u{180e}`, "a\xffb": `a\u{fffd}b`,
	} {
		assert.Equal(t, want, Text(in), "%q", in)
	}
	assert.Equal(t, "a\nb c", Lines("a\nb\tc"))
	assert.Equal(t, "a\n"+`\u{1b}b`, Lines("a\n\x1bb"))
	long := strings.Repeat("ö", mostShown+1)
	assert.Equal(t, strings.Repeat("ö", mostShown)+"… (5001 characters)", Text(long))
	assert.Equal(t, strings.Repeat("ö", mostShown), Text(long[2:]))
}

func TestCut(t *testing.T) {
	assert.Equal(t, "abc", Cut("abc", 3))
	assert.Equal(t, "ab… (3 characters)", Cut("abc", 2))
	assert.Equal(t, "… (1 characters)", Cut("ö", 0))
	assert.Equal(t, "öö", Cut("öö", 2), "characters count, not bytes")
	assert.Equal(t, "ö… (2 characters)", Cut("öö", 1))
}
