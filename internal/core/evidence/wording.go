package evidence

import (
	"maps"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/tables"
)

// Wording is a purpose string that a reviewer may find saying too little.
type Wording struct {
	fact.Mark `json:"-"`
	Key       string `json:"key"`
	Locale    string `json:"locale"` // empty for the text of the property list itself
	Text      string `json:"text"`
	Why       string `json:"why"` // what is lacking
}

// wording looks at the purpose strings in every language. Texts that are empty
// or a placeholder are judged elsewhere.
func (e *Evidence) wording(app *facts.IOS, t *tables.Set) {
	if t.Wording == nil {
		return
	}
	j := reader{t.Wording}
	for _, p := range app.App.Info.Purposes {
		if why := fact.ReasonOf(p, &p.Text); why != "" {
			fact.Lose(e, &e.Wording, fact.Unread(p.Key+": "+why))
			return
		}
		add := func(locale, text string) {
			if strings.TrimSpace(text) == "" {
				return
			}
			why := j.why(text)
			if why == "" && locale == "" {
				why = twin(p, app.App.Info.Purposes)
			}
			if why != "" {
				w := &Wording{Key: p.Key, Locale: locale, Text: text, Why: why}
				w.SetSelf(p.Self())
				e.Wording = append(e.Wording, w)
			}
		}
		add("", p.Text)
		for _, l := range slices.Sorted(maps.Keys(p.Locales)) {
			if p.Locales[l] != p.Text {
				add(l, p.Locales[l])
			}
		}
	}
}

// twin finds another key with the same text. Keys for one resource may share
// theirs: their names begin alike.
func twin(p *facts.Purpose, all []*facts.Purpose) string {
	for _, o := range all {
		if o.Key != p.Key && o.Text == p.Text && family(o.Key) != family(p.Key) {
			return "it is the same as that of " + o.Key
		}
	}
	return ""
}

// family is the first word of a key after its prefix: Location of
// NSLocationAlwaysAndWhenInUseUsageDescription.
func family(key string) string {
	rest := strings.TrimPrefix(key, "NS")
	for i, r := range rest {
		if i > 0 && unicode.IsUpper(r) {
			return rest[:i]
		}
	}
	return rest
}

// reader looks at texts by the table of wording.
type reader struct{ table *tables.Wording }

// why tells what a text lacks; empty when nothing was found lacking.
func (j reader) why(text string) string {
	text = strings.TrimSpace(text)
	for _, f := range j.table.Faults {
		if f.Pattern.Match(text) {
			return f.Why
		}
	}
	// Scripts without blanks say more in fewer characters.
	characters, words := int64(utf8.RuneCountInString(text)), int64(len(strings.Fields(text)))
	if strings.ContainsFunc(text, func(r rune) bool {
		return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai, unicode.Khmer, unicode.Lao)
	}) {
		if characters < j.table.LeastDense {
			return "it is too short to say what for"
		}
		if j.table.DenseRequest != "" && j.table.DenseRequest.Match(text) {
			return "it asks, and does not say what for"
		}
		return ""
	}
	if strings.ContainsFunc(text, func(r rune) bool { return unicode.Is(unicode.Hangul, r) }) {
		if characters < j.table.LeastDense {
			return "it is too short to say what for"
		}
		return ""
	}
	if end, ok := j.table.Request.Begins(text); ok && !j.table.Clause.Match(text[end:]) {
		return "it asks, and does not say what for"
	}
	if characters < j.table.LeastCharacters || words < j.table.LeastWords {
		return "it is too short to say what for"
	}
	return ""
}
