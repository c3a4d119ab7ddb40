package pgdump

import (
	"regexp"
	"slices"
	"strings"
)

// read takes a statement for what it is.
func (p *parser) read(s []token) {
	c := &cursor{s: s}
	switch at := s[0].at; {
	case c.skip("create"):
		p.create(c, at)
	case c.skip("alter", "default", "privileges"):
		p.defaults(c, at)
	case c.skip("alter", "table"), c.skip("alter", "foreign", "table"), c.skip("alter", "view"), c.skip("alter", "materialized", "view"):
		p.alterTable(c)
	case c.skip("alter", "function"), c.skip("alter", "procedure"):
		p.alterFunction(c)
	case c.skip("alter", "role"), c.skip("alter", "user"):
		p.role(c, at)
	case c.skip("drop", "table"), c.skip("drop", "view"):
		p.drop(c)
	case c.skip("drop", "policy"):
		p.dropPolicy(c)
	case c.skip("grant"):
		p.schema.Privileges = true
		p.grant(c, at)
	case c.skip("revoke"):
		p.schema.Privileges = true
		p.revoke(c)
	case c.skip("insert", "into"):
		if r := p.relations[c.qualified(p.path)]; r != nil {
			r.Rows++
		}
	case c.skip("set", "search_path"):
		if c.skip("to") || c.mark("=") {
			if n := c.ident(); n != "" {
				p.path = n
			}
		}
	}
}

func (p *parser) create(c *cursor, at int) {
	c.skip("or", "replace")
	for c.skip("global") || c.skip("local") || c.skip("temporary") || c.skip("temp") || c.skip("unlogged") || c.skip("recursive") {
	}
	switch {
	case c.skip("table"):
		p.table(c, "table", at)
	case c.skip("foreign", "table"):
		p.table(c, "foreign table", at)
	case c.skip("materialized", "view"):
		p.view(c, "materialized view", at)
	case c.skip("view"):
		p.view(c, "view", at)
	case c.skip("policy"):
		p.policy(c, at)
	case c.skip("function"), c.skip("procedure"):
		p.function(c, at)
	case c.skip("role"), c.skip("user"):
		if c.skip("mapping") {
			p.options(c, at)
			return
		}
		p.role(c, at)
	case c.skip("server"):
		p.options(c, at)
	case c.skip("publication"):
		if strings.Contains(join(c.s), "for all tables") {
			p.schema.Publishes = append(p.schema.Publishes, at)
		}
	}
}

func (p *parser) table(c *cursor, kind string, at int) {
	c.skip("if", "not", "exists")
	r := p.relation(c.qualified(p.path), kind, at)
	if c.skip("partition", "of") {
		r.Parent = c.qualified(p.path)
		return
	}
	body := c.group()
	for _, part := range parts(body) {
		d := &cursor{s: part}
		if first := d.peek(); first.kind == word && first.is("constraint", "primary", "foreign", "unique", "check", "exclude", "like") {
			if first.is("primary") { // its columns are never empty
				d.skip("primary", "key")
				for _, n := range parts(d.group()) {
					for i := range r.Columns {
						if len(n) > 0 && r.Columns[i].Name == n[0].s {
							r.Columns[i].NotNull = true
						}
					}
				}
			}
			continue
		}
		col := Column{Name: d.ident()}
		if col.Name == "" {
			continue
		}
		var typ []token
		for ; d.i < len(d.s) && !d.peek().is("not", "null", "default", "primary", "references", "unique", "check", "collate", "generated", "constraint"); d.i++ {
			typ = append(typ, d.peek())
		}
		col.Type = join(typ)
		for d.i < len(d.s) {
			switch {
			case d.skip("not", "null"), d.skip("primary", "key"):
				col.NotNull = true
			case d.skip("default"):
				from := d.i
				for d.i < len(d.s) && !d.peek().is("not", "references", "unique", "check", "constraint", "primary") {
					if d.peek().kind == mark && d.peek().s == "(" {
						d.group()
						continue
					}
					d.i++
				}
				col.Default = join(d.s[from:d.i])
			default:
				d.i++
			}
		}
		r.Columns = append(r.Columns, col)
	}
	if c.skip("inherits") {
		d := &cursor{s: c.group()}
		r.Parent = d.qualified(p.path)
	}
}

// parts splits a list at its commas.
func parts(s []token) (out [][]token) {
	depth, from := 0, 0
	for i, t := range s {
		if t.kind != mark {
			continue
		}
		switch t.s {
		case "(", "[":
			depth++
		case ")", "]":
			depth--
		case ",":
			if depth == 0 {
				out, from = append(out, s[from:i]), i+1
			}
		}
	}
	if from < len(s) {
		out = append(out, s[from:])
	}
	return out
}

