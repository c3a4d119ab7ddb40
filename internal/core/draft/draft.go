// Package draft writes a dossier to fill in, as far as packages already tell it.
// The form follows the dossier's own types, so that no question is forgotten:
// what is known is written, everything else is a comment that says what the
// answer means. Nothing is guessed: what evidence suggests stays a comment until
// a person writes it.
package draft

import (
	"cmp"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/origin"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/tables"
)

// Known is what is known of an app before anybody wrote a dossier.
type Known struct {
	Name     string
	Language string            // the default one
	Assumed  bool              // the language is an assumption
	Version  string            // of the release
	IDs      map[string]string // by the store's key
	Packages map[string]string // paths relative to the dossier, by the store's key
	Outside  map[string]string // those that lie outside its folder, which are named in the call
	Names    map[string]string // of the app, by language
	Brought  []string          // languages that only third-party code brings, or that no store has
	Answers  map[string]string // by path, such as answers.encryption.uses_non_exempt
	Evidence []*evidence.Evidence

	Full      bool               // every key is written, also those that nobody asks for
	Texts     []*tables.PageText // of the stores' pages, with those that they need
	Questions []*check.Question  // what a person must confirm
}

// Of gathers what packages tell. keys are the stores' keys, by platform. t says whose the
// languages are and which of them stores have; without it all are the app's.
func Of(pkgs []*facts.Package, keys map[string]string, paths map[string]string, t *tables.Set) *Known {
	k := &Known{IDs: map[string]string{}, Packages: map[string]string{}, Names: map[string]string{}, Answers: map[string]string{}}
	for _, p := range pkgs {
		key := keys[p.Platform()]
		k.IDs[key] = p.ID()
		if path := paths[p.File]; path != "" {
			k.Packages[key] = path
		}
		k.Version = cmp.Or(k.Version, p.Version())
		switch {
		case p.IOS != nil:
			info := p.IOS.App.Info
			k.Language = cmp.Or(tag(info.DevelopmentRegion), k.Language)
			k.name("", info.Name)
			for _, l := range k.languagesOf(p, t) {
				k.name(l, cmp.Or(p.IOS.Translations.Names[l], info.Name))
			}
			if info.Encryption != nil {
				k.Answers["answers.encryption.uses_non_exempt"] = fmt.Sprint(*info.Encryption)
			}
		case p.Android != nil:
			label := p.Android.Resources.Label
			if label == nil {
				label = &facts.Text{}
			}
			k.name("", label.Default)
			for _, l := range k.languagesOf(p, t) {
				k.name(l, cmp.Or(label.Locales[l], label.Default))
			}
		}
	}
	return k
}

// languagesOf are the languages of the app itself for which a store has a page.
func (k *Known) languagesOf(p *facts.Package, t *tables.Set) (out []string) {
	own, brought := origin.Of(p, t).Locales()
	left := slices.Collect(maps.Keys(brought))
	for _, l := range own {
		if t == nil || len(t.Locales) == 0 || l == "Base" || slices.ContainsFunc(t.Locales, func(r *tables.Locale) bool { return t.StoreCode(r.Store, l) != "" }) {
			out = append(out, l)
		} else {
			left = append(left, l)
		}
	}
	for _, l := range left {
		if !slices.Contains(k.Brought, tag(l)) {
			k.Brought = append(k.Brought, tag(l))
		}
	}
	slices.Sort(k.Brought)
	return out
}

// name remembers the app's name in a language; "" is for the default one.
func (k *Known) name(language, name string) {
	if strings.HasPrefix(name, "@") || strings.HasPrefix(name, "$(") {
		name = "" // a reference that nobody resolved
	}
	if language == "" {
		k.Name = cmp.Or(k.Name, name)
		return
	}
	if l := tag(language); l != "" && l != "Base" {
		k.Names[l] = cmp.Or(k.Names[l], name)
	}
}

// tag is a language as dossiers write it.
func tag(s string) string { return strings.ReplaceAll(s, "_", "-") }

// Languages lists the languages of the page, the default one first. One that is
// the default in another spelling (en beside en-GB) is left out.
func (k *Known) Languages() []string {
	out := []string{k.Language}
	base, _, _ := strings.Cut(k.Language, "-")
	for _, l := range slices.Sorted(maps.Keys(k.Names)) {
		if l != k.Language && l != base {
			out = append(out, l)
		}
	}
	return out
}

// Settle fills in what must stand in a dossier.
func (k *Known) Settle(name, language string) {
	k.Name = cmp.Or(name, k.Name)
	k.Language = cmp.Or(language, k.Language)
	if k.Language == "" {
		k.Language, k.Assumed = "en-US", true
	}
	if k.Name == "" {
		for _, l := range k.Languages() {
			k.Name = cmp.Or(k.Name, k.Names[l])
		}
	}
}

