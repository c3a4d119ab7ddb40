package rulebook

import (
	"fmt"
	"reflect"
	"strings"
	"sync"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/submission"
)

// maxCost bounds one evaluation, in CEL's units of work, so that a rulebook
// from a stranger cannot hang a build. The built-in rules need a thousandth.
const maxCost = 5_000_000

// Env compiles the rules of one rulebook.
type Env struct {
	book  *Book
	base  *cel.Env
	mu    sync.Mutex
	items map[string]*cel.Env // with it, by the item's type
}

// withItem is the environment in which it has a type.
func (e *Env) withItem(t *types.Type) (*cel.Env, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if env := e.items[t.String()]; env != nil {
		return env, nil
	}
	env, err := e.base.Extend(cel.Variable("it", t))
	if err == nil {
		e.items[t.String()] = env
	}
	return env, err
}

// NewEnv makes the environment in which a rulebook's conditions are typed.
func NewEnv(b *Book) (*Env, error) {
	p, err := newProvider(b.types)
	if err != nil {
		return nil, err
	}
	opts := []cel.EnvOption{
		cel.CustomTypeProvider(p), cel.CustomTypeAdapter(p),
		cel.Variable("limit", types.NewObjectType(limitType)),
		cel.Variable("limit_since", types.NewObjectType(limitSinceType)),
		cel.Variable("on", types.TimestampType),
	}
	t := reflect.TypeFor[submission.Submission]()
	for _, f := range reflect.VisibleFields(t) {
		if name := place.FieldName(f); name != "" {
			opts = append(opts, cel.Variable(name, typeOf(f.Type)))
		}
	}
	env, err := cel.NewEnv(append(opts, library()...)...)
	if err != nil {
		return nil, err
	}
	return &Env{book: b, base: env, items: map[string]*cel.Env{}}, nil
}

// Program is a rule that is ready to run. Each part is compiled when it is
// needed first: a rule whose condition does not apply, or whose list is empty,
// costs no more than that.
type Program struct {
	Rule   *Rule
	when   *condition
	each   *condition
	expect *condition
	at     *target
	ask    *text
	say    *text
	seen   *text
	mend   *text
}

// condition is an expression that is compiled when it is needed first.
type condition struct {
	prog cel.Program
	load func() place.Problems
}

// target is an at: the struct that holds a field, and the field. A target
// without a field is the struct itself.
//
// A condition may choose between two: cond ? it.name : it.description.
type target struct {
	src       Expr
	parent    cel.Program
	field     string
	cond      cel.Program
	then, els *target
	load      func() place.Problems
}

// text is a template.
type text struct {
	src   Template
	parts []part
	load  func() place.Problems
}

type part struct {
	literal string
	expr    cel.Program
}

// Prepare makes a program whose parts are typed when they are needed.
func (e *Env) Prepare(r *Rule) *Program {
	p := &Program{Rule: r}
	lazy := func(x Expr, build func(c *compiler, into *condition)) *condition {
		if x.Src == "" {
			return nil
		}
		n := &condition{}
		n.load = sync.OnceValue(func() place.Problems {
			c := &compiler{env: e.base, rule: r}
			build(c, n)
			return c.problems
		})
		return n
	}
	// The environment behind each knows the item; until then it is the plain one.
	env := e.base
	p.when = lazy(r.When, func(c *compiler, n *condition) { n.prog = c.typed(r.When, types.BoolType, "when") })
	p.each = lazy(r.Each, func(c *compiler, n *condition) {
		list := c.ast(r.Each)
		if list == nil {
			return
		}
		if list.OutputType().Kind() != types.ListKind {
			c.fail(r.Each, "each must be a list, this is "+list.OutputType().String())
			return
		}
		n.prog = c.program(r.Each, list)
		with, err := e.withItem(list.OutputType().Parameters()[0])
		if err != nil {
			c.fail(r.Each, err.Error())
			return
		}
		env = with
	})
	// inner is a compiler for what stands behind each.
	inner := func() *compiler {
		if p.each != nil {
			p.each.load()
		}
		return &compiler{env: env, rule: r}
	}
	p.expect = lazy(r.Expect, func(c *compiler, n *condition) {
		in := inner()
		n.prog = in.typed(r.Expect, types.BoolType, "expect")
		c.problems = in.problems
	})
	if r.At.Src != "" {
		t := &target{src: r.At}
		t.load = sync.OnceValue(func() place.Problems { return t.compile(inner()) })
		p.at = t
	}
	for _, x := range []struct {
		from Template
		into **text
	}{{r.Ask, &p.ask}, {r.Say, &p.say}, {r.Seen, &p.seen}, {r.Mend, &p.mend}} {
		if x.from.Src != "" {
			t := &text{src: x.from}
			t.load = sync.OnceValue(func() place.Problems { return t.compile(inner()) })
			*x.into = t
		}
	}
	return p
}

