// Package sanitize makes text from packages and dossiers safe to show: it comes
// from strangers, and must not steer a terminal, forge a line or hide a part
// of itself.
package sanitize

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Text writes control characters, marks that turn the direction of writing,
// and characters without a shape as \u{…}. Line ends and tabulators become
// blanks: what is shown is one line, and not longer than somebody would read.
func Text(s string) string {
	s = Cut(s, mostShown)
	if !strings.ContainsFunc(s, Hidden) {
		return s
	}
	var b strings.Builder
	for _, r := range s {
		switch {
		case r == '\n' || r == '\t':
			b.WriteByte(' ')
		case Hidden(r):
			fmt.Fprintf(&b, `\u{%x}`, r)
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

// Lines is Text for a text of several lines, which it keeps.
func Lines(s string) string {
	parts := strings.Split(Cut(s, mostShown), "\n")
	for i, p := range parts {
		parts[i] = Text(p)
	}
	return strings.Join(parts, "\n")
}

// mostShown is the longest text that is shown, in characters. The longest that
// a store takes has 4,000.
const mostShown = 5_000

// Cut shortens a text to so many characters, and says how long it was.
func Cut(s string, most int) string {
	if len(s) <= most {
		return s
	}
	n := 0
	for at := range s {
		if n == most {
			return fmt.Sprintf("%s… (%d characters)", s[:at], utf8.RuneCountInString(s))
		}
		n++
	}
	return s
}

// Hidden tells whether a character acts instead of being seen. Joiners and the
// plain direction marks stay: scripts and emoji need them.
func Hidden(r rune) bool {
	switch {
	case unicode.IsControl(r), r == unicode.ReplacementChar:
		return true
	case r < 0x61c:
		return false
	case r == 0x180e, r == 0x200b, r == 0xfeff: // blanks without width
		return true
	case r >= 0x2028 && r <= 0x202e, r >= 0x2060 && r <= 0x206f, r >= 0xfff9 && r <= 0xfffb, r >= 0xe0000 && r <= 0xe007f:
		return true
	}
	return false
}
