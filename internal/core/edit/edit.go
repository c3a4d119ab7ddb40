// Package edit changes single values of a YAML document and leaves everything else as it is:
// comments, order, quotes and blank lines. It edits the text by the places of the parsed
// nodes, and reads its own result back: a document comes out changed in the one value that was
// meant, or not at all.
//
// Source: the YAML 1.2 specification (block and flow styles).
package edit

import (
	"bytes"
	"errors"
	"fmt"
	"reflect"
	"regexp"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/late"
)

// ErrByHand says that a value is written in a form that is not changed here, such as a text
// over several lines.
var ErrByHand = errors.New("it is written in a form that only a person changes")

// Set gives the key at a path a value, which is YAML on one line. Keys that are missing are
// added: in the place of a comment that proposes them ("# key: …"), or behind their
// neighbours. A path is keys and places in lists, such as answers.data[0].purposes.
func Set(doc []byte, path, value string) ([]byte, error) {
	return change(doc, path, value, func(e *editor, steps []string) error { return e.set(steps, value) })
}

// Append adds an item, which is YAML on one line, to the list at a path, and makes the list
// where it is missing.
func Append(doc []byte, path, item string) ([]byte, error) {
	return change(doc, path, item, func(e *editor, steps []string) error { return e.append(steps, item) })
}

// change makes an edit and holds its result against what was meant.
func change(doc []byte, path, value string, do func(*editor, []string) error) ([]byte, error) {
	var is, want any
	if err := yaml.Unmarshal([]byte(value), &want); err != nil || strings.Contains(value, "\n") {
		return nil, fmt.Errorf("%q is no value on one line", value)
	}
	before, err := parse(doc)
	if err != nil {
		return nil, err
	}
	steps := split(path)
	if !whole().MatchString(path) {
		return nil, fmt.Errorf("%q is no path", path)
	}
	e := &editor{text: bytes.Clone(doc), root: before}
	if err := do(e, steps); err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	after, err := parse(e.text)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, ErrByHand)
	}
	n := find(after, steps)
	if n != nil && e.appended && len(n.Content) > 0 {
		n = n.Content[len(n.Content)-1]
	}
	if n == nil || n.Decode(&is) != nil || !reflect.DeepEqual(is, want) || !alike(before, after, steps) {
		return nil, fmt.Errorf("%s: %w", path, ErrByHand)
	}
	return e.text, nil
}

// parse is the mapping of a document; nil for an empty one.
func parse(doc []byte) (*yaml.Node, error) {
	var n yaml.Node
	if err := yaml.Unmarshal(doc, &n); err != nil {
		return nil, err
	}
	if len(n.Content) == 0 || n.Content[0].Tag == "!!null" {
		return nil, nil
	}
	if n.Content[0].Kind != yaml.MappingNode {
		return nil, ErrByHand
	}
	return n.Content[0], nil
}

// whole is a path: keys without quotation marks, and places in lists.
var whole = late.Regexp(`^[A-Za-z_][\w-]*(\[\d{1,6}\])*(\.[A-Za-z_0-9][\w-]*(\[\d{1,6}\])*)*$`)

var step = late.Regexp(`[^.\[\]]+|\[\d+\]`)

func split(path string) []string { return step().FindAllString(path, -1) }

// child is the value below a node at one step; nil when there is none.
func child(n *yaml.Node, step string) *yaml.Node {
	switch {
	case n == nil:
		return nil
	case n.Kind == yaml.AliasNode:
		return child(n.Alias, step)
	case step[0] == '[':
		i, err := strconv.Atoi(strings.Trim(step, "[]"))
		if err != nil || n.Kind != yaml.SequenceNode || i >= len(n.Content) {
			return nil
		}
		return n.Content[i]
	case n.Kind != yaml.MappingNode:
		return nil
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == step {
			return n.Content[i+1]
		}
	}
	return nil
}

func find(n *yaml.Node, steps []string) *yaml.Node {
	for _, s := range steps {
		n = child(n, s)
	}
	return n
}