func (p *parser) view(c *cursor, kind string, at int) {
	c.skip("if", "not", "exists")
	r := p.relation(c.qualified(p.path), kind, at)
	if c.peek().kind == mark && c.peek().s == "(" {
		c.group() // names of columns
	}
	if c.skip("with") {
		r.Invoker = invoker(c.group())
	}
	// Whatever follows from or join is a relation, or the name of a subquery, which no
	// table has.
	for ; c.i < len(c.s); c.i++ {
		if !c.peek().is("from", "join") && (c.peek().kind != mark || c.peek().s != ",") {
			continue
		}
		d := &cursor{s: c.s, i: c.i + 1}
		for d.mark("(") || d.skip("only") || d.skip("lateral") {
		}
		if n := d.qualified(p.path); p.relations[n] != nil && !slices.Contains(r.Over, n) {
			r.Over = append(r.Over, n)
		}
	}
}

func invoker(options []token) bool {
	text := strings.ReplaceAll(join(options), "'", "")
	return strings.Contains(text, "security_invoker") && !strings.Contains(text, "security_invoker = false") && !strings.Contains(text, "security_invoker = off")
}

func (p *parser) policy(c *cursor, at int) {
	q := &Policy{Name: c.ident(), Command: "all", At: at}
	if !c.skip("on") {
		return
	}
	r := p.relation(c.qualified(p.path), "table", at)
	p.schema.Policies++
	for c.i < len(c.s) {
		switch {
		case c.skip("as", "restrictive"):
			q.Restrictive = true
		case c.skip("as", "permissive"):
		case c.skip("for"):
			q.Command = c.ident()
		case c.skip("to"):
			for {
				q.Roles = append(q.Roles, c.ident())
				if !c.mark(",") {
					break
				}
			}
		case c.skip("using"):
			q.Using, q.HasUsing = join(c.group()), true
		case c.skip("with", "check"):
			q.Check, q.HasCheck = join(c.group()), true
		default:
			c.i++
		}
	}
	if len(q.Roles) == 0 {
		q.Roles = []string{"public"}
	}
	r.Policies = append(r.Policies, q)
}

func (p *parser) dropPolicy(c *cursor) {
	c.skip("if", "exists")
	n := c.ident()
	if c.skip("on") {
		if r := p.relations[c.qualified(p.path)]; r != nil {
			r.Policies = slices.DeleteFunc(r.Policies, func(q *Policy) bool { return q.Name == n })
		}
	}
}

func (p *parser) drop(c *cursor) {
	c.skip("if", "exists")
	n := c.qualified(p.path)
	if r := p.relations[n]; r != nil {
		delete(p.relations, n)
		p.schema.Relations = slices.DeleteFunc(p.schema.Relations, func(x *Relation) bool { return x == r })
	}
}

func (p *parser) alterTable(c *cursor) {
	c.skip("if", "exists")
	c.skip("only")
	full := c.qualified(p.path)
	r := p.relations[full]
	if r == nil {
		return
	}
	for c.i < len(c.s) {
		switch {
		case c.skip("enable", "row", "level", "security"):
			r.RLS, r.SwitchedOff = true, false
		case c.skip("disable", "row", "level", "security"):
			r.SwitchedOff, r.RLS = r.RLS, false
		case c.skip("no", "force", "row", "level", "security"):
			r.Forced = false
		case c.skip("force", "row", "level", "security"):
			r.Forced = true
		case c.skip("owner", "to"):
			r.Owner = c.ident()
		case c.skip("attach", "partition"):
			if child := p.relations[c.qualified(p.path)]; child != nil {
				child.Parent = full
			}
		case c.skip("inherit"):
			r.Parent = c.qualified(p.path)
		case c.skip("set") && c.peek().s == "(":
			if text := c.group(); strings.Contains(join(text), "security_invoker") {
				r.Invoker = invoker(text)
			}
		case c.skip("alter", "column"):
			if n := c.ident(); c.skip("set", "not", "null") {
				for i := range r.Columns {
					if r.Columns[i].Name == n {
						r.Columns[i].NotNull = true
					}
				}
			}
		default:
			c.i++
		}
	}
}

// signature is a function's name with the types of its arguments, however they are
// written: names and defaults of arguments are left out as far as can be told.
func signature(full string, args []token) string {
	var types []string
	for _, a := range parts(args) {
		d := &cursor{s: a}
		for d.skip("in") || d.skip("inout") || d.skip("variadic") || d.skip("out") {
		}
		s := d.s[min(d.i, len(d.s)):]
		for i, t := range s {
			if t.is("default") || t.kind == mark && t.s == "=" {
				s = s[:i]
				break
			}
		}
		if len(s) > 1 && (s[1].kind == word || s[1].kind == name) && !s[0].is("double", "character", "timestamp", "time", "bit") {
			s = s[1:] // the argument's name
		}
		types = append(types, join(s))
	}
	return full + "(" + strings.Join(types, ", ") + ")"
}

