package editor

import (
	"fmt"
	"path/filepath"
	"reflect"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/cursor"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/late"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/view"
)

// rules are the built-in rules and those of a dossier's own.
func (e *Editor) rules(folder string) []*rulebook.Rule {
	rules, err := e.src.Rules()
	if err != nil {
		return nil // judging reports it
	}
	r, err := e.judge()
	if err != nil || folder == "" {
		return rules
	}
	d, _ := r.Dossier(folder)
	if d == nil {
		return rules
	}
	rules = slices.Clip(rules)
	for _, name := range d.Rulebooks {
		if file, problem := d.Inside(name); problem == nil {
			if b, ps := run.ReadBook(e.src.Lib, file); len(ps) == 0 {
				rules = append(rules, b.Rules...)
			}
		}
	}
	return rules
}

func find(rules []*rulebook.Rule, id string) *rulebook.Rule {
	if i := slices.IndexFunc(rules, func(r *rulebook.Rule) bool { return r.ID == id }); i >= 0 {
		return rules[i]
	}
	return nil
}

var steps = late.Regexp(`\[\d+\]`)

// Hover says in Markdown what stands at a place; empty for nothing.
func (e *Editor) Hover(file string, doc []byte, line, column int) string {
	s := cursor.At(doc, line, column)
	switch KindOf(file, doc) {
	case Dossier:
		return e.hoverKey(file, s, steps().ReplaceAllString(s.Dotted(), ""))
	case Listing:
		if len(s.Path) > 0 && !s.Text || s.Key == "" && !s.Text {
			return ""
		}
		key := s.Key
		if s.Text {
			key = s.Path[0]
		}
		text := e.hoverKey(file, cursor.Spot{InKey: true}, "listing."+key)
		if rooms := e.rooms(doc, key); len(rooms) > 0 {
			for _, x := range rooms {
				text += fmt.Sprintf("\n- %s: %d characters", x.Store, x.Count)
				if x.Most > 0 {
					text += fmt.Sprintf(" of %d", x.Most)
				}
				if x.Shown > 0 && x.Shown < x.Count {
					text += fmt.Sprintf("; about %d are shown before it is cut", x.Shown)
				}
			}
		}
		return text
	case Book:
		return hoverCEL(lineOf(doc, line), column)
	}
	return ""
}

// hoverKey says what a key means, or a word of its vocabulary, or a rule that is named.
func (e *Editor) hoverKey(file string, s cursor.Spot, path string) string {
	if key := path[strings.LastIndexByte(path, '.')+1:]; !s.InKey && (key == "rule" || key == "confirmed" || key == "what") {
		rules := e.rules(Folder(file))
		r := find(rules, s.Word)
		if i := slices.IndexFunc(rules, func(r *rulebook.Rule) bool { return r.Confirm != "" && r.Confirm == s.Word }); i >= 0 {
			r = rules[i]
		}
		if r != nil {
			return ruleText(r)
		}
	}
	f := dossier.FieldAt(path)
	if f == nil {
		return ""
	}
	if !s.InKey && s.Word != "" {
		for _, w := range e.vocabulary(f) {
			if w.word == s.Word && w.means != "" {
				return "**" + w.word + "**: " + w.means
			}
		}
	}
	text := "**" + f.Path + "**\n\n" + f.Doc + "\n"
	for _, k := range e.keys() {
		if k.Path != f.Path {
			continue
		}
		for _, r := range k.Asks {
			text += fmt.Sprintf("\n- asked by %s: %s (`%s`)", storeOf(r), r.Title, r.ID)
		}
		if len(k.Asks) == 0 && len(k.Reads) > 0 {
			text += fmt.Sprintf("\n- held against by `%s`", k.Reads[0].ID)
		}
	}
	if list := e.vocabulary(f); s.InKey && len(list) > 0 && len(list) <= 12 {
		text += "\n"
		for _, w := range list {
			text += "\n- `" + w.word + "`"
			if w.means != "" {
				text += ": " + w.means
			}
		}
	}
	return text
}