// alike tells whether two documents differ in nothing but what lies on the way to a path.
func alike(a, b *yaml.Node, steps []string) bool {
	if a == nil || b == nil {
		return a == nil
	}
	if len(steps) == 0 {
		return true
	}
	if a.Tag == "!!null" && len(a.Content) == 0 {
		return true // it was empty
	}
	if a.Kind != b.Kind {
		return false
	}
	if a.Kind == yaml.SequenceNode {
		if len(a.Content) != len(b.Content) {
			return false
		}
		for i := range a.Content {
			if fmt.Sprintf("[%d]", i) == steps[0] {
				if !alike(a.Content[i], b.Content[i], steps[1:]) {
					return false
				}
			} else if !equal(a.Content[i], b.Content[i]) {
				return false
			}
		}
		return true
	}
	for i := 0; i+1 < len(a.Content); i += 2 {
		other := child(b, a.Content[i].Value)
		if other == nil {
			return false
		}
		if a.Content[i].Value == steps[0] {
			if !alike(a.Content[i+1], other, steps[1:]) {
				return false
			}
		} else if !equal(a.Content[i+1], other) {
			return false
		}
	}
	return len(b.Content)-len(a.Content) <= 2
}

func equal(a, b *yaml.Node) bool {
	var x, y any
	return a.Decode(&x) == nil && b.Decode(&y) == nil && reflect.DeepEqual(x, y)
}

// editor is one edit under way.
type editor struct {
	text     []byte
	root     *yaml.Node
	appended bool
}

// offset is the byte at which a node begins. Columns count characters.
func (e *editor) offset(n *yaml.Node) int { return e.at(n.Line, n.Column) }

func (e *editor) at(line, column int) int {
	at := e.lineStart(line)
	for range column - 1 {
		_, size := rune0(e.text[at:])
		at += size
	}
	return at
}

func rune0(b []byte) (rune, int) {
	for _, r := range string(b[:min(len(b), 4)]) {
		return r, len(string(r))
	}
	return 0, 0
}

// lineStart is the byte at which a line begins, counted from 1.
func (e *editor) lineStart(line int) int {
	at := 0
	for range line - 1 {
		i := bytes.IndexByte(e.text[at:], '\n')
		if i < 0 {
			return len(e.text)
		}
		at += i + 1
	}
	return at
}

// lineEnd is the byte behind the text of the line that holds a byte, before its end.
func (e *editor) lineEnd(at int) int {
	if i := bytes.IndexByte(e.text[at:], '\n'); i >= 0 {
		if i > 0 && e.text[at+i-1] == '\r' {
			i--
		}
		return at + i
	}
	return len(e.text)
}

func (e *editor) replace(from, to int, with string) {
	e.text = append(e.text[:from:from], append([]byte(with), e.text[to:]...)...)
}

// newline is how the document ends its lines.
func (e *editor) newline() string {
	if bytes.Contains(e.text, []byte("\r\n")) {
		return "\r\n"
	}
	return "\n"
}

// walk goes down a path as far as it exists: the last node, and the steps that are missing.
func (e *editor) walk(steps []string) (in *yaml.Node, key *yaml.Node, left []string) {
	in = e.root
	for i, s := range steps {
		below := child(in, s)
		if below == nil {
			return in, key, steps[i:]
		}
		key = nil
		if in.Kind == yaml.MappingNode {
			for k := 0; k+1 < len(in.Content); k += 2 {
				if in.Content[k].Value == s {
					key = in.Content[k]
				}
			}
		}
		in = below
	}
	return in, key, nil
}

func (e *editor) set(steps []string, value string) error {
	n, key, left := e.walk(steps)
	if len(left) == 0 {
		return e.overwrite(n, key, value)
	}
	return e.insert(n, key, left, value)
}

// overwrite gives a node another value.
func (e *editor) overwrite(n, key *yaml.Node, value string) error {
	if n.Kind == yaml.AliasNode || n.Anchor != "" {
		return ErrByHand
	}
	if isEmpty(n) {
		if key == nil {
			return ErrByHand
		}
		colon := bytes.IndexByte(e.text[e.offset(key):], ':')
		if colon < 0 {
			return ErrByHand
		}
		at := e.offset(key) + colon + 1
		e.replace(at, at, " "+value)
		return nil
	}
	if n.Line == 0 {
		return ErrByHand
	}
	from := e.offset(n)
	to, err := e.end(n)
	if err != nil {
		return err
	}
	e.replace(from, to, value)
	return nil
}

