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

	"regola.example/regola/internal/core/late"
)

// doubly is how letters look that were encoded twice: UTF-8 read as Windows-1252.
var doubly = late.Regexp(`[ÃÅ][\x{80}-\x{BF}€‚ƒ„…†‡ˆ‰Š‹ŒŽ‘’“”•–—˜™š›œžŸ]|â€[™œ“”¢¦\x{9D}]|Â[\x{A0}°·«»©®]|(?:[РС][\x{A0}-\x{BF}ЂЃѓЉЊЌЋЏђљњќћџЎўЈҐЁЄЇІіґёєјЅѕї‚„…†‡€‰‹›‘’“”•–—™№]){3,}|(?:[äåæçèé][\x{80}-\x{BF}€‚ƒ„…†‡ˆ‰Š‹ŒŽ‘’“”•–—˜™š›œžŸ]{2}){2,}`)

// leads are the letters with which those begin.
const leads = "ÃÅâÂРСäåæçèé"

// markup is HTML and Markdown, as far as texts of pages have it.
var markup = late.Regexp(`\*\*[^*\n]{1,60}\*\*|\[[^\]\n]{1,60}\]\(https?:|</?(?:[abiu]|br|p|em|strong|ul|ol|li|h[1-6]|div|span|font)(?:\s[^<>]{0,200})?/?>|&(?:nbsp|amp|lt|gt|quot|#\d{2,5});`)

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
	turned := strings.ContainsFunc(s, func(r rune) bool {
		return unicode.In(r, unicode.Arabic, unicode.Hebrew, unicode.Syriac, unicode.Thaana)
	})
	wide := strings.ContainsFunc(s, func(r rune) bool {
		return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Hangul) && !invisible(r)
	})
	marks, last, lead, latin, other := 0, rune(0), "", false, false
	for i, r := range s {
		if unicode.Is(unicode.Mn, r) && unicode.Is(unicode.Inherited, r) {
			if marks++; marks == mostMarks {
				add("accents that stand on each other")
			}
		} else {
			marks = 0
		}
		switch {
		case r == '\n' || r == '\t':
		case r == unicode.ReplacementChar:
			add("a replacement character (U+FFFD), where a letter was lost")
		case unicode.IsControl(r):
			add("a control character (U+%04X)", r)
		case r == 0x202d || r == 0x202e || (isolate(r) || r >= 0x202a && r <= 0x202c) && !turned: // overrides are never needed
			add("a mark that turns the direction (U+%04X)", r)
		case invisible(r) && !lawful(r, last, s[i+utf8.RuneLen(r):], turned):
			add("an invisible character (U+%04X)", r)
		case r >= 0x1d400 && r <= 0x1d7ff || r >= 0xff21 && r <= 0xff5a && unicode.IsLetter(r) && !wide:
			add("letters in dress (%c), which readers aloud and searches do not know", r)
		case unicode.Is(unicode.Co, r):
			add("a character of private use (U+%04X)", r)
		case r == 0xfffc || r&0xfffe == 0xfffe:
			add("a character that stands for none (U+%04X)", r)
		case r == 0x2028 || r == 0x2029:
			add("a line break of another kind (U+%04X)", r)
		}
		if lead == "" && (r >= 0x80 && r <= 0xbf || r >= 0x400 && r < 0x460 || r > 0x2000 && r < 0x2123 || r >= 0x152 && r <= 0x2dc) && strings.ContainsRune(leads, last) {
			lead = string(last)
		}
		last, latin, other = r, latin || r < 0x250 && unicode.IsLetter(r), other || r >= 0x370 && r < 0x530
	}
	if latin && other {
		if w := mixed(s); w != "" {
			add("letters of two scripts in one word (%s)", w)
		}
	}
	for _, p := range []struct {
		begins, say string
		re          func() *regexp.Regexp
	}{{lead, "letters that were encoded twice (%s)", doubly}, {"<&*[", "markup, which the page shows as it is (%s)", markup}} {
		if p.begins == "" || !strings.ContainsAny(s, p.begins) { // spares the pattern on most texts
			continue
		}
		if m := p.re().FindString(s); m != "" {
			add(p.say, m)
		}
	}
	return out
}

// mostMarks is how many accents may stand on one letter; more are a decoration.
const mostMarks = 4

func isolate(r rune) bool { return r >= 0x2066 && r <= 0x2069 }

// invisible tells whether nothing is seen of a character (Unicode's
// Default_Ignorable_Code_Point, and blanks that are letters by their category).
func invisible(r rune) bool {
	switch {
	case isolate(r), r >= 0x202a && r <= 0x202e:
		return false // marks of direction
	case r >= 0xfe00 && r <= 0xfe0f: // the look of the character before
		return false
	case r == 0x3164, r == 0x115f, r == 0x1160, r == 0xffa0, r == 0x2800, r == 0x034f:
		return true
	}
	return unicode.Is(unicode.Cf, r) || unicode.Is(unicode.Other_Default_Ignorable_Code_Point, r)
}