// Compile types all of a rule's expressions at once, also those in its texts.
// The problems name the file, line and column of each mistake.
func (e *Env) Compile(r *Rule) (*Program, place.Problems) {
	p := e.Prepare(r)
	var problems place.Problems
	for _, n := range []*condition{p.when, p.each, p.expect} {
		if n != nil {
			problems = append(problems, n.load()...)
		}
	}
	if p.at != nil {
		problems = append(problems, p.at.load()...)
	}
	for _, t := range []*text{p.ask, p.say, p.seen, p.mend} {
		if t != nil {
			problems = append(problems, t.load()...)
		}
	}
	return p, problems
}

type compiler struct {
	env      *cel.Env
	rule     *Rule
	problems place.Problems
}

func (c *compiler) fail(e Expr, what string) {
	c.problems = append(c.problems, &place.Problem{At: e.At, What: c.rule.ID + ": " + what,
		Mend: "the fields that a rule may use are listed in docs/fields.md"})
}

func (c *compiler) ast(e Expr) *cel.Ast {
	if e.Src == "" {
		return nil
	}
	ast, iss := c.env.Compile(e.Src)
	if iss.Err() == nil {
		return ast
	}
	for _, err := range iss.Errors() {
		at := e.At
		if line := err.Location.Line(); line > 1 {
			at.Line += line - 1
			at.Column = err.Location.Column() + 1
		} else {
			at.Column += err.Location.Column()
		}
		c.problems = append(c.problems, &place.Problem{At: at, What: c.rule.ID + ": " + err.Message,
			Mend: "the fields that a rule may use are listed in docs/fields.md"})
	}
	return nil
}

func (c *compiler) program(e Expr, ast *cel.Ast) cel.Program {
	prog, err := c.env.Program(ast, cel.CostLimit(maxCost))
	if err != nil {
		c.fail(e, err.Error())
		return nil
	}
	return prog
}

func (c *compiler) typed(e Expr, want *types.Type, what string) cel.Program {
	ast := c.ast(e)
	if ast == nil {
		return nil
	}
	if !ast.OutputType().IsExactType(want) {
		c.fail(e, fmt.Sprintf("%s must be %s, this is %s", what, want, ast.OutputType()))
		return nil
	}
	return c.program(e, ast)
}

// compile splits a.b.c into the struct a.b and its field c, and a choice into
// its condition and its two sides.
func (t *target) compile(c *compiler) place.Problems {
	// The two sides may be of different types, so a choice is only parsed.
	whole, iss := c.env.Parse(t.src.Src)
	if iss.Err() != nil {
		c.ast(t.src)
		return c.problems
	}
	if e := whole.NativeRep().Expr(); e.Kind() == ast.CallKind && e.AsCall().FunctionName() == operators.Conditional {
		var parts [3]Expr
		for i, arg := range e.AsCall().Args() {
			text, err := cel.ExprToString(arg, whole.NativeRep().SourceInfo())
			if err != nil {
				c.fail(t.src, err.Error())
				return c.problems
			}
			parts[i] = Expr{Src: text, At: t.src.At}
		}
		t.cond = c.typed(parts[0], types.BoolType, "the condition of at")
		t.then, t.els = &target{src: parts[1]}, &target{src: parts[2]}
		t.then.compile(c)
		t.els.compile(c)
		return c.problems
	}
	if c.ast(t.src) == nil {
		return c.problems
	}
	parent := t.src
	if i := strings.LastIndexByte(t.src.Src, '.'); i >= 0 && isIdent(t.src.Src[i+1:]) {
		parent.Src, t.field = t.src.Src[:i], t.src.Src[i+1:]
	}
	if a := c.ast(parent); a != nil {
		t.parent = c.program(parent, a)
	}
	return c.problems
}

func isIdent(s string) bool {
	for i, r := range s {
		if !(r == '_' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || i > 0 && r >= '0' && r <= '9') {
			return false
		}
	}
	return s != ""
}

// compile compiles the expressions in a template's braces.
func (t *text) compile(c *compiler) place.Problems {
	rest, offset := t.src.Src, 0
	for {
		open := strings.IndexByte(rest, '{')
		if open < 0 {
			t.parts = append(t.parts, part{literal: rest})
			return c.problems
		}
		at := t.src.At
		at.Column += offset + open
		end := closing(rest[open:])
		if end < 0 {
			c.fail(Expr{At: at}, "a brace is not closed in this text")
			return c.problems
		}
		at.Column++
		e := Expr{Src: rest[open+1 : open+end], At: at}
		t.parts = append(t.parts, part{literal: rest[:open]})
		if ast := c.ast(e); ast != nil {
			t.parts = append(t.parts, part{expr: c.program(e, ast)})
		}
		offset += open + end + 1
		rest = rest[open+end+1:]
	}
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
