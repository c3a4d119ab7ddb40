// Package handout puts together what somebody types and uploads in a store for a release:
// texts with their counts, pictures in their order, answers in words, contacts, products and
// what the reviewer gets, in working order. Secrets appear as the names under which they are kept.
package handout

import (
	"cmp"
	"fmt"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"time"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/disclosure"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/core/textual"
)

// Store is what is handed to one store for one kind of device and circle of people.
type Store struct {
	Store   string // its id
	Channel string
	Form    string // the kind of device
	Package string // the file to upload; empty for none
	Parts   []*Part
}

// Part is one part of the work, such as the texts.
type Part struct {
	Title  string
	Groups []*Group
}

// Group is a part of a part: a language, a class of pictures, a product.
type Group struct {
	Title string // empty where the part has one alone
	Rows  []*Row
}

// Row is one thing to type or upload.
type Row struct {
	Key   string // the dossier's
	Label string // what it is, in words
	Value string
	Count int // characters of a text that has a limit
	Most  int // how many fit; 0 for no limit
	File  string
	Is    string // new or changed since the release before; empty when it is as it was, or nothing is known
}

// New and Changed are what a row is in comparison with the release before.
const (
	New     = "new"
	Changed = "changed"
)

// Input is what a sheet is made of.
type Input struct {
	*submission.Submission
	Now    *ledger.Release                   // this release, as the ledger would keep it
	Before *ledger.Release                   // the one before; nil for none
	Limit  func(name string) int             // the value of a limit of the store; 0 for none
	Count  func(text string) int             // how the store counts characters
	Shows  func(text string) bool            // the store's page has that text
	Asked  func(path string) bool            // the store asks for that key of the dossier
	Word   func(vocabulary, w string) string // what a word means; empty for nothing more
}

// Of makes the sheet of one store. Parts with nothing to do are left out.
func Of(in Input) *Store {
	s := &Store{Store: in.Store, Channel: in.Channel, Form: in.Form}
	if in.Pkg != nil {
		s.Package = in.Pkg.File
	}
	add := func(title string, groups ...*Group) {
		groups = slices.DeleteFunc(groups, func(g *Group) bool { return g == nil || len(g.Rows) == 0 })
		if len(groups) > 0 {
			s.Parts = append(s.Parts, &Part{title, groups})
		}
	}
	add("The app", in.app())
	add("Texts of the page", in.texts(in.Listing)...)
	for _, p := range in.Pages {
		add("Texts of the page "+p.ID+", for "+strings.Join(p.Countries, ", "), in.texts(p.Texts)...)
	}
	add("Pictures and films", in.pictures()...)
	add("Addresses", in.block("contact", in.Contact), in.block("links", in.Links))
	add("Answers", in.answers()...)
	add("Data", in.data()...)
	add("Content, for the age rating", in.content())
	add("What is sold", in.products()...)
	add("Events", in.events()...)
	add("The release", in.release(), in.notes())
	add("For the reviewer", in.block("review", in.Review))
	return s
}

// is compares a part with the release before.
func (in *Input) is(kind, key string) string {
	if in.Before == nil || in.Now == nil {
		return ""
	}
	return in.Now.Compared(in.Before, kind, key)
}

func (in *Input) app() *Group {
	if in.App == nil {
		return nil
	}
	g := &Group{}
	add := func(key, value string) {
		if value != "" {
			g.Rows = append(g.Rows, &Row{Key: "app." + key, Label: label("app." + key), Value: value})
		}
	}
	add("id", in.App.ID)
	add("default_locale", textual.LanguageName(in.App.DefaultLocale))
	add("kind", in.App.Kind)
	add("category", strings.Join(in.App.Category, ", "))
	if in.Asked("app.genres") {
		add("genres", strings.Join(in.App.Genres, ", "))
	}
	if in.Asked("app.tags") {
		add("tags", strings.Join(in.App.Tags, ", "))
	}
	add("price", in.App.Price)
	if in.Asked("app.copyright") {
		add("copyright", in.App.Copyright)
	}
	return g
}

// named are blocks whose keys say by themselves what they are.
var named = []string{"app", "listing", "contact", "links", "release", "products", "events", "review"}

// label is what a key of the dossier is, in words: its name, or the question that it answers,
// without what is said of how to answer it.
func label(path string) string {
	block, _, _ := strings.Cut(path, ".")
	f := dossier.FieldAt(path)
	if f == nil || f.Doc == "" || slices.Contains(named, block) {
		return strings.ReplaceAll(path[strings.LastIndexByte(path, '.')+1:], "_", " ")
	}
	return short(f.Doc)
}

// short is a question without what is said of how to answer it.
func short(doc string) string {
	for _, end := range []string{"; ", ": ", ", such as "} {
		doc, _, _ = strings.Cut(doc, end)
	}
	return doc
}

