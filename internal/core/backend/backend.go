// Package backend works out who reaches which rows of an app's backend: from a schema
// dump of PostgreSQL, or from a description of collections and rules. Names of roles
// and columns, and how policies name the caller, are data: the table backend_names.
package backend

import (
	"slices"
	"strings"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/format/pgdump"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/tables"
)

// Backend is what is known of an app's backend.
type Backend struct {
	fact.Mark   `json:"-"`
	Given       bool          `json:"given"`       // the dossier describes a backend
	Relations   []*Relation   `json:"relations"`   // of a dump
	Functions   []*Function   `json:"functions"`   // of a dump
	Weak        []*Weakness   `json:"weak"`        // roles, privileges and the like that stand for themselves
	Default     string        `json:"default"`     // of a description: what holds where nothing is written
	Collections []*Collection `json:"collections"` // of a description
	Guessed     []string      `json:"guessed"`     // roles of clients that were guessed by their names
	Held        []*Held       `json:"held"`        // kinds of data, each once
}

// Held is a kind of data that the backend holds.
type Held struct {
	fact.Mark `json:"-"`
	Kind      string `json:"kind"`
	Place     string `json:"place"` // the relation or collection
}

func (b *Backend) hold(kinds []string, in string, at place.Place) {
	for _, k := range kinds {
		if !slices.ContainsFunc(b.Held, func(h *Held) bool { return h.Kind == k }) {
			h := &Held{Kind: k, Place: in}
			h.SetSelf(at)
			b.Held = append(b.Held, h)
		}
	}
}

// Relation is a table or view of an exposed schema.
type Relation struct {
	fact.Mark  `json:"-"`
	Name       string    `json:"name"` // with its schema
	Kind       string    `json:"kind"` // table, view, materialized view, foreign table
	Partition  bool      `json:"partition"`
	RLS        bool      `json:"rls"` // row-level security is on
	Forced     bool      `json:"forced"`
	Switched   bool      `json:"switched"` // it was on, and a later statement switched it off
	Owner      string    `json:"owner"`
	Meant      bool      `json:"meant"`   // the dossier says that everybody may read it
	Reached    []*Reach  `json:"reached"` // by clients
	Policies   []*Policy `json:"policies"`
	OwnerField string    `json:"owner_field"` // the column that names whose row it is; empty for none
	Kinds      []string  `json:"kinds"`       // of personal data, by the names of columns
	Rights     []string  `json:"rights"`      // columns that decide what a person may do
	Bypasses   []string  `json:"bypasses"`    // of a view: tables whose row-level security it passes over
	Rows       int64     `json:"rows"`        // of data in the file
}

// Reach is a command by which clients of one kind reach rows.
type Reach struct {
	fact.Mark `json:"-"`
	Who       string `json:"who"`     // anonymous or signed-in
	Command   string `json:"command"` // select, insert, update, delete, truncate
	Rows      string `json:"rows"`    // none, bound, membership, ownerless, filtered, signed-in, dated, open, unknown
	Policy    string `json:"policy"`  // that decides; empty for none
	Columns   bool   `json:"columns"` // some columns only
}

// Policy is a policy with what its expressions come to.
type Policy struct {
	fact.Mark   `json:"-"`
	Name        string   `json:"name"`
	Command     string   `json:"command"`
	Roles       []string `json:"roles"`
	Who         string   `json:"who"` // anonymous, signed-in, server
	Permissive  bool     `json:"permissive"`
	Using       string   `json:"using"`      // what it comes to; empty for none
	Check       string   `json:"check"`      // likewise
	UsingText   string   `json:"using_text"` // as it is written
	CheckText   string   `json:"check_text"`
	Editable    string   `json:"editable"` // a part of the token that people fill in themselves
	NamesCaller bool     `json:"names_caller"`
	SaysRole    bool     `json:"says_role"` // a role is named
	Untied      bool     `json:"untied"`    // it looks at rows of another table, which people write, and says nothing of the row it is about
}

// Function is a function that runs with the rights of its owner.
type Function struct {
	fact.Mark  `json:"-"`
	Name       string `json:"name"`
	SearchPath bool   `json:"search_path"` // it sets where names are looked up
	Everybody  bool   `json:"everybody"`   // everybody may call it
	Dynamic    bool   `json:"dynamic"`     // it puts SQL together from its arguments
	Trigger    bool   `json:"trigger"`
}