func (p *parser) function(c *cursor, at int) {
	full := c.qualified(p.path)
	f := &Function{At: at, Signature: signature(full, c.group())}
	f.Schema, f.Name = split(full)
	if old := p.functions[f.Signature]; old != nil {
		f.Revoked = old.Revoked
		p.schema.Functions = slices.DeleteFunc(p.schema.Functions, func(x *Function) bool { return x == old })
	}
	for c.i < len(c.s) {
		switch {
		case c.skip("returns", "trigger"), c.skip("returns", "event_trigger"):
			f.Trigger = true
		case c.skip("security", "definer"):
			f.Definer = true
		case c.skip("security", "invoker"):
			f.Definer = false
		case c.skip("language"):
			f.Language = c.take().s
		case c.skip("set", "search_path"):
			f.SearchPath = true
		case c.skip("as"):
			if t := c.take(); t.kind == text {
				f.Body = t.s
			}
		default:
			c.i++
		}
	}
	p.functions[f.Signature] = f
	p.schema.Functions = append(p.schema.Functions, f)
	if m := keyLike.FindStringIndex(f.Body); m != nil {
		p.schema.Secrets = append(p.schema.Secrets, Secret{"a key in the body of " + full, at})
	}
}

func (p *parser) alterFunction(c *cursor) {
	full := c.qualified(p.path)
	f := p.functions[signature(full, c.group())]
	if f == nil {
		return
	}
	for c.i < len(c.s) {
		switch {
		case c.skip("security", "definer"):
			f.Definer = true
		case c.skip("security", "invoker"):
			f.Definer = false
		case c.skip("set", "search_path"):
			f.SearchPath = true
		default:
			c.i++
		}
	}
}

func (p *parser) role(c *cursor, at int) {
	n := c.ident()
	i := slices.IndexFunc(p.schema.Roles, func(r *Role) bool { return r.Name == n })
	if i < 0 {
		i = len(p.schema.Roles)
		p.schema.Roles = append(p.schema.Roles, &Role{Name: n, At: at})
	}
	r := p.schema.Roles[i]
	for ; c.i < len(c.s); c.i++ {
		switch t := c.peek(); {
		case t.is("superuser"):
			r.Superuser = true
		case t.is("nosuperuser"):
			r.Superuser = false
		case t.is("bypassrls"):
			r.Bypass = true
		case t.is("nobypassrls"):
			r.Bypass = false
		case t.is("password") && c.i+1 < len(c.s) && c.s[c.i+1].kind == text:
			p.schema.Secrets = append(p.schema.Secrets, Secret{"the password of the role " + n, t.at})
		}
	}
}

// options looks for secrets among the options of a foreign server or its users.
func (p *parser) options(c *cursor, at int) {
	for ; c.i+1 < len(c.s); c.i++ {
		if t := c.peek(); (t.kind == word || t.kind == name) && secretOption.MatchString(t.s) && c.s[c.i+1].kind == text && c.s[c.i+1].s != "" {
			p.schema.Secrets = append(p.schema.Secrets, Secret{"the option " + t.s, at})
		}
	}
}

var (
	secretOption = regexp.MustCompile(`^(password|passcode|passfile|secret|token|api_?key)$`)
	keyLike      = regexp.MustCompile(`eyJ[A-Za-z0-9_-]{8,}\.[A-Za-z0-9_-]{8,}\.[A-Za-z0-9_-]{8,}|-----BEGIN [A-Z ]*PRIVATE KEY|(?i)(secret|password|api_?key|token)\W{1,6}'[A-Za-z0-9+/_-]{20,}'`)
)

// kinds are what privileges are on; without one it is a table.
var kinds = []string{"table", "sequence", "schema", "function", "procedure", "routine", "database", "type", "domain", "language", "tablespace", "parameter"}

// privileges takes the list before ON.
func privileges(c *cursor) (out []string, columns bool) {
	for c.i < len(c.s) && !c.peek().is("on", "to", "from") {
		t := c.take()
		switch {
		case t.is("privileges"):
		case t.kind == mark && t.s == "(":
			c.i--
			c.group()
			columns = true
		case t.kind == word || t.kind == name:
			out = append(out, t.s)
		}
	}
	return out, columns
}

