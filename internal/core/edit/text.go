package edit

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/aymanbagabas/go-udiff"
	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/place"
)

// Range is a piece of a document, in bytes, and what takes its place.
type Range struct {
	From, To int
	Text     string
}

// maxText bounds the texts that are compared letter for letter, in bytes.
const maxText = 64 << 10

// Text finds the pieces of a document that change when a text becomes another one. It begins
// at a line and a column, counted from 1 in characters, or its key does. was is the text as
// it is read there; where it is not, the error says so. Everything else of the document stays as it is,
// also the form in which the text is written: plain, quoted, or a block of lines.
func Text(doc []byte, line, column int, was, becomes string) ([]Range, error) {
	if !utf8.ValidString(becomes) || strings.ContainsFunc(becomes, func(r rune) bool { return unicode.IsControl(r) && r != '\n' && r != '\t' }) {
		return nil, fmt.Errorf("%q cannot be written into a file", becomes)
	}
	root, err := parse(doc)
	e := &editor{text: doc, root: root}
	if err != nil {
		return e.raw(line, column, was, becomes)
	}
	n := textAt(root, line, column, was)
	if n == nil {
		return e.raw(line, column, was, becomes)
	}
	if n.Anchor != "" {
		return nil, ErrByHand
	}
	if at, ok := align(doc, n, e.offset(n)); ok {
		if out, ok := hunks(at, n.Style, was, becomes, e.newline()); ok && holds(doc, out, line, column, was, becomes) {
			return out, nil
		}
	}
	// What cannot stay in its form becomes a text in quotation marks.
	to, err := e.end(n)
	if err != nil {
		return nil, err
	}
	out := []Range{{e.offset(n), to, Quote(becomes)}}
	if !holds(doc, out, line, column, was, becomes) {
		return nil, ErrByHand
	}
	return out, nil
}

// raw changes a text that is a part of a value, such as a word between commas, or of a
// document that cannot be read as it is.
func (e *editor) raw(line, column int, was, becomes string) ([]Range, error) {
	at := e.at(line, column)
	if word := strings.TrimSpace(was); word != "" {
		was, at = word, at+len(e.text[at:])-len(bytes.TrimLeft(e.text[at:], " "))
	}
	if was == "" || !bytes.HasPrefix(e.text[at:], []byte(was)) {
		return nil, fmt.Errorf("line %d, column %d: the text is another one than was read", line, column)
	}
	out := []Range{{at, at + len(was), becomes}}
	if _, err := parse(Apply(e.text, out)); err != nil && e.root != nil {
		return nil, ErrByHand
	}
	return out, nil
}

// Apply makes the changes of a document. Ranges that overlap an earlier one are left out.
func Apply(doc []byte, ranges []Range) []byte {
	ranges = slices.Clone(ranges)
	slices.SortStableFunc(ranges, func(a, b Range) int { return a.From - b.From })
	var out []byte
	at := 0
	for _, r := range ranges {
		if r.From < at || r.To < r.From || r.To > len(doc) {
			continue
		}
		out = append(append(out, doc[at:r.From]...), r.Text...)
		at = r.To
	}
	return append(out, doc[at:]...)
}

// Piece tells a range by lines and columns.
func Piece(doc []byte, r Range) place.Piece {
	at := func(offset int) (int, int) {
		before := doc[:offset]
		return 1 + bytes.Count(before, []byte("\n")), 1 + utf8.RuneCount(before[bytes.LastIndexByte(before, '\n')+1:])
	}
	line, column := at(r.From)
	endLine, endColumn := at(r.To)
	return place.Piece{Line: line, Column: column, EndLine: endLine, EndColumn: endColumn, Text: r.Text}
}

// Quote writes a text as YAML on one line.
func Quote(s string) string {
	if !strings.ContainsAny(s, "\n\t") {
		return "'" + strings.ReplaceAll(s, "'", "''") + "'"
	}
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`, "\n", `\n`, "\t", `\t`).Replace(s) + `"`
}

