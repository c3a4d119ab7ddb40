package facts

import "regola.example/regola/internal/core/fact"

// Resources is what the resource table says, and what it makes of the names in
// the manifest.
type Resources struct {
	fact.Mark             `json:"-"`
	Label                 *Text                        `json:"label"`   // nil when it could not be resolved
	Themes                []*Theme                     `json:"themes"`  // that the manifest names, each once
	Locales               []string                     `json:"locales"` // languages of the strings, the default one left out
	Strings               []*LocaleStrings             `json:"strings"`
	StringsWithoutDefault []string                     `json:"strings_without_default"`
	Densities             []string                     `json:"densities"` // of the pictures under res/
	LabelID               uint32                       `json:"-"`         // resource id of the label; 0 for a literal
	ByID                  map[uint32]map[string]string `json:"-"`         // texts of string resources by language; of a split, for joining it
}

// Theme is a style that the app or an activity wears, with what it extends.
type Theme struct {
	fact.Mark  `json:"-"`
	Name       string `json:"name"`             // as the manifest names it
	EdgeOptOut bool   `json:"edge_opt_out"`     // it asks not to be drawn behind the system's bars
	Splash     string `json:"splash,omitempty"` // the picture of the start screen, by its file or resource
}

// LocaleStrings says how complete a language is.
type LocaleStrings struct {
	fact.Mark `json:"-"`
	Locale    string   `json:"locale"`
	Count     int64    `json:"count"`
	Missing   int64    `json:"missing"` // strings of the default language that it lacks
	Names     []string `json:"names"`   // some of them
	Has       []string `json:"-"`       // names of the strings that it has; fewer than Count where there are very many
}
