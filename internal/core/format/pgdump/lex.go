package pgdump

import (
	"strings"
	"unicode/utf8"
)

// kind is the kind of a token.
type kind byte

const (
	end    kind = iota
	word        // a keyword or name without quotes, in small letters
	name        // a name in double quotes, as it is
	text        // a string in single quotes or between dollar signs, without them
	number      // digits
	mark        // one or more punctuation characters
)

// token is a piece of SQL.
type token struct {
	kind kind
	s    string
	at   int // byte offset
}

// is tells whether a token is a keyword.
func (t token) is(words ...string) bool {
	if t.kind != word {
		return false
	}
	for _, w := range words {
		if t.s == w {
			return true
		}
	}
	return false
}

// lexer splits SQL into tokens, by the lexical structure of PostgreSQL: quoted names,
// strings with doubled quotes, escape strings, dollar quotes, nested comments, and the
// lines of its terminal program, which begin with a backslash.
type lexer struct {
	s     string
	pos   int
	start bool // at the beginning of a line, outside everything
}

// next is the next token; its kind is end at the end of the text.
func (l *lexer) next() token {
	for l.pos < len(l.s) {
		c := l.s[l.pos]
		switch {
		case c == '\n':
			l.pos, l.start = l.pos+1, true
			continue
		case c == ' ' || c == '\t' || c == '\r' || c == '\f' || c == 0xef && strings.HasPrefix(l.s[l.pos:], "\ufeff"):
			if c == 0xef {
				l.pos += 2
			}
			l.pos++
			continue
		case c == '\\' && l.start:
			l.skipLine()
			continue
		case strings.HasPrefix(l.s[l.pos:], "--"):
			l.skipLine()
			continue
		case strings.HasPrefix(l.s[l.pos:], "/*"):
			l.skipComment()
			continue
		}
		break
	}
	l.start = false
	at := l.pos
	if at >= len(l.s) {
		return token{kind: end, at: at}
	}
	c := l.s[at]
	switch {
	case c == '"':
		return token{name, l.quoted('"', false), at}
	case c == '\'':
		return token{text, l.quoted('\'', false), at}
	case (c == 'e' || c == 'E') && at+1 < len(l.s) && l.s[at+1] == '\'':
		l.pos++
		return token{text, l.quoted('\'', true), at}
	case c == '$':
		if s, ok := l.dollar(); ok {
			return token{text, s, at}
		}
		l.pos++
		return token{mark, "$", at}
	case c >= '0' && c <= '9':
		for l.pos < len(l.s) && (isWord(l.s[l.pos]) || l.s[l.pos] == '.') {
			l.pos++
		}
		return token{number, l.s[at:l.pos], at}
	case isWord(c) || c >= utf8.RuneSelf:
		for l.pos < len(l.s) && (isWord(l.s[l.pos]) || l.s[l.pos] == '$' || l.s[l.pos] >= utf8.RuneSelf) {
			l.pos++
		}
		return token{word, strings.ToLower(l.s[at:l.pos]), at}
	case strings.IndexByte("();,.[]", c) >= 0:
		l.pos++
		return token{mark, l.s[at:l.pos], at}
	}
	for l.pos < len(l.s) && strings.IndexByte("+-*/<>=~!@#%^&|`?:", l.s[l.pos]) >= 0 {
		if rest := l.s[l.pos:]; l.pos > at && (strings.HasPrefix(rest, "--") || strings.HasPrefix(rest, "/*")) {
			break
		}
		l.pos++
	}
	if l.pos == at {
		l.pos++
	}
	return token{mark, l.s[at:l.pos], at}
}

func isWord(c byte) bool {
	return c == '_' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'
}

func (l *lexer) skipLine() {
	if i := strings.IndexByte(l.s[l.pos:], '\n'); i >= 0 {
		l.pos += i
		return
	}
	l.pos = len(l.s)
}

// skipComment skips a comment, which may hold others.
func (l *lexer) skipComment() {
	for depth := 0; l.pos < len(l.s); {
		switch rest := l.s[l.pos:]; {
		case strings.HasPrefix(rest, "/*"):
			depth++
			l.pos += 2
		case strings.HasPrefix(rest, "*/"):
			l.pos += 2
			if depth--; depth == 0 {
				return
			}
		default:
			l.pos++
		}
	}
}

// quoted reads a string up to its quote; a doubled one is one character. An open
// string ends with the text.
func (l *lexer) quoted(q byte, escapes bool) string {
	var b strings.Builder
	for l.pos++; l.pos < len(l.s); l.pos++ {
		c := l.s[l.pos]
		switch {
		case escapes && c == '\\' && l.pos+1 < len(l.s):
			l.pos++
			b.WriteByte(l.s[l.pos])
		case c != q:
			b.WriteByte(c)
		case l.pos+1 < len(l.s) && l.s[l.pos+1] == q:
			l.pos++
			b.WriteByte(q)
		default:
			l.pos++
			return b.String()
		}
	}
	return b.String()
}

// dollar reads a string between two equal tags such as $body$.
func (l *lexer) dollar() (string, bool) {
	i := l.pos + 1
	for i < len(l.s) && isWord(l.s[i]) {
		i++
	}
	if i >= len(l.s) || l.s[i] != '$' || i > l.pos+1 && l.s[l.pos+1] >= '0' && l.s[l.pos+1] <= '9' {
		return "", false
	}
	tag := l.s[l.pos : i+1]
	body, _, found := strings.Cut(l.s[i+1:], tag)
	l.pos = i + 1 + len(body)
	if found {
		l.pos += len(tag)
	}
	return body, true
}

// copyData skips the rows behind COPY … FROM stdin, up to the line that ends them, and
// counts them.
func (l *lexer) copyData() (rows int) {
	l.skipLine()
	for l.pos < len(l.s) {
		l.pos++ // the line break
		line := l.s[l.pos:]
		if i := strings.IndexByte(line, '\n'); i >= 0 {
			line = line[:i]
		}
		l.pos += len(line)
		if strings.TrimRight(line, "\r") == `\.` {
			break
		}
		if line != "" {
			rows++
		}
	}
	l.start = true
	return rows
}
