package evidence

import (
	"slices"
	"strings"

	"regola.example/regola/internal/core/catalogue"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/macho"
)

// code is one binary with its names ready to be looked up.
type code struct {
	bin       *facts.Binary
	imports   map[string]bool
	sorted    []string // imports
	selectors map[string]bool
	classes   []string // defined or imported, sorted
	modules   map[string]bool
}

// codes prepares the binaries of an app. open says why the names of one or
// more of them are not wholly known; it is empty when all are.
func codes(app *facts.IOS) (all []*code, open string) {
	open = app.Unread("binaries")
	for _, b := range app.Binaries {
		if why := b.Unread("imports"); why != "" {
			open = b.Path + ": " + why
			continue
		}
		c := &code{bin: b, imports: set(b.Imports), sorted: slices.Sorted(slices.Values(b.Imports)), selectors: set(b.Selectors), modules: map[string]bool{}}
		c.classes = slices.Clone(b.Classes)
		for _, n := range slices.Concat(b.Imports, b.Exports) {
			if name, ok := strings.CutPrefix(n, classSymbol); ok {
				c.classes = append(c.classes, name)
			}
		}
		slices.Sort(c.classes)
		c.classes = slices.Compact(c.classes)
		for _, name := range c.classes {
			if parts := macho.SplitName(name); len(parts) > 1 {
				c.modules[parts[0]] = true
			}
		}
		for _, n := range slices.Concat(b.Imports, b.Exports) {
			if m := macho.SwiftModule(n); m != "" {
				c.modules[m] = true
			}
		}
		all = append(all, c)
	}
	return all, open
}

// classSymbol begins the symbol of an Objective-C class.
const classSymbol = "_OBJC_CLASS_$_"

// of finds the code of a bundle, or nil.
func of(all []*code, b *facts.Bundle) *code {
	for _, c := range all {
		if c.bin.Path == b.Executable {
			return c
		}
	}
	return nil
}

func (c *code) class(name string) bool  { return c.imports[classSymbol+name] }
func (c *code) symbol(name string) bool { return c.imports["_"+name] }

// prefix finds an imported symbol that begins so, or gives "".
func (c *code) prefix(p string) string {
	i, _ := slices.BinarySearch(c.sorted, "_"+p)
	if i < len(c.sorted) && strings.HasPrefix(c.sorted[i], "_"+p) {
		return c.sorted[i][1:]
	}
	return ""
}

// method tells whether a method's name is defined or sent. Newer linkers make
// a stub for each name that is sent.
func (c *code) method(name string) bool {
	return c.selectors[name] || c.imports["_objc_msgSend$"+name]
}

// match returns the names of the first sign that is wholly there.
func (c *code) match(signs []*catalogue.Sign) string {
	for _, s := range signs {
		var names []string
		all := true
		for _, n := range s.Classes {
			all, names = all && c.class(n), append(names, "class "+n)
		}
		for _, n := range s.Symbols {
			all, names = all && c.symbol(n), append(names, "symbol "+n)
		}
		for _, n := range s.Selectors {
			all, names = all && c.method(n), append(names, "method "+n)
		}
		for _, n := range s.Prefixes {
			all, names = all && c.prefix(n) != "", append(names, "symbol "+n+"…")
		}
		if all && len(names) > 0 {
			return strings.Join(names, ", ")
		}
	}
	return ""
}

// thirdParty finds a name by which third-party code shows: a class with one of
// its prefixes, or a module of a framework that was linked in.
func (c *code) thirdParty(sdk *catalogue.SDK) string {
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
