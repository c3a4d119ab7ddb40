// Package strictyaml fills Go structs from YAML 1.2 documents and forgets
// nothing on the way: every value keeps its line and column, an unknown key is
// refused with the name that was probably meant, and all problems of a
// document are reported at once.
//
// Field names come from json tags. Further tags:
//
//	need:"…"  the key must be present; the text says what it is for
//	enum:"a|b" the allowed strings
//	like:"RE"  a regular expression that a string must match
//	hint:"…"   said when like or enum fails: the expected form in words
//	rest:"…"   a map that takes the keys which Options allows beside the fields
//	commas:"…" a list may also be a text with its items between commas
//	most:"N"   how many items a list may have
//	words:"…"  a vocabulary: the strings, or the keys of a map, are its words
package strictyaml

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/didyoumean"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/late"
	"regola.example/regola/internal/core/place"
)

// NodeDecoder is implemented by types that read their own YAML node.
type NodeDecoder interface {
	DecodeNode(d *Decoder, n *yaml.Node)
}

// maxDepth bounds nesting: a document deeper than this is not a person's.
const maxDepth = 64

// Decoder collects the problems of one document.
type Decoder struct {
	File     string
	Keys     []string            // that a rest map, or a type that asks for them, may have
	Words    map[string][]string // vocabularies, by name
	Problems place.Problems
	files    map[*yaml.Node]string
	depth    int
	dropped  int // problems beyond maxProblems
}

// maxProblems bounds what is reported of one document.
const maxProblems = 50

// Decode reads one YAML document into v, a pointer to a struct.
func Decode(file string, data []byte, v any) place.Problems {
	return DecodeKeys(file, data, v, nil, nil)
}

// DecodeKeys is Decode for a document that may have further keys: those of
// stores, for example. words are the vocabularies that it keeps to.
func DecodeKeys(file string, data []byte, v any, keys []string, words map[string][]string) place.Problems {
	doc, ps := Parse(file, data)
	if doc == nil {
		return ps
	}
	return append(ps, doc.DecodeKeys(v, keys, words)...)
}

// Document is a parsed YAML document.
type Document struct {
	File  string
	root  *yaml.Node
	files map[*yaml.Node]string // of the nodes that another file holds
}

// maxMarks bounds the keys and items of one document, by the characters that make them.
// The largest that people write have some thousands.
const maxMarks = 100_000

// marks counts the characters that can begin a key or an item; texts have them, too.
func marks(data []byte) (n int) {
	for _, c := range data {
		switch c {
		case '\n', ',', ':', '[', '{':
			n++
		}
	}
	return n
}

// Parse reads a document. It is nil when it cannot be read at all.
func Parse(file string, data []byte) (*Document, place.Problems) {
	if n := marks(data); n > maxMarks {
		return nil, place.Problems{{At: place.Place{File: file}, What: fmt.Sprintf("the file may hold %d keys and items; at most %d are read of one file", n, maxMarks), Fix: "shorten it; is it the file that was meant?"}}
	}
	if !utf8.Valid(data) || bytes.ContainsFunc(data, isControl) {
		if p := encoding(file, data); p != nil {
			return nil, place.Problems{p}
		}
	}
	var doc yaml.Node
	dec := yaml.NewDecoder(bytes.NewReader(data))
	if err := dec.Decode(&doc); err != nil && !errors.Is(err, io.EOF) {
		return nil, syntaxProblems(file, data, err)
	}
	if doc.Kind == 0 || len(doc.Content) == 0 {
		return nil, place.Problems{{At: place.Place{File: file, Line: 1, Column: 1},
			What: "the document is empty", Fix: "write at least its first key"}}
	}
	var ps place.Problems
	if p := secondDocument(file, dec); p != nil {
		ps = append(ps, p)
	}
	out := &Document{File: file, root: doc.Content[0]}
	out.Walk(bareKey)
	return out, ps
}