// lawful tells whether a character that cannot be seen does what it is made for: it joins
// or parts letters of a script that needs it, parts words of scripts without blanks, turns
// a bit of a text that runs to the left, or allows a break.
func lawful(r, before rune, after string, turned bool) bool {
	next, _ := utf8.DecodeRuneInString(after)
	in := func(r rune, tables ...*unicode.RangeTable) bool { return unicode.In(r, tables...) }
	switch r {
	case 0x200b:
		parted := []*unicode.RangeTable{unicode.Khmer, unicode.Thai, unicode.Lao, unicode.Myanmar}
		return in(before, parted...) || in(next, parted...)
	case 0x200c, 0x200d:
		return turned || in(before, unicode.Arabic, unicode.Devanagari, unicode.Bengali, unicode.Gujarati, unicode.Gurmukhi, unicode.Kannada, unicode.Malayalam, unicode.Oriya, unicode.Tamil, unicode.Telugu, unicode.Sinhala, unicode.Khmer, unicode.Mongolian, unicode.Syriac) ||
			r == 0x200d && (in(before, unicode.So, unicode.Sk) || before == 0xfe0f) // a picture of several
	case 0x200e, 0x200f, 0x061c:
		return turned
	case 0xad:
		return unicode.IsLetter(before) && unicode.IsLetter(next)
	case 0x180e:
		return in(before, unicode.Mongolian)
	}
	return r >= 0xe0020 && r <= 0xe007f && (before == 0x1f3f4 || before >= 0xe0020 && before <= 0xe007f) || // flags of regions
		unicode.In(r, unicode.Arabic) // marks of numbers and verses
}

// alike are letters of other scripts that look like Latin ones, and those.
const (
	alikeLatin    = "aceopxyijsABCEHIKMOPTXYkmntbrugv"
	alikeCyrillic = "асеорхуіјѕАВСЕНІКМОРТХУкмптьгиԁѵ"
	alikeGreek    = "οαινρυκΑΒΕΖΗΙΚΜΝΟΡΤΥΧ"
)

// mixed is the first word in which single letters of another script look like those of its
// own; empty for none. Words of two scripts by intent, such as names with an ending, are
// none.
func mixed(s string) string {
	for _, w := range strings.FieldsFunc(s, func(r rune) bool { return !unicode.IsLetter(r) }) {
		var latin, cyrillic, greek []rune
		for _, r := range w {
			switch {
			case unicode.Is(unicode.Latin, r):
				latin = append(latin, r)
			case unicode.Is(unicode.Cyrillic, r):
				cyrillic = append(cyrillic, r)
			case unicode.Is(unicode.Greek, r):
				greek = append(greek, r)
			}
		}
		for _, x := range []struct {
			few, many []rune
			alike     string
		}{{latin, cyrillic, alikeLatin}, {cyrillic, latin, alikeCyrillic}, {greek, latin, alikeGreek}, {latin, greek, alikeLatin}} {
			if len(x.few) > 0 && len(x.many) >= 3 && len(x.few) <= len(x.many)/2 && !strings.HasSuffix(w, string(x.few)) && !slices.ContainsFunc(x.few, func(r rune) bool { return !strings.ContainsRune(x.alike, r) }) {
				return w
			}
		}
	}
	return ""
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
		case len(w) < 2 && w[0] < utf8.RuneSelf:
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

// ShareWord tells whether two names belong together: one is in the other, a word is in both,
// or one is the initials of the other.
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
	return has(a, b) || has(b, a) || initials(a) == b || initials(b) == a
}

// initials are the first letters of a name's words, without small words in English between.
func initials(name string) string {
	var out strings.Builder
	for w := range strings.FieldsFuncSeq(name, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }) {
		if w == "the" || w == "of" || w == "and" || w == "for" {
			continue
		}
		r, _ := utf8.DecodeRuneInString(w)
		out.WriteRune(r)
	}
	return out.String()
}

// KeywordLine is the first line of a text that is a list of search words: so many or more
// parts of one or two words each between commas, and nothing else. A list that a colon
// leads to, as that of languages or formats, is none.
func KeywordLine(s string, least int) string {
	led := false
	for line := range strings.SplitSeq(s, "\n") {
		n, only := 0, !led && !strings.ContainsAny(line, ":：")
		for part := range strings.FieldsFuncSeq(line, func(r rune) bool { return r == ',' || r == ';' || r == '、' || r == '，' || r == '|' }) {
			words := len(strings.Fields(part))
			only = only && words > 0 && words <= 2 && utf8.RuneCountInString(part) <= 24
			n++
		}
		if only && n >= least {
			return line
		}
		if line = strings.TrimSpace(line); line != "" {
			led = strings.HasSuffix(line, ":") || strings.HasSuffix(line, "：")
		}
	}
	return ""
}

// SharedWord is a word that so many or more parts of a list have, as pdf in "pdf reader,
// pdf viewer, pdf"; empty for none.
func SharedWord(line string, least int) string {
	count := map[string]int{}
	for part := range strings.FieldsFuncSeq(strings.ToLower(line), func(r rune) bool { return r == ',' || r == ';' || r == '、' || r == '，' || r == '|' }) {
		for _, w := range strings.Fields(part) {
			if count[w]++; count[w] == least {
				return w
			}
		}
	}
	return ""
}
