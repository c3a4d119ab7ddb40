// Package pgdump reads a plain schema dump of PostgreSQL, as pg_dump --schema-only
// writes it, or a file of migrations: relations, row security, policies, privileges,
// functions, views, roles. What it does not know it passes over.
//
// Source: the SQL syntax chapters of PostgreSQL's manual, and dumps of real servers.
package pgdump

import (
	"regexp"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/format"
)

// Schema is what a dump says.
type Schema struct {
	Version    int // of the server; 0 when the dump does not say
	Relations  []*Relation
	Functions  []*Function
	Grants     []Grant // on anything but relations: schemas, functions
	Defaults   []Grant // privileges that new objects get
	Roles      []*Role
	Members    []Grant // GRANT role TO role: On is the role that is given
	Publishes  []int   // offsets of publications for all tables
	Secrets    []Secret
	Privileges bool // at least one GRANT or REVOKE: a dump without any was made without them
	Policies   int  // that were seen
}

// Relation is a table, view, materialized view or foreign table.
type Relation struct {
	Schema, Name string
	Kind         string // table, view, materialized view, foreign table
	Parent       string // of a partition or an inheriting table, with its schema
	Owner        string
	Columns      []Column
	RLS, Forced  bool
	SwitchedOff  bool     // row security was on, and a later statement switched it off
	Invoker      bool     // of a view: it reads with the rights of whoever asks
	Over         []string // of a view: the relations that its query names, with their schemas
	Policies     []*Policy
	Grants       []Grant
	Rows         int // rows of data, or statements that insert some
	At           int
}

// Column is a column of a table.
type Column struct {
	Name, Type string
	NotNull    bool
	Default    string
}

// Policy is a policy on rows.
type Policy struct {
	Name        string
	Restrictive bool
	Command     string   // all, select, insert, update, delete
	Roles       []string // public for everybody
	Using       string   // as it is written; empty for none
	Check       string
	HasUsing    bool
	HasCheck    bool
	At          int
}

// Grant is privileges that a role holds.
type Grant struct {
	Privileges []string // in small letters; all for every one
	Columns    bool     // on some columns only
	Kind, On   string   // what they are on: table, schema, function …; its name with its schema
	To         string   // the role; public for everybody
	Option     bool     // it may pass them on
	At         int
}

// Function is a function or procedure.
type Function struct {
	Schema, Name string
	Signature    string // with its arguments, as privileges name it
	Definer      bool   // it runs with the rights of its owner
	SearchPath   bool   // it sets where names are looked up
	Trigger      bool   // it returns a trigger
	Language     string
	Body         string
	Revoked      bool // EXECUTE was taken from everybody
	At           int
}

// Role is a role that the file makes or changes.
type Role struct {
	Name              string
	Superuser, Bypass bool
	At                int
}

// Secret is a password or key that stands in the file.
type Secret struct {
	What string
	At   int
}

var dumpedFrom = regexp.MustCompile(`(?m)^-- Dumped from database version (\d+)`)

// Bounds of what one file may hold. Real dumps stay far below.
const (
	maxObjects = 5_000
	maxWork    = 1_000_000 // privileges, each on one thing for one role
)

// maxStatement bounds the tokens of one statement that are kept.
const maxStatement = 20_000

// Parse reads a dump or migrations, several files one after the other.
func Parse(src string) (*Schema, error) {
	p := &parser{lexer: lexer{s: src, start: true}, schema: &Schema{}, relations: map[string]*Relation{}, functions: map[string]*Function{}, path: "public"}
	if strings.HasPrefix(src, "PGDMP") {
		return nil, format.Damagedf(0, "this is a dump in the custom form; expected a plain one (pg_dump --schema-only --format=plain)")
	}
	if strings.IndexByte(src, 0) >= 0 {
		return nil, format.Damagedf(strings.IndexByte(src, 0), "this is no text")
	}
	if m := dumpedFrom.FindStringSubmatch(src); m != nil {
		p.schema.Version, _ = strconv.Atoi(m[1])
	}
	seen := 0
	for {
		s, ok := p.statement()
		if !ok {
			break
		}
		if len(s) > 0 {
			seen++
			p.read(s)
		}
		if n := len(p.schema.Relations) + len(p.schema.Functions) + len(p.schema.Roles); n > maxObjects {
			return nil, format.TooMuchf(p.pos, "the dump holds more than %d tables, functions and roles", maxObjects)
		}
		if p.work > maxWork {
			return nil, format.TooMuchf(p.pos, "the dump holds more than %d privileges", maxWork)
		}
	}
	if seen == 0 || len(p.schema.Relations)+len(p.schema.Functions)+len(p.schema.Roles) == 0 {
		return nil, format.Damagedf(0, "there is no table, view or function in it; expected the output of pg_dump --schema-only")
	}
	return p.schema, nil
}