// bareKey corrects a key without a value at the end of a list in braces, {a: 1, b:}, which the
// YAML package takes for the text "b:" (YAML 1.2, section 7.4.2: the colon ends a key there).
func bareKey(n *yaml.Node) {
	if n.Kind != yaml.MappingNode || n.Style&yaml.FlowStyle == 0 {
		return
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, val := n.Content[i], n.Content[i+1]
		if name, cut := strings.CutSuffix(key.Value, ":"); cut && key.Style == 0 && val.Tag == "!!null" && val.Value == "" {
			key.Value = name
		}
	}
}

// Walk calls f with every node, so that a kind of document may have a short
// form of its own; f may change the node.
func (doc *Document) Walk(f func(n *yaml.Node)) {
	var walk func(*yaml.Node)
	walk = func(n *yaml.Node) {
		f(n)
		for _, c := range n.Content {
			walk(c)
		}
	}
	walk(doc.root)
}

// Decode fills v, a pointer to a struct.
func (doc *Document) Decode(v any) place.Problems { return doc.DecodeKeys(v, nil, nil) }

// DecodeKeys is Decode for a document that may have further keys.
func (doc *Document) DecodeKeys(v any, keys []string, words map[string][]string) place.Problems {
	d := &Decoder{File: doc.File, Keys: keys, Words: words, files: doc.files}
	d.Value(doc.root, reflect.ValueOf(v).Elem(), "")
	if d.dropped > 0 {
		d.Problems = append(d.Problems, &place.Problem{At: place.Place{File: doc.File},
			What: fmt.Sprintf("%d more problems of this file are not listed", d.dropped), Fix: "fix these first"})
	}
	return d.Problems
}

// encoding finds the first byte that is not UTF-8, and control characters that
// no text has.
func encoding(file string, data []byte) *place.Problem {
	line, column := 1, 1
	for i := 0; i < len(data); {
		r, n := utf8.DecodeRune(data[i:])
		at := place.Place{File: file, Line: line, Column: column}
		switch {
		case r == utf8.RuneError && n == 1:
			return &place.Problem{At: at, What: fmt.Sprintf("the byte 0x%02x is not UTF-8", data[i]), Fix: "save the file as UTF-8"}
		case isControl(r):
			return &place.Problem{At: at, What: fmt.Sprintf("the control character U+%04X", r), Fix: "remove it"}
		case r == '\n':
			line, column = line+1, 0
		}
		i, column = i+n, column+1
	}
	return nil
}

func isControl(r rune) bool { return r < ' ' && r != '\n' && r != '\r' && r != '\t' }

// secondDocument finds what follows the first document.
func secondDocument(file string, dec *yaml.Decoder) *place.Problem {
	var second yaml.Node
	err := dec.Decode(&second)
	if errors.Is(err, io.EOF) {
		return nil
	}
	at := place.Place{File: file, Line: max(1, second.Line), Column: max(1, second.Column)}
	if err != nil {
		if m := yamlLine().FindStringSubmatch(err.Error()); m != nil {
			at.Line, _ = strconv.Atoi(m[1])
		}
	}
	return &place.Problem{At: at, What: "a second document follows here; one file is one document", Fix: "remove it, and the --- or ... before it"}
}

var yamlLine = late.Regexp(`(?:yaml: )?(?:line (\d+): )?(.*)`)

// yamlAnchor matches what the reader says of aliases.
var yamlAnchor = late.Regexp(`anchor '(.*)' (?:referenced|value contains itself)`)