// File is one file of the draft.
type File struct {
	Path string
	Text string
}

// Words are the vocabularies of the dossier, by name.
type Words map[string][]string

// Files writes the draft. duties are what the stores ask: those that are open
// mark the lines that answer them. Marked lists their paths.
func (k *Known) Files(duties []*check.Duty, stores []string, words Words) (files []File, marked []string) {
	w := &writer{known: k, stores: stores, words: words, duties: map[string]*check.Duty{}}
	for _, d := range duties {
		path := d.Write
		if strings.HasPrefix(path, "answers.content.") {
			path = "answers.content"
		}
		if d.State != check.Done && path != "" && w.duties[path] == nil {
			w.duties[path] = d
		}
	}
	w.line("# What goes to the stores. Editors that know JSON Schema complete this file with the")
	w.line("# output of: regola schema dossier > dossier.schema.json")
	w.line("# yaml-language-server: $schema=dossier.schema.json")
	w.line("#")
	w.line("# A line that begins with # is an open question: remove the # and write the answer.")
	w.line("# needed: a store asks it for this app. suggested: what the packages point to.")
	w.line("")
	w.line("regola: %d", dossier.Format)
	w.structure(dossier.Fields(), 0, k.Full)
	if !k.Full {
		w.line("")
		w.line("# A dossier has further keys, which nobody asks for now: regola explain KEY says what each")
		w.line("# means, and regola init --full writes them all.")
	}
	if len(k.Brought) > 0 {
		w.line("")
		w.line("# Languages without a page in listing/: only third-party code has texts in them, or no")
		w.line("# store has them: %s", strings.Join(k.Brought, ", "))
	}
	if len(k.Questions) > 0 {
		w.line("")
		w.line("# what no file can show: write it down when it was done for this version")
		w.line("# needed: to confirm")
		w.line("# confirmed:")
		for _, q := range k.Questions {
			w.line("#   # %s", q.Ask)
			w.line("#   - {what: %s, version: %s, by: …, on: YYYY-MM-DD}", q.What, scalar(cmp.Or(k.Version, "…")))
		}
	}
	if rest := w.rest(); rest != "" {
		w.line("")
		w.line("%s", strings.TrimSuffix(rest, "\n"))
	}
	files = append(files, File{dossier.FileName, w.String()})
	for i, l := range k.Languages() {
		files = append(files, File{"listing/" + l + ".yaml", k.listing(l, i == 0)})
	}
	return files, w.marked
}

type writer struct {
	strings.Builder
	known  *Known
	stores []string
	words  Words
	duties map[string]*check.Duty
	marked []string
}

func (w *writer) line(format string, args ...any) { fmt.Fprintf(w, format+"\n", args...) }

// wanted tells whether a field, or one below it, is known, needed or suggested.
func (w *writer) wanted(f *dossier.Field) bool {
	if w.duties[f.Path] != nil || w.known.value(f.Path) != "" || f.Path == "packages" || f.Path == "app.ids" {
		return true
	}
	try := &writer{known: w.known}
	try.suggest(f.Path, "")
	return try.Len() > 0 || !f.List && slices.ContainsFunc(f.In, w.wanted)
}

// structure writes the fields of the dossier, or of a block in it: with all, also those that
// nobody asks for.
func (w *writer) structure(fields []*dossier.Field, depth int, all bool) {
	indent := strings.Repeat("  ", depth)
	for _, f := range fields {
		if f.Tag.Get("draft") == "no" || f.Path == "listing" || !all && !w.wanted(f) || !w.known.Full && f.Tag.Get("free") != "" && !w.wanted(f) {
			continue
		}
		if depth == 0 {
			w.line("")
		}
		if !w.known.Full {
			w.short(f, indent, depth, all)
			continue
		}
		w.line("%s# %s", indent, f.Doc)
		below := all || w.duties[f.Path] != nil // what is needed as a block is needed with its keys
		w.needed(f.Path, indent)
		switch {
		case f.PerStore():
			w.perStore(f.Path, f.Name, indent)
		case f.Block() && !f.List:
			w.line("%s%s:", indent, f.Name)
			w.structure(f.In, depth+1, below)
		case w.known.value(f.Path) != "":
			w.line("%s%s: %s", indent, f.Name, w.known.value(f.Path))
			if f.Path == "app.default_locale" && w.known.Assumed {
				w.line("%s# suggested: English is assumed, since no package says it", indent)
			}
		default:
			w.open(f, indent)
		}
	}
}

// maxLine is up to which column a key and what it means stand on one line.
const maxLine = 110

