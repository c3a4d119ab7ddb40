package textual

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestWords holds the small functions on words at their bounds.
func TestWords(t *testing.T) {
	for s, want := range map[string][2]string{"Ofen 🔥 heiß": {"Ofen", "Ofen 🔥 heiß"}, "ab": {"ab", "ab"}, "": {"", ""}, "👩‍🎨👩‍🎨👩‍🎨👩‍🎨👩‍🎨👩‍🎨": {"👩‍🎨👩‍🎨👩‍🎨👩‍🎨👩‍🎨", "👩‍🎨👩‍🎨👩‍🎨👩‍🎨👩‍🎨👩‍🎨"}} {
		assert.Equal(t, want, [2]string{Head(s, 5), Head(s, 99)}, s)
		assert.Empty(t, Head(s, 0))
	}
	for s, want := range map[string]string{
		"https://www.Kiln.example:8443/a": "kiln.example", "http://kiln.example": "kiln.example", "kiln.example/a": "", "mailto:a@kiln.example": "", "https://[::1]/": "::1", "": "",
	} {
		assert.Equal(t, want, Host(s), s)
	}
	for _, c := range []struct {
		a, b string
		want bool
	}{{"", "x", true}, {"Terrafuoco", "terrafuoco log", true}, {"kiln log", "the kiln", true}, {"ab cd", "ab xy", false}, {"abc d", "abc e", true}, {"one", "two", false}} {
		assert.Equal(t, c.want, ShareWord(c.a, c.b), "%s and %s", c.a, c.b)
	}
	assert.Equal(t, "a, b, c", KeywordLine("a, b, c\nA sentence, with a comma.", 3))
	assert.Empty(t, KeywordLine("a, b, c", 4))
	assert.Equal(t, "kiln", SharedWord("kiln log, kiln app, kiln art", 3))
	assert.Empty(t, SharedWord("kiln log, kiln app, glaze", 3))
	for s, want := range map[string]bool{"+39 055 555": true, "+39055": false, "39 055 555 01": false, "+39 (055) 555-0142": true, "": false, "+": false, "+39 055 55": true, "+1 23 45": false} {
		assert.Equal(t, want, IsPhone(s), s)
	}
	for _, c := range []struct {
		a, b              string
		language, writing bool
	}{
		{"en", "en-GB", true, true}, {"pt-BR", "pt-PT", true, true}, {"de", "it", false, false}, {"zh-Hans", "zh-Hant", true, false}, {"zh-CN", "zh-Hans", true, true}, {"zh-TW", "zh-Hans", true, false},
		{"nb", "no", true, true}, {"sr", "sr-Latn", true, false}, {"x!", "x!", true, true}, {"x!", "de", false, false},
	} {
		assert.Equal(t, c.language, SameLanguage(c.a, c.b), "%s and %s", c.a, c.b)
		assert.Equal(t, c.writing, SameWriting(c.a, c.b), "%s and %s", c.a, c.b)
	}
}