func syntaxProblems(file string, data []byte, err error) place.Problems {
	lines := []string{err.Error()}
	var typeErr *yaml.TypeError
	if errors.As(err, &typeErr) {
		lines = typeErr.Errors
	}
	var ps place.Problems
	for _, l := range lines {
		at, what := place.Place{File: file, Line: 1, Column: 1}, l
		if m := yamlLine().FindStringSubmatch(l); m != nil {
			if n, err := strconv.Atoi(m[1]); err == nil {
				at.Line = n
			}
			what = m[2]
		}
		if m := yamlAnchor().FindStringSubmatch(what); m != nil {
			// The name is not quoted: it may be a password that begins with a star.
			if i := bytes.Index(data, []byte("*"+m[1])); i >= 0 {
				at.Line = 1 + bytes.Count(data[:i], []byte{'\n'})
				at.Column = 1 + utf8.RuneCount(data[bytes.LastIndexByte(data[:i], '\n')+1:i])
			}
			ps = append(ps, &place.Problem{At: at, What: "not valid YAML: a text that begins with * or & and is not quoted is an alias or an anchor", Fix: "put the whole text into quotes"})
			continue
		}
		if n := tabbed(data, at.Line); n > 0 {
			at.Line = n
			indent := leading(bytes.Split(data, []byte{'\n'})[n-1])
			ps = append(ps, &place.Problem{At: at, What: "not valid YAML: a tab indents this line", Fix: "indent with spaces",
				Edit: &place.Edit{At: at, Was: indent, Becomes: strings.ReplaceAll(indent, "\t", "  ")}})
			continue
		}
		if p := unquoted(file, data, at.Line, what); p != nil {
			ps = append(ps, p)
			continue
		}
		ps = append(ps, &place.Problem{At: at, What: "not valid YAML: " + what,
			Fix: "check the indentation, the colons and the quotes on this line and the one above it"})
	}
	return ps
}

// tabbed finds a line that begins with a tab, at or around a line; 0 for none.
func tabbed(data []byte, line int) int {
	lines := bytes.Split(data, []byte{'\n'})
	for n := max(1, line-1); n <= min(line+1, len(lines)); n++ {
		if strings.Contains(leading(lines[n-1]), "\t") {
			return n
		}
	}
	return 0
}

// leading is the indentation of a line.
func leading(line []byte) string { return string(line[:len(line)-len(bytes.TrimLeft(line, " \t"))]) }

// plain is a key, or the dash of a list, and a text that is not quoted.
var plain = late.Regexp("^(\\s*(?:- +)?[A-Za-z_][\\w-]*: +|\\s*- +)([^\\s\"'|>\\[{#&*!][^#]*?)\\s*(?: #.*)?$")

// unquoted finds a text that needs quotation marks, at or around a line: a colon in it would
// begin a value, or its first character means something else. nil when it is not that.
func unquoted(file string, data []byte, line int, what string) *place.Problem {
	colon := strings.Contains(what, "mapping values are not allowed")
	if !colon && !strings.Contains(what, "cannot start any token") {
		return nil
	}
	lines := bytes.Split(data, []byte{'\n'})
	for n := max(1, line-1); n <= min(line+1, len(lines)); n++ {
		m := plain().FindSubmatch(bytes.TrimRight(lines[n-1], "\r"))
		if m == nil || !(colon && bytes.Contains(m[2], []byte(": ")) || !colon && bytes.ContainsRune([]byte("@`%"), rune(m[2][0]))) {
			continue
		}
		p := &place.Problem{At: place.Place{File: file, Line: n, Column: 1 + utf8.RuneCount(m[1])}, What: "not valid YAML: the text is not quoted, and holds a colon", Fix: "put the whole text into quotes"}
		if !colon {
			p.What = fmt.Sprintf("not valid YAML: a text that is not quoted cannot begin with %c", m[2][0])
		}
		p.Edit = &place.Edit{At: p.At, Was: string(m[2]), Becomes: "'" + strings.ReplaceAll(string(m[2]), "'", "''") + "'"}
		return p
	}
	return nil
}

// Place is where a node stands.
func (d *Decoder) Place(n *yaml.Node) place.Place {
	file := d.File
	if other, ok := d.files[n]; ok {
		file = other
	}
	return place.Place{File: file, Line: n.Line, Column: n.Column}
}

// Fail records a problem at a node.
func (d *Decoder) Fail(n *yaml.Node, fix, format string, args ...any) {
	d.fail(n, "", fix, format, args...)
}

