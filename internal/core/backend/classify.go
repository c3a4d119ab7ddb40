package backend

import (
	"regexp"
	"slices"
	"strings"

	"regola.example/regola/internal/core/format/pgdump"
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
	if x.Op == "" && strings.Contains(x.Text, " is distinct from ") && c.names.Caller.Match(x.Text) {
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
	sameConstant = regexp.MustCompile(`^(\d+|'[^']*') = (\d+|'[^']*')$`)
	isNotNull    = regexp.MustCompile(`^\(?([a-z_][a-z0-9_]*)\)? is not null$`)
	isNull       = regexp.MustCompile(`^\(?[a-z_][a-z0-9_]*\)? is null$`)
	sameColumn   = regexp.MustCompile(`^([a-z_][a-z0-9_.]*) = ([a-z_][a-z0-9_.]*)$`)
	plainColumn  = regexp.MustCompile(`^[a-z_][a-z0-9_.]*$`)
	columnConst  = regexp.MustCompile(`^\(?[a-z_][a-z0-9_.]*\)?(::[a-z ]+)? ?(=|<>|!=|<|>|<=|>=|is|is not|in|like|~~) ?\(?('[^']*'|-?\d+(\.\d+)?|true|false|null|any\(array\['.*)`)
	subquery     = regexp.MustCompile(`(^|[ (=])(exists|in|any) ?\( ?\(?select `)
)

// leaf tells what a comparison comes to.
func (c classifier) leaf(s string) string {
	caller := c.names.Caller.Match(s)
	switch m := sameColumn.FindStringSubmatch(s); {
	case s == "":
		return "none"
	case s == "true":
		return "open"
	case s == "false":
		return "none"
	case sameConstant.MatchString(s):
		parts := sameConstant.FindStringSubmatch(s)
		if parts[1] == parts[2] {
			return "open"
		}
		return "none"
	case m != nil && m[1] == m[2]:
		return "open"
	case c.names.Clock.Match(s) && !caller:
		return "dated"
	case subquery.MatchString(s):
		return "membership"
	case c.names.SignedInTest.Match(s):
		return "signed-in"
	case caller && strings.Contains(s, " is not distinct from "):
		return "ownerless"
	case caller && strings.Contains(s, "coalesce") && !strings.Contains(s, " is "):
		return "ownerless"
	case caller && (strings.Contains(s, " = ") || strings.Contains(s, " any")):
		return "bound"
	case isNull.MatchString(s):
		return "ownerless"
	case isNotNull.MatchString(s):
		if c.notNull[isNotNull.FindStringSubmatch(s)[1]] {
			return "open"
		}
		return "filtered"
	case plainColumn.MatchString(s), columnConst.MatchString(s):
		return "filtered"
	}
	return unknown
}