// ruleText says what a rule is about.
func ruleText(r *rulebook.Rule) string {
	text := "**" + r.Title + "** (`" + r.ID + "`)\n\n" + report.PlainTemplate(r.Why)
	if r.Fix.Src != "" {
		text += "\n\nFix: " + report.PlainTemplate(r.Fix.Src)
	}
	return text
}

func storeOf(r *rulebook.Rule) string {
	if r.Book.Store == rulebook.All {
		return "both stores"
	}
	return "the " + r.Book.Store + " store"
}

// rooms are what the stores take of a text of a page.
func (e *Editor) rooms(doc []byte, key string) []run.Room {
	r, err := e.judge()
	if err != nil {
		return nil
	}
	var all map[string]any
	if yaml.Unmarshal(doc, &all) != nil {
		return nil
	}
	text, ok := all[key].(string)
	if list, is := all[key].([]any); is {
		var words []string
		for _, w := range list {
			words = append(words, fmt.Sprint(w))
		}
		text, ok = strings.Join(words, ","), true
	}
	if !ok {
		return nil
	}
	rooms, err := r.Rooms(key, strings.TrimSuffix(text, "\n"))
	if err != nil {
		return nil
	}
	return rooms
}

// Hint is a note at the end of a line.
type Hint struct {
	Line, Column int
	Text         string
}

// Hints tells of each text of a page how much room is left, in the store that takes least.
func (e *Editor) Hints(file string, doc []byte) (out []Hint) {
	if KindOf(file, doc) != Listing {
		return nil
	}
	for _, s := range cursor.Outline(doc) {
		left, most := 0, 0
		for _, x := range e.rooms(doc, s.Name) {
			if x.Most > 0 && (most == 0 || x.Most-x.Count < left) {
				left, most = x.Most-x.Count, x.Most
			}
		}
		if most == 0 {
			continue
		}
		text := fmt.Sprintf("%d of %d left", left, most)
		if left < 0 {
			text = fmt.Sprintf("%d more than %d", -left, most)
		}
		out = append(out, Hint{s.Line, len([]rune(lineOf(doc, s.Line))) + 1, text})
	}
	return out
}

// word is a word that can be written, and what it means.
type word struct{ word, means string }

// vocabulary is what a field takes.
func (e *Editor) vocabulary(f *dossier.Field) (out []word) {
	for _, w := range f.Enum {
		if w != "" {
			out = append(out, word{w, ""})
		}
	}
	set, err := e.src.Lib.Tables()
	if name := f.Tag.Get("words"); name != "" && err == nil {
		for _, w := range set.Vocabulary(name) {
			out = append(out, word{w.Word, w.What})
		}
	}
	if t := f.Type; t.Kind() == reflect.Bool || t.Kind() == reflect.Pointer && t.Elem().Kind() == reflect.Bool {
		out = append(out, word{"true", ""}, word{"false", ""})
	}
	return out
}

// Item is something that can stand at a place.
type Item struct {
	Label  string
	Detail string
	Insert string // what is written
	Key    bool   // it is a key
}

// Complete lists what can stand at a place, and the columns of the word whose place it takes.
func (e *Editor) Complete(file string, doc []byte, line, column int) (items []Item, from, to int) {
	s := cursor.At(doc, line, column)
	if s.Text {
		return nil, 0, 0
	}
	switch KindOf(file, doc) {
	case Dossier:
		items = e.completeKey(file, s, dossier.Fields(), nil)
	case Listing:
		if f := dossier.FieldAt("listing"); f != nil {
			items = e.completeKey(file, s, f.In, []string{"listing"})
		}
	case Book:
		if items, from, to = completeCEL(s, lineOf(doc, line), column); items != nil {
			return items, from, to
		}
		items = bookKeys(s)
	}
	return items, s.From, s.To
}

