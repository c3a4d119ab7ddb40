// Package signs finds in the code of an app the names that tables speak of:
// classes, functions, methods. What a name alone shows is a guess; an imported
// name that no binary of the package exports is the system's.
package signs

import (
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/core/tables"
)

// classSymbol begins the symbol of an Objective-C class.
const classSymbol = "_OBJC_CLASS_$_"

// Index is the code of an app, ready to be looked up.
type Index struct {
	Codes   []*Code
	gap     *fact.Gap // why the names of one or more binaries are not wholly known
	exports map[string]bool
}

// Code is the code of one bundle.
type Code struct {
	Bundle    *facts.Bundle
	gap       *fact.Gap
	imports   map[string]bool
	sorted    []string // imports
	selectors map[string]bool
	classes   []string // defined or imported, sorted
	modules   map[string]bool
}

// Of prepares the code of an app.
func Of(app *facts.IOS) *Index {
	x := &Index{exports: map[string]bool{}}
	for _, b := range app.Bundles {
		if g := b.Code.NamesGap(); g != nil {
			x.gap = g
		}
		if b.Code.Gone() != nil {
			if g := b.Code.NamesGap(); g != nil {
				x.Codes = append(x.Codes, &Code{Bundle: b, gap: g})
			}
			continue
		}
		x.Codes = append(x.Codes, prepare(b))
		for _, n := range b.Code.Exports {
			x.exports[n] = true
		}
	}
	return x
}

func prepare(b *facts.Bundle) *Code {
	c := &Code{Bundle: b, gap: b.Code.NamesGap(), imports: set(b.Code.Imports), sorted: slices.Sorted(slices.Values(b.Code.Imports)),
		selectors: set(b.Code.Selectors), modules: map[string]bool{}}
	c.classes = slices.Clone(b.Code.Classes)
	for _, names := range [][]string{b.Code.Imports, b.Code.Exports} {
		for _, n := range names {
			if name, ok := strings.CutPrefix(n, classSymbol); ok {
				c.classes = append(c.classes, name)
			}
			if m := macho.SwiftModule(n); m != "" {
				c.modules[m] = true
			}
		}
	}
	slices.Sort(c.classes)
	c.classes = slices.Compact(c.classes)
	for _, name := range c.classes {
		if parts := macho.SplitName(name); len(parts) > 1 {
			c.modules[parts[0]] = true
		}
	}
	return c
}

func set(names []string) map[string]bool {
	m := make(map[string]bool, len(names))
	for _, n := range names {
		m[n] = true
	}
	return m
}

// Gap is why not all names are known, or nil.
func (x *Index) Gap() *fact.Gap { return x.gap }

// Gap is why not all names of the bundle are known, or nil.
func (c *Code) Gap() *fact.Gap { return c.gap }

// In is the code of a bundle, or nil when it has none.
func (x *Index) In(b *facts.Bundle) *Code {
	for _, c := range x.Codes {
		if c.Bundle == b {
			return c
		}
	}
	return nil
}

// Users lists the code that shows one of the signs.
func (x *Index) Users(signs []*tables.Sign) []*Code {
	var out []*Code
	for _, c := range x.Codes {
		if c.Match(signs) != "" {
			out = append(out, c)
		}
	}
	return out
}

// Exports tells whether a binary of the package exports a symbol or a class of
// that name: it is then the app's own.
func (x *Index) Exports(name string) bool { return x.exports["_"+name] || x.exports[classSymbol+name] }

// Defines tells whether a class of one of the names is defined or imported.
func (x *Index) Defines(names []string) bool {
	return slices.ContainsFunc(x.Codes, func(c *Code) bool {
		return slices.ContainsFunc(names, func(n string) bool { _, ok := slices.BinarySearch(c.classes, n); return ok })
	})
}

// Hinted reports whether any single name of any sign is used: too little to
// demand something, enough not to call it needless.
func (x *Index) Hinted(signs []*tables.Sign) bool {
	return slices.ContainsFunc(x.Codes, func(c *Code) bool {
		return slices.ContainsFunc(signs, func(s *tables.Sign) bool {
			return slices.ContainsFunc(s.Classes, c.Class) || slices.ContainsFunc(s.Symbols, c.Symbol) || slices.ContainsFunc(s.Selectors, c.Method) ||
				slices.ContainsFunc(s.Prefixes, func(p string) bool { return c.Prefix(p) != "" })
		})
	})
}

// Class tells whether the code imports a class.
func (c *Code) Class(name string) bool { return c.imports[classSymbol+name] }

// Symbol tells whether the code imports a function or a constant.
func (c *Code) Symbol(name string) bool { return c.imports["_"+name] }

// Prefix finds an imported symbol that begins so, or gives "".
func (c *Code) Prefix(p string) string {
	i, _ := slices.BinarySearch(c.sorted, "_"+p)
	if i < len(c.sorted) && strings.HasPrefix(c.sorted[i], "_"+p) {
		return c.sorted[i][1:]
	}
	return ""
}

// Method tells whether a method's name is defined or sent. Newer linkers make
// a stub for each name that is sent.
func (c *Code) Method(name string) bool {
	return c.selectors[name] || c.imports["_objc_msgSend$"+name]
}

// Match gives the names of the first sign that is wholly there, or "".
func (c *Code) Match(signs []*tables.Sign) string {
	for _, s := range signs {
		var names []string
		all := true
		for _, n := range s.Classes {
			all, names = all && c.Class(n), append(names, "class "+n)
		}
		for _, n := range s.Symbols {
			all, names = all && c.Symbol(n), append(names, "symbol "+n)
		}
		for _, n := range s.Selectors {
			all, names = all && c.Method(n), append(names, "method "+n)
		}
		for _, n := range s.Prefixes {
			all, names = all && c.Prefix(n) != "", append(names, "symbol "+n+"…")
		}
		if all && len(names) > 0 {
			return strings.Join(names, ", ")
		}
	}
	return ""
}

// ThirdParty finds a name by which third-party code shows: a class with one of
// its prefixes, or a module of a framework that was linked in.
func (c *Code) ThirdParty(sdk *tables.SDK) string {
	for _, p := range sdk.IOSClasses {
		i, _ := slices.BinarySearch(c.classes, p)
		for ; i < len(c.classes) && strings.HasPrefix(c.classes[i], p); i++ {
			// A prefix ends where the next word begins.
			rest := c.classes[i][len(p):]
			if rest == "" || strings.HasSuffix(p, "_") || rest[0] < 'a' || rest[0] > 'z' {
				return "class " + c.classes[i]
			}
		}
	}
	for _, f := range sdk.Frameworks {
		if c.modules[f] {
			return "module " + f
		}
	}
	return ""
}
