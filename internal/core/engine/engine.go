// Package engine evaluates conditions over a tree of Go structs. Conditions
// are written in CEL, the Common Expression Language; a field's name in a
// condition is its json tag. What is not known travels through a condition as
// CEL's unknown value with the gap that explains it, unless the result is
// decided without it.
//
// The engine knows neither rules nor stores nor packages: whoever makes an Env
// says which tree, which further variables and which functions there are.
package engine

import (
	"errors"
	"fmt"
	"maps"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"sync"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/ext"
	"cel.dev/cel-go/interpreter"

	"regola.example/regola/internal/core/didyoumean"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
)

// maxCost bounds one evaluation, in CEL's units of work, so that a condition
// from a stranger cannot hang a build. The built-in ones need a thousandth.
const maxCost = 1_000_000

// Record is a variable whose fields are computed: limits, tables, code.
type Record struct {
	Name   string // of the variable; its type has the same name
	Fields map[string]*types.Type
	Hint   string // where its fields come from, for a problem about one that is not there
}

// View is the value of a Record in one evaluation. Get returns a Go value
// that the engine can show, or a fact.Gap.
type View interface{ Get(field string) any }

// Options say what conditions see beside the tree.
type Options struct {
	Records   []Record
	Variables map[string]*types.Type
	Functions []Declared // beyond those of the engine
	Typed     *Typed     // conditions that were typed before, or nil
}

// Env types and compiles conditions over one tree.
type Env struct {
	base      *cel.Env
	provider  *provider
	names     []string // of all variables
	functions []string // that belong to no type
	typed     *Typed   // typed before, or nil
	keep      *Typed   // where what is typed is kept, or nil
	mu        sync.Mutex
	items     map[string]*cel.Env // with the variable it, by its type
}

// macros are those of CEL without has(): it would turn unknown into absent.
var macros = []cel.Macro{cel.AllMacro, cel.ExistsMacro, cel.ExistsOneMacro, cel.MapMacro, cel.MapFilterMacro, cel.FilterMacro}

// NewEnv makes an environment. The fields of root, a struct, are variables.
func NewEnv(root reflect.Type, o Options) (*Env, error) {
	p, err := newProvider(o.Records)
	if err != nil {
		return nil, err
	}
	e := &Env{provider: p, typed: o.Typed, items: map[string]*cel.Env{}}
	opts := []cel.EnvOption{
		cel.ClearMacros(), cel.Macros(macros...),
		cel.CustomTypeProvider(p), cel.CustomTypeAdapter(p),
	}
	add := func(name string, t *types.Type) {
		e.names = append(e.names, name)
		opts = append(opts, cel.Variable(name, t))
	}
	for _, r := range o.Records {
		add(r.Name, types.NewObjectType(r.Name))
	}
	for _, name := range slices.Sorted(maps.Keys(o.Variables)) {
		add(name, o.Variables[name])
	}
	for _, name := range infoOf(root).names {
		add(name, infoOf(root).fields[name].Type)
	}
	opts = append(opts, ext.Strings(), ext.Bindings())
	for _, f := range slices.Concat(Functions(), o.Functions) {
		opts = append(opts, f.option)
		if name, _, member := strings.Cut(f.Signature, "("); member && !strings.Contains(name, ".") {
			e.functions = append(e.functions, name)
		}
	}
	e.base, err = cel.NewEnv(opts...)
	return e, err
}

