package pgdump

import "strings"

// Condition is the expression of a policy as a tree of its logical operators.
type Condition struct {
	Op   string // or, and, not; empty for anything else
	Sub  []*Condition
	Text string // of what is no logical operator, without brackets around it
}

// maxDepth bounds how deep a condition is taken apart.
const maxDepth = 40

// Logic takes an expression apart at or, and, not.
func Logic(expr string) *Condition {
	l := lexer{s: expr}
	var s []token
	for t := l.next(); t.kind != end && len(s) < maxStatement; t = l.next() {
		s = append(s, t)
	}
	return logic(s, 0)
}

func logic(s []token, depth int) *Condition {
	s = bare(s)
	if depth > maxDepth || len(s) == 0 {
		return &Condition{Text: join(s)}
	}
	for _, op := range []string{"or", "and"} {
		if list := apart(s, op); len(list) > 1 {
			c := &Condition{Op: op}
			for _, one := range list {
				c.Sub = append(c.Sub, logic(one, depth+1))
			}
			return c
		}
	}
	if s[0].is("not") {
		return &Condition{Op: "not", Sub: []*Condition{logic(s[1:], depth+1)}}
	}
	// (SELECT expression), as optimisers are served, stands for the expression.
	if s[0].is("select") && !strings.Contains(" "+join(s)+" ", " from ") {
		rest := s[1:]
		for i, t := range rest {
			if t.is("as") && i+2 == len(rest) {
				rest = rest[:i]
				break
			}
		}
		if len(rest) > 0 {
			return logic(rest, depth+1)
		}
	}
	return &Condition{Text: join(s)}
}

// bare takes brackets away that are around the whole.
func bare(s []token) []token {
	for n := 0; n < maxDepth && len(s) > 1 && s[0].kind == mark && s[0].s == "("; n++ {
		depth := 0
		for i, t := range s {
			if t.kind != mark {
				continue
			}
			if t.s == "(" {
				depth++
			} else if t.s == ")" {
				if depth--; depth == 0 {
					if i != len(s)-1 {
						return s
					}
					break
				}
			}
		}
		if depth != 0 {
			return s
		}
		s = s[1 : len(s)-1]
	}
	return s
}

// apart splits at a logical operator outside brackets. The and of between belongs to
// it.
func apart(s []token, op string) (out [][]token) {
	depth, from, between, cases := 0, 0, 0, 0
	for i, t := range s {
		switch {
		case t.kind == mark && (t.s == "(" || t.s == "["):
			depth++
		case t.kind == mark && (t.s == ")" || t.s == "]"):
			depth--
		case depth > 0:
		case t.is("case"):
			cases++
		case t.is("end") && cases > 0:
			cases--
		case cases > 0:
		case t.is("between"):
			between++
		case t.is("and") && between > 0:
			between--
		case t.is(op):
			out, from = append(out, s[from:i]), i+1
		case t.is("select", "from", "where") && i > 0:
			return nil // within a subquery without brackets nothing is ours
		}
	}
	return append(out, s[from:])
}