type parser struct {
	lexer
	schema    *Schema
	relations map[string]*Relation
	functions map[string]*Function
	path      string // the schema of names that have none
	work      int    // privileges that were gone through
}

// statement is the tokens up to the next semicolon outside brackets and bodies.
func (p *parser) statement() (out []token, ok bool) {
	depth, atomic := 0, 0
	for {
		t := p.next()
		switch {
		case t.kind == end:
			return out, len(out) > 0
		case t.kind == mark && (t.s == "(" || t.s == "["):
			depth++
		case t.kind == mark && (t.s == ")" || t.s == "]"):
			depth = max(0, depth-1)
		case t.is("atomic") && len(out) > 0 && out[len(out)-1].is("begin"):
			atomic = 1
		case t.is("case") && atomic > 0:
			atomic++
		case t.is("end") && atomic > 0:
			atomic--
		case t.kind == mark && t.s == ";" && depth == 0 && atomic == 0:
			p.afterCopy(out)
			return out, true
		}
		if len(out) < maxStatement {
			out = append(out, t)
		}
	}
}

// afterCopy skips the rows that follow COPY … FROM stdin.
func (p *parser) afterCopy(s []token) {
	if len(s) < 4 || !s[0].is("copy") {
		return
	}
	for i := len(s) - 2; i > 0; i-- {
		if s[i].is("from") && s[i+1].is("stdin") {
			rows := p.copyData()
			c := cursor{s: s, i: 1}
			if r := p.relations[c.qualified(p.path)]; r != nil {
				r.Rows += rows
			}
			return
		}
	}
}

// cursor walks over the tokens of a statement.
type cursor struct {
	s []token
	i int
}

func (c *cursor) peek() token {
	if c.i < len(c.s) {
		return c.s[c.i]
	}
	return token{kind: end}
}

func (c *cursor) take() token {
	t := c.peek()
	c.i++
	return t
}

// skip takes the words if they come next.
func (c *cursor) skip(words ...string) bool {
	for i, w := range words {
		if c.i+i >= len(c.s) || !c.s[c.i+i].is(w) {
			return false
		}
	}
	c.i += len(words)
	return true
}

// mark takes a punctuation mark if it comes next.
func (c *cursor) mark(m string) bool {
	if t := c.peek(); t.kind == mark && t.s == m {
		c.i++
		return true
	}
	return false
}

// ident takes a name.
func (c *cursor) ident() string {
	if t := c.peek(); t.kind == word || t.kind == name {
		c.i++
		return t.s
	}
	return ""
}

// qualified takes a name with its schema, which is path when it has none.
func (c *cursor) qualified(path string) string {
	first := c.ident()
	if c.mark(".") {
		return first + "." + c.ident()
	}
	return path + "." + first
}

// group takes a bracket with everything in it, without the bracket itself.
func (c *cursor) group() []token {
	if !c.mark("(") {
		return nil
	}
	from, depth := c.i, 1
	for c.i < len(c.s) {
		switch t := c.take(); {
		case t.kind == mark && t.s == "(":
			depth++
		case t.kind == mark && t.s == ")":
			if depth--; depth == 0 {
				return c.s[from : c.i-1]
			}
		}
	}
	return c.s[min(from, len(c.s)):]
}

// join writes tokens as one text, in one form whatever the blanks were.
func join(s []token) string {
	var b strings.Builder
	for i, t := range s {
		one := t.s
		switch t.kind {
		case text:
			one = "'" + strings.ReplaceAll(t.s, "'", "''") + "'"
		case name:
			if strings.ContainsFunc(t.s, func(r rune) bool { return r != '_' && (r < '0' || r > '9') && (r < 'a' || r > 'z') }) {
				one = `"` + t.s + `"`
			}
		}
		if i > 0 {
			last := s[i-1]
			tight := t.kind == mark && strings.Contains(").,]", t.s) || last.kind == mark && strings.Contains("(.[", last.s) ||
				t.kind == mark && t.s == "(" && (last.kind == word || last.kind == name) && !last.is("and", "or", "not", "in", "exists", "select", "where", "when", "then", "else", "from", "on", "as", "using", "any", "all") || t.s == "::" || last.s == "::"
			if !tight {
				b.WriteByte(' ')
			}
		}
		b.WriteString(one)
	}
	return b.String()
}

func split(full string) (schema, name string) {
	schema, name, _ = strings.Cut(full, ".")
	return schema, name
}

// relation is a relation by its whole name, made when it is new.
func (p *parser) relation(full, kind string, at int) *Relation {
	if r := p.relations[full]; r != nil {
		return r
	}
	r := &Relation{Kind: kind, At: at}
	r.Schema, r.Name = split(full)
	p.relations[full] = r
	p.schema.Relations = append(p.schema.Relations, r)
	return r
}
