package tables

import (
	"encoding/json"
	"fmt"
	"maps"
	"reflect"
	"regexp"
	"regexp/syntax"
	"slices"
	"strings"
	"sync"
	"time"

	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/didyoumean"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/strictyaml"
)

// Dated is the days on which a row holds, both included. A nil one is no bound.
type Dated struct {
	From  *day.Day `json:"from"`
	Until *day.Day `json:"until"`
}

func (d Dated) inForce(on day.Day) bool { return on.Between(d.From, d.Until) }

// Regexp is a regular expression. It is checked when the table is read.
type Regexp string

// DecodeNode implements strictyaml.NodeDecoder.
func (r *Regexp) DecodeNode(d *strictyaml.Decoder, n *yaml.Node) {
	if n.Kind != yaml.ScalarNode {
		d.Fail(n, "write it as one text, in single quotes", "expected a regular expression")
		return
	}
	if _, err := syntax.Parse(n.Value, syntax.Perl); err != nil { // compiled when it is needed
		d.Fail(n, "correct it; the syntax is RE2's", "not a regular expression: %v", err)
		return
	}
	*r = Regexp(n.Value)
}

// compiled keeps the expressions of all tables: they are few, and every
// package is held against all of them.
var compiled sync.Map // Regexp → *expression

// expression is a compiled one, with what each match must hold: a quick look
// for these texts spares most files of a package the expression itself.
type expression struct {
	*regexp.Regexp
	needs  [][]string // of each list, one must be in the text
	suffix string     // with which the text must end
}

func (r Regexp) expression() *expression {
	x, ok := compiled.Load(r)
	if !ok {
		made := &expression{Regexp: regexp.MustCompile(string(r))} // checked when it was read
		if tree, err := syntax.Parse(string(r), syntax.Perl); err == nil {
			tree = tree.Simplify()
			made.needs = needs(tree)
			if n := len(tree.Sub); tree.Op == syntax.OpConcat && n > 1 && tree.Sub[n-1].Op == syntax.OpEndText && plain(tree.Sub[n-2]) {
				made.suffix = string(tree.Sub[n-2].Rune)
			}
		}
		x, _ = compiled.LoadOrStore(r, made)
	}
	return x.(*expression)
}

func plain(re *syntax.Regexp) bool {
	return re.Op == syntax.OpLiteral && re.Flags&syntax.FoldCase == 0
}

// needs lists what every match of an expression holds.
func needs(re *syntax.Regexp) [][]string {
	switch re.Op {
	case syntax.OpLiteral:
		if plain(re) {
			return [][]string{{string(re.Rune)}}
		}
	case syntax.OpCapture, syntax.OpPlus:
		return needs(re.Sub[0])
	case syntax.OpCharClass:
		return few(re.Rune)
	case syntax.OpConcat:
		var all [][]string
		for _, sub := range re.Sub {
			all = append(all, needs(sub)...)
		}
		return all
	case syntax.OpAlternate:
		var one []string
		for _, sub := range re.Sub {
			of := needs(sub)
			if len(of) == 0 {
				return nil
			}
			one = append(one, of[0]...)
		}
		return [][]string{one}
	}
	return nil
}

// few are the letters of a class, given as the pairs that bound its ranges; nil where they
// are more than is quicker to look for than the expression.
func few(pairs []rune) [][]string {
	const most = 12
	var one []string
	for i := 0; i < len(pairs); i += 2 {
		for c := pairs[i]; c <= pairs[i+1]; c++ {
			if one = append(one, string(c)); len(one) > most {
				return nil
			}
		}
	}
	return [][]string{one}
}

// Match tells whether a text matches.
func (r Regexp) Match(s string) bool {
	x := r.expression()
	if !strings.HasSuffix(s, x.suffix) {
		return false
	}
	for _, one := range x.needs {
		if !slices.ContainsFunc(one, func(t string) bool { return strings.Contains(s, t) }) {
			return false
		}
	}
	return x.MatchString(s)
}

// All lists where a text matches, at most so often, under some flags such as
// (?i).
func (r Regexp) All(flags, s string, most int) [][]int {
	return Regexp(flags+string(r)).expression().FindAllStringIndex(s, most)
}

