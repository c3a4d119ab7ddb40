package tables

import (
	"slices"
	"strings"

	"golang.org/x/text/language"
)

// StoreCode is the code under which a store keeps a language: the same, one of which the tag
// is another spelling, or the nearest of that language (es-419 for es-AR, fr-FR for fr-BE), by
// the matching of BCP 47 tags; empty where it has none.
func (s *Set) StoreCode(store, locale string) string {
	tag := strings.ReplaceAll(locale, "_", "-")
	want, err := language.Parse(tag)
	if err != nil {
		return ""
	}
	base, _ := want.Base()
	var codes []string
	var tags []language.Tag
	for _, r := range s.Locales {
		if r.Store != store {
			continue
		}
		if strings.EqualFold(r.Code, tag) || slices.ContainsFunc(r.Also, func(a string) bool { return strings.EqualFold(a, tag) }) {
			return r.Code
		}
		if t, err := language.Parse(r.Code); err == nil {
			if b, _ := t.Base(); b == base {
				codes, tags = append(codes, r.Code), append(tags, t)
			}
		}
	}
	if len(tags) == 0 {
		return ""
	}
	_, i, _ := language.NewMatcher(tags).Match(want)
	return codes[i]
}