// fail records a problem at a node, for which only one text can be meant; empty when
// somebody has to decide.
func (d *Decoder) fail(n *yaml.Node, meant, fix, format string, args ...any) {
	if len(d.Problems) >= maxProblems {
		d.dropped++
		return
	}
	p := &place.Problem{At: d.Place(n), What: fmt.Sprintf(format, args...), Fix: fix}
	if meant != "" {
		p.Edit = &place.Edit{At: p.At, Was: n.Value, Becomes: meant}
	}
	d.Problems = append(d.Problems, p)
}

// Value decodes a node into v. The tag is that of the field it belongs to.
func (d *Decoder) Value(n *yaml.Node, v reflect.Value, tag reflect.StructTag) {
	d.depth++
	defer func() { d.depth-- }()
	if d.depth > maxDepth {
		d.Fail(n, "flatten the document", "nested deeper than %d levels", maxDepth)
		return
	}
	if n.Kind == yaml.AliasNode {
		d.Fail(n, "write the value out", "aliases are not allowed here")
		return
	}
	if v.CanAddr() {
		if own, ok := v.Addr().Interface().(NodeDecoder); ok {
			own.DecodeNode(d, n)
			return
		}
	}
	if v.Type() == reflect.TypeFor[day.Day]() || v.Type() == reflect.TypeFor[time.Time]() {
		on, err := day.Parse(n.Value)
		if n.Kind != yaml.ScalarNode || err != nil {
			what := "expected a day, found " + describe(n)
			if n.Kind == yaml.ScalarNode && isDay().MatchString(n.Value) {
				what = err.Error()
			}
			meant := ""
			if m := dayLike().FindStringSubmatch(n.Value); m != nil && n.Kind == yaml.ScalarNode {
				if on, err := day.Parse(fmt.Sprintf("%s-%02s-%02s", m[1], m[2], m[3])); err == nil {
					meant = on.String()
				}
			}
			d.fail(n, meant, "write year, month and day, such as 2026-11-23", "%s", what)
			return
		}
		if v.Type() == reflect.TypeFor[time.Time]() {
			v.Set(reflect.ValueOf(on.Time))
			return
		}
		v.Set(reflect.ValueOf(on))
		return
	}
	switch v.Kind() {
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		d.Value(n, v.Elem(), tag)
	case reflect.Struct:
		d.structure(n, v)
	case reflect.Slice:
		if n.Kind == yaml.ScalarNode && tag.Get("commas") != "" && n.Tag == "!!str" {
			n = split(n)
		}
		if n.Kind != yaml.SequenceNode {
			fix := "write a list: [a, b] or one \"- item\" a line"
			if n.Kind == yaml.ScalarNode && isKey().MatchString(n.Value) {
				fix = "write a list, also for one item: [" + n.Value + "]"
			}
			d.Fail(n, fix, "expected a list, found %s", describe(n))
			return
		}
		if most, err := strconv.Atoi(tag.Get("most")); err == nil && len(n.Content) > most {
			d.Fail(n, "keep those that matter", "the list has %d items; at most %d are read", len(n.Content), most)
			return
		}
		out := reflect.MakeSlice(v.Type(), len(n.Content), len(n.Content))
		for i, c := range n.Content {
			d.Value(c, out.Index(i), tag)
		}
		v.Set(out)
	case reflect.Map:
		if n.Kind != yaml.MappingNode {
			d.Fail(n, "write \"key: value\" pairs", "expected keys and values, found %s", describe(n))
			return
		}
		out := reflect.MakeMap(v.Type())
		for i := 0; i+1 < len(n.Content); i += 2 {
			item := reflect.New(v.Type().Elem()).Elem()
			d.Value(n.Content[i+1], item, "")
			if name := tag.Get("words"); name != "" && (!d.Word(n.Content[i], name) || !d.Word(n.Content[i+1], name+"/"+n.Content[i].Value)) {
				continue
			}
			key := reflect.ValueOf(n.Content[i].Value)
			if out.MapIndex(key).IsValid() {
				d.Fail(n.Content[i], "remove one of the two", "the key %q occurs twice", n.Content[i].Value)
			}
			out.SetMapIndex(key, item)
		}
		v.Set(out)
	case reflect.Interface:
		var any any
		if err := n.Decode(&any); err != nil {
			d.Fail(n, "", "cannot read this value: %v", err)
			return
		}
		if any != nil {
			v.Set(reflect.ValueOf(any))
		}
	default:
		d.scalar(n, v, tag)
	}
}