// AllFold is All without regard to capitals. lower is the text in small letters, by which
// most expressions are known not to match.
func (r Regexp) AllFold(s, lower string, most int) [][]int {
	for _, one := range r.expression().needs {
		if !slices.ContainsFunc(one, func(t string) bool { return strings.Contains(lower, strings.ToLower(t)) }) {
			return nil
		}
	}
	return r.All("(?i)", s, most)
}

// Begins tells whether a text begins with a match, and where that ends.
func (r Regexp) Begins(s string) (end int, ok bool) {
	at := r.expression().FindStringIndex(s)
	if at == nil || at[0] != 0 {
		return 0, false
	}
	return at[1], true
}

// Set is all tables together.
type Set struct {
	Edition day.Day // the newest of the files
	Known
	Plain map[string][]map[string]any // tables without a type, by name
	days  sync.Map                    // day → *Set, with the rows of that day
}

// Parse reads one file of tables.
func Parse(file string, data []byte) (*Set, place.Problems) {
	y, ps := strictyaml.Parse(file, data)
	if len(ps) > 0 {
		return &Set{}, ps
	}
	return Decode(y)
}

// Decode is Parse for a document that is parsed already.
func Decode(y *strictyaml.Document) (*Set, place.Problems) {
	doc := &document{set: &Set{Plain: map[string][]map[string]any{}}}
	ps := y.Decode(doc)
	for _, n := range doc.set.PrivateNames {
		one := &Sign{}
		switch n.Kind {
		case "symbol":
			one.Symbols = []string{n.Name}
		case "class":
			one.Classes = []string{n.Name}
		default:
			one.Selectors = []string{n.Name}
		}
		n.Signs = []*Sign{one}
	}
	return doc.set, ps
}

// document reads the top of a file: the edition, and tables by their names.
type document struct {
	fact.Mark
	set *Set
}

// DecodeNode implements strictyaml.NodeDecoder.
func (t *document) DecodeNode(d *strictyaml.Decoder, n *yaml.Node) {
	if n.Kind != yaml.MappingNode {
		d.Fail(n, "write one key a table", "expected tables")
		return
	}
	known := reflect.ValueOf(&t.set.Known).Elem()
	names := strictyaml.Names(known.Type())
	seen := map[string]bool{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, val := n.Content[i], n.Content[i+1]
		if seen[key.Value] {
			d.Fail(key, "remove one of the two", "the table %q occurs twice", key.Value)
			continue
		}
		seen[key.Value] = true
		f := fieldNamed(known, key.Value)
		switch {
		case key.Value == "edition":
			d.Value(val, reflect.ValueOf(&t.set.Edition).Elem(), "")
		case f.IsValid():
			d.Value(val, f, "")
		case didyoumean.ByOneEdit(key.Value, names) != "": // a table of one's own has a name further off
			d.UnknownKey(key, names)
		case !tableName.MatchString(key.Value):
			d.Fail(key, "write small letters, digits and underscores", "this cannot be the name of a table")
		default:
			t.plain(d, key.Value, val)
		}
	}
}

var tableName = regexp.MustCompile(`^[a-z][a-z0-9_]{0,60}$`)

// plain reads a table without a type: a list of rows with keys and values.
func (t *document) plain(d *strictyaml.Decoder, name string, n *yaml.Node) {
	var rows []map[string]any
	d.Value(n, reflect.ValueOf(&rows).Elem(), "")
	for i, r := range rows {
		for _, k := range []string{"from", "until"} {
			if s, ok := r[k]; ok {
				if moment, ok := s.(time.Time); ok { // YAML knows days
					r[k] = day.Of(moment)
					continue
				}
				on, err := day.Parse(fmt.Sprint(s))
				if err != nil {
					d.Fail(n.Content[i], "write the day as 2026-11-23", "%s: %v", k, err)
					continue
				}
				r[k] = on
			}
		}
	}
	t.set.Plain[name] = rows
}

func fieldNamed(v reflect.Value, name string) reflect.Value {
	if i, ok := fieldIndex()[name]; ok {
		return v.FieldByIndex(i)
	}
	return reflect.Value{}
}