// textAt is the key or value that begins at a place, or the value of the key there, which
// reads as a text; nil when none does, or both.
func textAt(n *yaml.Node, line, column int, was string) *yaml.Node {
	if n == nil || n.Line > line {
		return nil
	}
	is := func(n *yaml.Node) bool { return n.Kind == yaml.ScalarNode && n.Value == was && !isEmpty(n) }
	if n.Line == line && n.Column == column && is(n) {
		return n
	}
	for i, below := range n.Content {
		if n.Kind == yaml.MappingNode && i%2 == 0 && below.Line == line && below.Column == column {
			switch key, value := is(below), is(n.Content[i+1]); {
			case key && value:
				return nil
			case value:
				return n.Content[i+1]
			}
		}
		if found := textAt(below, line, column, was); found != nil {
			return found
		}
	}
	return nil
}

// holds tells whether a document with changes reads as before, but for the one text.
func holds(doc []byte, changes []Range, line, column int, was, becomes string) bool {
	before, err := parse(doc)
	if err != nil {
		return false
	}
	after, err := parse(Apply(doc, changes))
	if err != nil {
		return false
	}
	if n := textAt(before, line, column, was); n != nil {
		n.Value, n.Tag = becomes, "" // a word that becomes true is no text any more
		return same(before, after)
	}
	return false
}

// same tells whether two documents hold the same. A tag that is empty is any.
func same(a, b *yaml.Node) bool {
	if a == nil || b == nil {
		return a == b
	}
	return a.Kind == b.Kind && a.Value == b.Value && (a.Tag == "" || a.Tag == b.Tag) && slices.EqualFunc(a.Content, b.Content, same)
}

// hunks are the pieces of a text's source that change. at is where each character of the
// text is written, and the end of the last one.
func hunks(at []int, style yaml.Style, was, becomes, newline string) ([]Range, bool) {
	if len(was) > maxText || len(becomes) > maxText {
		return nil, false
	}
	var out []Range
	for _, change := range udiff.Strings(was, becomes) {
		text := change.New
		switch {
		case style&yaml.DoubleQuotedStyle != 0:
			text = strings.NewReplacer(`\`, `\\`, `"`, `\"`, "\n", `\n`, "\t", `\t`).Replace(text)
		case style&yaml.SingleQuotedStyle != 0 && strings.Contains(text, "\n"):
			return nil, false
		case style&yaml.SingleQuotedStyle != 0:
			text = strings.ReplaceAll(text, "'", "''")
		case strings.Contains(text, "\n"):
			if style&yaml.LiteralStyle == 0 {
				return nil, false
			}
			text = strings.ReplaceAll(text, "\n", newline+strings.Repeat(" ", at[len(at)-1]))
		}
		first := utf8.RuneCountInString(was[:change.Start])
		out = append(out, Range{at[first], at[first+utf8.RuneCountInString(was[change.Start:change.End])], text})
	}
	return out, len(out) > 0
}

// align finds where each character of a text is written: byte offsets, one more than the
// text has characters, and behind them the indentation of a block's lines. It is false for a
// form that it does not follow.
func align(doc []byte, n *yaml.Node, from int) ([]int, bool) {
	a := &aligner{doc: doc, at: from, text: []rune(n.Value)}
	var ok bool
	switch {
	case n.Style&(yaml.LiteralStyle|yaml.FoldedStyle) != 0:
		ok = a.block(n.Style&yaml.FoldedStyle != 0)
	case n.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle) != 0:
		ok = a.flow(doc[from])
	default:
		ok = a.flow(0)
	}
	return a.out, ok
}

type aligner struct {
	doc  []byte
	at   int
	text []rune
	out  []int
}

// blanks passes over blanks and tabs.
func (a *aligner) blanks() {
	for a.at < len(a.doc) && (a.doc[a.at] == ' ' || a.doc[a.at] == '\t') {
		a.at++
	}
}

// line passes over a line break, with the blanks before it; false when none follows.
func (a *aligner) line() bool {
	was := a.at
	a.blanks()
	for _, end := range []string{"\r\n", "\n"} {
		if bytes.HasPrefix(a.doc[a.at:], []byte(end)) {
			a.at += len(end)
			return true
		}
	}
	a.at = was
	return false
}

// take passes over a character of the text as it is written; false when another one is.
func (a *aligner) take(r rune) bool {
	got, size := utf8.DecodeRune(a.doc[a.at:])
	if got != r || size == 0 {
		return false
	}
	a.at += size
	return true
}

