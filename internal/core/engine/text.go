package engine

import (
	"fmt"
	"strconv"
	"strings"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
)

// Template is a text with conditions in braces, compiled.
type Template struct{ parts []part }

type part struct {
	literal string
	expr    *Expr
}

// Uses are the variables that the conditions name.
func (t *Template) Uses() (names []string) {
	for _, p := range t.parts {
		if p.expr != nil {
			names = append(names, p.expr.Uses...)
		}
	}
	return names
}

// CompileText compiles a text with conditions in braces. A brace of the text
// itself is written twice.
func (e *Env) CompileText(s Source, item *types.Type) (*Template, place.Problems) {
	t := &Template{}
	var problems place.Problems
	rest, offset := s.Text, 0
	for {
		open := strings.IndexByte(rest, '{')
		if open < 0 {
			t.parts = append(t.parts, part{literal: strings.ReplaceAll(rest, "}}", "}")})
			return t, problems
		}
		if strings.HasPrefix(rest[open:], "{{") {
			t.parts = append(t.parts, part{literal: strings.ReplaceAll(rest[:open], "}}", "}") + "{"})
			offset += open + 2
			rest = rest[open+2:]
			continue
		}
		at := s.At
		at.Column += offset + open
		end := closing(rest[open:])
		if end < 0 {
			return nil, append(problems, Source{At: at, For: s.For}.problem("a brace is not closed in this text; a brace that is meant as such is written {{"))
		}
		at.Column++
		in := Source{Text: rest[open+1 : open+end], At: at, For: s.For}
		t.parts = append(t.parts, part{literal: strings.ReplaceAll(rest[:open], "}}", "}")})
		x, ps := e.Compile(in, nil, item)
		problems = append(problems, ps...)
		if len(ps) == 0 {
			if !showable(x.Type) {
				problems = append(problems, in.problem("this has no text: it is "+TypeName(x.Type)+" with fields; name one of them, in a list with map()"))
			}
			t.parts = append(t.parts, part{expr: x})
		}
		offset += open + end + 1
		rest = rest[open+end+1:]
	}
}

// showable tells whether a value of the type can be written for people.
func showable(t *types.Type) bool {
	switch t.Kind() {
	case types.StructKind, types.MapKind:
		return false
	case types.ListKind:
		return showable(t.Parameters()[0])
	}
	return true
}