func (d *Decoder) structure(n *yaml.Node, v reflect.Value) {
	if n.Kind != yaml.MappingNode {
		// The value is not quoted: it may be a secret in the wrong place.
		found := "a list"
		if n.Kind == yaml.ScalarNode {
			found = "a single value"
		}
		d.Fail(n, "write \"key: value\" pairs: "+strings.Join(Names(v.Type()), ", "), "expected keys and values, found %s", found)
		return
	}
	var mark *fact.Mark
	if v.CanAddr() {
		mark = fact.Of(v.Addr().Interface())
	}
	if mark != nil {
		mark.SetSelf(d.Place(n))
		mark.Grow(len(n.Content) / 2)
	}
	shape := shapeOf(v.Type())
	seen := make(map[string]bool, len(n.Content)/2)
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, val := n.Content[i], n.Content[i+1]
		f, ok := shape.fields[key.Value]
		if !ok && shape.rest != nil && slices.Contains(d.Keys, key.Value) {
			d.rest(v.FieldByIndex(shape.rest), key, val, mark)
			continue
		}
		if !ok {
			if len(d.Problems) >= maxProblems {
				d.dropped++ // what was meant takes long to find
				continue
			}
			names := Names(v.Type())
			if shape.rest != nil {
				names = append(names, d.Keys...)
			}
			if as := shape.also[key.Value]; as != "" {
				d.fail(key, as, "did you mean \""+as+"\"?", "unknown key %q", key.Value)
			} else if n.Style&yaml.FlowStyle != 0 && val.Tag == "!!null" && val.Value == "" {
				d.Fail(key, "a comma ends a value within { }: put the whole text into quotes", "this is not a key, it looks like the rest of a text")
			} else {
				d.UnknownKey(key, names)
			}
			continue
		}
		if seen[key.Value] {
			d.Fail(key, "remove one of the two", "the key %q occurs twice", key.Value)
			continue
		}
		seen[key.Value] = true
		if mark != nil {
			mark.Add(key.Value, d.Place(key))
			if val.Kind == yaml.SequenceNode {
				for j, item := range val.Content {
					mark.Add(key.Value+"["+strconv.Itoa(j)+"]", d.Place(item))
				}
			}
		}
		if val.Kind == yaml.ScalarNode && val.Tag == "!!null" {
			continue // "key:" with nothing behind it: not answered yet
		}
		d.Value(val, v.FieldByIndex(f.Index), f.Tag)
	}
	for _, name := range shape.needed {
		if !seen[name] {
			d.Fail(n, "add \""+name+":\", "+shape.fields[name].Tag.Get("need"), "the key %q is missing", name)
		}
	}
}

// dayLike is a day that begins with its year, written in another way.
var dayLike = late.Regexp(`^([0-9]{4})[-/. ]([0-9]{1,2})[-/. ]([0-9]{1,2})$`)

func (d *Decoder) rest(m reflect.Value, key, val *yaml.Node, mark *fact.Mark) {
	if m.IsNil() {
		m.Set(reflect.MakeMap(m.Type()))
	}
	if m.MapIndex(reflect.ValueOf(key.Value)).IsValid() {
		d.Fail(key, "remove one of the two", "the key %q occurs twice", key.Value)
		return
	}
	item := reflect.New(m.Type().Elem()).Elem()
	d.Value(val, item, "")
	m.SetMapIndex(reflect.ValueOf(key.Value), item)
}