func (in *Input) texts(pages []*submission.Texts) (out []*Group) {
	for _, t := range pages {
		g := &Group{Title: textual.LanguageName(t.Locale) + " (" + cmp.Or(t.StoreCode, t.Locale) + ")"}
		t.Each(",", func(key, text string) {
			if text == "" || key == "release_notes" || !in.Shows(key) {
				return
			}
			g.Rows = append(g.Rows, in.text(t.Locale, key, text))
		})
		out = append(out, g)
	}
	return out
}

func (in *Input) text(locale, key, text string) *Row {
	return &Row{Key: "listing." + key, Label: label("listing." + key), Value: text, Count: in.Count(text), Most: in.Limit("longest_" + key), Is: in.is("text", locale+"/"+key)}
}

func (in *Input) notes() *Group {
	g := &Group{Title: "What is new"}
	for _, t := range in.Listing {
		if t.ReleaseNotes != "" {
			r := in.text(t.Locale, "release_notes", t.ReleaseNotes)
			r.Label = textual.LanguageName(t.Locale)
			g.Rows = append(g.Rows, r)
		}
	}
	return g
}

func (in *Input) pictures() (out []*Group) {
	if in.Pictures == nil {
		return nil
	}
	sets := slices.Clone(in.Pictures.Sets)
	first := func(s *pictures.Set) string {
		if s.Language == in.Pictures.DefaultLanguage {
			return "" // what all languages without pictures of their own show
		}
		return s.Language
	}
	slices.SortStableFunc(sets, func(a, b *pictures.Set) int { return cmp.Compare(first(a), first(b)) })
	for _, s := range sets {
		g := &Group{Title: s.Class}
		if s.Language != "" {
			g.Title = textual.LanguageName(s.Language) + ": " + s.Class
		}
		for i, f := range s.Files {
			r := &Row{Label: fmt.Sprintf("%d of %d", i+1, len(s.Files)), File: f, Is: in.is("picture", filepath.ToSlash(f))}
			if i < len(s.Items) {
				for _, t := range in.Listing {
					if alt := t.AltTexts[filepath.Base(f)]; alt != "" && t.Locale == s.Language {
						r.Value = alt
					}
				}
			}
			g.Rows = append(g.Rows, r)
		}
		out = append(out, g)
	}
	return out
}

// block lists what is written in a block of the dossier, as far as the store asks for it.
func (in *Input) block(path string, of fact.Marked) *Group {
	g := &Group{}
	v := reflect.ValueOf(of)
	if !v.IsValid() || v.IsNil() {
		return nil
	}
	if f := dossier.FieldAt(path); f != nil {
		in.rows(g, f.In, v.Elem())
	}
	return g
}

// apart are blocks that have parts of their own.
var apart = map[string]bool{"answers.data": true, "answers.content": true, "release.testing": true}

func (in *Input) rows(g *Group, fields []*dossier.Field, v reflect.Value) {
	for _, f := range fields {
		x := v.FieldByName(f.Go)
		if !x.IsValid() || apart[f.Path] {
			continue
		}
		if f.Block() && !f.List {
			if x.Kind() == reflect.Pointer {
				if x.IsNil() {
					continue
				}
				x = x.Elem()
			}
			in.rows(g, f.In, x)
			continue
		}
		if !in.Asked(f.Path) {
			continue
		}
		if f.Block() {
			for i := range x.Len() {
				one := &Group{}
				in.rows(one, f.In, reflect.Indirect(x.Index(i)))
				var parts []string
				for _, r := range one.Rows {
					parts = append(parts, r.Value)
				}
				if len(parts) > 0 {
					g.Rows = append(g.Rows, &Row{Key: f.Path, Label: label(f.Path), Value: strings.Join(parts, "; ")})
				}
			}
			continue
		}
		if value := in.words(f, x); value != "" {
			g.Rows = append(g.Rows, &Row{Key: f.Path, Label: label(f.Path), Value: value, Is: in.is("answer", f.Path)})
		}
	}
}

// words is a value as a person types it; empty when nothing is written.
func (in *Input) words(f *dossier.Field, v reflect.Value) string {
	if v.Kind() == reflect.Pointer {
		if v.IsNil() {
			return ""
		}
		v = v.Elem()
		if v.Kind() == reflect.Bool {
			return yesNo(v.Bool())
		}
	}
	switch x := v.Interface().(type) {
	case dossier.Secret:
		switch {
		case x.Ref != "":
			return "kept as " + x.Ref
		case x.Given:
			return "kept in the dossier, where no secret belongs"
		}
		return ""
	case day.Day:
		return x.Long()
	case time.Time:
		if x.IsZero() {
			return ""
		}
		return day.Long(x)
	case bool:
		if !x {
			return ""
		}
		return yesNo(x)
	case string:
		return in.word(f, x)
	case int64:
		if x == 0 {
			return ""
		}
		return fmt.Sprint(x)
	}
	switch v.Kind() {
	case reflect.Slice:
		if v.IsNil() {
			return ""
		}
		var parts []string
		for i := range v.Len() {
			parts = append(parts, in.word(f, fmt.Sprint(v.Index(i))))
		}
		return cmp.Or(strings.Join(parts, ", "), "none")
	case reflect.Map:
		var parts []string
		for _, k := range v.MapKeys() {
			parts = append(parts, fmt.Sprintf("%v: %v", k, v.MapIndex(k)))
		}
		slices.Sort(parts)
		return strings.Join(parts, "; ")
	case reflect.String:
		return in.word(f, v.String())
	}
	return ""
}

