package android

import (
	"fmt"
	"path"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/protores"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/core/format/restable"
	"regola.example/regola/internal/core/place"
)

// loadTable reads the resource table. One that cannot be read loses
// everything that rests on it.
func (r *reader) loadTable() {
	name := "resources.arsc"
	if r.bundle {
		name = r.root + "resources.pb"
	}
	at := place.Place{File: r.file, Entry: name}
	res := &r.out.Resources
	res.SetSelf(at)
	if r.tree.Get(name) == nil {
		r.noTable = fact.Missing("the package has no resource table")
		return
	}
	data, err := r.tree.Read(name, 0)
	if err == nil {
		if r.bundle {
			r.table, err = protores.ParseTable(data, r.tree.Budget)
		} else {
			r.table, err = restable.Parse(data, r.tree.Budget)
		}
	}
	if err != nil {
		r.table = nil // an interface that holds a nil pointer is not nil
		r.noTable = fact.Unread(name + " cannot be read: " + err.Error())
		r.noTable.At = at
		fact.LoseAll(res, r.noTable, &res.Densities)
		return
	}
	for _, l := range r.table.Locales() {
		if l != "" && !resource.Pseudo(l) {
			res.Locales = append(res.Locales, l)
		}
	}
	res.StringsWithoutDefault = r.table.Orphans()
	for _, l := range r.table.Strings() {
		if resource.Pseudo(l.Locale) {
			continue
		}
		ls := &facts.LocaleStrings{Locale: l.Locale, Count: int64(l.Count), Missing: int64(l.Missing), Names: l.Names, Has: l.Has}
		ls.SetSelf(place.Place{File: r.file, Entry: name, Key: l.Locale})
		res.Strings = append(res.Strings, ls)
	}
}

// translatedTexts are the texts of a split's string resources by language: its
// base has the names that they translate.
func (r *reader) translatedTexts() map[uint32]map[string]string {
	out := map[uint32]map[string]string{}
	if r.table == nil {
		return out
	}
	r.table.Texts(func(id uint32, locale, text string) {
		if locale == "" {
			return
		}
		if out[id] == nil {
			out[id] = map[string]string{}
		}
		out[id][locale] = text
	})
	return out
}

// label resolves the app's name in every language.
func (r *reader) label(app *resource.Element, at place.Place) {
	fact.Put(&r.out.Resources, &r.out.Resources.Label, attrPlace(at, app, "application", "label"))
	a := app.Attr("label")
	if a == nil {
		r.out.Resources.Label = &facts.Text{}
		return
	}
	if a.Value.Kind != resource.Reference {
		r.out.Resources.Label = &facts.Text{Default: a.Value.AsString()}
		return
	}
	r.out.Resources.LabelID = a.Value.Ref
	items := r.resolve(a.Value)
	t := &facts.Text{Locales: make(map[string]string)}
	found := false
	for _, it := range items {
		if it.Value.Kind != resource.String {
			continue
		}
		found = true
		plain := it.Config
		plain.Locale = ""
		switch {
		case it.Config.Locale == "" && (t.Default == "" || plain == resource.Config{}):
			t.Default = it.Value.Text
		case it.Config.Locale != "" && (t.Locales[it.Config.Locale] == "" || plain == resource.Config{}):
			t.Locales[it.Config.Locale] = it.Value.Text
		}
	}
	if !found {
		gap := r.noTable
		if gap.What == "" {
			gap = fact.Unread(fmt.Sprintf("the resource %s is not in the table", a.Value.AsString()))
		}
		fact.Lose(&r.out.Resources, &r.out.Resources.Label, gap)
		return
	}
	r.out.Resources.Label = t
}

// densities lists the densities that pictures are made for: by the table, and
// by the folders under res/ where nobody shortened their names.
func (r *reader) densities() {
	seen := map[string]bool{}
	if r.table != nil {
		for _, d := range r.table.Densities() {
			name := resource.DensityName(d)
			seen[name] = true
			r.out.Resources.Densities = append(r.out.Resources.Densities, name)
		}
	}
	for _, e := range r.tree.Entries {
		dir := path.Base(path.Dir(e.Name))
		if _, after, ok := strings.Cut(dir, "-"); ok && strings.Contains(e.Name, "res/") {
			for _, q := range strings.Split(after, "-") {
				if strings.HasSuffix(q, "dpi") && !seen[q] {
					seen[q] = true
					r.out.Resources.Densities = append(r.out.Resources.Densities, q)
				}
			}
		}
	}
}