// UnknownKey records that a key is none of those that are known here. Only a
// key that is like one of them is quoted: a file that was named by mistake is
// not shown to whoever reads the report.
func (d *Decoder) UnknownKey(key *yaml.Node, names []string) {
	fix := "the keys here are: " + strings.Join(names, ", ")
	if near := didyoumean.Nearest(key.Value, names); near != "" {
		fix = "did you mean \"" + near + "\"?"
	}
	if !isKey().MatchString(key.Value) {
		d.Fail(key, fix, "this is not a key")
		return
	}
	d.fail(key, didyoumean.Sure(key.Value, names), fix, "unknown key %q", key.Value)
}

func (d *Decoder) scalar(n *yaml.Node, v reflect.Value, tag reflect.StructTag) {
	if n.Kind != yaml.ScalarNode {
		d.Fail(n, "write a single value", "expected %s, found %s", kindName(v.Kind()), describe(n))
		return
	}
	switch v.Kind() {
	case reflect.String:
		d.text(n, v, tag)
	case reflect.Bool:
		switch n.Value {
		case "true":
			v.SetBool(true)
		case "false":
			v.SetBool(false)
		default:
			d.fail(n, truths[strings.ToLower(n.Value)], "write true or false", "expected true or false, found %s", quote(n.Value))
		}
	case reflect.Int, reflect.Int64:
		i, err := strconv.ParseInt(n.Value, 10, 64)
		if err != nil {
			d.Fail(n, "write digits only", "expected a whole number, found %s", quote(n.Value))
			return
		}
		v.SetInt(i)
	case reflect.Float64:
		f, err := strconv.ParseFloat(n.Value, 64)
		if err != nil || math.IsNaN(f) || math.IsInf(f, 0) {
			d.Fail(n, "write digits and one full stop", "expected a number, found %s", quote(n.Value))
			return
		}
		v.SetFloat(f)
	default:
		panic("strictyaml: a struct of the program uses an unsupported type " + v.Type().String())
	}
}

// truths are the words that people write for true and false.
var truths = map[string]string{"yes": "true", "on": "true", "true": "true", "y": "true", "no": "false", "off": "false", "false": "false", "n": "false"}