// withItem is the environment in which the variable it has a type.
func (e *Env) withItem(t *types.Type) (*cel.Env, error) {
	if t == nil {
		return e.base, nil
	}
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

// Source is a condition as its author wrote it.
type Source struct {
	Text string
	At   place.Place // of its first character
	For  string      // what it belongs to, such as a rule's id; begins every problem
}

// Expr is a compiled condition.
type Expr struct {
	Type *types.Type
	Uses []string // the variables that it names
	ast  *ast.AST
	prog cel.Program
}

// Select is a field that a condition takes from a struct of the tree.
type Select struct{ Type, Field string } // the type as TypeOf names it, the field by its json tag

// Selects lists the fields that a condition takes from structs, each once.
func (x *Expr) Selects() (out []Select) {
	ast.PreOrderVisit(x.ast.Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		if e.Kind() != ast.SelectKind {
			return
		}
		s := Select{x.ast.GetType(e.AsSelect().Operand().ID()).TypeName(), e.AsSelect().FieldName()}
		if !slices.Contains(out, s) {
			out = append(out, s)
		}
	}))
	return out
}

// ItemType is the type of the items of a list, or nil when it is no list.
func (x *Expr) ItemType() *types.Type {
	if x.Type.Kind() != types.ListKind {
		return nil
	}
	return x.Type.Parameters()[0]
}

// Compile types and compiles a condition. want is the type that it must have,
// nil for any; item is that of the variable it, nil when there is none. The
// problems name the file, line and column of each mistake.
func (e *Env) Compile(s Source, want, item *types.Type) (*Expr, place.Problems) {
	env, err := e.withItem(item)
	if err != nil {
		return nil, place.Problems{s.problem(err.Error())}
	}
	typed, ps := e.typeOf(env, s, item)
	if len(ps) > 0 {
		return nil, ps
	}
	result := typed.GetType(typed.Expr().ID())
	if want != nil && !result.IsExactType(want) {
		return nil, place.Problems{s.problem(fmt.Sprintf("must be %s, this is %s", TypeName(want), TypeName(result)))}
	}
	prog, err := env.PlanProgram(typed, cel.CostLimit(maxCost), cel.OptimizeRegex(patterns))
	if err != nil {
		return nil, place.Problems{s.problem(err.Error())}
	}
	x := &Expr{Type: result, ast: typed, prog: prog}
	for _, r := range typed.ReferenceMap() {
		if slices.Contains(e.names, r.Name) && !slices.Contains(x.Uses, r.Name) {
			x.Uses = append(x.Uses, r.Name)
		}
	}
	slices.Sort(x.Uses)
	return x, nil
}

// patterns compiles the pattern of a matches() once, when it is met first: most conditions
// are decided before.
var patterns = &interpreter.RegexOptimization{
	Function:   "matches",
	RegexIndex: 1,
	Factory: func(call interpreter.InterpretableCall, pattern string) (interpreter.InterpretableCall, error) {
		compiled := sync.OnceValues(func() (*regexp.Regexp, error) { return regexp.Compile(pattern) })
		return interpreter.NewCall(call.ID(), call.Function(), call.OverloadID(), call.Args(), func(args ...ref.Val) ref.Val {
			text, ok := args[0].(types.String)
			if !ok {
				return types.MaybeNoSuchOverloadErr(args[0])
			}
			re, err := compiled()
			if err != nil {
				return types.WrapErr(err)
			}
			return types.Bool(re.MatchString(string(text)))
		}), nil
	},
}

// typeOf parses and types a condition, or finds it typed before.
func (e *Env) typeOf(env *cel.Env, s Source, item *types.Type) (*ast.AST, place.Problems) {
	key := e.keyOf(s.Text, item)
	if typed := e.typed.get(key); typed != nil {
		return typed, nil
	}
	compiled, iss := env.Compile(s.Text)
	if iss.Err() != nil {
		var ps place.Problems
		for _, err := range iss.Errors() {
			ps = append(ps, &place.Problem{At: s.place(err.Location.Line(), err.Location.Column()), What: s.For + ": " + plainError(err.Message), Fix: e.near(s.Text, err.Message)})
		}
		return nil, ps
	}
	typed := compiled.NativeRep()
	if ps := s.regexps(typed); len(ps) > 0 {
		return nil, ps
	}
	if e.keep != nil {
		e.keep.add(key, typed)
	}
	return typed, nil
}