// Weakness is something that stands for itself.
type Weakness struct {
	fact.Mark `json:"-"`
	Kind      string `json:"kind"` // grant-public, grant-option, grant-truncate, default-privileges, schema-create, owner, role, secret, publication
	What      string `json:"what"` // in words
	Who       string `json:"who"`
}

// Setup is what the dossier says of the backend.
type Setup struct {
	Exposed, Anonymous, SignedIn, Server, Public []string
}

// FromDump works out who reaches what in a dump.
func FromDump(file, src string, s *pgdump.Schema, setup Setup, names *tables.BackendNames) *Backend {
	w := &worker{src: src, file: file, schema: s, setup: setup, names: names, out: &Backend{Given: true}}
	w.out.SetSelf(place.Place{File: file})
	if names == nil {
		return w.out
	}
	if len(w.setup.Exposed) == 0 {
		w.setup.Exposed = names.Exposed
	}
	w.clients()
	if !s.Privileges {
		gap := fact.Unread("the dump was made without privileges, so that nobody knows who reaches what; make it without --no-privileges")
		fact.Lose(w.out, &w.out.Relations, gap)
		fact.Lose(w.out, &w.out.Functions, gap)
		fact.Lose(w.out, &w.out.Weak, gap)
		return w.out
	}
	for _, r := range s.Relations {
		if slices.Contains(w.setup.Exposed, r.Schema) {
			w.relation(r)
		}
	}
	for _, f := range s.Functions {
		if f.Definer && slices.Contains(w.setup.Exposed, f.Schema) {
			w.function(f)
		}
	}
	w.weak()
	return w.out
}

type worker struct {
	src    string
	file   string
	schema *pgdump.Schema
	setup  Setup
	names  *tables.BackendNames
	out    *Backend
	who    map[string]string // of each role: anonymous, signed-in, server
	lines  []int             // offsets of line breaks

	calling []string                    // functions that give the caller, once they were looked for
	byName  map[string]*pgdump.Relation // once it was made
}

// at is the place of a byte.
func (w *worker) at(offset int) place.Place {
	if w.lines == nil {
		w.lines = []int{-1}
		for i := range len(w.src) {
			if w.src[i] == '\n' {
				w.lines = append(w.lines, i)
			}
		}
	}
	i, found := slices.BinarySearch(w.lines, offset)
	if !found {
		i--
	}
	i = max(i, 0)
	return place.Place{File: w.file, Line: i + 1, Column: offset - w.lines[i]}
}

// clients finds out which roles stand for clients of the app.
func (w *worker) clients() {
	w.who = map[string]string{"public": "anonymous"}
	owners := map[string]bool{}
	for _, r := range w.schema.Relations {
		owners[r.Owner] = true
	}
	guess := len(w.setup.Anonymous)+len(w.setup.SignedIn) == 0
	set := func(roles []string, who string) {
		for _, r := range roles {
			w.who[r] = who
		}
	}
	set(w.names.Server, "server")
	if guess {
		set(w.names.Anonymous, "anonymous")
		set(w.names.SignedIn, "signed-in")
	}
	set(w.setup.Anonymous, "anonymous")
	set(w.setup.SignedIn, "signed-in")
	set(w.setup.Server, "server")
	seen := func(role string) {
		if w.who[role] != "" || role == "" {
			if guess && role != "public" && w.who[role] != "server" && !slices.Contains(w.out.Guessed, role) {
				w.out.Guessed = append(w.out.Guessed, role)
			}
			return
		}
		if owners[role] || !guess {
			w.who[role] = "server"
			return
		}
		w.who[role] = "signed-in" // whoever is named by nobody is taken for a client
		w.out.Guessed = append(w.out.Guessed, role)
	}
	for _, r := range w.schema.Relations {
		for _, g := range r.Grants {
			seen(g.To)
		}
	}
	slices.Sort(w.out.Guessed)
	// A role that is granted to a client brings all of its own.
	for range 3 {
		for _, m := range w.schema.Members {
			if who := w.who[m.To]; who == "anonymous" || who == "signed-in" && w.who[m.On] != "anonymous" {
				if w.who[m.On] != "server" || !slices.Contains(w.names.Server, m.On) {
					w.who[m.On] = who
				}
			}
		}
	}
}

