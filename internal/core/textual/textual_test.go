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
		"a\u202ab":                    {"a mark that turns the direction (U+202A)"},
		"\u202atar\u202c تار":         {}, // the older way to embed
		"\u202etar\u202c تار":         {"a mark that turns the direction (U+202E)"},
		"10\u202f000":                 {}, // a narrow blank
		"Novit\ufffd":                 {"a replacement character (U+FFFD), where a letter was lost"},
		"fÃ¼r den Ofen":               {"letters that were encoded twice (Ã¼)"},
		"donâ€™t":                     {"letters that were encoded twice (â€™)"},
		"\ue000":                      {"a character of private use (U+E000)"},
		"<b>new</b>":                  {"markup, which the page shows as it is (<b>)"},
		"pots &amp; pans":             {"markup, which the page shows as it is (&amp;)"},
		"3 < 4 and 5 > 2":             {},
		"São Paulo, Ångström, Ãlvaro": {},
		"AnotaÃ§Ãµes":                 {"letters that were encoded twice (Ã§)"},
		"РџСЂРёРІРµС‚":                {"letters that were encoded twice (РџСЂРёРІРµС‚)"},
		"**New:** kilns":              {"markup, which the page shows as it is (**New:**)"},
		"2 ** 3 ** 4":                 {"markup, which the page shows as it is (** 3 **)"},
		"[kilns](https://x.example)":  {"markup, which the page shows as it is ([kilns](https:)"},
		"ភាសា\u200bខ្មែរ":             {}, // Khmer parts words with it
		"می\u200cخواهم":               {}, // Persian
		"👩\u200d🏺":                    {},
		"a\u200db":                    {"an invisible character (U+200D)"},
		"\u2066Terrafuoco\u2069 כבשן": {},
		"\u2066Terrafuoco\u2069":      {"a mark that turns the direction (U+2066)", "a mark that turns the direction (U+2069)"},
		"bren\u00adning":              {},
		"\u3164":                      {"an invisible character (U+3164)"},
		"a\u2800":                     {"an invisible character (U+2800)"},
		"🏴\U000e0067\U000e007f":       {},
		"a\U000e0041":                 {"an invisible character (U+E0041)"},
		"a\u2028b":                    {"a line break of another kind (U+2028)"},
		"a\ufffc":                     {"a character that stands for none (U+FFFC)"},
		"𝐁udget":                      {"letters in dress (𝐁), which readers aloud and searches do not know"},
		"Ｂｕｄ":                         {"letters in dress (Ｂ), which readers aloud and searches do not know", "letters in dress (ｕ), which readers aloud and searches do not know", "letters in dress (ｄ), which readers aloud and searches do not know"},
		"窯Ｂ":                          {},
		"Тоrch":                       {}, // five letters, three of them Latin: a mark of its own
		"Tелефон":                     {"letters of two scripts in one word (Tелефон)"},
		"Теlефон":                     {},
		"KILNом":                      {},
		"z\u0300\u0301\u0302\u0303a":  {"accents that stand on each other"},
		"z\u0300\u0301\u0302a":        {},
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
		{[]string{"tv", "a", "窯", "été"}, "x", []string{"a is too short"}},
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
	}{{"Terrafuoco: forno", "terrafuoco", true}, {"Kiln Log", "The kiln book", true}, {"Terra", "Terrafuoco", true}, {"Runner", "Terrafuoco", false}, {"My App", "Map of my kiln", false}, {"", "Terrafuoco", true}, {"窯の記録", "窯の記録帳", true}, {"TKL", "The Terra Kiln Log", true}, {"TL", "The Terra Kiln Log", false}} {
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

func TestHasEmoji(t *testing.T) {
	for text, want := range map[string][2]bool{
		"": {}, "kiln": {}, "• – ™ №": {}, "⌚": {true, true}, "⌛": {true, true}, "⌜": {}, "⏩": {true, true}, "⏨": {}, "⏳": {true, true}, "⏴": {},
		"☀": {false, true}, "✓": {false, true}, "➿": {false, true}, "⟀": {}, "◿": {}, "⭐": {true, true}, "⭕": {true, true}, "⭑": {}, "1\ufe0f": {true, true}, "🀀": {true, true}, "🫿": {true, true}, "窯": {},
	} {
		assert.Equal(t, want, [2]bool{HasEmoji(text, false), HasEmoji(text, true)}, "%q", text)
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

func TestTidy(t *testing.T) {
	for text, want := range map[string]string{
		" Terrafuoco ":                     "Terrafuoco",
		"a    b":                           "a b",
		"a  b":                             "a  b", // two are a habit
		"Il\u200Bregistro":                 "Ilregistro",
		"fÃ¼r den Ofen":                    "für den Ofen",
		"itâ€™s hot":                       "it’s hot",
		"Ð¿Ñ€Ð¸":                           "Ð¿Ñ€Ð¸", // not known as twice encoded
		"𝐊𝐢𝐥𝐧":                             "Kiln",
		"kiln &amp; glaze":                 "kiln & glaze",
		"**hot** <b>kiln</b>":              "hot kiln",
		"one\u2028two":                     "one\ntwo",
		"lost \ufffd letter ":              "lost \ufffd letter",
		"\u202eabc":                        "abc",
		"a\u0007b\ue000":                   "ab",
		"line\n":                           "line\n",
		"line \n\n":                        "line\n\n",
		"می\u200cخواهم ":                   "می\u200cخواهم", // joins as Persian needs it
		"👩\u200d🎨 ":                        "👩\u200d🎨",
		"Kiln":                             "Kiln",
		"":                                 "",
		"1 &lt; 2":                         "1 < 2",
		"two:\n   - indented\n   - lines ": "two:\n   - indented\n   - lines",
	} {
		assert.Equal(t, want, Tidy(text), "%q", text)
		assert.Equal(t, want, Tidy(Tidy(text)), "%q twice", text)
	}
}
