package textual

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"golang.org/x/text/language"
)

func TestOddities(t *testing.T) {
	for text, want := range map[string][]string{
		"":                            {},
		"Terrafuoco":                  {},
		"two\nlines\n":                {},
		"a  b":                        {},
		" a":                          {"spaces at the beginning"},
		"a\u00a0":                     {"spaces at the end"},
		"a    b":                      {"several spaces in a row"},
		"a\x07b":                      {"a control character (U+0007)"},
		"a\u200bb\ufeff":              {"an invisible character (U+200B)", "an invisible character (U+FEFF)"},
		"a\u202eb":                    {"a mark that turns the direction (U+202E)"},
		"Novit\ufffd":                 {"a replacement character (U+FFFD), where a letter was lost"},
		"fÃ¼r den Ofen":               {"letters that were encoded twice (Ã¼)"},
		"donâ€™t":                     {"letters that were encoded twice (â€™)"},
		"\ue000":                      {"a character of private use (U+E000)"},
		"<b>new</b>":                  {"HTML, which the page shows as it is (<b>)"},
		"pots &amp; pans":             {"HTML, which the page shows as it is (&amp;)"},
		"3 < 4 and 5 > 2":             {},
		"São Paulo, Ångström, Ãlvaro": {},
	} {
		assert.Equal(t, want, Oddities(text), "%q", text)
	}
}

func TestWasted(t *testing.T) {
	for _, c := range []struct {
		keywords []string
		text     string
		want     []string
	}{
		{[]string{"kiln", "glaze"}, "Terrafuoco", []string{}},
		{[]string{"kiln", "Kiln", " clay"}, "Terrafuoco", []string{"kiln twice", "spaces around clay"}},
		{[]string{"kiln", ""}, "The kiln, the log", []string{"kiln is in name or tagline"}},
		{[]string{"ab", "窯", "été"}, "x", []string{"ab is too short"}},
	} {
		assert.Equal(t, c.want, Wasted(c.keywords, c.text), "%v", c.keywords)
	}
	many := make([]string, 50)
	for i := range many {
		many[i] = "x"
	}
	assert.LessOrEqual(t, len(Wasted(many, "")), 8)
}

func TestCanonical(t *testing.T) {
	for tag, want := range map[string]string{"it": "it", "en-UK": "en-GB", "pt_br": "pt-BR", "EN-gb": "en-GB", "zh-hans": "zh-Hans", "iw": "iw", "iw-IL": "iw-IL", "zh-Hant-TW": "zh-Hant-TW", "not a tag": "not a tag"} {
		assert.Equal(t, want, Canonical(tag), tag)
	}
}

func TestNamesAndHosts(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want bool
	}{{"Terrafuoco: forno", "terrafuoco", true}, {"Kiln Log", "The kiln book", true}, {"Terra", "Terrafuoco", true}, {"Runner", "Terrafuoco", false}, {"My App", "Map of my kiln", false}, {"", "Terrafuoco", true}, {"窯の記録", "窯の記録帳", true}} {
		assert.Equal(t, c.want, ShareWord(c.a, c.b), "%v", c)
		assert.Equal(t, c.want, ShareWord(c.b, c.a), "%v", c)
	}
	list := "kiln, clay, pottery, glaze, cone, raku, bisque, stoneware, porcelain, slip, wheel, oven log"
	assert.Equal(t, list, KeywordLine("A log.\n"+list, 12))
	for _, text := range []string{"", "a, b, c", strings.Replace(list, "glaze", "a glaze that runs", 1), "We met Ada, Bruno and Carla, who fire every week, and wrote down what they do."} {
		assert.Empty(t, KeywordLine(text, 12), text)
	}
	for address, want := range map[string]string{"https://WWW.Terrafuoco.example:8443/a?b#c": "terrafuoco.example", "terrafuoco.example": "", "": "", "http://[::1]/": "::1", "mailto:a@b.example": "", "::": ""} {
		assert.Equal(t, want, Host(address), address)
	}
}

// TestBounds has a row on each side of each bound.
func TestBounds(t *testing.T) {
	for text, want := range map[string]bool{"+391234": true, "+39123": false, "+39 (12) 3-4": true, "391234": false, "+39123x": false, "": false, "39+1234": false} {
		assert.Equal(t, want, IsPhone(text), "%q", text)
	}
	for text, most := range map[string]int{"1": 1, "1.2": 2, "1.2.3": 3} {
		assert.True(t, IsVersion(text, most))
		assert.False(t, IsVersion(text, most-1))
	}
	for _, text := range []string{"", "1.", ".1", "1..2", "1.a", "v1"} {
		assert.False(t, IsVersion(text, 9), text)
	}
	for text, want := range map[string]bool{"${KEY}": true, "$(KEY)": true, "YOUR_API_KEY": true, "REPLACE_ME": true, "${KEY": false, "your_key": false, "MY_KEY": false} {
		assert.Equal(t, want, IsUnfilled(text), text)
	}
	assert.True(t, HasVariable("a$(") && HasVariable("${"))
	assert.False(t, HasVariable("$ {"))
	assert.Equal(t, "a, b, c", KeywordLine("x\na, b, c", 3))
	assert.Empty(t, KeywordLine("a, b, c", 4))
	assert.Empty(t, KeywordLine("a b c, b, c", 3), "more than two words are a sentence")
	assert.Equal(t, "nb", baseOf(language.Norwegian))
	assert.True(t, SameLanguage("no", "nb-NO"))
	assert.True(t, SameLanguage("?", "?"))
	assert.False(t, SameLanguage("?", "en"))
}