// split makes a list of a text with items between commas.
func split(n *yaml.Node) *yaml.Node {
	out := &yaml.Node{Kind: yaml.SequenceNode, Line: n.Line, Column: n.Column}
	at := n.Column
	if n.Style&(yaml.SingleQuotedStyle|yaml.DoubleQuotedStyle) != 0 {
		at++
	}
	for _, item := range strings.FieldsFunc(n.Value, func(r rune) bool { return r == ',' || r == '，' || r == '、' }) {
		out.Content = append(out.Content, &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str", Value: item, Line: n.Line, Column: at})
		at += utf8.RuneCountInString(item) + 1
	}
	return out
}

func (d *Decoder) text(n *yaml.Node, v reflect.Value, tag reflect.StructTag) {
	if enum := tag.Get("enum"); enum != "" {
		allowed := strings.Split(enum, "|")
		if !slices.Contains(allowed, n.Value) {
			fix := "write one of: " + strings.Join(allowed, ", ")
			if near := didyoumean.Nearest(n.Value, allowed); near != "" {
				fix = "did you mean \"" + near + "\"? The choices are: " + strings.Join(allowed, ", ")
			}
			if hint := tag.Get("hint"); hint != "" {
				fix += "; " + hint
			}
			d.fail(n, didyoumean.Sure(n.Value, allowed), fix, "%s is not a choice here", quote(n.Value))
			return
		}
	}
	if name := tag.Get("words"); name != "" && !d.Word(n, name) {
		return
	}
	if like := tag.Get("like"); like != "" && !compiled(like).MatchString(n.Value) {
		d.Fail(n, "write "+tag.Get("hint"), "%s does not have the expected form", quote(n.Value))
		return
	}
	// 1.10 unquoted is a number to YAML; what the author typed is what counts.
	v.SetString(n.Value)
}

// Word holds a text against a vocabulary, or several of which one must have it. One
// that is not given allows any; further ones that are not given add nothing.
func (d *Decoder) Word(n *yaml.Node, vocabulary string, more ...string) bool {
	words := d.Words[vocabulary]
	if len(words) == 0 || slices.Contains(words, n.Value) {
		return true
	}
	fix := fmt.Sprintf("\"regola tables %s\" lists the words", vocabulary)
	for _, name := range more {
		if slices.Contains(d.Words[name], n.Value) {
			return true
		}
		if len(d.Words[name]) > 0 {
			words = slices.Concat(words, d.Words[name])
			fix += fmt.Sprintf(", \"regola tables %s\" others", name)
		}
	}
	if near := didyoumean.Nearest(n.Value, words); near != "" {
		fix = "did you mean \"" + near + "\"? " + fix
	} else if len(words) <= 15 {
		fix = "write one of: " + strings.Join(words, ", ")
	}
	d.fail(n, didyoumean.Sure(n.Value, words), fix, "%s is not a word of this list", quote(n.Value))
	return false
}

var (
	patterns sync.Map // string → *regexp.Regexp
	shapes   sync.Map // reflect.Type → *shape
)

func compiled(re string) *regexp.Regexp {
	if r, ok := patterns.Load(re); ok {
		return r.(*regexp.Regexp)
	}
	r := regexp.MustCompile(re)
	patterns.Store(re, r)
	return r
}

// shape is what is known of a struct type.
type shape struct {
	fields map[string]reflect.StructField
	needed []string          // keys that must be present
	also   map[string]string // keys that people try, with the one that is meant: tag also
	rest   []int             // the field that takes further keys, nil when there is none
}

func shapeOf(t reflect.Type) *shape {
	if s, ok := shapes.Load(t); ok {
		return s.(*shape)
	}
	s := &shape{fields: map[string]reflect.StructField{}, also: map[string]string{}}
	for _, f := range reflect.VisibleFields(t) {
		if f.Tag.Get("rest") != "" {
			s.rest = f.Index
		}
		// A field with derived:"true" is computed after reading, not written by a person.
		if name := fact.RuleName(f); name != "" && f.Tag.Get("derived") == "" {
			s.fields[name] = f
			for also := range strings.FieldsSeq(f.Tag.Get("also")) {
				s.also[also] = name
			}
			if f.Tag.Get("need") != "" {
				s.needed = append(s.needed, name)
			}
		}
	}
	shapes.Store(t, s)
	return s
}

// Names lists the keys that a struct type accepts, in their order.
func Names(t reflect.Type) []string {
	var names []string
	for _, f := range reflect.VisibleFields(t) {
		if name := fact.RuleName(f); name != "" && f.Tag.Get("derived") == "" {
			names = append(names, name)
		}
	}
	return names
}

var isDay = late.Regexp(`^\d{4}-\d\d-\d\d$`)

// isKey matches what can be a key of ours: anything else is not quoted.
var isKey = late.Regexp(`^[A-Za-z][A-Za-z0-9_.-]{0,60}$`)

func describe(n *yaml.Node) string {
	switch n.Kind {
	case yaml.MappingNode:
		return "keys and values"
	case yaml.SequenceNode:
		return "a list"
	}
	return quote(n.Value)
}

// quote quotes the start of a value.
func quote(s string) string {
	const most = 40
	if len(s) > most {
		s = strings.ToValidUTF8(s[:most], "") + "…"
	}
	return strconv.Quote(s)
}

func kindName(k reflect.Kind) string {
	switch k {
	case reflect.Bool:
		return "true or false"
	case reflect.Int, reflect.Int64:
		return "a whole number"
	}
	return "a text"
}
