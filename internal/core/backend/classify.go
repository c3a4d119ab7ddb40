package backend

import (
	"slices"
	"strings"

	"regola.example/regola/internal/core/format/pgdump"
	"regola.example/regola/internal/core/late"
	"regola.example/regola/internal/core/tables"
)

// classes are what a condition can come to, from narrow to wide: no rows; those that
// name the caller; those of their groups; their own and those that belong to nobody; those
// with a mark of their own; all rows for whoever is signed in; all until a day; all.
var classes = []string{"none", "bound", "membership", "ownerless", "filtered", "signed-in", "dated", "open"}

// unknown is a condition that is not understood.
const unknown = "unknown"

func rank(class string) int { return slices.Index(classes, class) }

// either is what one condition or the other lets through.
func either(a, b string) string {
	switch {
	case a == "open" || b == "open":
		return "open"
	case a == unknown || b == unknown:
		return unknown
	case rank(b) > rank(a):
		return b
	}
	return a
}

// both is what two conditions together let through.
func both(a, b string) string {
	switch {
	case a == unknown && rank(b) >= 0 && rank(b) <= rank("membership"):
		return b
	case b == unknown && rank(a) >= 0 && rank(a) <= rank("membership"):
		return a
	case a == unknown || b == unknown:
		return unknown
	case rank(b) < rank(a):
		return b
	}
	return a
}

type classifier struct {
	names   *tables.BackendNames
	notNull map[string]bool
	outer   *pgdump.Relation // whose rows the condition is about
	worker  *worker          // knows the other relations, and functions
	untied  *bool            // set where a subquery says nothing of the row; may be nil
}

// caller tells whether a text names who asks: by an expression of the platform, or by a
// function of the schema that does nothing but give it.
func (c classifier) caller(s string) bool {
	if c.names.Caller.Match(s) {
		return true
	}
	return slices.ContainsFunc(c.worker.callers(), func(name string) bool { return strings.Contains(s, name+"(") })
}

// mostCallers is how many functions that give the caller are known.
const mostCallers = 50

// callers are the names of the functions that do nothing but give who asks.
func (w *worker) callers() []string {
	if w.calling == nil {
		w.calling = []string{}
		for _, f := range w.schema.Functions {
			if f.Language != "sql" || len(f.Body) > 400 || len(w.calling) == mostCallers {
				continue
			}
			if body := strings.ToLower(f.Body); w.names.Caller.Match(body) && !strings.Contains(body, " from ") {
				w.calling = append(w.calling, strings.ToLower(f.Name))
			}
		}
	}
	return w.calling
}

// relationOf is a relation by its name, with its schema or without.
func (w *worker) relationOf(name string) *pgdump.Relation {
	if w.byName == nil {
		w.byName = map[string]*pgdump.Relation{}
		for _, r := range w.schema.Relations {
			w.byName[r.Schema+"."+r.Name] = r
			if w.byName[r.Name] == nil {
				w.byName[r.Name] = r
			}
		}
	}
	return w.byName[name]
}

var (
	leftColumn = late.Regexp(`^\(?(?:[a-z_]\w*\.)*([a-z_]\w*)\)?(?:::[a-z ]+)? (?:not )?(?:in|= any) ?\(`)
	fromTable  = late.Regexp(`(?:from|join) \(*(?:only )?((?:[a-z_]\w*\.)?[a-z_]\w*)`)
	bareWord   = late.Regexp(`(?:^|[^.\w"'])([a-z_]\w*)\b`)
)