// commands are the ways to reach rows.
var commands = []string{"select", "insert", "update", "delete", "truncate"}

func (w *worker) relation(r *pgdump.Relation) {
	full := r.Schema + "." + r.Name
	x := &Relation{Name: full, Kind: r.Kind, Partition: r.Parent != "", RLS: r.RLS, Forced: r.Forced, Switched: r.SwitchedOff, Owner: r.Owner, Rows: int64(r.Rows),
		Meant: slices.Contains(w.setup.Public, r.Name) || slices.Contains(w.setup.Public, full)}
	x.SetSelf(w.at(r.At))
	w.columns(x, r)
	notNull := map[string]bool{}
	for _, c := range r.Columns {
		notNull[c.Name] = c.NotNull
	}
	for _, p := range r.Policies {
		x.Policies = append(x.Policies, w.policy(r, p, notNull))
	}
	for _, who := range []string{"anonymous", "signed-in"} {
		for _, command := range commands {
			if held, columns := w.holds(r, who, command); held && !r.Invoker {
				reach := w.rows(x, who, command)
				reach.Columns = columns
				reach.SetSelf(x.Self())
				x.Reached = append(x.Reached, reach)
			}
		}
	}
	if r.Kind == "view" && !r.Invoker {
		for _, n := range r.Over {
			for _, t := range w.schema.Relations {
				if t.Schema+"."+t.Name == n && t.RLS {
					x.Bypasses = append(x.Bypasses, n)
				}
			}
		}
	}
	w.out.Relations = append(w.out.Relations, x)
	w.out.hold(x.Kinds, x.Name, x.Self())
}

// columns reads what the columns are by their names.
func (w *worker) columns(x *Relation, r *pgdump.Relation) {
	for _, c := range r.Columns {
		n := strings.ToLower(c.Name)
		if x.OwnerField == "" && w.names.OwnerField.Match(n) {
			x.OwnerField = c.Name
		}
		if w.names.Rights.Match(n) {
			x.Rights = append(x.Rights, c.Name)
		}
		for _, p := range w.names.Personal {
			if p.Column.Match(n) && !slices.Contains(x.Kinds, p.Kind) {
				x.Kinds = append(x.Kinds, p.Kind)
			}
		}
	}
}

// holds tells whether clients of a kind hold the privilege for a command. Who is
// signed in also holds what everybody holds.
func (w *worker) holds(r *pgdump.Relation, who, command string) (held, columns bool) {
	columns = true
	for _, g := range r.Grants {
		if k := w.who[g.To]; k != who && (who != "signed-in" || g.To != "public") {
			continue
		}
		if slices.Contains(g.Privileges, command) || slices.Contains(g.Privileges, "all") {
			held, columns = true, columns && g.Columns
		}
	}
	return held, columns && held
}

// rows works out which rows a command reaches.
func (w *worker) rows(x *Relation, who, command string) *Reach {
	out := &Reach{Who: who, Command: command, Rows: "open"}
	if !x.RLS || command == "truncate" || x.Kind != "table" {
		return out
	}
	out.Rows = "none"
	for _, p := range x.Policies {
		if !p.Permissive || p.Command != "all" && p.Command != command || p.Who != "anonymous" && p.Who != who {
			continue
		}
		class := p.Using
		if command == "insert" || class == "" {
			class = p.Check
			if class == "" {
				class = p.Using
			}
		}
		if class = either(out.Rows, class); class != out.Rows {
			out.Rows, out.Policy = class, p.Name
		}
	}
	for _, p := range x.Policies {
		if !p.Permissive && (p.Command == "all" || p.Command == command) && (p.Who == "anonymous" || p.Who == who) {
			class := p.Using
			if command == "insert" && p.Check != "" {
				class = p.Check
			}
			if class != "" {
				out.Rows = both(out.Rows, class)
			}
		}
	}
	return out
}

