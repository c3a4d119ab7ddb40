// Package cursor tells where in a YAML document somebody writes: below which keys, in a key or
// in a value, and what stands there already. It looks at lines, indentation and brackets
// alone, so that it also knows its way in a document that cannot be read yet.
//
// Source: the YAML 1.2 specification, block and flow styles.
package cursor

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"regola.example/regola/internal/core/late"
)

// maxFlow bounds the lines of a list or mapping in brackets.
const maxFlow = 200

// Spot is a place in a document.
type Spot struct {
	Path  []string // the keys above, from the outermost; places in lists as [0]
	Key   string   // of the entry; empty where none is written yet
	InKey bool     // in the key, or where one would begin
	Text  bool     // within the lines of a block of text
	Word  string   // what is written between From and To
	From  int      // columns of the word, from 1 in characters
	To    int
	Have  []string // the keys beside it in the same mapping
}

// Dotted is the path with the entry's key, as people write it: answers.data[0].kind.
func (s Spot) Dotted() string {
	var b strings.Builder
	for _, p := range append(slices.Clip(s.Path), s.Key) {
		if p == "" {
			continue
		}
		if b.Len() > 0 && p[0] != '[' {
			b.WriteByte('.')
		}
		b.WriteString(p)
	}
	return b.String()
}

// line is a line of a block.
type line struct {
	text    string
	indent  int // of the first character
	content int // of what stands behind the dashes of lists
	dashes  []int
	key     string // with which the content begins; empty for none
	value   int    // where the value begins, behind the colon and blanks
	skip    bool   // empty, or a comment
}

var keyed = late.Regexp(`^("[^"]*"|'[^']*'|[^\s#\[\]{},"'&*!|>%@` + "`" + `-][^#\[\]{},]*?|-[^\s#\[\]{},]+?)\s*:(\s+|$)`)

func parse(text string) line {
	text = strings.TrimRight(text, "\r")
	l := line{text: text}
	l.indent = len(text) - len(strings.TrimLeft(text, " "))
	l.content = l.indent
	for strings.HasPrefix(text[l.content:], "- ") || text[l.content:] == "-" {
		l.dashes = append(l.dashes, l.content)
		rest := text[l.content+1:]
		l.content += 1 + len(rest) - len(strings.TrimLeft(rest, " "))
	}
	rest := text[l.content:]
	l.skip = rest == "" && len(l.dashes) == 0 || strings.HasPrefix(rest, "#")
	if m := keyed().FindStringSubmatch(rest); m != nil {
		l.key = strings.Trim(m[1], `"'`)
		l.value = l.content + len(m[0])
	}
	return l
}

// At describes the spot at a line and a column, counted from 1 in characters.
func At(doc []byte, lineNumber, column int) Spot {
	all := strings.Split(string(doc), "\n")
	at := min(max(lineNumber-1, 0), len(all)-1)
	cur := parse(all[at])
	col := offset(cur.text, column)
	if s, ok := flow(all, at, col); ok {
		return s
	}
	level := cur.content
	if cur.skip {
		level = min(col, max(cur.indent, col))
	}
	s := Spot{Key: cur.key}
	above := ancestors(all, at, level, cur)
	s.Path, s.Text = above.path, above.text
	if s.Text {
		s.Key = ""
		s.word(cur.text, col, 0)
		return s
	}
	switch {
	case cur.key != "" && col >= cur.value && !(col == cur.value && cur.value == len(cur.text) && !strings.HasSuffix(cur.text, " ")):
		s.word(cur.text, col, cur.value)
	case cur.key == "" && len(cur.dashes) > 0 && above.list:
		s.InKey = true // a word of a list, or the first key of an item: whoever asks knows the type
		s.word(cur.text, col, cur.content)
	default:
		s.InKey = true
		s.word(cur.text, col, cur.content)
		if cur.key != "" && col <= cur.value {
			s.Word = cur.key
		}
	}
	s.Have = siblings(all, at, level)
	return s
}