// fieldIndex is where each table stands in Known. Rules ask for tables at every
// item that they look at.
var fieldIndex = sync.OnceValue(func() map[string][]int {
	out := map[string][]int{}
	for _, f := range reflect.VisibleFields(reflect.TypeFor[Known]()) {
		if name := fact.FieldName(f); name != "" {
			out[name] = f.Index
		}
	}
	return out
})

// Add joins the tables of another file: lists grow, rows of maps with the same
// key are replaced.
func (s *Set) Add(more *Set) {
	under, over := reflect.ValueOf(&s.Known).Elem(), reflect.ValueOf(&more.Known).Elem()
	for i := range under.NumField() {
		u, o := under.Field(i), over.Field(i)
		switch {
		case o.IsZero():
		case o.Kind() == reflect.Map && !u.IsNil():
			for it := o.MapRange(); it.Next(); {
				u.SetMapIndex(it.Key(), it.Value())
			}
		case o.Kind() == reflect.Slice:
			u.Set(reflect.AppendSlice(u.Slice3(0, u.Len(), u.Len()), o))
		default:
			u.Set(o)
		}
	}
	if s.Plain == nil {
		s.Plain = map[string][]map[string]any{}
	}
	for name, rows := range more.Plain {
		s.Plain[name] = append(slices.Clip(s.Plain[name]), rows...)
	}
	if more.Edition.After(s.Edition.Time) {
		s.Edition = more.Edition
	}
}

// Clone is a set that can be added to without changing this one.
func (s *Set) Clone() *Set {
	c := &Set{Edition: s.Edition, Known: s.Known, Plain: maps.Clone(s.Plain)}
	v := reflect.ValueOf(&c.Known).Elem()
	for i := range v.NumField() {
		if f := v.Field(i); f.Kind() == reflect.Map && !f.IsNil() {
			m := reflect.MakeMapWithSize(f.Type(), f.Len())
			for it := f.MapRange(); it.Next(); {
				m.SetMapIndex(it.Key(), it.Value())
			}
			f.Set(m)
		}
	}
	return c
}

// On is the set with the rows that are in force on a day.
func (s *Set) On(on day.Day) *Set {
	if s == nil {
		return &Set{}
	}
	if c, ok := s.days.Load(on); ok {
		return c.(*Set)
	}
	c := &Set{Edition: s.Edition, Known: s.Known, Plain: map[string][]map[string]any{}}
	v := reflect.ValueOf(&c.Known).Elem()
	for i := range v.NumField() {
		keepInForce(v.Field(i), on)
	}
	for name, rows := range s.Plain {
		c.Plain[name] = []map[string]any{} // a table without a row of the day is empty, not absent
		for _, r := range rows {
			from, _ := r["from"].(day.Day)
			until, bounded := r["until"].(day.Day)
			if !on.Before(from.Time) && (!bounded || !on.After(until.Time)) {
				c.Plain[name] = append(c.Plain[name], r)
			}
		}
	}
	s.days.Store(on, c)
	return c
}

// keepInForce drops the rows of a table that do not hold on a day. A table of
// which all rows hold, the usual case, is left as it is.
func keepInForce(f reflect.Value, on day.Day) {
	ok := func(row reflect.Value) bool {
		d, dated := row.Interface().(interface{ inForce(day.Day) bool })
		return !dated || d.inForce(on)
	}
	switch f.Kind() {
	case reflect.Slice:
		for i := range f.Len() {
			if ok(f.Index(i)) {
				continue
			}
			kept := reflect.MakeSlice(f.Type(), 0, f.Len())
			for j := range f.Len() {
				if ok(f.Index(j)) {
					kept = reflect.Append(kept, f.Index(j))
				}
			}
			f.Set(kept)
			return
		}
	case reflect.Map:
		var gone []reflect.Value
		for it := f.MapRange(); it.Next(); {
			if !ok(it.Value()) {
				gone = append(gone, it.Key())
			}
		}
		if len(gone) == 0 {
			return
		}
		m := reflect.MakeMap(f.Type())
		for it := f.MapRange(); it.Next(); {
			m.SetMapIndex(it.Key(), it.Value())
		}
		for _, k := range gone {
			m.SetMapIndex(k, reflect.Value{})
		}
		f.Set(m)
	}
}