func (w *worker) policy(r *pgdump.Relation, p *pgdump.Policy, notNull map[string]bool) *Policy {
	x := &Policy{Name: p.Name, Command: p.Command, Roles: p.Roles, Permissive: !p.Restrictive, UsingText: p.Using, CheckText: p.Check, SaysRole: !slices.Contains(p.Roles, "public")}
	x.SetSelf(w.at(p.At))
	x.Who = "server"
	for _, r := range p.Roles {
		switch w.who[r] {
		case "anonymous":
			x.Who = "anonymous"
		case "signed-in":
			if x.Who == "server" {
				x.Who = "signed-in"
			}
		}
	}
	c := classifier{names: w.names, notNull: notNull, outer: r, worker: w, untied: &x.Untied}
	if p.HasUsing {
		x.Using = c.class(pgdump.Logic(p.Using))
	}
	if p.HasCheck {
		x.Check = c.class(pgdump.Logic(p.Check))
	}
	both := p.Using + " " + p.Check
	x.NamesCaller = c.caller(both)
	if m := w.names.Editable.All("", both, 1); len(m) > 0 {
		x.Editable = both[m[0][0]:m[0][1]]
	}
	return x
}

func (w *worker) function(f *pgdump.Function) {
	x := &Function{Name: f.Schema + "." + f.Name, SearchPath: f.SearchPath, Trigger: f.Trigger, Everybody: !f.Revoked && !f.Trigger}
	for _, d := range w.schema.Defaults {
		if len(d.Privileges) > 0 && d.Privileges[0] == "revoked" && strings.HasPrefix(d.Kind, "function") {
			x.Everybody = false
		}
	}
	for _, g := range w.schema.Grants {
		if g.On == f.Signature && (w.who[g.To] == "anonymous") {
			x.Everybody = !f.Trigger
		}
	}
	x.Dynamic = f.Language == "plpgsql" && w.names.Dynamic.Match(strings.ToLower(f.Body))
	x.SetSelf(w.at(f.At))
	w.out.Functions = append(w.out.Functions, x)
}

// client tells in words which clients a role stands for; empty for none.
func (w *worker) client(role string) string {
	switch w.who[role] {
	case "anonymous":
		return "everybody"
	case "signed-in":
		return "everybody who is signed in"
	}
	return ""
}

func (w *worker) weak() {
	add := func(kind, what, who string, at int) {
		x := &Weakness{Kind: kind, What: what, Who: who}
		x.SetSelf(w.at(at))
		w.out.Weak = append(w.out.Weak, x)
	}
	for _, r := range w.schema.Relations {
		if !slices.Contains(w.setup.Exposed, r.Schema) {
			continue
		}
		full := r.Schema + "." + r.Name
		for _, g := range r.Grants {
			list := strings.Join(g.Privileges, ", ")
			if g.To == "public" {
				add("grant-public", "the privilege "+list+" on "+full+" is granted to everybody", "public", g.At)
			}
			if g.Option && w.client(g.To) != "" {
				add("grant-option", g.To+" may pass on "+list+" on "+full, w.client(g.To), g.At)
			}
		}
		if who := w.client(r.Owner); who != "" && r.Owner != "" {
			add("owner", full+" belongs to "+r.Owner, who, r.At)
		}
	}
	for _, g := range w.schema.Defaults {
		if who := w.client(g.To); who != "" && len(g.Privileges) > 0 && g.Privileges[0] != "revoked" && strings.HasPrefix(g.Kind, "table") {
			add("default-privileges", g.To+" gets "+strings.Join(g.Privileges, ", ")+" on every new table", who, g.At)
		}
	}
	revoked := map[string]bool{}
	for _, g := range w.schema.Grants {
		if g.Kind == "schema" && slices.Contains(g.Privileges, "revoked create") && g.To == "public" {
			revoked[g.On] = true
		}
	}
	for _, g := range w.schema.Grants {
		if g.Kind == "schema" && (slices.Contains(g.Privileges, "create") || slices.Contains(g.Privileges, "all")) && w.client(g.To) != "" && slices.Contains(w.setup.Exposed, g.On) {
			add("schema-create", g.To+" may create things in the schema "+g.On, w.client(g.To), g.At)
		}
	}
	if v := w.schema.Version; v > 0 && v < 15 && slices.Contains(w.setup.Exposed, "public") && !revoked["public"] {
		add("schema-create", "everybody may create things in the schema public, as servers before version 15 let them", "", 0)
	}
	for _, r := range w.schema.Roles {
		if who := w.client(r.Name); who != "" && (r.Superuser || r.Bypass) {
			add("role", r.Name+" passes over row-level security", who, r.At)
		}
	}
	for _, s := range w.schema.Secrets {
		add("secret", s.What, "", s.At)
	}
	for _, at := range w.schema.Publishes {
		add("publication", "a publication sends every table", "", at)
	}
}