// offset is the byte of a column within a line.
func offset(text string, column int) int {
	at := 0
	for range column - 1 {
		if at >= len(text) {
			break
		}
		_, n := utf8.DecodeRuneInString(text[at:])
		at += n
	}
	return at
}

// word keeps the word around a byte of a line, which begins no earlier than least.
func (s *Spot) word(text string, col, least int) {
	ends := func(b byte) bool { return strings.IndexByte(" ,[]{}\"':", b) >= 0 }
	from, to := min(col, len(text)), min(col, len(text))
	for from > least && !ends(text[from-1]) {
		from--
	}
	for to < len(text) && !ends(text[to]) {
		to++
	}
	s.Word = text[from:to]
	s.From, s.To = utf8.RuneCountInString(text[:from])+1, utf8.RuneCountInString(text[:to])+1
}

// chain is what stands above a line.
type chain struct {
	path []string
	list bool // the line is an item of a list
	text bool // it is one of the lines of a block of text
}

// block matches a value that is a block of text.
var block = late.Regexp(`^[|>][0-9+-]*\s*(#.*)?$`)

// ancestors goes up from a line whose content begins at a level.
func ancestors(all []string, at, level int, cur line) (c chain) {
	var up []string
	equal := false // the key of a list may stand as far left as its dashes
	cross := func(dashes []int, from int) {
		for i := len(dashes) - 1; i >= 0; i-- {
			n := 0
			if i == 0 {
				n = itemsAbove(all, from, dashes[0])
			}
			up = append(up, "["+strconv.Itoa(n)+"]")
			level, equal = dashes[i], true
		}
	}
	if len(cur.dashes) > 0 {
		c.list = true
		cross(cur.dashes, at)
	}
	for i := at - 1; i >= 0; i-- {
		l := parse(all[i])
		switch {
		case l.skip:
		case l.key != "" && (l.content < level || equal && l.content == level && len(l.dashes) == 0):
			if block().MatchString(strings.TrimSpace(l.text[l.value:])) {
				c.text = len(up) == 0 || c.text
				if !c.text {
					continue
				}
				up = nil
			}
			up = append(up, l.key)
			level, equal = l.content, false
			if len(l.dashes) > 0 {
				cross(l.dashes, i)
			}
		case len(l.dashes) > 0 && l.content == level && l.dashes[0] < level && !equal:
			cross(l.dashes, i) // the first key of the item to which the line belongs
		}
		if level == 0 && !equal {
			break
		}
	}
	slices.Reverse(up)
	c.path = up
	return c
}

// itemsAbove counts the items of a list before that of a line, by their dashes.
func itemsAbove(all []string, at, dash int) (n int) {
	for i := at - 1; i >= 0; i-- {
		l := parse(all[i])
		switch {
		case l.skip:
		case len(l.dashes) > 0 && l.dashes[0] == dash:
			n++
		case l.indent <= dash:
			return n
		}
	}
	return n
}

// siblings are the keys of the mapping to which a line at a level belongs.
func siblings(all []string, at, level int) (out []string) {
	look := func(i, step int) {
		for ; i >= 0 && i < len(all); i += step {
			l := parse(all[i])
			switch {
			case l.skip || l.indent > level:
				continue
			case l.content < level, step > 0 && len(l.dashes) > 0:
				return
			case l.content == level && l.key != "":
				out = append(out, l.key)
			}
			if step < 0 && len(l.dashes) > 0 {
				return
			}
		}
	}
	if len(parse(all[at]).dashes) == 0 {
		look(at-1, -1)
	}
	look(at+1, 1)
	return out
}

