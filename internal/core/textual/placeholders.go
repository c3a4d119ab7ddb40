package textual

import (
	"strings"

	"regola.example/regola/internal/core/late"
)

// variable matches what a build or a template would have filled in: $(NAME) and ${NAME}.
var variable = late.Regexp(`\$\([^)]*\)|\$\{[^}]*\}`)

// HasVariable tells whether a text still holds a variable of a build or a template.
func HasVariable(s string) bool { return strings.Contains(s, "$(") || strings.Contains(s, "${") }

// IsUnfilled tells whether a value of a manifest is one that a template left to be filled
// in: a variable, or a word such as YOUR_API_KEY.
func IsUnfilled(s string) bool { return variable().MatchString(s) || toFillIn().MatchString(s) }

var toFillIn = late.Regexp(`\bYOUR_[A-Z_]+\b|\bREPLACE_ME\b`)

var leftBehind = late.Regexp(`\bTODO\b(?:[:(\]]|\s*$)|(?:^|\[)TODO\s|\bFIXME\b|\$\(|\$\{|(?i:\blorem ipsum\b|\byour text here\b|\bplaceholder (text|name)\b)`)

// IsPlaceholder tells whether a text of a page is one that a template left behind.
func IsPlaceholder(s string) bool {
	t := asciiLower(strings.TrimSpace(s))
	switch t {
	case "xx", "xxx", "-", ".", "?", "test", "text", "string", "tbd", "n/a", "todo", "placeholder":
		return true
	}
	// Written as programmers write it, TODO is a note; "Todo" may be a name. Looking for
	// plain words first spares the pattern on nearly all texts, which are long.
	for _, w := range []string{"todo", "fixme", "$(", "${", "lorem", "your text", "placeholder"} {
		if strings.Contains(t, w) {
			return leftBehind().MatchString(s)
		}
	}
	return false
}

// asciiLower is a text with the letters A to Z in small: all that is looked for is ASCII, and
// a text of four thousand letters is folded in a moment.
func asciiLower(s string) string {
	b := []byte(s)
	for i, c := range b {
		if 'A' <= c && c <= 'Z' {
			b[i] = c | 0x20
		}
	}
	return string(b)
}

// HasEmoji tells whether a text has a picture sign (emoji), or the mark that makes one of
// another sign; signs of typography, such as check marks and stars, count with all.
func HasEmoji(s string, all bool) bool {
	for _, r := range s {
		switch {
		case r < 0x231a:
		case r >= 0x1f000 && r <= 0x1faff, r == 0xfe0f, r == 0x231a, r == 0x231b, r >= 0x23e9 && r <= 0x23f3, r == 0x2b50, r == 0x2b55:
			return true
		case all && r >= 0x2600 && r <= 0x27bf:
			return true
		}
	}
	return false
}