// Join puts what a dump and a description say together.
func Join(a, b *Backend) *Backend {
	if a == nil || b == nil {
		if a == nil {
			return b
		}
		return a
	}
	a.Default, a.Collections = b.Default, b.Collections
	for _, h := range b.Held {
		a.hold([]string{h.Kind}, h.Place, h.Self())
	}
	return a
}

// Described is a collection as a file of rules describes it.
type Described struct {
	fact.Mark  `json:"-"`
	Name       string   `json:"name" need:"its name; * or ** for all" doc:"its name; * or ** for all"`
	Holds      []string `json:"holds" words:"data_types" doc:"kinds of data that it holds"`
	OwnerField string   `json:"owner_field" doc:"the field that names whose document it is"`
	Public     bool     `json:"public" doc:"true when it is meant to be read by everyone"`
	Read       string   `json:"read" enum:"none|server|owner|member|signed-in|anyone" doc:"who reads it"`
	Get        string   `json:"get" enum:"none|server|owner|member|signed-in|anyone" doc:"who reads one known document; as read when it is left out"`
	List       string   `json:"list" enum:"none|server|owner|member|signed-in|anyone" doc:"who lists documents; as read when it is left out"`
	Create     string   `json:"create" enum:"none|server|owner|member|signed-in|anyone" doc:"who creates documents"`
	Update     string   `json:"update" enum:"none|server|owner|member|signed-in|anyone" doc:"who changes them"`
	Delete     string   `json:"delete" enum:"none|server|owner|member|signed-in|anyone" doc:"who deletes them"`
	Immutable  []string `json:"immutable" doc:"fields that cannot be changed"`
	ServerOnly []string `json:"server_only" doc:"fields that only the server writes"`
	Fields     []string `json:"fields" doc:"its fields, as far as they matter"`
	Until      *day.Day `json:"until" doc:"the last day on which these rules hold"`
	OnDeletion string   `json:"on_account_deletion" enum:"delete|anonymise|keep" doc:"what happens to it when a person deletes the account"`
}

// Collection is a collection with what was left out filled in.
type Collection struct {
	Described
	Rights  []string `json:"rights"`  // fields that decide what a person may do and that anybody may write
	Expires bool     `json:"expires"` // a last day is given
}

// Rules is a file of rules of our own form.
type Rules struct {
	fact.Mark   `json:"-"`
	Regola      int64        `json:"regola" need:"the number of the format: regola: 1" doc:"the number of the format: 1"`
	Default     string       `json:"default" need:"what holds where nothing is written: deny or allow" enum:"deny|allow" doc:"what holds where nothing is written"`
	Collections []*Described `json:"collections" need:"the collections" doc:"the collections"`
}

// FromRules fills in what a description leaves out.
func FromRules(r *Rules, names *tables.BackendNames) *Backend {
	out := &Backend{Given: true, Default: r.Default}
	out.SetSelf(r.Self())
	fact.Put(out, &out.Default, fact.PlaceOf(r, &r.Default))
	for _, d := range r.Collections {
		c := &Collection{Described: *d}
		out.Collections = append(out.Collections, c)
		out.hold(c.Holds, c.Name, c.Self())
		fill := func(v *string, with string) {
			if *v == "" {
				*v = with
			}
		}
		otherwise := "none"
		if r.Default == "allow" {
			otherwise = "anyone"
		}
		wider := c.Get
		if width(c.List) > width(wider) {
			wider = c.List
		}
		fill(&c.Read, wider)
		for _, v := range []*string{&c.Read, &c.Create, &c.Update, &c.Delete} {
			fill(v, otherwise)
		}
		fill(&c.Get, c.Read)
		fill(&c.List, c.Read)
		c.Expires = c.Until != nil
		for _, f := range c.Fields {
			if names != nil && names.Rights.Match(strings.ToLower(f)) && !slices.Contains(c.Immutable, f) && !slices.Contains(c.ServerOnly, f) {
				c.Rights = append(c.Rights, f)
			}
		}
	}
	return out
}

// width orders who may do something, from narrow to wide.
func width(who string) int {
	return slices.Index([]string{"none", "server", "owner", "member", "signed-in", "anyone"}, who)
}
