package textual

import (
	"strings"

	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
)

// SameLanguage compares the languages of two tags.
func SameLanguage(a, b string) bool {
	x, errA := language.Parse(a)
	y, errB := language.Parse(b)
	if errA != nil || errB != nil {
		return a == b
	}
	return baseOf(x) == baseOf(y)
}

// SameWriting compares the languages of two tags and the scripts in which they are written:
// Chinese for the mainland and for Taiwan are two.
func SameWriting(a, b string) bool {
	x, errA := language.Parse(a)
	y, errB := language.Parse(b)
	if errA != nil || errB != nil {
		return a == b
	}
	first, _ := x.Script()
	second, _ := y.Script()
	return baseOf(x) == baseOf(y) && first == second
}

// baseOf is the language of a tag. Norwegian stands for its usual written form.
func baseOf(t language.Tag) string {
	b, _ := t.Base()
	if b.String() == "no" {
		return "nb"
	}
	return b.String()
}

// Canonical is a language tag as it is usually written. An old code of a
// language, such as iw, stays: the Android platform and stores use some.
func Canonical(tag string) string {
	t, err := language.Parse(strings.ReplaceAll(tag, "_", "-"))
	if err != nil {
		return tag
	}
	base, script, region := t.Raw()
	old, _, _ := strings.Cut(strings.ReplaceAll(tag, "_", "-"), "-")
	parts := []string{base.String()}
	if b, err := language.ParseBase(old); err == nil && len(old) == 2 && strings.ToLower(old) != base.String() && b.String() != "" {
		parts[0] = strings.ToLower(old)
	}
	if s := script.String(); s != "Zzzz" {
		parts = append(parts, s)
	}
	if r := region.Canonicalize().String(); r != "ZZ" {
		parts = append(parts, r)
	}
	return strings.Join(parts, "-")
}

// LanguageName is the English name of a language; a tag that is not known stands for
// itself.
func LanguageName(tag string) string {
	t, err := language.Parse(tag)
	if err != nil {
		return tag
	}
	if name := display.English.Tags().Name(t); name != "" {
		return name
	}
	return tag
}
