package lsp

import (
	"bytes"
	"net/url"
	"path/filepath"
	"strings"
	"unicode/utf8"

	"regola.example/regola/internal/editor"
)

// lineStart is the byte at which a line begins, counted from 0; the end of the text behind
// the last one.
func lineStart(doc []byte, line int) int {
	at := 0
	for range line {
		i := bytes.IndexByte(doc[at:], '\n')
		if i < 0 {
			return len(doc)
		}
		at += i + 1
	}
	return at
}

// offset is the byte of a position. One behind the end of its line is the end of the line.
func offset(doc []byte, p position) int {
	at := lineStart(doc, p.Line)
	for units := 0; units < p.Character && at < len(doc) && doc[at] != '\n' && doc[at] != '\r'; {
		r, n := utf8.DecodeRune(doc[at:])
		units += unitsOf(r)
		at += n
	}
	return at
}

// unitsOf is how many units of UTF-16 a character takes.
func unitsOf(r rune) int {
	if r > 0xffff {
		return 2
	}
	return 1
}

// fromUTF16 gives a position as a line and a column from 1, in characters.
func fromUTF16(doc []byte, p position) (line, column int) {
	from := lineStart(doc, p.Line)
	return p.Line + 1, utf8.RuneCount(doc[from:max(from, offset(doc, p))]) + 1
}

// toUTF16 gives a line and a column from 1, in characters, as a position.
func toUTF16(doc []byte, line, column int) position {
	at, units := lineStart(doc, line-1), 0
	for n := 1; n < column && at < len(doc) && doc[at] != '\n' && doc[at] != '\r'; n++ {
		r, size := utf8.DecodeRune(doc[at:])
		units += unitsOf(r)
		at += size
	}
	return position{max(0, line-1), units}
}

func spanOf(doc []byte, s editor.Span) span {
	return span{toUTF16(doc, s.Line, s.Column), toUTF16(doc, s.EndLine, s.EndColumn)}
}

// apply makes one change of a document.
func apply(doc []byte, where *span, text string) []byte {
	if where == nil {
		return []byte(text)
	}
	from, to := offset(doc, where.Start), offset(doc, where.End)
	if to < from {
		from, to = to, from
	}
	return bytes.Join([][]byte{doc[:from], []byte(text), doc[to:]}, nil)
}

// pathOf is the file of an address; empty for what is no file.
func pathOf(uri string) string {
	u, err := url.Parse(uri)
	if err != nil || u.Scheme != "file" {
		return ""
	}
	p := u.Path
	if len(p) > 2 && p[0] == '/' && p[2] == ':' { // a drive's letter
		p = p[1:]
	}
	return filepath.Clean(filepath.FromSlash(p))
}

// uriOf is the address of a file.
func uriOf(path string) string {
	p := filepath.ToSlash(path)
	if !strings.HasPrefix(p, "/") {
		p = "/" + p
	}
	return (&url.URL{Scheme: "file", Path: p}).String()
}
