package ios

import (
	"cmp"
	"path"
	"slices"
	"sort"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/core/format/plist"
)

// someKeys is how many missing keys are named.
const someKeys = 3

// strings reads a strings table: a property list in either encoding, or the
// older text form ("key" = "value";). done gives its memory back to the run.
func (r *reader) strings(name string) (out map[string]string, done func(), err error) {
	data, err := r.tree.Read(name, maxInfo)
	if err != nil {
		return nil, nil, err
	}
	part := r.tree.Budget.Part(len(data))
	out = make(map[string]string)
	v, _, notList := plist.Parse(data, part)
	switch {
	case notList == nil && v.Kind == plist.Dict:
		for _, k := range v.Keys() {
			out[k] = v.Get(k).Text()
		}
	case path.Ext(name) == ".stringsdict":
		err = notList
	default:
		out, err = plist.ParseStrings(data, part)
	}
	if err != nil {
		part.Done()
	}
	return out, part.Done, err
}

// translations reads the tables of texts of every language: which cannot be
// read, and which lack keys that the language of development has.
func (r *reader) translations(info *plist.Value) {
	all := &r.out.Translations
	all.SetSelf(r.at(""))
	for _, dir := range r.tree.Folders("") {
		if lang, ok := strings.CutSuffix(dir, ".lproj"); ok && lang != "Base" {
			all.Locales = append(all.Locales, lang)
		}
	}
	type table struct {
		entry      *files.Entry
		lang, name string
	}
	var tables []table
	has := map[string]bool{} // languages, and their tables as lang/name
	for _, e := range r.tree.Entries {
		dir, base := path.Split(e.Name)
		lang, ok := strings.CutSuffix(strings.TrimSuffix(dir, "/"), ".lproj")
		if ok && !strings.Contains(lang, "/") && (path.Ext(base) == ".strings" || path.Ext(base) == ".stringsdict") {
			tables = append(tables, table{e, lang, base})
			has[lang], has[lang+"/"+base] = true, true
		}
	}
	dev := info.Get("CFBundleDevelopmentRegion").Text()
	if !has[dev] {
		dev = "en"
	}
	// The language of development comes first: the others are held against it one after
	// another, and none of them is kept.
	slices.SortStableFunc(tables, func(a, b table) int {
		return cmp.Compare(boolInt(a.lang != dev), boolInt(b.lang != dev))
	})
	model, read := map[string]map[string]string{}, map[string]bool{}
	compared := func(t table) bool { // the purpose strings are judged one by one
		return t.name != "InfoPlist.strings" && path.Ext(t.name) == ".strings"
	}
	for _, t := range tables {
		texts, done, err := r.strings(t.entry.Name)
		if err != nil {
			f := &facts.StringsFault{Path: t.entry.Name, What: err.Error()}
			f.SetSelf(r.at(t.entry.Name))
			r.out.Translations.Faults = append(r.out.Translations.Faults, f)
			continue
		}
		read[t.lang] = true
		if t.name == "InfoPlist.strings" {
			r.translated(t.lang, texts)
		}
		if t.lang == dev && compared(t) {
			model[t.name] = texts
			continue
		}
		if t.lang != "Base" && compared(t) {
			r.untranslated(t.lang, t.name, model[t.name], texts)
		}
		done()
	}
	if want := model["Localizable.strings"]; want != nil {
		for _, t := range tables { // a language without the table of texts lacks all of it
			if t.lang != "Base" && read[t.lang] && !has[t.lang+"/Localizable.strings"] {
				has[t.lang+"/Localizable.strings"] = true
				r.untranslated(t.lang, "Localizable.strings", want, nil)
			}
		}
	}
	slices.SortFunc(all.Untranslated, func(a, b *facts.Untranslated) int {
		return cmp.Or(cmp.Compare(path.Base(a.Path), path.Base(b.Path)), cmp.Compare(a.Language, b.Language))
	})
	slices.SortFunc(all.Faults, func(a, b *facts.StringsFault) int { return cmp.Compare(a.Path, b.Path) })
}

func boolInt(b bool) int {
	if b {
		return 1
	}
	return 0
}

// untranslated notes the keys that one language's table lacks.
func (r *reader) untranslated(lang, name string, want, have map[string]string) {
	var missing []string
	for k := range want {
		if _, ok := have[k]; !ok {
			missing = append(missing, k)
		}
	}
	if len(missing) == 0 {
		return
	}
	sort.Strings(missing)
	at := lang + ".lproj/" + name
	u := &facts.Untranslated{Path: at, Language: lang, Missing: int64(len(missing)), Of: int64(len(want)), Some: missing[:min(someKeys, len(missing))]}
	u.SetSelf(r.at(at))
	r.out.Translations.Untranslated = append(r.out.Translations.Untranslated, u)
}

// translated takes the translations of purpose strings, and of the name under
// the icon.
func (r *reader) translated(lang string, texts map[string]string) {
	info := &r.out.App.Info
	for _, k := range []string{"CFBundleName", "CFBundleDisplayName"} {
		if n := texts[k]; n != "" && n != info.Name {
			if r.out.Translations.Names == nil {
				r.out.Translations.Names = map[string]string{}
			}
			r.out.Translations.Names[lang] = n
		}
	}
	for _, p := range info.Purposes {
		if t, ok := texts[p.Key]; ok {
			if p.Locales == nil {
				p.Locales = make(map[string]string)
			}
			p.Locales[lang] = t
		}
	}
}