// short writes a field in as few lines as it can be read in: what it means stands behind it
// where there is room, and behind an open one that a store asks for, that it is needed.
func (w *writer) short(f *dossier.Field, indent string, depth int, all bool) {
	d := w.duties[f.Path]
	below := all || d != nil
	needed := ""
	if d != nil {
		needed = mark(d)
		delete(w.duties, f.Path)
		w.marked = append(w.marked, f.Path)
	}
	above := func() {
		w.line("%s# %s", indent, f.Doc)
		if needed != "" {
			w.line("%s%s", indent, needed)
		}
	}
	// behind writes a line with the comment that belongs to it.
	behind := func(text string) {
		comment := "# " + f.Doc
		if needed != "" {
			comment = needed + ": " + f.Doc
		}
		if line := indent + text + "   " + comment; utf8.RuneCountInString(line) <= maxLine {
			w.line("%s", line)
			return
		}
		w.line("%s# %s", indent, f.Doc)
		if needed != "" {
			text += "   " + needed
		}
		w.line("%s%s", indent, text)
	}
	switch {
	case f.PerStore():
		above()
		w.perStore(f.Path, f.Name, indent)
	case f.Block() && !f.List:
		if needed != "" {
			w.line("%s%s", indent, needed)
		}
		w.line("%s%s:   # %s", indent, f.Name, f.Doc)
		w.structure(f.In, depth+1, below)
	case w.known.value(f.Path) != "":
		behind(f.Name + ": " + w.known.value(f.Path))
		if f.Path == "app.default_locale" && w.known.Assumed {
			w.line("%s# suggested: English is assumed, since no package says it", indent)
		}
	case f.Block(), f.Type.Kind() == reflect.Map:
		above()
		w.open(f, indent)
	default:
		behind("# " + f.Name + ": " + w.sample(f))
		w.suggest(f.Path, indent)
	}
}

// value is what is known of a field, as YAML.
func (k *Known) value(path string) string {
	switch path {
	case "app.name":
		return scalar(k.Name)
	case "app.default_locale":
		return scalar(k.Language)
	case "release.version":
		if k.Version == "" {
			return ""
		}
		return scalar(k.Version)
	}
	return k.Answers[path]
}

// perStore writes one line a store.
func (w *writer) perStore(path, name, indent string) {
	values := map[string]map[string]string{"app.ids": w.known.IDs, "packages": w.known.Packages}[path]
	if path == "packages" {
		for _, s := range w.stores {
			if out := w.known.Outside[s]; out != "" {
				w.line("%s# %s lies outside this folder: name it in the call, or put it here", indent, strconv.Quote(out))
			}
		}
	}
	if len(values) == 0 {
		w.line("%s# %s: {%s}", indent, name, strings.Join(each(w.stores, func(s string) string { return s + ": …" }), ", "))
		w.choices(indent, "categories", path == "app.category")
		return
	}
	w.line("%s%s:", indent, name)
	for _, s := range w.stores {
		if v := values[s]; v != "" {
			w.line("%s  %s: %s", indent, s, scalar(v))
		} else {
			w.line("%s  # %s: …", indent, s)
		}
	}
}

// choices points to the vocabularies of categories.
func (w *writer) choices(indent, prefix string, yes bool) {
	if !yes {
		return
	}
	var names []string
	for _, name := range slices.Sorted(maps.Keys(w.words)) {
		if strings.HasPrefix(name, prefix) && !strings.Contains(name, "/") {
			names = append(names, name)
		}
	}
	if len(names) > 0 {
		w.line("%s#   regola tables lists the words: %s", indent, strings.Join(names, ", "))
	}
}

// open writes a field that nobody answered, as a comment.
func (w *writer) open(f *dossier.Field, indent string) {
	switch {
	case f.Block():
		var fields []string
		for _, x := range f.In {
			fields = append(fields, x.Name+": "+w.sample(x))
		}
		if f.Tag.Get("asked") != "" {
			w.line("%s# %s: []   # none", indent, f.Name)
		}
		w.line("%s# %s:", indent, f.Name)
		w.line("%s#   - {%s}", indent, strings.Join(fields, ", "))
	case f.Type.Kind() == reflect.Map && !w.known.Full:
		w.line("%s# %s: {others: none}   # or some of them first; regola tables %s lists them", indent, f.Name, f.Tag.Get("words"))
	case f.Type.Kind() == reflect.Map:
		w.line("%s# %s:", indent, f.Name)
		for _, word := range w.words[f.Tag.Get("words")] {
			w.line("%s#   %s: …%s", indent, word, values(w.words[f.Tag.Get("words")+"/"+word]))
		}
		return
	default:
		w.line("%s# %s: %s", indent, f.Name, w.sample(f))
	}
	w.suggest(f.Path, indent)
}