func (e *Editor) completeKey(file string, s cursor.Spot, fields []*dossier.Field, under []string) (out []Item) {
	path := strings.Join(append(under, s.Path...), ".")
	path = steps().ReplaceAllString(strings.ReplaceAll(path, ".[", "["), "")
	f := dossier.FieldAt(path)
	if path == "" || f != nil && f.Path == path && f.Block() {
		if path != "" {
			fields = f.In
		}
		if s.InKey {
			for _, x := range fields {
				if path == "" && x.Name == "listing" || slices.Contains(s.Have, x.Name) {
					continue
				}
				insert := x.Name + ": "
				if x.Block() && len(s.Path) == 0 {
					insert = x.Name + ":\n  "
				}
				out = append(out, Item{x.Name, firstOf(x.Doc), insert, true})
			}
			return out
		}
	}
	full := strings.Trim(path+"."+s.Key, ".")
	if f = dossier.FieldAt(full); f == nil || f.Path != full && !strings.HasPrefix(full, f.Path) {
		return nil
	}
	switch {
	case f.Name == "rule" || f.Name == "what":
		for _, r := range e.rules(Folder(file)) {
			if f.Name == "rule" {
				out = append(out, Item{r.ID, r.Title, r.ID, false})
			} else if r.Confirm != "" && !slices.ContainsFunc(out, func(i Item) bool { return i.Label == r.Confirm }) {
				out = append(out, Item{r.Confirm, r.Title, r.Confirm, false})
			}
		}
		return out
	case f.Type.Kind() == reflect.Map && s.InKey: // answers.content: the questions are its keys
		for _, w := range e.vocabulary(f) {
			if !slices.Contains(s.Have, w.word) {
				out = append(out, Item{w.word, w.means, w.word + ": ", true})
			}
		}
		return out
	}
	for _, w := range e.vocabulary(f) {
		out = append(out, Item{w.word, w.means, w.word, false})
	}
	return out
}

func firstOf(doc string) string {
	first, _, _ := strings.Cut(doc, "; ")
	return first
}

// bookKeys are the keys of a rulebook.
func bookKeys(s cursor.Spot) (out []Item) {
	if !s.InKey {
		return nil
	}
	t := reflect.TypeFor[rulebook.Book]()
	if len(s.Path) >= 2 && s.Path[0] == "rules" {
		t = reflect.TypeFor[rulebook.Rule]()
		for _, step := range s.Path[2:] {
			switch step {
			case "basis":
				t = reflect.TypeFor[rulebook.Basis]()
			case "duty":
				t = reflect.TypeFor[rulebook.Duty]()
			case "raise":
				t = reflect.TypeFor[rulebook.Raise]()
			case "examples":
				t = reflect.TypeFor[rulebook.Example]()
			case "edits":
				t = reflect.TypeFor[rulebook.Edit]()
			case "given":
				return nil
			}
		}
	} else if len(s.Path) > 0 {
		return nil
	}
	for _, f := range reflect.VisibleFields(t) {
		name := fact.RuleName(f)
		if name == "" || slices.Contains(s.Have, name) || !slices.Contains(strictyaml.Names(t), name) {
			continue
		}
		out = append(out, Item{name, f.Tag.Get("need"), name + ": ", true})
	}
	return out
}

// conditions are the keys of a rule whose values are conditions, or texts with conditions.
var conditions = []string{"when", "each", "faults", "expect", "at", "say", "seen", "fix", "ask", "what", "because", "write", "of", "to", "impact"}

var celWord = late.Regexp(`[A-Za-z_][\w.\[\]]*$`)

// celAt is the name in a condition that ends or lies at a column.
func celAt(text string, column int) (name string, from int) {
	runes := []rune(text)
	before := string(runes[:min(len(runes), max(0, column-1))])
	name = celWord().FindString(before)
	return name, len([]rune(before)) - len([]rune(name)) + 1
}