// Keep begins to keep what is typed from now on, and gives where. Only for
// whoever makes the file of typed conditions: not safe for several goroutines.
func (e *Env) Keep() *Typed {
	e.typed, e.keep = nil, &Typed{asts: map[string][]byte{}}
	return e.keep
}

func (s Source) problem(what string) *place.Problem {
	return &place.Problem{At: s.At, What: s.For + ": " + what, Fix: fieldsHint}
}

const fieldsHint = `"regola rulebook fields" lists what a rule may use`

var (
	undefinedField = regexp.MustCompile(`undefined field '(\w+)'`)
	syntax         = regexp.MustCompile(`^Syntax error: (?:extraneous input|mismatched input|no viable alternative at input|token recognition error at:) ('.*?'|<EOF>|\S+)`)
	overload       = regexp.MustCompile(`no matching overload for '([^']+)' applied to '\(([^)]*)\)'`)
	undeclared     = regexp.MustCompile(`undeclared reference to '(\w+)'`)
)

// plainError says what CEL's checker found without its inner terms.
func plainError(msg string) string {
	if m := undeclared.FindStringSubmatch(msg); m != nil {
		if m[1] == "has" {
			return "has() is not available: a value that is not known would look absent; compare the value itself"
		}
		if m[1] == "it" {
			return "it is the item of each:, and this rule has no each:"
		}
		return fmt.Sprintf("there is no %q", m[1])
	}
	if m := overload.FindStringSubmatch(msg); m != nil {
		name, parts := strings.Trim(m[1], "_"), strings.Split(m[2], ", ")
		for i, p := range parts {
			if plain, ok := typeNames[p]; ok {
				parts[i] = plain
			}
		}
		if strings.HasPrefix(m[1], "_") && len(parts) == 2 {
			return fmt.Sprintf("%s has %s on its left and %s on its right", name, parts[0], parts[1])
		}
		return fmt.Sprintf("%s cannot be used with %s", name, strings.Join(parts, ", "))
	}
	if m := syntax.FindStringSubmatch(msg); m != nil {
		return strings.ReplaceAll(m[1], "<EOF>", "the end") + " is not expected here"
	}
	return msg
}

// typeNames are CEL's types in the words of those who write rules.
var typeNames = map[string]string{"int": "a number", "string": "a text", "bool": "true or false", "timestamp": "a day"}

// regexps finds the patterns of matches() that are no regular expressions. CEL
// would find them when a rule is judged.
func (s Source) regexps(a *ast.AST) (ps place.Problems) {
	visit := ast.NewExprVisitor(func(x ast.Expr) {
		if x.Kind() != ast.CallKind || x.AsCall().FunctionName() != "matches" {
			return
		}
		call := x.AsCall()
		for _, arg := range call.Args()[len(call.Args())-1:] {
			if arg.Kind() != ast.LiteralKind {
				continue
			}
			if pattern, ok := arg.AsLiteral().Value().(string); ok {
				if _, err := regexp.Compile(pattern); err != nil {
					at := a.SourceInfo().GetStartLocation(arg.ID())
					ps = append(ps, &place.Problem{At: s.place(at.Line(), at.Column()), What: s.For + ": this is no regular expression: " + strings.TrimPrefix(err.Error(), "error parsing regexp: "),
						Fix: `write it in the form of RE2; a character that is meant as such takes \\ before it`})
				}
			}
		}
	})
	ast.PostOrderVisit(a.Expr(), visit)
	return ps
}

// place is where a position within the condition stands in its file.
func (s Source) place(line, column int) place.Place {
	at := s.At
	if line > 1 {
		at.Line += line - 1
		at.Column = column + 1
	} else {
		at.Column += column
	}
	return at
}

