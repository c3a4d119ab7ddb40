package check

import (
	"reflect"
	"slices"
	"strings"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"

	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/memory"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/core/tables"
)

// codeOf is the variable code.
func codeOf(s *submission.Submission) any {
	switch {
	case s.Code != nil:
		return s.Code
	case s.Pkg == nil && fact.GapOf(s, &s.Pkg) != nil:
		return engine.Unknown(*fact.GapOf(s, &s.Pkg))
	}
	return engine.Unknown(fact.Gap{Kind: fact.NotGiven, Path: codeVar, What: "there is no iOS app"})
}

// The types of the functions' arguments.
var (
	signList    = types.NewListType(engine.TypeFor[tables.Sign]())
	patternList = types.NewListType(engine.TypeFor[tables.Pattern]())
	textList    = types.NewListType(types.StringType)
	codeType    = engine.TypeFor[signs.Index]()
	bundleType  = engine.TypeFor[facts.Bundle]()
)

// member declares a member function; its name is that in the signature. The engine hands
// it only known values.
func member(signature, doc, id string, args []*types.Type, result *types.Type, f func(args []ref.Val) ref.Val) engine.Declared {
	return engine.Declare(signature, doc, cel.MemberOverload(id, args, result, cel.FunctionBinding(func(vals ...ref.Val) ref.Val { return f(vals) })))
}

// plain declares a function that belongs to no type.
func plain(signature, doc, id string, args []*types.Type, result *types.Type, f func(args []ref.Val) ref.Val) engine.Declared {
	return engine.Declare(signature, doc, cel.Overload(id, args, result, cel.FunctionBinding(func(vals ...ref.Val) ref.Val { return f(vals) })))
}

// list takes the Go values of a list. What is no T is left out.
func list[T any](v ref.Val) []T {
	if native, ok := v.Value().([]T); ok {
		return native
	}
	l, ok := v.(traits.Lister)
	if !ok {
		return nil
	}
	var out []T
	for it := l.Iterator(); it.HasNext() == types.True; {
		if x, ok := it.Next().Value().(T); ok {
			out = append(out, x)
		}
	}
	return out
}

func text(v ref.Val) string { s, _ := v.Value().(string); return s }

// adapt shows a Go value to CEL.
func adapt(v any) ref.Val { return engine.Adapt(v) }

// openOr gives a result, or what is not known when it is not decided.
func openOr(decided bool, gap *fact.Gap, v ref.Val) ref.Val {
	if !decided && gap != nil {
		return engine.Unknown(*gap)
	}
	return v
}

// asked is what a manifest asks for, by name.
type asked struct {
	permissions map[string][]*facts.Permission
	features    map[string]bool // whether one of the name is required
}

func askedBy(m *facts.Manifest) *asked {
	a := &asked{map[string][]*facts.Permission{}, map[string]bool{}}
	for _, p := range m.Permissions {
		a.permissions[p.Name] = append(a.permissions[p.Name], p)
	}
	for _, f := range m.Features {
		a.features[f.Name] = a.features[f.Name] || f.Required
	}
	return a
}

// Functions are the functions over packages and tables, beyond those of the engine: each is
// declared and documented in one place.
func Functions() []engine.Declared {
	return slices.Concat(iosFunctions(), androidFunctions(), packageFunctions())
}

// callers are the packages whose classes call a method, and whether any does.
func callers(c *facts.Code, method string) (packages []string, called bool) {
	at := strings.LastIndexByte(method, '.')
	if at < 0 {
		return nil, false
	}
	from, called := c.Calls[strings.ReplaceAll(method[:at], ".", "/")+method[at:]]
	for _, p := range from {
		packages = append(packages, strings.ReplaceAll(p, "/", "."))
	}
	return packages, called
}

// grants tells whether a profile's values of an entitlement allow those of a
// signature: each is there, or under one that ends in an asterisk.
func grants(allowed, asked []string) bool {
	for _, v := range asked {
		if !slices.ContainsFunc(allowed, func(w string) bool {
			prefix, any := strings.CutSuffix(w, "*")
			return w == v || any && strings.HasPrefix(v, prefix)
		}) {
			return false
		}
	}
	return true
}

// patternRoot stands before the paths of a package whose app folder itself was
// given: patterns expect its name.
func patternRoot(p *facts.Package) string {
	if p.IOS != nil && p.IOS.Root == "" {
		return "An.app/"
	}
	return ""
}

// mapKey is a map by its address; the value of keysOf keeps it, so that the address stays
// its own.
type mapKey struct {
	typ     reflect.Type
	address uintptr
	size    int
}

type keysOf struct {
	kept any
	keys []string
}

// sortedKeys are the keys of a map: rules hold each item of a list against one table.
func sortedKeys(m traits.Mapper, known *memory.Cache[mapKey, keysOf]) []string {
	list := func() (out []string) {
		for it := m.Iterator(); it.HasNext() == types.True; {
			out = append(out, text(it.Next()))
		}
		slices.Sort(out)
		return out
	}
	native := reflect.ValueOf(m.Value())
	if native.Kind() != reflect.Map {
		return list()
	}
	return known.Of(mapKey{native.Type(), native.Pointer(), native.Len()}, func() keysOf { return keysOf{m.Value(), list()} }).keys
}

// firstMatch is the first pattern that a path matches, or nil.
func firstMatch(path string, rows []*tables.Pattern) *tables.Pattern {
	for _, p := range rows {
		if p.Pattern.Match(path) && (p.Except == "" || !strings.HasSuffix(path, "/"+p.Except)) {
			return p
		}
	}
	return nil
}