// completeCEL lists the fields and functions of a condition; nil outside of one.
func completeCEL(s cursor.Spot, text string, column int) (out []Item, from, to int) {
	if s.InKey || !slices.Contains(conditions, s.Key) || len(s.Path) == 0 || s.Path[0] != "rules" {
		return nil, 0, 0
	}
	name, from := celAt(text, column)
	for _, g := range view.RuleFields() {
		for _, f := range g.Fields {
			if strings.HasPrefix(f.Path, name) {
				out = append(out, Item{f.Path, f.Type, f.Path, false})
			}
		}
	}
	for _, f := range view.RuleFunctions() {
		if call, _, _ := strings.Cut(f.Signature, "("); strings.HasPrefix(call, name) {
			out = append(out, Item{call, f.Signature + ": " + f.Doc, call + "(", false})
		}
	}
	return out[:min(len(out), 400)], from, column
}

// hoverCEL says what a field or a function of a condition is.
func hoverCEL(text string, column int) string {
	runes := []rune(text)
	end := min(max(0, column-1), len(runes))
	for end < len(runes) && (runes[end] == '_' || runes[end] == '.' || runes[end] >= '0' && runes[end] <= '9' || runes[end] >= 'a' && runes[end] <= 'z') {
		end++
	}
	name, _ := celAt(text, end+1)
	if name == "" {
		return ""
	}
	for _, f := range view.RuleFunctions() {
		if call, _, _ := strings.Cut(f.Signature, "("); call == name {
			return "`" + f.Signature + "`\n\n" + f.Doc
		}
	}
	for _, g := range view.RuleFields() {
		for _, f := range g.Fields {
			if f.Path == name {
				return "`" + f.Path + "`: " + f.Type
			}
		}
	}
	return ""
}

// Definition is where what stands at a place is declared; zero when it is nowhere in a file.
func (e *Editor) Definition(file string, doc []byte, line, column int) place.Place {
	folder := Folder(file)
	if KindOf(file, doc) != Dossier || folder == "" {
		return place.Place{}
	}
	s := cursor.At(doc, line, column)
	path := steps().ReplaceAllString(s.Dotted(), "")
	switch {
	case s.InKey:
		return place.Place{}
	case s.Key == "rule":
		if r := find(e.rules(folder), s.Word); r != nil {
			if at := r.Self(); filepath.IsAbs(at.File) || ReadFile(at.File) != nil {
				return at
			}
		}
	case path == "base":
		return fileAt(filepath.Join(folder, filepath.FromSlash(value(doc, line)), dossier.FileName))
	}
	r, err := e.judge()
	if err != nil {
		return place.Place{}
	}
	d, _ := r.Dossier(folder)
	if d == nil {
		return place.Place{}
	}
	if inside, problem := d.Inside(s.Word); s.Word != "" && problem == nil {
		if at := fileAt(inside); at.File != "" {
			return at // a file that the dossier names
		}
	}
	f := dossier.FieldAt(path)
	if f == nil || f.Tag.Get("words") == "" {
		return place.Place{}
	}
	for _, name := range d.Tables {
		own, problem := d.Inside(name)
		if problem != nil {
			continue
		}
		if set, ps := run.ReadTables(own); len(ps) == 0 {
			for _, w := range set.Vocabulary(f.Tag.Get("words")) {
				if w.Word == s.Word {
					return w.Self()
				}
			}
		}
	}
	return place.Place{}
}

// value is what stands behind the colon of a line.
func value(doc []byte, line int) string {
	_, v, _ := strings.Cut(lineOf(doc, line), ":")
	v, _, _ = strings.Cut(v, " #")
	return strings.Trim(strings.TrimSpace(v), `"'`)
}

// fileAt is the beginning of a file; zero when it is none that people write.
func fileAt(file string) place.Place {
	if !text(file) || ReadFile(file) == nil {
		return place.Place{}
	}
	return place.Place{File: file, Line: 1, Column: 1}
}
