package submission

import (
	"slices"
	"strings"
	"sync"

	"golang.org/x/text/language"

	"regola.example/regola/internal/core/tables"
)

// everywhere lists the codes of all countries (ISO 3166-1), sorted.
var everywhere = sync.OnceValue(func() (out []string) {
	for a := 'A'; a <= 'Z'; a++ {
		for b := 'A'; b <= 'Z'; b++ {
			code := string(a) + string(b)
			if r, err := language.ParseRegion(code); err == nil && r.IsCountry() && r.Canonicalize().String() == code {
				out = append(out, code)
			}
		}
	}
	return out
})

// countriesOf resolves what a dossier says of countries to codes, for a store: all, words
// for several countries, single codes, and exceptions such as -CN. All is what the store
// offers at that price; a code that is written out stays, also where the store does not
// offer it: that is found by rules.
func countriesOf(said []string, store string, paid bool, t *tables.Set) []string {
	out := map[string]bool{}
	barred := map[string]bool{}
	for _, n := range t.NotOffered {
		for _, c := range n.Countries {
			barred[c] = barred[c] || n.Store == store && (paid || !n.Paid)
		}
	}
	list := func(word string) []string {
		switch {
		case word == "all":
			return slices.DeleteFunc(slices.Clone(everywhere()), func(c string) bool { return barred[c] || t.Territories[c] != "" })
		case t.CountryGroups[word] != nil:
			return t.CountryGroups[word]
		}
		return []string{word}
	}
	for _, word := range said {
		if strings.HasPrefix(word, "-") {
			continue
		}
		for _, c := range list(word) {
			out[c] = true
		}
	}
	for _, word := range said {
		if without, ok := strings.CutPrefix(word, "-"); ok {
			for _, c := range list(without) {
				delete(out, c)
			}
		}
	}
	codes := []string{}
	for c := range out {
		codes = append(codes, c)
	}
	slices.Sort(codes)
	return codes
}