func values(list []string) string {
	if len(list) == 0 {
		return ""
	}
	return "   # " + strings.Join(list, ", ")
}

// sample shows what an answer looks like.
func (w *writer) sample(f *dossier.Field) string {
	t := f.Type
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	if len(f.Enum) > 0 {
		return strings.Join(f.Enum, " | ")
	}
	text := "…"
	if words := w.words[f.Tag.Get("words")]; len(words) > 0 && len(words) <= 8 {
		text = strings.Join(words, " | ")
	}
	switch {
	case f.List:
		return "[" + text + "]"
	case t.Kind() == reflect.Bool:
		return "true | false"
	case t == reflect.TypeFor[day.Day]():
		return "YYYY-MM-DD"
	case t == reflect.TypeFor[dossier.Secret]():
		return "env:NAME"
	}
	return text
}

// needed marks a field for which a store asks.
func (w *writer) needed(path, indent string) {
	d := w.duties[path]
	if d == nil {
		return
	}
	delete(w.duties, path)
	w.marked = append(w.marked, path)
	w.line("%s%s", indent, mark(d))
}

func mark(d *check.Duty) string {
	text := "# needed: " + strings.Join(d.Stores, ", ")
	if d.Because != "" {
		text += ", because " + d.Because
	}
	switch d.Impact {
	case rulebook.Refused:
		text += "; refused without it"
	case rulebook.Blocked:
		text += "; blocked without it"
	}
	return text
}

// rest lists what is asked and answered elsewhere than in this file.
func (w *writer) rest() string {
	var b strings.Builder
	for _, path := range slices.Sorted(maps.Keys(w.duties)) {
		d := w.duties[path]
		w.marked = append(w.marked, path)
		fmt.Fprintf(&b, "%s: %s\n", mark(d), d.What)
	}
	return b.String()
}

// suggest says what third-party code points to.
func (w *writer) suggest(path, indent string) {
	seen := map[string]bool{}
	say := func(format string, args ...any) {
		if text := fmt.Sprintf(format, args...); !seen[text] {
			seen[text] = true
			w.line("%s# suggested: %s", indent, text)
		}
	}
	for _, e := range w.known.Evidence {
		for _, s := range e.SDKs {
			switch {
			case path == "answers.data" && len(s.Data) > 0:
				say("%s, because %s (%s) usually sends it", strings.Join(s.Data, ", "), s.ID, s.Kind)
			case path == "answers.ads" && s.Ads:
				say("true, because %s shows advertising", s.ID)
			case path == "answers.advertising_id.used" && s.AdvertisingID:
				say("true, because %s reads the advertising id", s.ID)
			}
		}
		for _, c := range e.Collected {
			if path == "answers.data" {
				say("%s, because a privacy manifest declares %s", strings.Join(c.Names, " or "), c.Type)
			}
		}
	}
}

// listing writes the texts of one language to fill in.
func (k *Known) listing(language string, first bool) string {
	w := &writer{}
	if first {
		w.line("# yaml-language-server: $schema=../listing.schema.json")
		w.line("# regola schema listing > listing.schema.json")
	}
	w.line("# The texts of the page in %s. An android: or ios: block in this file holds texts", language)
	w.line("# in which a store differs.")
	w.line("name: %s", scalar(cmp.Or(k.Names[language], k.Name)))
	for _, f := range dossier.FieldAt("listing").In {
		if f.Name == "name" {
			continue
		}
		w.line("")
		w.line("# %s", f.Doc)
		var stores []string
		for _, t := range k.Texts {
			if t.Text == f.Name && (t.Needed == "every" || t.Needed == "default" && first) {
				stores = append(stores, t.Store)
			}
		}
		if len(stores) > 0 {
			w.line("# needed: %s", strings.Join(stores, ", "))
		}
		switch {
		case f.Tag.Get("text") == dossier.Prose:
			w.line("# %s: |", f.Name)
			w.line("#   …")
		case f.List:
			w.line("# %s: […]", f.Name)
		case f.Type.Kind() == reflect.Map:
			w.line("# %s: {1-start.png: …}", f.Name)
		default:
			w.line("# %s: …", f.Name)
		}
	}
	return w.String()
}

// scalar is a text as YAML.
func scalar(s string) string {
	out, err := yaml.Marshal(s)
	if err != nil {
		return `""`
	}
	text := strings.TrimSuffix(string(out), "\n")
	if strings.Contains(text, "\n") {
		return fmt.Sprintf("%q", s)
	}
	return text
}

func each(list []string, f func(string) string) []string {
	out := make([]string, len(list))
	for i, s := range list {
		out[i] = f(s)
	}
	return out
}