// flow follows a plain or quoted text, whose line breaks are folded.
func (a *aligner) flow(quote byte) bool {
	if quote != 0 {
		a.at++
	}
	for i, r := range a.text {
		if quote == '"' {
			for bytes.HasPrefix(a.doc[a.at:], []byte("\\\n")) || bytes.HasPrefix(a.doc[a.at:], []byte("\\\r\n")) {
				a.at++
				a.line()
				a.blanks()
			}
		}
		a.out = append(a.out, a.at)
		switch {
		case quote == '"' && a.at < len(a.doc) && a.doc[a.at] == '\\':
			size, ok := escape(a.doc[a.at:], r)
			if !ok {
				return false
			}
			a.at += size
		case quote == '\'' && r == '\'':
			for range 2 { // it is written twice
				if !a.take('\'') {
					return false
				}
			}
		case r == ' ' && a.line():
			a.blanks()
		case r == '\n':
			if i == 0 || a.text[i-1] != '\n' {
				if !a.line() {
					return false
				}
			}
			if !a.line() {
				return false
			}
			if i+1 < len(a.text) && a.text[i+1] != '\n' {
				a.blanks()
			}
		case !a.take(r):
			return false
		}
	}
	a.out = append(a.out, a.at, 0)
	return quote == 0 || a.at < len(a.doc) && a.doc[a.at] == quote
}

// escape is the length of an escape sequence that stands for a character.
func escape(doc []byte, r rune) (int, bool) {
	if len(doc) < 2 {
		return 0, false
	}
	size := map[byte]int{'x': 4, 'u': 6, 'U': 10}[doc[1]]
	if size == 0 {
		size = 2
	}
	var n yaml.Node
	if size > len(doc) || yaml.Unmarshal([]byte(`"`+string(doc[:size])+`"`), &n) != nil || len(n.Content) != 1 {
		return 0, false
	}
	return size, n.Content[0].Value == string(r)
}

// block follows a block of lines, literal or folded.
func (a *aligner) block(folded bool) bool {
	header, _, _ := bytes.Cut(a.doc[a.at:], []byte("\n"))
	mark, _, _ := bytes.Cut(header, []byte("#"))
	if bytes.ContainsAny(mark, "123456789") {
		return false // its indentation is written, not seen
	}
	a.at += len(header) + 1
	indent := -1
	for line := range bytes.Lines(a.doc[min(a.at, len(a.doc)):]) {
		if text := bytes.TrimLeft(line, " "); len(bytes.TrimSpace(text)) > 0 {
			indent = len(line) - len(text)
			break
		}
	}
	if indent < 0 {
		return false
	}
	begin := func() {
		for i := 0; i < indent && a.at < len(a.doc) && a.doc[a.at] == ' '; i++ {
			a.at++
		}
	}
	next := func() bool { // a line break that is written as it is
		for _, end := range []string{"\r\n", "\n"} {
			if bytes.HasPrefix(a.doc[a.at:], []byte(end)) {
				a.at += len(end)
				begin()
				return true
			}
		}
		return false
	}
	begin()
	for i := 0; i < len(a.text); i++ {
		r := a.text[i]
		a.out = append(a.out, a.at)
		switch {
		case r == '\n':
			if folded && (i == 0 || a.text[i-1] != '\n') {
				if lines, breaks := a.ahead(indent), a.run(i); i+breaks < len(a.text) && lines == breaks+1 && !next() {
					return false
				}
			}
			if !next() {
				if a.at == len(a.doc) && i == len(a.text)-1 {
					break // the file ends without one
				}
				return false
			}
		case folded && r == ' ' && next():
		case !a.take(r):
			return false
		}
	}
	a.out = append(a.out, a.at, indent)
	return true
}

// run counts the line breaks of the text from a character on.
func (a *aligner) run(i int) (n int) {
	for i+n < len(a.text) && a.text[i+n] == '\n' {
		n++
	}
	return n
}

// ahead counts the line breaks that are written from here on, with nothing but indentation
// between them.
func (a *aligner) ahead(indent int) (n int) {
	rest := a.doc[a.at:]
	for {
		rest = bytes.TrimPrefix(rest, []byte("\r"))
		if len(rest) == 0 || rest[0] != '\n' {
			return n
		}
		n, rest = n+1, rest[1:]
		if line, _, _ := bytes.Cut(rest, []byte("\n")); len(bytes.TrimSpace(line)) == 0 && len(line) <= indent {
			rest = rest[len(bytes.TrimRight(line, "\r")):]
		}
	}
}
