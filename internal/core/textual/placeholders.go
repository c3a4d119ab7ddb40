package textual

import (
	"regexp"
	"strings"
)

// variable matches what a build or a template would have filled in: $(NAME) and ${NAME}.
var variable = regexp.MustCompile(`\$\([^)]*\)|\$\{[^}]*\}`)

// HasVariable tells whether a text still holds a variable of a build or a template.
func HasVariable(s string) bool { return strings.Contains(s, "$(") || strings.Contains(s, "${") }

// IsUnfilled tells whether a value of a manifest is one that a template left to be filled
// in: a variable, or a word such as YOUR_API_KEY.
func IsUnfilled(s string) bool { return variable.MatchString(s) || toFillIn.MatchString(s) }

var toFillIn = regexp.MustCompile(`\bYOUR_[A-Z_]+\b|\bREPLACE_ME\b`)

var leftBehind = regexp.MustCompile(`\bTODO\b(?:[:(\]]|\s*$)|(?:^|\[)TODO\s|\bFIXME\b|\$\(|\$\{|(?i:\blorem ipsum\b|\byour text here\b|\bplaceholder (text|name)\b)`)

// IsPlaceholder tells whether a text of a page is one that a template left behind.
func IsPlaceholder(s string) bool {
	t := strings.ToLower(strings.TrimSpace(s))
	switch t {
	case "xx", "xxx", "-", ".", "?", "test", "text", "string", "tbd", "n/a", "todo", "placeholder":
		return true
	}
	// Written as programmers write it, TODO is a note; "Todo" may be a name. Looking for
	// plain words first spares the pattern on nearly all texts, which are long.
	for _, w := range []string{"todo", "fixme", "$(", "${", "lorem", "your text", "placeholder"} {
		if strings.Contains(t, w) {
			return leftBehind.MatchString(s)
		}
	}
	return false
}