// isEmpty tells whether nothing is written for a key.
func isEmpty(n *yaml.Node) bool {
	return n.Kind == yaml.ScalarNode && n.Tag == "!!null" && n.Value == ""
}

// end is the byte behind a node that is written on one line or in flow style.
func (e *editor) end(n *yaml.Node) (int, error) {
	from := e.offset(n)
	switch {
	case n.Kind == yaml.ScalarNode && n.Style&(yaml.LiteralStyle|yaml.FoldedStyle) != 0:
		return 0, ErrByHand
	case n.Kind == yaml.ScalarNode && n.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle) != 0:
		return quoted(e.text, from)
	case n.Kind == yaml.ScalarNode:
		if !bytes.HasPrefix(e.text[from:], []byte(n.Value)) {
			return 0, ErrByHand // over several lines
		}
		return from + len(n.Value), nil
	case n.Style&yaml.FlowStyle != 0:
		return brackets(e.text, from)
	}
	return 0, ErrByHand
}

// quoted is the byte behind a text in quotation marks.
func quoted(text []byte, from int) (int, error) {
	q := text[from]
	for i := from + 1; i < len(text); i++ {
		switch {
		case q == '"' && text[i] == '\\':
			i++
		case text[i] == q && q == '\'' && i+1 < len(text) && text[i+1] == q:
			i++
		case text[i] == q:
			return i + 1, nil
		}
	}
	return 0, ErrByHand
}

// brackets is the byte behind a list or mapping in flow style.
func brackets(text []byte, from int) (int, error) {
	depth := 0
	for i := from; i < len(text); i++ {
		switch c := text[i]; c {
		case '[', '{':
			depth++
		case ']', '}':
			if depth--; depth == 0 {
				return i + 1, nil
			}
		case '"', '\'':
			// A mark inside a word is no quotation mark.
			if prev := bytes.TrimRight(text[from:i], " \t\r\n"); len(prev) > 0 && !bytes.ContainsRune([]byte("[{,:"), rune(prev[len(prev)-1])) {
				continue
			}
			end, err := quoted(text, i)
			if err != nil {
				return 0, err
			}
			i = end - 1
		case '#':
			if i > from && (text[i-1] == ' ' || text[i-1] == '\n') {
				if n := bytes.IndexByte(text[i:], '\n'); n >= 0 {
					i += n
				}
			}
		}
	}
	return 0, ErrByHand
}

// insert adds the missing steps below a node. key is the node's own key, nil for the document.
func (e *editor) insert(in, key *yaml.Node, left []string, value string) error {
	for _, s := range left {
		if s[0] == '[' {
			return ErrByHand // a place in a list that has no such item
		}
	}
	switch {
	case in != nil && in.Kind == yaml.AliasNode:
		return ErrByHand
	case in != nil && in.Style&yaml.FlowStyle != 0 && in.Kind == yaml.MappingNode:
		return e.insertFlow(in, flow(left, value))
	case in == nil || in.Kind == yaml.MappingNode:
		indent, first, last := 0, 1, e.lines()
		if in != nil && len(in.Content) > 0 {
			indent, first = in.Content[0].Column-1, in.Content[0].Line
			switch {
			case key != nil:
				first = key.Line + 1
			case in == e.root:
				first = 1
			default: // an item of a list, whose first key stands behind the dash
				first++
			}
			last = max(e.blockEnd(first, indent), first-1)
		}
		return e.insertBlock(indent, first, last, left, value)
	case isEmpty(in) && key != nil:
		indent := key.Column - 1 + 2
		return e.insertBlock(indent, key.Line+1, e.blockEnd(key.Line+1, indent), left, value)
	}
	return ErrByHand
}

// flow is nested keys in flow style.
func flow(steps []string, value string) string {
	out := steps[len(steps)-1] + ": " + value
	for i := len(steps) - 2; i >= 0; i-- {
		out = steps[i] + ": {" + out + "}"
	}
	return out
}