// membership tells what a condition with a subquery comes to. One that says nothing of the
// row it is about holds for all rows or for none: for whoever has a row of the inner table,
// which everybody has who may write there.
func (c classifier) membership(s string) string {
	has := func(r *pgdump.Relation, column string) bool {
		return slices.ContainsFunc(r.Columns, func(x pgdump.Column) bool { return x.Name == column })
	}
	if m := leftColumn().FindStringSubmatch(s); m != nil && has(c.outer, m[1]) || strings.Contains(s, c.outer.Name+".") {
		return "membership"
	}
	var inner []*pgdump.Relation
	for _, m := range fromTable().FindAllStringSubmatch(s, 16) {
		r := c.worker.relationOf(m[1])
		if r == nil {
			return unknown // it may tie the row, or not
		}
		inner = append(inner, r)
	}
	for _, m := range bareWord().FindAllStringSubmatch(s, 200) {
		if has(c.outer, m[1]) && !slices.ContainsFunc(inner, func(r *pgdump.Relation) bool { return has(r, m[1]) }) {
			return "membership"
		}
	}
	for _, r := range inner {
		if held, _ := c.worker.holds(r, "signed-in", "insert"); held {
			if c.untied != nil {
				*c.untied = true
			}
			return "signed-in"
		}
	}
	return "membership" // of those whom only the server lists
}

// class tells what a condition comes to.
func (c classifier) class(x *pgdump.Condition) string {
	switch x.Op {
	case "or":
		out := "none"
		for _, s := range x.Sub {
			out = either(out, c.class(s))
		}
		return out
	case "and":
		out := "open"
		for _, s := range x.Sub {
			out = both(out, c.class(s))
		}
		return out
	case "not":
		return c.negated(x.Sub[0])
	}
	return c.leaf(x.Text)
}

func (c classifier) negated(x *pgdump.Condition) string {
	if x.Op == "" && strings.Contains(x.Text, " is distinct from ") && c.caller(x.Text) {
		return "ownerless"
	}
	switch class := c.class(x); class {
	case "open":
		return "none"
	case "none":
		return "open"
	case "filtered":
		return "filtered"
	}
	return unknown
}

var (
	sameConstant = late.Regexp(`^(\d+|'[^']*') = (\d+|'[^']*')$`)
	isNotNull    = late.Regexp(`^\(?([a-z_][a-z0-9_]*)\)? is not null$`)
	isNull       = late.Regexp(`^\(?[a-z_][a-z0-9_]*\)? is null$`)
	sameColumn   = late.Regexp(`^([a-z_][a-z0-9_.]*) = ([a-z_][a-z0-9_.]*)$`)
	plainColumn  = late.Regexp(`^[a-z_][a-z0-9_.]*$`)
	columnConst  = late.Regexp(`^\(?[a-z_][a-z0-9_.]*\)?(::[a-z ]+)? ?(=|<>|!=|<|>|<=|>=|is|is not|in|like|~~) ?\(?('[^']*'|-?\d+(\.\d+)?|true|false|null|any\(array\['.*)`)
	subquery     = late.Regexp(`(^|[ (=])(exists|in|any) ?\( ?\(?select `)
)

// leaf tells what a comparison comes to.
func (c classifier) leaf(s string) string {
	caller := c.caller(s)
	switch m := sameColumn().FindStringSubmatch(s); {
	case s == "":
		return "none"
	case s == "true":
		return "open"
	case s == "false":
		return "none"
	case sameConstant().MatchString(s):
		parts := sameConstant().FindStringSubmatch(s)
		if parts[1] == parts[2] {
			return "open"
		}
		return "none"
	case m != nil && m[1] == m[2]:
		return "open"
	case c.names.Clock.Match(s) && !caller:
		return "dated"
	case subquery().MatchString(s):
		return c.membership(s)
	case c.names.SignedInTest.Match(s):
		return "signed-in"
	case caller && strings.Contains(s, " is not distinct from "):
		return "ownerless"
	case caller && strings.Contains(s, "coalesce") && !strings.Contains(s, " is "):
		return "ownerless"
	case caller && (strings.Contains(s, " = ") || strings.Contains(s, " any")):
		return "bound"
	case isNull().MatchString(s):
		return "ownerless"
	case isNotNull().MatchString(s):
		if c.notNull[isNotNull().FindStringSubmatch(s)[1]] {
			return "open"
		}
		return "filtered"
	case plainColumn().MatchString(s), columnConst().MatchString(s):
		return "filtered"
	}
	return unknown
}
