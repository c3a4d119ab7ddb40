package resource

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/budget"
)

// Kind is the kind of a typed value.
type Kind uint8

// The kinds that readers tell apart. Other covers what no rule looks at:
// dimensions, fractions, floats, theme attributes.
const (
	None Kind = iota
	String
	Int
	Bool
	Color
	Reference // to a resource; Ref holds its id
	File      // a path inside the package; Text holds it
	Other
)

// Value is one typed value of a manifest or a resource table.
type Value struct {
	Kind Kind
	Text string // of a string, or a file's path
	Int  int64  // of a number, a truth value (0, 1) or a colour (ARGB)
	Ref  uint32 // resource id
	Name string // of the referenced resource, where only the name is known
}

// Binary value types, as in the platform's header (struct Res_value).
const (
	typeNull      = 0x00
	typeReference = 0x01
	typeString    = 0x03
	typeDynamic   = 0x07
	typeFirstInt  = 0x10
	typeBool      = 0x12
	typeColor     = 0x1c
	typeLastInt   = 0x1f
)

// BinaryValue turns a type byte and its data word into a Value.
func BinaryValue(kind byte, data uint32, pool *Pool) Value {
	switch {
	case kind == typeNull:
		return Value{Kind: None}
	case kind == typeReference, kind == typeDynamic:
		return Value{Kind: Reference, Ref: data}
	case kind == typeString:
		s, ok := pool.String(data)
		if !ok {
			return Value{Kind: Other}
		}
		return Value{Kind: String, Text: s}
	case kind == typeBool:
		v := Value{Kind: Bool}
		if data != 0 {
			v.Int = 1
		}
		return v
	case kind >= typeColor && kind <= typeLastInt:
		return Value{Kind: Color, Int: int64(data)}
	case kind >= typeFirstInt && kind < typeColor:
		return Value{Kind: Int, Int: int64(int32(data))}
	}
	return Value{Kind: Other, Int: int64(data)}
}

// AsString is the value as a person reads it.
func (v Value) AsString() string {
	switch v.Kind {
	case String, File:
		return v.Text
	case Int:
		return strconv.FormatInt(v.Int, 10)
	case Bool:
		return strconv.FormatBool(v.Int != 0)
	case Color:
		return fmt.Sprintf("#%08x", v.Int)
	case Reference:
		if v.Name != "" {
			return "@" + v.Name
		}
		return fmt.Sprintf("@%#08x", v.Ref)
	}
	return ""
}

// Config is the circumstances a value is meant for. The zero Config is the
// default one.
type Config struct {
	Locale     string // BCP 47; empty for the default
	Density    int    // dots per inch; 0 any, AnyDensity, NoDensity
	SDK        int    // least platform level; 0 any
	Night      bool
	Television bool
	Watch      bool
	Car        bool
	Other      bool // further qualifiers that no rule looks at are set
}

// Densities that are not a number of dots per inch.
const (
	AnyDensity = 0xfffe
	NoDensity  = 0xffff
)

// DensityName is the qualifier of a density: mdpi, xhdpi, anydpi …
func DensityName(dpi int) string {
	switch dpi {
	case 0:
		return ""
	case 120:
		return "ldpi"
	case 160:
		return "mdpi"
	case 213:
		return "tvdpi"
	case 240:
		return "hdpi"
	case 320:
		return "xhdpi"
	case 480:
		return "xxhdpi"
	case 640:
		return "xxxhdpi"
	case AnyDensity:
		return "anydpi"
	case NoDensity:
		return "nodpi"
	}
	return strconv.Itoa(dpi) + "dpi"
}

// Language writes a language tag as it is written today. Resource tables keep
// the codes of Java's first years.
func Language(tag string) string {
	lang, rest := tag, ""
	if i := strings.IndexByte(tag, '-'); i >= 0 {
		lang, rest = tag[:i], tag[i:]
	}
	switch lang {
	case "in":
		lang = "id"
	case "iw":
		lang = "he"
	case "ji":
		lang = "yi"
	case "tl":
		lang = "fil"
	}
	return lang + rest
}

// Pseudo tells whether a language is one of those that build tools make up to
// test translations with.
func Pseudo(tag string) bool { return tag == "en-XA" || tag == "ar-XB" || tag == "en-XC" }

// Item is a value under a configuration.
type Item struct {
	Config Config
	Value  Value
}

// Table finds resources by id, in whichever encoding they came.
type Table interface {
	// Lookup gives all values of a resource, one a configuration. Complex
	// resources (styles, arrays, plurals) give none.
	Lookup(id uint32) []Item
	// Style gives a style resource, one element a configuration; nothing when
	// the id is none.
	Style(id uint32) []Style
	// Locales lists the languages of the table's strings, sorted, the default as "".
	Locales() []string
	// Densities lists the densities that drawables and launcher icons are made
	// for, in dots per inch, sorted; without the default.
	Densities() []int
	// Orphans lists strings that some language has and the default lacks:
	// people whose language is not there crash the app.
	Orphans() []string
	// Strings tells for every language how many strings it has and which of
	// the default language's it lacks.
	Strings() []Coverage
	// Texts visits every string resource in every language.
	Texts(visit func(id uint32, locale, text string))
	// Err is why an answer is incomplete: the table takes more work or memory
	// than a file of its size is worth. It is nil for a sound table.
	Err() error
}