func (e *editor) insertFlow(in *yaml.Node, text string) error {
	end, err := brackets(e.text, e.offset(in))
	if err != nil {
		return err
	}
	at := end - 1
	for at > 0 && (e.text[at-1] == ' ' || e.text[at-1] == '\n') {
		at--
	}
	switch {
	case len(in.Content) > 0 && e.text[at-1] == ',':
		text = " " + text
	case len(in.Content) > 0:
		text = ", " + text
	}
	e.replace(at, at, text)
	return nil
}

// lines counts the lines of the document.
func (e *editor) lines() int {
	return bytes.Count(bytes.TrimRight(e.text, "\n"), []byte("\n")) + 1
}

func (e *editor) line(n int) string {
	at := e.lineStart(n)
	return string(e.text[at:e.lineEnd(min(at, len(e.text)))])
}

// blockEnd is the last line of a block whose keys stand at an indentation, from a line on.
// Comments at that indentation belong to it.
func (e *editor) blockEnd(from, indent int) int {
	last := from - 1
	for n := from; n <= e.lines(); n++ {
		l := e.line(n)
		body := strings.TrimLeft(l, " ")
		if body == "" {
			continue
		}
		if len(l)-len(body) < indent {
			break
		}
		last = n
	}
	return last
}

// insertBlock adds keys in block style between two lines of a block.
func (e *editor) insertBlock(indent, first, last int, left []string, value string) error {
	pad := strings.Repeat(" ", indent)
	var add []string
	for i, s := range left {
		l := pad + strings.Repeat("  ", i) + s + ":"
		if i == len(left)-1 {
			l += " " + value
		}
		add = append(add, l)
	}
	nl := e.newline()
	// A comment that proposes the key gives way to it, with the line that says it is needed.
	proposes := regexp.MustCompile(`^ {` + strconv.Itoa(indent) + `}# ?` + regexp.QuoteMeta(left[0]) + `:( |$)`)
	for n := first; n <= last; n++ {
		if !proposes.MatchString(e.line(n)) {
			continue
		}
		from := e.lineStart(n)
		if n > first && strings.HasPrefix(strings.TrimSpace(e.line(n-1)), "# needed:") {
			from = e.lineStart(n - 1)
		}
		e.replace(from, e.lineEnd(e.lineStart(n)), strings.Join(add, nl))
		return nil
	}
	if last < first && first > e.lines() || len(e.text) == 0 {
		if len(e.text) > 0 && e.text[len(e.text)-1] != '\n' {
			e.text = append(e.text, nl...)
		}
		e.text = append(e.text, strings.Join(add, nl)+nl...)
		return nil
	}
	at := e.lineEnd(e.lineStart(max(last, first-1)))
	e.replace(at, at, nl+strings.Join(add, nl))
	return nil
}

// append adds an item to a list.
func (e *editor) append(steps []string, item string) error {
	e.appended = true
	n, key, left := e.walk(steps)
	switch {
	case len(left) > 0:
		return e.insert(n, key, left, "["+item+"]")
	case isEmpty(n):
		return e.overwrite(n, key, "["+item+"]")
	case n.Kind != yaml.SequenceNode || n.Anchor != "":
		return ErrByHand
	case n.Style&yaml.FlowStyle != 0:
		return e.insertFlow(n, item)
	}
	indent := n.Content[0].Column - 3 // the item begins behind its dash
	if indent < 0 {
		return ErrByHand
	}
	l := e.line(n.Content[len(n.Content)-1].Line)
	if i := strings.IndexByte(l, '-'); i >= 0 && strings.TrimSpace(l[:i]) == "" {
		indent = i
	}
	last := n.Content[len(n.Content)-1].Line
	for m := last + 1; m <= e.lines(); m++ {
		body := strings.TrimLeft(e.line(m), " ")
		if body == "" || len(e.line(m))-len(body) <= indent {
			break
		}
		last = m
	}
	at := e.lineEnd(e.lineStart(last))
	e.replace(at, at, e.newline()+strings.Repeat(" ", indent)+"- "+item)
	return nil
}

// Has tells whether something is written at a path.
func Has(doc []byte, path string) bool {
	root, err := parse(doc)
	if err != nil {
		return false
	}
	n := find(root, split(path))
	return n != nil && !isEmpty(n)
}