// closing finds the brace that closes the one at the start, past strings and
// inner braces.
func closing(s string) int {
	depth, quote := 0, byte(0)
	for i := range len(s) {
		switch c := s[i]; {
		case quote != 0:
			if c == quote && s[i-1] != '\\' {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '{':
			depth++
		case c == '}':
			if depth--; depth == 0 {
				return i
			}
		}
	}
	return -1
}

// maxText bounds what one value adds to a text, in bytes: a value comes from
// somebody's package, and a report is read by people.
const maxText = 400

// Write fills a template in. What is not known is written as "(unknown)".
func (t *Template) Write(s *Scope) (string, error) {
	if t == nil {
		return "", nil
	}
	var b strings.Builder
	for _, pt := range t.parts {
		if pt.expr == nil {
			b.WriteString(pt.literal)
			continue
		}
		v, err := pt.expr.Eval(s)
		switch {
		case err != nil:
			return "", err
		case !v.Known():
			b.WriteString("(unknown)")
		default:
			b.WriteString(Shorten(text(v.Val), maxText))
		}
	}
	return b.String(), nil
}

// Shorten cuts a text to at most n bytes, between characters, and says so with
// an ellipsis.
func Shorten(s string, n int) string {
	if len(s) <= n {
		return s
	}
	for n > 0 && s[n]&0xc0 == 0x80 {
		n--
	}
	return s[:n] + "…"
}

// shownItems is how many items of a list a text names.
const shownItems = 20

// text writes a value for people.
func text(v ref.Val) string {
	switch v := v.(type) {
	case types.String:
		return string(v)
	case types.Bool:
		if v {
			return "yes"
		}
		return "no"
	case types.Timestamp:
		return day.Long(v.Time)
	case types.Double:
		return strconv.FormatFloat(float64(v), 'g', -1, 64)
	case traits.Lister:
		n, _ := v.Size().(types.Int)
		var parts []string
		for i := range min(n, shownItems) {
			parts = append(parts, text(v.Get(i)))
		}
		if n > shownItems {
			parts = append(parts, fmt.Sprintf("and %d more", n-shownItems))
		}
		return strings.Join(parts, ", ")
	case *types.Unknown:
		return "(unknown)"
	}
	return fmt.Sprint(v.Value())
}

// listItems gives the Go values of a list.
func listItems(v ref.Val) []any {
	l, ok := v.(traits.Lister)
	if !ok {
		return nil
	}
	n, ok := l.Size().(types.Int)
	if !ok {
		return nil
	}
	out := make([]any, n)
	for i := range out {
		out[i] = l.Get(types.Int(i)).Value()
	}
	return out
}

// Target is a condition that names a field, compiled to find the field's
// place. A target without a field is the struct itself; one with a condition
// chooses between two: cond ? it.name : it.description.
type Target struct {
	src       string
	parent    *Expr
	field     string
	cond      *Expr
	then, els *Target
}

// CompileTarget splits a.b.c into the struct a.b and its field c, and a choice
// into its condition and its two sides.
func (e *Env) CompileTarget(s Source, item *types.Type) (*Target, place.Problems) {
	env, err := e.withItem(item)
	if err != nil {
		return nil, place.Problems{s.problem(err.Error())}
	}
	t := &Target{src: s.Text}
	// The two sides may be of different types, so a choice is only parsed.
	var whole *cel.Ast
	if strings.Contains(s.Text, "?") {
		var iss *cel.Issues
		if whole, iss = env.Parse(s.Text); iss.Err() != nil {
			_, ps := e.Compile(s, nil, item)
			return nil, ps
		}
	}
	if x := rootOf(whole); x != nil && x.Kind() == ast.CallKind && x.AsCall().FunctionName() == operators.Conditional {
		var parts [3]Source
		for i, arg := range x.AsCall().Args() {
			text, err := cel.ExprToString(arg, whole.NativeRep().SourceInfo())
			if err != nil {
				return nil, place.Problems{s.problem(err.Error())}
			}
			parts[i] = Source{Text: text, At: s.At, For: s.For}
		}
		var ps, more place.Problems
		t.cond, ps = e.Compile(parts[0], types.BoolType, item)
		t.then, more = e.CompileTarget(parts[1], item)
		ps = append(ps, more...)
		t.els, more = e.CompileTarget(parts[2], item)
		return t, append(ps, more...)
	}
	if _, ps := e.Compile(s, nil, item); len(ps) > 0 {
		return nil, ps
	}
	parent := s
	if i := strings.LastIndexByte(s.Text, '.'); i >= 0 && isIdent(s.Text[i+1:]) {
		parent.Text, t.field = s.Text[:i], s.Text[i+1:]
	}
	var ps place.Problems
	t.parent, ps = e.Compile(parent, nil, item)
	return t, ps
}

// rootOf is the outermost expression of a condition, nil when there is none.
func rootOf(a *cel.Ast) ast.Expr {
	if a == nil {
		return nil
	}
	return a.NativeRep().Expr()
}

func isIdent(s string) bool {
	for i, r := range s {
		if !(r == '_' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || i > 0 && r >= '0' && r <= '9') {
			return false
		}
	}
	return s != ""
}

// Locate finds the path and the place of a target. One that cannot be found
// has the target's own text as its path.
func (t *Target) Locate(s *Scope) (string, place.Place) {
	if t.cond != nil {
		v, err := t.cond.Eval(s)
		switch {
		case err != nil || !v.Known():
			return t.src, place.Place{}
		case v.True():
			return t.then.Locate(s)
		}
		return t.els.Locate(s)
	}
	v, err := t.parent.Eval(s)
	if err != nil || !v.Known() {
		return t.src, place.Place{}
	}
	o, ok := v.Val.(*object)
	if !ok {
		return t.src, place.Place{}
	}
	mark := fact.Of(o.ptr)
	if mark == nil {
		return t.src, place.Place{}
	}
	if t.field == "" {
		return mark.Path(), mark.Self()
	}
	path := t.field
	if mark.Path() != "" {
		path = mark.Path() + "." + t.field
	}
	if inner := innerMark(o, t.field); inner != nil && !mark.HasField(t.field) && !inner.Self().IsZero() {
		return path, inner.Self()
	}
	return path, mark.Field(t.field)
}

// innerMark is the mark of a struct that a field holds.
func innerMark(o *object, field string) *fact.Mark {
	ft, ok := o.adapter.FindStructFieldType(o.name, field)
	if !ok {
		return nil
	}
	v, err := ft.GetFrom(o.ptr)
	if err != nil {
		return nil
	}
	return fact.Of(v)
}