// Style is a bag of attributes, such as a theme.
type Style struct {
	Config Config
	Parent uint32 // resource id of the style that it extends; 0 without one
	Items  []StyleItem
}

// StyleItem is an attribute that a style sets. The platform's own attributes
// have a name in the protobuf encoding only; the binary one keeps their number.
type StyleItem struct {
	Attr  uint32 // resource id of the attribute
	Name  string // such as windowBackground, with "android:" before it when it is the platform's
	Value Value
}

// Coverage is how complete a language is.
type Coverage struct {
	Locale  string
	Count   int      // strings it has
	Missing int      // strings of the default language that it lacks
	Names   []string // some of those
	Has     []string // names of those that it has, up to maxNames
}

// maxNames bounds the names that are kept of one language.
const maxNames = 2000

// StringEntry is a string resource and the languages it exists in.
type StringEntry struct {
	Name    string
	Locales []string
}

// Orphaned lists the entries that have no default, sorted.
func Orphaned(entries []StringEntry) []string {
	var out []string
	for _, e := range entries {
		if len(e.Locales) > 0 && !slices.Contains(e.Locales, "") {
			out = append(out, e.Name)
		}
	}
	slices.Sort(out)
	return out
}

// Cover sums up string entries by language, sorted by tag.
//
// An error means that there are more languages times strings than is worth
// counting.
func Cover(entries []StringEntry, b *budget.Budget) ([]Coverage, error) {
	const named = 10
	byLocale := map[string]*Coverage{}
	for _, e := range entries {
		seen := map[string]bool{}
		for _, l := range e.Locales {
			if l != "" && !seen[l] {
				if byLocale[l] == nil {
					byLocale[l] = &Coverage{Locale: l}
				}
				if byLocale[l].Count++; len(byLocale[l].Has) < maxNames {
					byLocale[l].Has = append(byLocale[l].Has, e.Name)
				}
			}
			seen[l] = true
		}
	}
	// Only strings that some language translates count as lacking elsewhere:
	// the others are not meant for translation.
	for _, e := range entries {
		seen := map[string]bool{}
		for _, l := range e.Locales {
			seen[l] = true
		}
		if !seen[""] || len(seen) < 2 {
			continue
		}
		if err := b.Step(len(byLocale)); err != nil {
			return nil, err
		}
		for l, c := range byLocale {
			if !seen[l] {
				if c.Missing++; len(c.Names) < named {
					c.Names = append(c.Names, e.Name)
				}
			}
		}
	}
	out := make([]Coverage, 0, len(byLocale))
	for _, c := range byLocale {
		out = append(out, *c)
	}
	slices.SortFunc(out, func(a, b Coverage) int { return strings.Compare(a.Locale, b.Locale) })
	return out, nil
}

// maxChain bounds how far a reference is followed: resources that point at
// each other are a fault of the file, not a reason to hang.
const maxChain = 16

// maxItems bounds the values that one reference leads to. Real ones lead to as
// many as there are languages and densities.
const maxItems = 1024

// Resolve follows a value through the table to its literal values. A literal
// resolves to itself. An id of the platform's own package (0x01) cannot be
// resolved here and stays a reference.
func Resolve(t Table, v Value, b *budget.Budget) []Item {
	return resolve(t, Item{Value: v}, maxChain, b)
}

func resolve(t Table, it Item, left int, b *budget.Budget) []Item {
	if it.Value.Kind != Reference || t == nil || left == 0 || b.Step(1) != nil {
		return []Item{it}
	}
	found := t.Lookup(it.Value.Ref)
	if len(found) == 0 {
		return []Item{it}
	}
	var out []Item
	for _, f := range found {
		f.Config = f.Config.merge(it.Config)
		out = append(out, resolve(t, f, left-1, b)...)
		if len(out) >= maxItems {
			return out[:maxItems]
		}
	}
	return out
}

// Inherited lists what a style and the styles that it extends within the table
// set, the nearest first, under any configuration.
func Inherited(t Table, id uint32, b *budget.Budget) []StyleItem {
	var out []StyleItem
	seen := map[uint32]bool{}
	for next := []uint32{id}; len(next) > 0 && len(seen) < maxChain; {
		id, next = next[0], next[1:]
		if seen[id] {
			continue
		}
		seen[id] = true
		for _, s := range t.Style(id) {
			if b.Step(1+len(s.Items)) != nil {
				return out
			}
			out = append(out, s.Items...)
			if s.Parent != 0 {
				next = append(next, s.Parent)
			}
		}
	}
	return out
}

// merge keeps the qualifiers of an outer reference where the inner one has none.
func (c Config) merge(outer Config) Config {
	if c.Locale == "" {
		c.Locale = outer.Locale
	}
	if c.Density == 0 {
		c.Density = outer.Density
	}
	c.SDK = max(c.SDK, outer.SDK)
	c.Night = c.Night || outer.Night
	c.Television, c.Watch, c.Car = c.Television || outer.Television, c.Watch || outer.Watch, c.Car || outer.Car
	c.Other = c.Other || outer.Other
	return c
}
