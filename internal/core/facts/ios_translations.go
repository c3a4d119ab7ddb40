package facts

import "regola.example/regola/internal/core/fact"

// Translations are the texts of an app in its languages.
type Translations struct {
	fact.Mark    `json:"-"`
	Locales      []string          `json:"locales"`
	Faults       []*StringsFault   `json:"faults"`          // translations that cannot be read
	Untranslated []*Untranslated   `json:"untranslated"`    // texts that a language lacks
	Names        map[string]string `json:"names,omitempty"` // under the icon, by language, where it differs from that of the property list
}

// StringsFault is a file of translations that cannot be read.
type StringsFault struct {
	fact.Mark `json:"-"`
	Path      string `json:"path"`
	What      string `json:"what"`
}

// Untranslated is a table of texts that is shorter in one language.
type Untranslated struct {
	fact.Mark `json:"-"`
	Path      string   `json:"path"`
	Language  string   `json:"language"`
	Missing   int64    `json:"missing"`
	Of        int64    `json:"of"`
	Some      []string `json:"some"` // a few of the missing keys
}