// flow describes a spot within brackets; false when it is in none.
func flow(all []string, at, col int) (Spot, bool) {
	here := parse(all[at]).indent
	for i := at; i >= 0 && at-i < maxFlow; i-- {
		l := parse(all[i])
		if l.skip {
			continue
		}
		from := l.value
		if l.key == "" {
			if from = l.content; len(l.dashes) == 0 {
				continue // the rest of a value
			}
		}
		if from >= len(l.text) || l.text[from] != '{' && l.text[from] != '[' {
			if i < at && l.content < here {
				return Spot{}, false // the key above, in block style
			}
			continue
		}
		if i == at && col <= from {
			return Spot{}, false
		}
		text := l.text[from:]
		for j := i + 1; j <= at; j++ {
			text += "\n" + strings.TrimRight(all[j], "\r")
		}
		end := len(text) - len(strings.TrimRight(all[at], "\r")) + col
		if i == at {
			end = col - from
		}
		s, ok := within(text, min(end, len(text)))
		if !ok {
			return Spot{}, false
		}
		above := ancestors(all, i, l.content, l)
		path := above.path
		if l.key != "" {
			path = append(path, l.key)
		}
		s.Path = append(path, s.Path...)
		s.word(strings.TrimRight(all[at], "\r"), col, 0)
		if s.InKey && s.Key != "" {
			s.Word = s.Key
		}
		return s, true
	}
	return Spot{}, false
}

// level is one bracket that is open.
type level struct {
	mapping bool
	key     string
	inValue bool
	items   int
	have    []string
}

// within follows brackets up to a byte, and on to the end of the innermost for the keys that
// stand behind it.
func within(text string, end int) (s Spot, ok bool) {
	var open []*level
	var word strings.Builder
	quote := byte(0)
	done := func(l *level) {
		if w := strings.TrimSpace(word.String()); l.mapping && !l.inValue && w != "" {
			l.have = append(l.have, w)
		}
		word.Reset()
	}
	depth, target := 0, (*level)(nil)
	for i := 0; i <= len(text); i++ {
		if i == end {
			if len(open) == 0 {
				return Spot{}, false
			}
			target, depth = open[len(open)-1], len(open)
			for _, l := range open[:len(open)-1] {
				s.Path = append(s.Path, l.step())
			}
			if !target.mapping {
				s.Path = append(s.Path, target.step())
			}
			s.InKey = target.mapping && !target.inValue
			if target.mapping && target.inValue {
				s.Key = target.key
			} else if s.InKey {
				rest := text[i:]
				if m := regexp.MustCompile(`^[\w-]*\s*:`).FindString(rest); m != "" {
					s.Key = strings.TrimSpace(word.String()) + strings.TrimSpace(strings.TrimSuffix(m, ":"))
				}
			}
			if !target.mapping {
				s.InKey = false
			}
		}
		if i == len(text) {
			break
		}
		c := text[i]
		if quote != 0 {
			if c == quote {
				quote = 0
			}
			continue
		}
		if len(open) == 0 && i > 0 {
			break
		}
		switch c {
		case '"', '\'':
			if strings.TrimSpace(word.String()) == "" {
				quote = c
			} else {
				word.WriteByte(c)
			}
		case '{', '[':
			open = append(open, &level{mapping: c == '{'})
			word.Reset()
		case '}', ']':
			done(open[len(open)-1])
			if target != nil && len(open) == depth {
				s.Have = without(target.have, s.Key)
				return s, true
			}
			open = open[:len(open)-1]
			if len(open) > 0 {
				word.Reset()
			}
		case ':':
			l := open[len(open)-1]
			if l.mapping && !l.inValue && (i+1 >= len(text) || text[i+1] == ' ' || text[i+1] == '\n') {
				l.key = strings.TrimSpace(word.String())
				done(l)
				l.inValue = true
			} else {
				word.WriteByte(c)
			}
		case ',':
			l := open[len(open)-1]
			done(l)
			l.inValue, l.key = false, ""
			l.items++
		default:
			word.WriteByte(c)
		}
	}
	if target == nil {
		return Spot{}, false
	}
	s.Have = without(target.have, s.Key)
	return s, true
}

func without(list []string, key string) []string {
	return slices.DeleteFunc(slices.Clone(list), func(k string) bool { return k == key })
}

func (l *level) step() string {
	if l.mapping {
		return l.key
	}
	return "[" + strconv.Itoa(l.items) + "]"
}
