package textual

import (
	"html"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/unicode/norm"

	"regola.example/regola/internal/core/late"
)

var (
	entity    = late.Regexp(`&(?:nbsp|amp|lt|gt|quot|#\d{2,5});`)
	bold      = late.Regexp(`\*\*([^*\n]{1,60})\*\*`)
	inlineTag = late.Regexp(`</?(?:[abiu]|em|strong|span|font)(?:\s[^<>]{0,200})?>`)
	wideGap   = late.Regexp(`(\S)   +(\S)`)
)

// Tidy is a text without what Oddities finds in it, as far as only one text can be meant:
// spaces at its ends and many in a row, characters that cannot be seen or say nothing,
// letters that were encoded twice, letters in dress, marks of bold text and HTML within a
// line. What somebody has to write again, such as a lost letter, stays.
func Tidy(s string) string {
	if len(Oddities(s)) == 0 {
		return s
	}
	s = doubly().ReplaceAllStringFunc(s, decoded)
	s = entity().ReplaceAllStringFunc(s, func(e string) string { return strings.ReplaceAll(html.UnescapeString(e), "\u00a0", " ") })
	s = inlineTag().ReplaceAllString(bold().ReplaceAllString(s, "$1"), "")
	var b strings.Builder
	last := rune(0)
	for i, r := range s {
		odd := len(Oddities("a"+string(r)+"a")) > 0
		switch {
		case !odd, r == utf8.RuneError, r == '\n', r == ' ', r == '\t':
			b.WriteRune(r)
		case r == 0x2028, r == 0x2029:
			b.WriteByte('\n')
		case invisible(r) || isolate(r) || r >= 0x202a && r <= 0x202e:
			if around := string(last) + string(r) + firstOf(s[i+utf8.RuneLen(r):]); !stays(around, s) {
				continue // last stays: what cannot be seen stands between two letters
			}
			b.WriteRune(r)
		case unicode.IsLetter(r):
			b.WriteString(norm.NFKC.String(string(r)))
		}
		last = r
	}
	s = wideGap().ReplaceAllString(b.String(), "$1 $2")
	end := s[len(strings.TrimRight(s, "\n")):]
	return strings.Trim(strings.TrimRight(s, "\n"), " \t\u00a0\n") + end
}

// stays tells whether a character that cannot be seen is in its right between its
// neighbours. Whether the text runs to the left is a matter of all of it.
func stays(around, whole string) bool {
	for _, r := range whole {
		if unicode.In(r, unicode.Arabic, unicode.Hebrew, unicode.Syriac, unicode.Thaana) {
			around += string(r)
			break
		}
	}
	for _, o := range Oddities(around) {
		if strings.Contains(o, "invisible") || strings.Contains(o, "turns the direction") {
			return false
		}
	}
	return true
}

func firstOf(s string) string {
	_, size := utf8.DecodeRuneInString(s)
	return s[:size]
}

// decoded reads a piece of a text that was encoded twice; one that cannot be read stays.
func decoded(s string) string {
	for _, page := range []*charmap.Charmap{charmap.Windows1252, charmap.Windows1251} {
		var bytes []byte
		for _, r := range s {
			b, ok := page.EncodeRune(r)
			if !ok && r < 0x100 {
				b, ok = byte(r), true // bytes without a letter of their own were read as they are
			}
			if !ok {
				bytes = nil
				break
			}
			bytes = append(bytes, b)
		}
		if len(bytes) > 0 && utf8.Valid(bytes) {
			return string(bytes)
		}
	}
	return s
}
