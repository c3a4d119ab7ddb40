package tables

import (
	"slices"
	"strings"

	"golang.org/x/text/language"
)

// StoreCode is the code under which a store keeps a language: the same, one of
// which the tag is another spelling, or the store's only one of that language.
func (s *Set) StoreCode(store, locale string) string {
	tag := strings.ReplaceAll(locale, "_", "-")
	want, err := language.Parse(tag)
	if err != nil {
		return ""
	}
	base, _ := want.Base()
	near := ""
	for _, r := range s.Locales {
		if r.Store != store {
			continue
		}
		if strings.EqualFold(r.Code, tag) || slices.ContainsFunc(r.Also, func(a string) bool { return strings.EqualFold(a, tag) }) {
			return r.Code
		}
		if t, err := language.Parse(r.Code); err == nil && near == "" {
			if b, _ := t.Base(); b == base {
				near = r.Code
			}
		}
	}
	return near
}
