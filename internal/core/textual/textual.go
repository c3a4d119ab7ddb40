// Package textual looks at the texts of pages and packages as plain texts: versions,
// addresses, languages, and what looks broken or left behind in them. It knows neither
// rules nor fields.
package textual

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/rivo/uniseg"
)

// doubly is how letters look that were encoded twice: UTF-8 read as Windows-1252.
var doubly = regexp.MustCompile(`Ã[¤¶¼Ÿ„–œ©¨ª«¢®¯±³´¹ºàáâãäåæçèéêëìíîïñòóôõöùúûü]|â€[™œ“”¢¦]|Â[ °·«»©®]`)

// markup is HTML, as far as texts of pages have it.
var markup = regexp.MustCompile(`</?(?:[abiu]|br|p|em|strong|ul|ol|li|h[1-6]|div|span|font)(?:\s[^<>]{0,200})?/?>|&(?:nbsp|amp|lt|gt|quot|#\d{2,5});`)

// Oddities lists what is odd in a text, each once. A line break at its end is none.
func Oddities(s string) []string {
	out := []string{}
	add := func(format string, args ...any) {
		if text := fmt.Sprintf(format, args...); !slices.Contains(out, text) && len(out) < 8 {
			out = append(out, text)
		}
	}
	s = strings.TrimRight(s, "\n")
	if s != strings.TrimLeft(s, " \t\u00a0\n") {
		add("spaces at the beginning")
	}
	if s != strings.TrimRight(s, " \t\u00a0") {
		add("spaces at the end")
	}
	if strings.Contains(strings.TrimSpace(s), "   ") {
		add("several spaces in a row")
	}
	for _, r := range s {
		switch {
		case r == '\n' || r == '\t':
		case r == unicode.ReplacementChar:
			add("a replacement character (U+FFFD), where a letter was lost")
		case unicode.IsControl(r):
			add("a control character (U+%04X)", r)
		case r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069:
			add("a mark that turns the direction (U+%04X)", r)
		case r == 0x200b || r == 0x2060 || r == 0xfeff || r == 0xad:
			add("an invisible character (U+%04X)", r)
		case unicode.Is(unicode.Co, r):
			add("a character of private use (U+%04X)", r)
		}
	}
	for _, p := range []struct {
		begins, say string
		re          *regexp.Regexp
	}{{"ÃâÂ", "letters that were encoded twice (%s)", doubly}, {"<&", "HTML, which the page shows as it is (%s)", markup}} {
		if !strings.ContainsAny(s, p.begins) { // spares the pattern on most texts
			continue
		}
		if m := p.re.FindString(s); m != "" {
			add(p.say, m)
		}
	}
	return out
}

// Wasted lists keywords that take room and bring nothing, at most eight.
func Wasted(keywords []string, text string) []string {
	out, seen := []string{}, map[string]bool{}
	for _, w := range strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }) {
		seen[w+"\x00"] = true
	}
	for _, k := range keywords {
		w := strings.ToLower(strings.TrimSpace(k))
		switch {
		case w == "":
			continue
		case seen[w]:
			out = append(out, w+" twice")
		case seen[w+"\x00"]:
			out = append(out, w+" is in name or tagline")
		case inflection(w, seen) != "":
			out = append(out, w+" beside "+inflection(w, seen))
		case len(w) < 3 && w[0] < utf8.RuneSelf:
			out = append(out, w+" is too short")
		case k != strings.TrimSpace(k):
			out = append(out, "spaces around "+w)
		}
		if seen[w] = true; len(out) == 8 {
			break
		}
	}
	return out
}

// Head is the first characters of a text, as people see them, without a blank at
// its end.
func Head(s string, n int) string {
	g := uniseg.NewGraphemes(s)
	end := 0
	for ; n > 0 && g.Next(); n-- {
		_, end = g.Positions()
	}
	return strings.TrimRight(s[:end], " ")
}

// inflection is a word that was seen and is the plural or the singular of another, by
// the commonest endings of languages with Latin letters.
func inflection(w string, seen map[string]bool) string {
	if len(w) < 4 {
		return ""
	}
	for _, end := range []string{"s", "es", "n", "en"} {
		if seen[w+end] {
			return w + end
		}
		if stem, ok := strings.CutSuffix(w, end); ok && len(stem) > 2 && seen[stem] {
			return stem
		}
	}
	for _, ends := range [][2]string{{"o", "i"}, {"a", "e"}, {"e", "i"}} {
		for i, end := range ends {
			if stem, ok := strings.CutSuffix(w, end); ok && seen[stem+ends[1-i]] {
				return stem + ends[1-i]
			}
		}
	}
	return ""
}

// ShareWord tells whether two names belong together.
func ShareWord(a, b string) bool {
	a, b = strings.ToLower(strings.TrimSpace(a)), strings.ToLower(strings.TrimSpace(b))
	if strings.Contains(a, b) || strings.Contains(b, a) {
		return true
	}
	has := func(text, words string) bool {
		return slices.ContainsFunc(strings.FieldsFunc(words, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }), func(w string) bool {
			return utf8.RuneCountInString(w) >= 3 && strings.Contains(text, w)
		})
	}
	return has(a, b) || has(b, a)
}

// KeywordLine is the first line of a text that is a list of search words: so many or more
// parts of one or two words each between commas.
func KeywordLine(s string, least int) string {
	for line := range strings.SplitSeq(s, "\n") {
		n := 0
		for part := range strings.FieldsFuncSeq(line, func(r rune) bool { return r == ',' || r == ';' || r == '、' || r == '，' || r == '|' }) {
			if words := len(strings.Fields(part)); words == 0 || words > 2 || utf8.RuneCountInString(part) > 24 {
				n = 0
				continue
			}
			if n++; n == least {
				return line
			}
		}
	}
	return ""
}