// near says which name was probably meant in a condition.
func (e *Env) near(text, msg string) string {
	var word string
	var names []string
	if m := undefinedField.FindStringSubmatch(msg); m != nil {
		word, names = m[1], e.provider.fieldNames()
		for _, r := range e.provider.records {
			if !regexp.MustCompile(`\b` + r.Name + `\.` + word + `\b`).MatchString(text) {
				continue
			}
			if n := didyoumean.Nearest(word, slices.Sorted(maps.Keys(r.Fields))); n != "" {
				return fmt.Sprintf("did you mean %q? %s", n, r.Hint)
			}
			return r.Hint
		}
	} else if m := undeclared.FindStringSubmatch(msg); m != nil && m[1] != "has" {
		word = m[1]
		names = append(slices.Clone(e.names), "it", "on")
		names = append(names, e.functions...)
	}
	names = slices.DeleteFunc(slices.Clone(names), func(n string) bool { return n == word })
	if n := didyoumean.Nearest(word, names); word != "" && n != "" && n != word {
		return fmt.Sprintf("did you mean %q? %s", n, fieldsHint)
	}
	return fieldsHint
}

// TypeName is a type in the words of those who write rules.
func TypeName(t *types.Type) string {
	switch t.Kind() {
	case types.BoolKind:
		return "true or false"
	case types.StringKind:
		return "a text"
	case types.IntKind:
		return "a number"
	case types.ListKind:
		return "a list"
	}
	return t.String()
}

// Meter bounds the work of many evaluations: of one rule over all its items,
// and of a whole rulebook. It is not safe for use by several goroutines.
type Meter struct {
	Left int64
	Up   interface{ Spend(int64) bool } // the meter of the whole, or nil
}

// ErrCost is returned when a meter has run out.
var ErrCost = errors.New("it takes more work than is allowed")

// Scope is what one evaluation sees.
type Scope struct {
	Root  any            // pointer to the tree
	Vars  map[string]any // values of records and variables
	It    any            // the item, when there is one
	Meter *Meter
}

// Value is the result of an evaluation: a value, or what it lacked.
type Value struct {
	ref.Val
	Gaps []fact.Gap
}

// Known tells whether there is a value.
func (v Value) Known() bool { return v.Val != nil }

// True tells whether the value is known and true.
func (v Value) True() bool { return v.Val == types.True }

// Eval evaluates a condition. The error is for a fault of the condition
// itself: an operation that fails, or costs too much.
func (x *Expr) Eval(s *Scope) (Value, error) {
	if s.Meter != nil && s.Meter.Left <= 0 {
		return Value{}, ErrCost
	}
	v, details, err := x.prog.Eval((*activation)(s))
	if s.Meter != nil && details != nil && details.ActualCost() != nil {
		cost := int64(min(*details.ActualCost(), maxCost)) + 1
		s.Meter.Left -= cost
		if s.Meter.Up != nil && !s.Meter.Up.Spend(cost) {
			s.Meter.Left = 0
		}
	}
	if err != nil {
		var ended interpreter.EvalCancelledError
		if errors.As(err, &ended) && ended.Cause == interpreter.CostLimitExceeded {
			return Value{}, ErrCost
		}
		return Value{}, errors.New(strings.TrimSpace(err.Error()))
	}
	if u, ok := v.(*types.Unknown); ok {
		return Value{Gaps: gapsOf(u)}, nil
	}
	return Value{Val: v}, nil
}

// activation gives CEL the variables of a scope.
type activation Scope

// ResolveName implements interpreter.Activation.
func (a *activation) ResolveName(name string) (any, bool) {
	if name == "it" {
		return a.It, a.It != nil
	}
	if v, ok := a.Vars[name]; ok {
		return v, true
	}
	ft := infoOf(reflect.TypeOf(a.Root).Elem()).fields[name]
	if ft == nil {
		return nil, false
	}
	v, err := ft.GetFrom(a.Root)
	return v, err == nil
}

// Parent implements interpreter.Activation.
func (a *activation) Parent() interpreter.Activation { return nil }

// Items gives the Go values of a list.
func (v Value) Items() []any {
	if v.Val == nil {
		return nil
	}
	return listItems(v.Val)
}
