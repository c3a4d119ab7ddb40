package ios

import (
	"maps"
	"path"
	"slices"
	"sort"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/plist"
)

// someKeys is how many missing keys are named.
const someKeys = 3

// strings reads a strings table: a property list in either encoding, or the
// older text form ("key" = "value";).
func (r *reader) strings(name string) (map[string]string, error) {
	data, err := r.tree.Read(name, maxInfo)
	if err != nil {
		return nil, err
	}
	out := make(map[string]string)
	v, _, notList := plist.Parse(data, r.tree.Budget)
	if notList == nil && v.Kind == plist.Dict {
		for _, k := range v.Keys() {
			out[k] = v.Get(k).Text()
		}
		return out, nil
	}
	if path.Ext(name) == ".stringsdict" {
		if notList == nil {
			return out, nil
		}
		return nil, notList
	}
	return plist.ParseStrings(data, r.tree.Budget)
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
	tables := map[string]map[string]map[string]string{} // language, then table
	var languages []string
	for _, e := range r.tree.Entries {
		dir, base := path.Split(e.Name)
		lang, ok := strings.CutSuffix(strings.TrimSuffix(dir, "/"), ".lproj")
		if !ok || strings.Contains(lang, "/") || path.Ext(base) != ".strings" && path.Ext(base) != ".stringsdict" {
			continue
		}
		t, err := r.strings(e.Name)
		if err != nil {
			f := &facts.StringsFault{Path: e.Name, What: err.Error()}
			f.SetSelf(r.at(e.Name))
			r.out.Translations.Faults = append(r.out.Translations.Faults, f)
			continue
		}
		if tables[lang] == nil {
			tables[lang] = map[string]map[string]string{}
			languages = append(languages, lang)
		}
		tables[lang][base] = t
		if base == "InfoPlist.strings" {
			r.translated(lang, t)
		}
	}
	sort.Strings(languages)
	dev := info.Get("CFBundleDevelopmentRegion").Text()
	if tables[dev] == nil {
		dev = "en"
	}
	for _, name := range slices.Sorted(maps.Keys(tables[dev])) {
		if name == "InfoPlist.strings" || path.Ext(name) != ".strings" {
			continue // the purpose strings are judged one by one
		}
		for _, lang := range languages {
			if lang == "Base" || tables[lang][name] == nil && name != "Localizable.strings" {
				continue
			}
			r.untranslated(lang, name, tables[dev][name], tables[lang][name])
		}
	}
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
