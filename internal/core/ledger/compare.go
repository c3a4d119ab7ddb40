package ledger

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
)

// Compare tells what one release has that another did not, in the order of what it
// brings: first what a store may ask about.
func Compare(old, now *Release) *Change {
	c := &Change{}
	c.single("id", old.ID, now.ID)
	c.single("version", old.Version, now.Version)
	c.single("build", old.Build, now.Build)
	if old.Channel != "" && now.Channel != "" { // a package by itself goes nowhere
		c.single("channel", old.Line().Channel, now.Line().Channel)
	}
	c.lists("permission", old.Permissions, now.Permissions)
	c.lists("third-party code", old.SDKs, now.SDKs)
	c.lists("kind of data implied", old.Implied, now.Implied)
	c.lists("kind of data answered", old.Data, now.Data)
	c.lists("entitlement", old.Entitled, now.Entitled)
	c.texts("purpose string", old.Purposes, now.Purposes)
	c.lists("component", old.Components, now.Components)
	c.lists("extension", old.Extensions, now.Extensions)
	c.lists("link", old.Schemes, now.Schemes)
	c.lists("required feature", old.Features, now.Features)
	c.known("module", old.Modules, now.Modules)
	c.known("device family", old.Families, now.Families)
	if old.Families != nil { // a release of an older program says nothing of either
		c.lists("required capability", old.Needs, now.Needs)
	}
	c.known("category", old.Category, now.Category)
	if old.Links != nil && now.Links != nil {
		c.texts("web page", old.Links, now.Links)
	}
	if old.People != nil && now.People != nil {
		c.texts("contact or note", old.People, now.People)
	}
	c.single("least system", old.MinLevel, now.MinLevel)
	if old.Systems != nil && now.Systems != nil {
		c.texts("least system of a bundle", old.Systems, now.Systems)
	}
	if old.TargetLevel != now.TargetLevel {
		c.single("target level", number(old.TargetLevel), number(now.TargetLevel))
	}
	c.single("certificate", old.Certificate, now.Certificate)
	c.single("team", old.Team, now.Team)
	c.lists("language", old.Languages, now.Languages)
	c.lists("library", old.Libraries, now.Libraries)
	c.texts("answer", old.Answers, now.Answers)
	c.lists("country", old.Countries, now.Countries)
	c.single("price", old.Price, now.Price)
	c.texts("product", old.Products, now.Products)
	was, is := pages(old.Texts), pages(now.Texts)
	if len(was) > 0 && len(is) > 0 {
		c.lists("page", was, is)
	} else {
		was, is = nil, nil // of a side without any page nothing is known
	}
	c.texts("text", within(old.Texts, was, is), within(now.Texts, was, is))
	c.texts("picture", old.Pictures, now.Pictures)
	for _, k := range slices.Sorted(maps.Keys(now.Sizes)) {
		if a, b := old.Sizes[k], now.Sizes[k]; a != b && k != "package" {
			c.put(&c.Changed, "size of "+k, k, number(a), number(b))
		}
	}
	for _, k := range slices.Sorted(maps.Keys(old.Sizes)) {
		if _, ok := now.Sizes[k]; !ok && len(now.Sizes) > 0 {
			c.put(&c.Changed, "size of "+k, k, number(old.Sizes[k]), "0")
		}
	}
	if a, b := old.Sizes["package"], now.Sizes["package"]; a != b && a > 0 && b > 0 {
		c.put(&c.Changed, "size", "package", number(a), number(b))
	}
	return c
}

// Empty tells whether nothing differs.
func (c *Change) Empty() bool { return len(c.Added)+len(c.Removed)+len(c.Changed) == 0 }

// pages are the languages of texts by their keys, language/text.
func pages(texts map[string]string) (out []string) {
	for key := range texts {
		if language, _, found := strings.Cut(key, "/"); found && !slices.Contains(out, language) {
			out = append(out, language)
		}
	}
	slices.Sort(out)
	return out
}

// within leaves out the texts of pages that only one of two sides has: the page says it.
func within(texts map[string]string, was, is []string) map[string]string {
	if was == nil {
		return texts
	}
	out := map[string]string{}
	for key, v := range texts {
		if language, _, _ := strings.Cut(key, "/"); slices.Contains(was, language) == slices.Contains(is, language) {
			out[key] = v
		}
	}
	return out
}

func number(n int64) string { return strconv.FormatInt(n, 10) }

func (c *Change) put(to *[]*Difference, kind, what, from, now string) {
	*to = append(*to, &Difference{Kind: kind, What: what, From: from, To: now})
}

func (c *Change) single(kind, old, now string) {
	switch {
	case old == now:
	case old == "":
		c.put(&c.Added, kind, now, "", now)
	case now == "":
		c.put(&c.Removed, kind, old, old, "")
	default:
		c.put(&c.Changed, kind, fmt.Sprintf("%s → %s", old, now), old, now)
	}
}

// known compares lists of which one may not have been recorded.
func (c *Change) known(kind string, old, now []string) {
	if old != nil && now != nil {
		c.lists(kind, old, now)
	}
}

func (c *Change) lists(kind string, old, now []string) {
	for _, s := range without(now, old) {
		c.put(&c.Added, kind, s, "", s)
	}
	for _, s := range without(old, now) {
		c.put(&c.Removed, kind, s, s, "")
	}
}

// without are the members of a list that another lacks.
func without(list, other []string) (out []string) {
	has := make(map[string]bool, len(other))
	for _, s := range other {
		has[s] = true
	}
	for _, s := range list {
		if !has[s] {
			out = append(out, s)
		}
	}
	return out
}

func (c *Change) texts(kind string, old, now map[string]string) {
	for _, k := range slices.Sorted(maps.Keys(now)) {
		a, ok := old[k]
		switch {
		case !ok:
			c.put(&c.Added, kind, k, "", now[k])
		case a != now[k]:
			c.put(&c.Changed, kind, k, a, now[k])
		}
	}
	for _, k := range slices.Sorted(maps.Keys(old)) {
		if _, ok := now[k]; !ok {
			c.put(&c.Removed, kind, k, old[k], "")
		}
	}
}
