// Package strictyaml fills Go structs from YAML 1.2 documents and forgets
// nothing on the way: every value keeps its line and column, an unknown key is
// refused with the name that was probably meant, and all problems of a
// document are told at once.
//
// Field names come from json tags. Further tags:
//
//	need:"…"  the key must be present; the text says what it is for
//	enum:"a|b" the allowed strings
//	like:"RE"  a regular expression that a string must match
//	hint:"…"   said when like fails: the expected form in words
package strictyaml

import (
	"errors"
	"fmt"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/place"
)

// Day is a calendar day without a time zone.
type Day struct{ time.Time }

// ParseDay reads a day written as 2006-01-02.
func ParseDay(s string) (Day, error) {
	t, err := time.Parse(time.DateOnly, s)
	if err != nil {
		return Day{}, fmt.Errorf("%q is not a day of the form 2026-11-23", s)
	}
	return Day{t}, nil
}

// String writes the day as 2006-01-02.
func (d Day) String() string { return d.Format(time.DateOnly) }

// MarshalText makes a Day a plain date in JSON.
func (d Day) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// Noder is implemented by types that read their own YAML node.
type Noder interface {
	DecodeNode(d *Decoder, n *yaml.Node)
}

// maxDepth bounds nesting: a document deeper than this is not a person's.
const maxDepth = 64

// Decoder collects the problems of one document.
type Decoder struct {
	File     string
	Problems place.Problems
	depth    int
}

// Decode reads one YAML document into v, a pointer to a struct.
func Decode(file string, data []byte, v any) place.Problems {
	d := &Decoder{File: file}
	var doc yaml.Node
	if err := yaml.Unmarshal(data, &doc); err != nil {
		d.Problems = syntaxProblems(file, err)
		return d.Problems
	}
	if doc.Kind == 0 || len(doc.Content) == 0 {
		d.Problems = append(d.Problems, &place.Problem{At: place.Place{File: file, Line: 1, Column: 1},
			What: "the document is empty", Mend: "write at least its first key"})
		return d.Problems
	}
	d.Value(doc.Content[0], reflect.ValueOf(v).Elem(), "")
	return d.Problems
}

var yamlLine = regexp.MustCompile(`(?:yaml: )?(?:line (\d+): )?(.*)`)

func syntaxProblems(file string, err error) place.Problems {
	lines := []string{err.Error()}
	var typeErr *yaml.TypeError
	if errors.As(err, &typeErr) {
		lines = typeErr.Errors
	}
	var ps place.Problems
	for _, l := range lines {
		at, what := place.Place{File: file, Line: 1, Column: 1}, l
		if m := yamlLine.FindStringSubmatch(l); m != nil {
			if n, err := strconv.Atoi(m[1]); err == nil {
				at.Line = n
			}
			what = m[2]
		}
		ps = append(ps, &place.Problem{At: at, What: "not valid YAML: " + what,
			Mend: "check the indentation, the colons and the quotes on this line and the one above it"})
	}
	return ps
}

// Place is where a node stands.
func (d *Decoder) Place(n *yaml.Node) place.Place {
	return place.Place{File: d.File, Line: n.Line, Column: n.Column}
}

// Fail records a problem at a node.
func (d *Decoder) Fail(n *yaml.Node, mend, format string, args ...any) {
	d.Problems = append(d.Problems, &place.Problem{At: d.Place(n), What: fmt.Sprintf(format, args...), Mend: mend})
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
		if noder, ok := v.Addr().Interface().(Noder); ok {
			noder.DecodeNode(d, n)
			return
		}
	}
	if v.Type() == reflect.TypeFor[Day]() {
		day, err := ParseDay(n.Value)
		if n.Kind != yaml.ScalarNode || err != nil {
			d.Fail(n, "write the day as 2026-11-23", "expected a day, found %s", describe(n))
			return
		}
		v.Set(reflect.ValueOf(day))
		return
	}
	if v.Type() == reflect.TypeFor[time.Time]() {
		day, err := ParseDay(n.Value)
		if n.Kind != yaml.ScalarNode || err != nil {
			d.Fail(n, "write the day as 2026-11-23", "expected a day, found %s", describe(n))
			return
		}
		v.Set(reflect.ValueOf(day.Time))
		return
	}
	switch v.Kind() {
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		d.Value(n, v.Elem(), tag)
	case reflect.Struct:
		d.structure(n, v)
	case reflect.Slice:
		if n.Kind != yaml.SequenceNode {
			d.Fail(n, "write a list: [a, b] or one \"- item\" a line", "expected a list, found %s", describe(n))
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
			d.Value(n.Content[i+1], item, tag)
			key := reflect.ValueOf(n.Content[i].Value)
			if out.MapIndex(key).IsValid() {
				d.Fail(n.Content[i], "remove one of the two", "the key %q stands twice", n.Content[i].Value)
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
		d.Fail(n, "write \"key: value\" pairs: "+strings.Join(Names(v.Type()), ", "), "expected keys and values, found %s", describe(n))
		return
	}
	var mark *place.Mark
	if v.CanAddr() {
		mark = place.Of(v.Addr().Interface())
	}
	if mark != nil {
		mark.SetSelf(d.Place(n))
	}
	index := fieldsOf(v.Type())
	seen := make(map[string]bool, len(n.Content)/2)
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, val := n.Content[i], n.Content[i+1]
		f, ok := index[key.Value]
		if !ok {
			d.unknownKey(key, Names(v.Type()))
			continue
		}
		if seen[key.Value] {
			d.Fail(key, "remove one of the two", "the key %q stands twice", key.Value)
			continue
		}
		seen[key.Value] = true
		if mark != nil {
			mark.Put(key.Value, d.Place(key))
			if val.Kind == yaml.SequenceNode {
				for j, item := range val.Content {
					mark.Put(fmt.Sprintf("%s[%d]", key.Value, j), d.Place(item))
				}
			}
		}
		if val.Kind == yaml.ScalarNode && val.Tag == "!!null" {
			continue // "key:" with nothing behind it: not answered yet
		}
		d.Value(val, v.FieldByIndex(f.Index), f.Tag)
	}
	for name, f := range index {
		if need := f.Tag.Get("need"); need != "" && !seen[name] {
			d.Fail(n, "add \""+name+":\", "+need, "the key %q is missing", name)
		}
	}
}

