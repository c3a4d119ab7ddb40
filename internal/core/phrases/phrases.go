// Package phrases finds words of a store page that stores turn away, with their
// line and column. What is looked for is data: the table phrases.
package phrases

import (
	"cmp"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/language"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/tables"
)

// Hit is one place of a page's text that says something of the table.
type Hit struct {
	fact.Mark `json:"-"`
	Kind      string `json:"kind"`   // ranking, price, install, platform …
	What      string `json:"what"`   // in words
	Words     string `json:"words"`  // as they stand in the text
	Field     string `json:"field"`  // the key of the text
	Locale    string `json:"locale"` // its language
	Page      string `json:"page"`   // the further page that it belongs to; empty for the usual one
	Around    string `json:"around"` // the words with those beside them
	// Certainty is how sure it is that the words mean it: high, medium or low.
	Certainty string         `json:"certainty"`
	Row       *tables.Phrase `json:"-"` // that matched
}

// maxText bounds how much of a text is looked at, in bytes: a longer one is far
// over every store's limit, and reported for that.
const maxText = 20_000

// clip is the part of a text that is looked at.
func clip(s string) string {
	if len(s) <= maxText {
		return s
	}
	n := maxText
	for n > 0 && !utf8.RuneStart(s[n]) {
		n--
	}
	return s[:n]
}

// long are the texts in which a word may be a topic; in the others it is a claim.
var long = []string{"description", "release_notes"}

// maxHits bounds what is found in one text by one row.
const maxHits = 20

// Find looks through the texts of one language as one store shows them. What is
// part of a name of one's own is no hit; names that may not occur are hits of the
// kind brand. page is the id of a further page.
func Find(l *dossier.Listing, t dossier.Texts, page, store string, rows []*tables.Phrase, brand dossier.Brand, memo *Memo) (hits []*Hit) {
	rows = slices.Clip(rows)
	for _, n := range brand.Never {
		if strings.TrimSpace(n) != "" {
			rows = append(rows, &tables.Phrase{Kind: "brand", What: "a name that the dossier forbids", Pattern: tables.Regexp(whole(n))})
		}
	}
	base := primary(l.Locale)
	var texts []struct{ field, text string }
	t.Each("\n", func(key, text string) { texts = append(texts, struct{ field, text string }{key, text}) })
	known := make([]*matches, len(texts))
	for i := range texts {
		texts[i].text = clip(texts[i].text)
		if texts[i].text != "" {
			known[i] = memo.of(texts[i].text)
		}
	}
	for _, r := range rows {
		if len(r.Stores) > 0 && !slices.Contains(r.Stores, store) || len(r.Languages) > 0 && !slices.Contains(r.Languages, base) {
			continue
		}
		for i, x := range texts {
			if x.text == "" {
				continue
			}
			if len(r.Fields) > 0 && !slices.Contains(r.Fields, x.field) && !(slices.Contains(r.Fields, "short") && !slices.Contains(long, x.field)) {
				continue
			}
			for _, at := range known[i].all(r, x.text, base) {
				if own(x.text, at, brand.Own) {
					continue
				}
				h := &Hit{Row: r, Certainty: cmp.Or(r.Certainty, "medium"), Kind: r.Kind, What: r.What, Words: x.text[at[0]:at[1]], Field: x.field, Locale: l.Locale, Page: page, Around: around(x.text, at)}
				h.SetSelf(l.Locate(t.Field(x.field), x.text, at[0]))
				hits = append(hits, h)
			}
		}
	}
	return hits
}

// whole is an expression for a name that is no part of a longer word.
func whole(name string) string {
	name = strings.TrimSpace(name)
	s := regexp.QuoteMeta(name)
	if first, _ := utf8.DecodeRuneInString(name); first < utf8.RuneSelf && (unicode.IsLetter(first) || unicode.IsDigit(first)) {
		s = `\b` + s
	}
	if last, _ := utf8.DecodeLastRuneInString(name); last < utf8.RuneSelf && (unicode.IsLetter(last) || unicode.IsDigit(last)) {
		s += `\b`
	}
	return s
}

// own tells whether a match lies within a name of one's own.
func own(text string, at []int, names []string) bool {
	lower := strings.ToLower(text)
	for _, n := range names {
		n = strings.ToLower(strings.TrimSpace(n))
		if n == "" || len(lower) != len(text) {
			continue
		}
		for from := 0; ; {
			i := strings.Index(lower[from:], n)
			if i < 0 {
				break
			}
			if from+i <= at[0] && from+i+len(n) >= at[1] {
				return true
			}
			from += i + 1
		}
	}
	return false
}

// around is a match with a few words before and behind it, on one line.
func around(text string, at []int) string {
	const reach = 24
	from, to := at[0], at[1]
	for from > 0 && at[0]-from < reach && text[from-1] != '\n' {
		from--
	}
	for to < len(text) && to-at[1] < reach && text[to] != '\n' {
		to++
	}
	for from > 0 && from < at[0] && text[from-1] != '\n' && text[from] != ' ' {
		from++ // not within a word, nor within a letter's bytes
	}
	for to < len(text) && to > at[1] && text[to] != '\n' && text[to] != ' ' {
		to--
	}
	return strings.TrimSpace(text[from:to])
}

// primary is the language of a tag without script and region.
func primary(tag string) string {
	t, err := language.Parse(strings.ReplaceAll(tag, "_", "-"))
	if err != nil {
		return tag
	}
	b, _ := t.Base()
	return b.String()
}