// word is a word of a vocabulary with what it means.
func (in *Input) word(f *dossier.Field, w string) string {
	if vocabulary := f.Tag.Get("words"); vocabulary != "" && w != "" {
		if means := in.Word(vocabulary, w); means != "" {
			return w + " (" + means + ")"
		}
	}
	return w
}

func yesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

// answers groups the answer sheet by its blocks.
func (in *Input) answers() (out []*Group) {
	if in.Answers == nil {
		return nil
	}
	f := dossier.FieldAt("answers")
	if f == nil {
		return nil
	}
	plain := &Group{}
	for _, x := range f.In {
		g := plain
		if x.Block() && !apart[x.Path] {
			g = &Group{Title: short(x.Doc)}
			out = append(out, g)
		}
		in.rows(g, []*dossier.Field{x}, reflect.ValueOf(in.Answers).Elem())
	}
	return append([]*Group{plain}, out...)
}

func (in *Input) data() (out []*Group) {
	d := in.Disclosure
	if d == nil || !d.Answered {
		return nil
	}
	whole := &Group{}
	if d.Encrypted != nil {
		whole.Rows = append(whole.Rows, &Row{Key: "answers.security", Label: "everything travels encrypted", Value: yesNo(*d.Encrypted)})
	}
	if len(d.Rows) == 0 {
		whole.Rows = append(whole.Rows, &Row{Key: "answers.data", Label: "data that leaves the device", Value: "none"})
	}
	out = append(out, whole)
	for _, r := range d.Rows {
		g := &Group{Title: r.Kind}
		for _, ask := range d.Asks {
			g.Rows = append(g.Rows, &Row{Key: "answers.data", Label: ask, Value: yesNo(asked(r, ask))})
		}
		g.Rows = append(g.Rows, &Row{Key: "answers.data", Label: "used for", Value: strings.Join(r.Purposes, ", ")})
		if r.Shared && len(r.SharedFor) > 0 {
			g.Rows = append(g.Rows, &Row{Key: "answers.data", Label: "handed on for", Value: strings.Join(r.SharedFor, ", ")})
		}
		out = append(out, g)
	}
	return out
}

// asked is what a kind of data is answered with.
func asked(r *disclosure.Row, ask string) bool {
	return map[string]bool{"shared": r.Shared, "required": r.Required, "kept": r.Kept, "linked": r.Linked, "tracking": r.Tracking}[ask]
}

func (in *Input) content() *Group {
	g := &Group{}
	if in.Rating == nil {
		return g
	}
	for _, q := range in.Rating.Questions {
		if said, known := in.Rating.Said(q.ID); known && said != "" {
			g.Rows = append(g.Rows, &Row{Key: "answers.content." + q.ID, Label: q.What, Value: said, Is: in.is("answer", "answers.content."+q.ID)})
		}
	}
	for _, l := range in.Rating.Labels {
		g.Rows = append(g.Rows, &Row{Label: "to be expected: " + l.Scheme, Value: l.Label})
	}
	return g
}

func (in *Input) products() (out []*Group) {
	f := dossier.FieldAt("products")
	if f == nil {
		return nil
	}
	for _, p := range in.Products {
		g := &Group{Title: p.ID}
		in.rows(g, f.In, reflect.ValueOf(p).Elem())
		out = append(out, g)
	}
	return out
}

func (in *Input) events() (out []*Group) {
	f := dossier.FieldAt("events")
	if f == nil || !in.Asked("events.id") && !in.Asked("events") {
		return nil
	}
	for _, x := range in.Events {
		g := &Group{}
		in.rows(g, f.In, reflect.ValueOf(x).Elem())
		out = append(out, g)
	}
	return out
}

func (in *Input) release() *Group {
	g := in.block("release", in.Release)
	if g == nil {
		g = &Group{}
	}
	g.Rows = slices.DeleteFunc(g.Rows, func(r *Row) bool { return r.Key == "release.countries" })
	if len(in.Countries) > 0 {
		g.Rows = append(g.Rows, &Row{Key: "release.countries", Label: "countries", Value: fmt.Sprintf("%d: %s", len(in.Countries), strings.Join(in.Countries, ", "))})
	}
	if in.Pkg != nil {
		g.Rows = append([]*Row{{Key: "packages", Label: "the package", Value: in.Pkg.Version() + " (" + in.Pkg.Build() + ")", File: in.Pkg.File}}, g.Rows...)
	}
	return g
}