// target takes what privileges are on.
func (p *parser) target(c *cursor) (kind string, names []string) {
	kind = "table"
	if c.skip("all") {
		for c.i < len(c.s) && !c.peek().is("in") {
			kind = strings.TrimSuffix(c.take().s, "s")
		}
		c.skip("in", "schema")
		schema := c.ident()
		for full, r := range p.relations {
			if r.Schema == schema && kind == "table" {
				names = append(names, full)
			}
		}
		for _, f := range p.schema.Functions {
			if f.Schema == schema && (kind == "function" || kind == "routine") {
				names = append(names, f.Signature)
			}
		}
		slices.Sort(names)
		return kind, names
	}
	for _, k := range kinds {
		if c.skip(k) {
			kind = k
			break
		}
	}
	for {
		full := ""
		if kind == "schema" || kind == "database" || kind == "language" {
			full = c.ident()
		} else {
			full = c.qualified(p.path)
		}
		if c.peek().kind == mark && c.peek().s == "(" {
			full = signature(full, c.group())
		}
		names = append(names, full)
		if !c.mark(",") {
			return kind, names
		}
	}
}

func roles(c *cursor) (out []string) {
	for {
		c.skip("group")
		if n := c.ident(); n != "" {
			out = append(out, n)
		}
		if !c.mark(",") {
			return out
		}
	}
}

func (p *parser) grant(c *cursor, at int) {
	list, columns := privileges(c)
	if c.skip("to") { // membership of a role
		for _, to := range roles(c) {
			for _, r := range list {
				p.schema.Members = append(p.schema.Members, Grant{Kind: "role", On: r, To: to, At: at})
			}
		}
		return
	}
	if !c.skip("on") {
		return
	}
	kind, names := p.target(c)
	if !c.skip("to") {
		return
	}
	to := roles(c)
	option := c.skip("with", "grant", "option")
	if p.work += len(names) * len(to); p.work > maxWork {
		return
	}
	for _, n := range names {
		for _, role := range to {
			g := Grant{Privileges: list, Columns: columns, Kind: kind, On: n, To: role, Option: option, At: at}
			if r := p.relations[n]; r != nil && kind == "table" {
				r.Grants = append(r.Grants, g)
				continue
			}
			if f := p.functions[n]; f != nil && role == "public" {
				f.Revoked = false
			}
			p.schema.Grants = append(p.schema.Grants, g)
		}
	}
}

func (p *parser) revoke(c *cursor) {
	c.skip("grant", "option", "for")
	list, _ := privileges(c)
	if !c.skip("on") {
		return
	}
	kind, names := p.target(c)
	if !c.skip("from") {
		return
	}
	from := roles(c)
	if p.work += len(names)*len(from) + len(p.schema.Grants)*len(names)/64; p.work > maxWork {
		return
	}
	for _, n := range names {
		for _, role := range from {
			if f := p.functions[n]; f != nil && role == "public" {
				f.Revoked = true
			}
			take := func(g *Grant) bool {
				if g.On != n || g.To != role || g.Kind != kind {
					return false
				}
				if slices.Contains(list, "all") {
					return true
				}
				if slices.Contains(g.Privileges, "all") {
					return false // what is left of all is not worked out: it stays
				}
				g.Privileges = slices.DeleteFunc(slices.Clone(g.Privileges), func(x string) bool { return slices.Contains(list, x) })
				return len(g.Privileges) == 0
			}
			if r := p.relations[n]; r != nil {
				r.Grants = deleteIf(r.Grants, take)
			}
			p.schema.Grants = deleteIf(p.schema.Grants, take)
			if kind == "schema" && slices.Contains(list, "create") || slices.Contains(list, "all") && kind == "schema" {
				p.schema.Grants = append(p.schema.Grants, Grant{Privileges: []string{"revoked create"}, Kind: "schema", On: n, To: role})
			}
		}
	}
}

func deleteIf(list []Grant, gone func(*Grant) bool) []Grant {
	out := list[:0:0]
	for _, g := range list {
		if !gone(&g) {
			out = append(out, g)
		}
	}
	return out
}

func (p *parser) defaults(c *cursor, at int) {
	p.schema.Privileges = true
	schema := ""
	for c.i < len(c.s) && !c.peek().is("grant", "revoke") {
		if c.skip("in", "schema") {
			schema = c.ident()
			continue
		}
		c.i++
	}
	if !c.skip("grant") {
		if c.skip("revoke") {
			list, _ := privileges(c)
			if c.skip("on") {
				kind := c.ident()
				if c.skip("from") && slices.Contains(roles(c), "public") {
					p.schema.Defaults = append(p.schema.Defaults, Grant{Privileges: append([]string{"revoked"}, list...), Kind: kind, On: schema, To: "public", At: at})
				}
			}
		}
		return
	}
	list, _ := privileges(c)
	if !c.skip("on") {
		return
	}
	kind := c.ident()
	if !c.skip("to") {
		return
	}
	for _, to := range roles(c) {
		p.schema.Defaults = append(p.schema.Defaults, Grant{Privileges: list, Kind: kind, On: schema, To: to, At: at})
	}
}