// Names lists the tables, those with a type first.
func (s *Set) Names() []string {
	names := strictyaml.Names(reflect.TypeFor[Known]())
	return append(names, slices.Sorted(maps.Keys(s.Plain))...)
}

// Get is one table: a list or a map of rows, or nil when there is none of the
// name.
func (s *Set) Get(name string) any {
	if f := fieldNamed(reflect.ValueOf(&s.Known).Elem(), name); f.IsValid() {
		return f.Interface()
	}
	if rows, ok := s.Plain[name]; ok {
		return rows
	}
	return nil
}

// Vocabulary is the words of a list of the dossier's, or the keys of a table,
// sorted by name where the table has no order. It is empty for any other name.
func (s *Set) Vocabulary(name string) []*Word {
	if words := s.Words[name]; words != nil {
		return words
	}
	if name == "regional" { // what a store asks; of what the law alone asks nobody wants an answer
		var out []*Word
		for _, r := range s.Regional {
			if len(r.AskedBy) > 0 {
				out = append(out, &Word{Word: r.ID, What: strings.Join(r.Countries, ", ") + ", " + r.For + ": " + r.What})
			}
		}
		return out
	}
	f := fieldNamed(reflect.ValueOf(&s.Known).Elem(), name)
	if !f.IsValid() || f.Kind() != reflect.Map {
		return nil
	}
	var out []*Word
	for _, k := range slices.Sorted(maps.Keys(keysOf(f))) {
		w := &Word{Word: k}
		if v := reflect.Indirect(f.MapIndex(reflect.ValueOf(k))); v.Kind() == reflect.Struct {
			if what := v.FieldByName("What"); what.IsValid() {
				w.What = what.String()
			}
		}
		out = append(out, w)
	}
	return out
}

func keysOf(m reflect.Value) map[string]bool {
	out := map[string]bool{}
	for _, k := range m.MapKeys() {
		out[k.String()] = true
	}
	return out
}

// Vocabularies are the lists of words that a dossier keeps to, by name.
func (s *Set) Vocabularies() map[string][]string {
	out := map[string][]string{"country_groups": slices.Sorted(maps.Keys(s.CountryGroups))}
	for _, name := range append(slices.Collect(maps.Keys(s.Words)), "data_types", "restricted", "regional") {
		for _, w := range s.Vocabulary(name) {
			out[name] = append(out[name], w.Word)
			if len(w.Values) > 0 {
				out[name+"/"+w.Word] = w.Values
			}
		}
	}
	return out
}

// Rows are the tables as their files hold them, by name: a list of rows, or rows by their
// key. Fields that say nothing are left out.
func (s *Set) Rows() map[string]any {
	out := map[string]any{}
	v := reflect.ValueOf(s.Known)
	for i := range v.NumField() {
		f := v.Field(i)
		if f.IsZero() {
			continue
		}
		data, err := json.Marshal(f.Interface())
		if err != nil {
			continue // nothing in a table is of a kind that JSON does not know
		}
		var x any
		if json.Unmarshal(data, &x) == nil {
			out[fact.FieldName(v.Type().Field(i))] = said(x)
		}
	}
	return out
}

// said leaves out of a value what is empty.
func said(x any) any {
	switch x := x.(type) {
	case map[string]any:
		for k, v := range x {
			if v = said(v); v == nil || v == "" || v == false || v == 0.0 {
				delete(x, k)
			} else {
				x[k] = v
			}
		}
		if len(x) == 0 {
			return nil
		}
	case []any:
		for i := range x {
			x[i] = said(x[i])
		}
		if len(x) == 0 {
			return nil
		}
	}
	return x
}

// LimitTitle is what a limit is, in words; its name where no table says it.
func (s *Set) LimitTitle(name string) string {
	if s != nil && s.LimitTitles[name] != "" {
		return s.LimitTitles[name]
	}
	return strings.ReplaceAll(name, "_", " ")
}