func (d *Decoder) unknownKey(key *yaml.Node, names []string) {
	mend := "the keys here are: " + strings.Join(names, ", ")
	if near := Nearest(key.Value, names); near != "" {
		mend = "did you mean \"" + near + "\"?"
	}
	d.Fail(key, mend, "unknown key %q", key.Value)
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
		case "true", "yes":
			v.SetBool(true)
		case "false", "no":
			v.SetBool(false)
		default:
			d.Fail(n, "write true or false", "expected true or false, found %q", n.Value)
		}
	case reflect.Int, reflect.Int64:
		i, err := strconv.ParseInt(n.Value, 10, 64)
		if err != nil {
			d.Fail(n, "write digits only", "expected a whole number, found %q", n.Value)
			return
		}
		v.SetInt(i)
	default:
		panic("strictyaml: a struct of the program uses an unsupported type " + v.Type().String())
	}
}

func (d *Decoder) text(n *yaml.Node, v reflect.Value, tag reflect.StructTag) {
	if enum := tag.Get("enum"); enum != "" {
		allowed := strings.Split(enum, "|")
		if !slices.Contains(allowed, n.Value) {
			mend := "write one of: " + strings.Join(allowed, ", ")
			if near := Nearest(n.Value, allowed); near != "" {
				mend = "did you mean \"" + near + "\"? The choices are: " + strings.Join(allowed, ", ")
			}
			d.Fail(n, mend, "%q is not a choice here", n.Value)
			return
		}
	}
	if like := tag.Get("like"); like != "" && !compiled(like).MatchString(n.Value) {
		d.Fail(n, "write "+tag.Get("hint"), "%q does not have the expected form", n.Value)
		return
	}
	if n.Tag == "!!int" || n.Tag == "!!float" {
		// 1.10 unquoted is a number to YAML; what the author typed is what counts.
		v.SetString(n.Value)
		return
	}
	v.SetString(n.Value)
}

var (
	patterns sync.Map // string → *regexp.Regexp
	indexes  sync.Map // reflect.Type → map[string]reflect.StructField
)

func compiled(re string) *regexp.Regexp {
	if r, ok := patterns.Load(re); ok {
		return r.(*regexp.Regexp)
	}
	r := regexp.MustCompile(re)
	patterns.Store(re, r)
	return r
}

func fieldsOf(t reflect.Type) map[string]reflect.StructField {
	if m, ok := indexes.Load(t); ok {
		return m.(map[string]reflect.StructField)
	}
	m := make(map[string]reflect.StructField)
	for _, f := range reflect.VisibleFields(t) {
		// A field with derived:"true" is computed after reading, not written by a person.
		if name := place.FieldName(f); name != "" && f.Tag.Get("derived") == "" {
			m[name] = f
		}
	}
	indexes.Store(t, m)
	return m
}

// Names lists the keys that a struct type accepts, in their order.
func Names(t reflect.Type) []string {
	var names []string
	for _, f := range reflect.VisibleFields(t) {
		if name := place.FieldName(f); name != "" && f.Tag.Get("derived") == "" {
			names = append(names, name)
		}
	}
	return names
}

func describe(n *yaml.Node) string {
	switch n.Kind {
	case yaml.MappingNode:
		return "keys and values"
	case yaml.SequenceNode:
		return "a list"
	}
	return strconv.Quote(n.Value)
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

// Nearest is the name most like word, or "" when none is near enough to be
// what was meant. Distance is Levenshtein's, with a swap of neighbours as one
// step; at most a third of the word may differ.
func Nearest(word string, names []string) string {
	best, limit := "", len(word)/3+1
	for _, name := range names {
		if d := distance(strings.ToLower(word), strings.ToLower(name)); d <= limit && (best == "" || d < limit) {
			best, limit = name, d
		}
	}
	return best
}

func distance(a, b string) int {
	prev2, prev, cur := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range prev {
		prev[j] = j
	}
	for i := 1; i <= len(a); i++ {
		cur[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			cur[j] = min(prev[j]+1, cur[j-1]+1, prev[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				cur[j] = min(cur[j], prev2[j-2]+1)
			}
		}
		prev2, prev, cur = prev, cur, prev2
	}
	return prev[len(b)]
}
