package rulebook

import (
	"fmt"
	"reflect"
	"strings"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/submission"
)

// maxCost bounds one evaluation, in CEL's units of work, so that a rulebook
// from a stranger cannot hang a build. The built-in rules need a thousandth.
const maxCost = 5_000_000

// Env compiles the rules of one rulebook.
type Env struct {
	book *Book
	base *cel.Env
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
	return &Env{book: b, base: env}, nil
}

// Program is a rule that is ready to run.
type Program struct {
	Rule    *Rule
	when    cel.Program
	each    cel.Program
	expect  cel.Program
	at      *target
	ask     *text
	say     *text
	seen    *text
	mend    *text
	eachSrc string
}

// target is a compiled at: the struct that holds a field, and the field. A
// target without a field is the struct itself.
type target struct {
	parent cel.Program
	field  string
	src    string
}

// text is a compiled template.
type text struct {
	parts []part
}

type part struct {
	literal string
	expr    cel.Program
}

// Compile types a rule's expressions. The problems name the file, line and
// column of each mistake.
func (e *Env) Compile(r *Rule) (*Program, place.Problems) {
	c := &compiler{env: e.base, rule: r}
	p := &Program{Rule: r, eachSrc: r.Each.Src}
	p.when = c.typed(r.When, types.BoolType, "when")
	if r.Each.Src != "" {
		ast := c.ast(r.Each)
		if ast != nil {
			if ast.OutputType().Kind() != types.ListKind {
				c.fail(r.Each, "each must be a list, this is "+ast.OutputType().String())
			} else {
				p.each = c.program(r.Each, ast)
				item := ast.OutputType().Parameters()[0]
				env, err := e.base.Extend(cel.Variable("it", item))
				if err != nil {
					c.fail(r.Each, err.Error())
				} else {
					c.env = env
				}
			}
		}
	}
	p.expect = c.typed(r.Expect, types.BoolType, "expect")
	p.at = c.target(r.At)
	p.ask, p.say, p.seen, p.mend = c.text(r.Ask), c.text(r.Say), c.text(r.Seen), c.text(r.Mend)
	return p, c.problems
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

// target splits a.b.c into the struct a.b and its field c.
func (c *compiler) target(e Expr) *target {
	if c.ast(e) == nil {
		return nil
	}
	parent, field := e, ""
	if i := strings.LastIndexByte(e.Src, '.'); i >= 0 && isIdent(e.Src[i+1:]) {
		parent.Src, field = e.Src[:i], e.Src[i+1:]
	}
	ast := c.ast(parent)
	if ast == nil {
		return nil
	}
	return &target{parent: c.program(parent, ast), field: field, src: e.Src}
}

func isIdent(s string) bool {
	for i, r := range s {
		if !(r == '_' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || i > 0 && r >= '0' && r <= '9') {
			return false
		}
	}
	return s != ""
}

// text compiles the expressions in a template's braces.
func (c *compiler) text(t Template) *text {
	if t.Src == "" {
		return nil
	}
	out := &text{}
	rest, offset := t.Src, 0
	for {
		open := strings.IndexByte(rest, '{')
		if open < 0 {
			out.parts = append(out.parts, part{literal: rest})
			return out
		}
		end := closing(rest[open:])
		if end < 0 {
			at := t.At
			at.Column += offset + open
			c.fail(Expr{At: at}, "a brace is not closed in this text")
			return out
		}
		at := t.At
		at.Column += offset + open + 1
		e := Expr{Src: rest[open+1 : open+end], At: at}
		out.parts = append(out.parts, part{literal: rest[:open]})
		if ast := c.ast(e); ast != nil {
			out.parts = append(out.parts, part{expr: c.program(e, ast)})
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
