// Package schema describes Go types as JSON Schemas (draft 2020-12), from the tags by which
// documents are read and written.
package schema

import (
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/submission"
)

// Of describes a Go type, of documents in the form with a number. A strict schema refuses
// keys that it does not name.
//
// keys are those of stores, words the vocabularies by name.
func Of(name, title string, form int, t reflect.Type, strict bool, keys []string, words map[string][]string) map[string]any {
	g := &writer{strict: strict, keys: keys, words: words, defs: map[string]any{}}
	s := g.object(t)
	s["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	s["$id"] = fmt.Sprintf("https://regola.example/schema/%s-%d.json", name, form)
	s["title"] = title
	if len(g.defs) > 0 {
		s["$defs"] = g.defs
	}
	return s
}

type writer struct {
	strict bool
	keys   []string
	words  map[string][]string
	defs   map[string]any
}

func (g *writer) object(t reflect.Type) map[string]any {
	props := map[string]any{}
	var required []string
	for _, f := range reflect.VisibleFields(t) {
		name := fact.FieldName(f)
		if name == "" {
			continue
		}
		value := g.value(f.Type, f.Tag)
		if t == reflect.TypeFor[dossier.Release]() && len(g.keys) > 0 { // any value of the release may differ by store
			by := map[string]any{}
			for _, k := range g.keys {
				by[k] = value
			}
			value = map[string]any{"anyOf": []any{value, map[string]any{"type": "object", "properties": by, "additionalProperties": false}}}
		}
		props[name] = described(value, f.Tag.Get("doc"))
		_, opts, _ := strings.Cut(f.Tag.Get("json"), ",")
		if f.Tag.Get("need") != "" || !g.strict && opts != "omitempty" {
			required = append(required, name)
		}
	}
	for _, f := range reflect.VisibleFields(t) {
		if f.Tag.Get("rest") != "" {
			for _, k := range g.keys {
				props[k] = g.value(f.Type.Elem(), "")
			}
		}
	}
	s := map[string]any{"type": "object", "properties": props}
	if len(required) > 0 {
		s["required"] = required
	}
	if g.strict {
		s["additionalProperties"] = false
	}
	return s
}

// described adds what a field is, in words.
func described(schema any, doc string) any {
	s, ok := schema.(map[string]any)
	if !ok || doc == "" {
		return schema
	}
	if _, ref := s["$ref"]; ref {
		return map[string]any{"allOf": []any{s}, "description": doc}
	}
	s["description"] = doc
	return s
}

func (g *writer) value(t reflect.Type, tag reflect.StructTag) any {
	switch t {
	case reflect.TypeFor[day.Day](), reflect.TypeFor[time.Time]():
		return map[string]any{"type": "string", "format": "date"}
	}
	if own, ok := reflect.New(t).Interface().(interface{ PerStoreValue() reflect.Type }); ok {
		props := map[string]any{}
		for _, k := range g.keys {
			if own.PerStoreValue() == reflect.TypeFor[dossier.CategoryList]() {
				props[k] = g.categories(k)
				continue
			}
			props[k] = g.value(own.PerStoreValue(), words(tag, k))
		}
		return map[string]any{"type": "object", "properties": props, "additionalProperties": false}
	}
	switch t {
	case reflect.TypeFor[rulebook.Expr](), reflect.TypeFor[rulebook.ImpactBy]():
		return map[string]any{"type": []string{"string", "boolean", "number"}}
	case reflect.TypeFor[rulebook.Template]():
		return map[string]any{"type": []string{"string", "number"}}
	case reflect.TypeFor[submission.Submission](): // of an example: the fields are those that rules see
		return map[string]any{"type": "object"}
	case reflect.TypeFor[dossier.PackageFiles](): // one file, or one for each kind of device
		return map[string]any{"anyOf": []any{map[string]any{"type": "string"}, map[string]any{"type": "array", "items": map[string]any{"type": "string"}}}}
	case reflect.TypeFor[dossier.Secret]():
		return map[string]any{"type": "string", "description": "a reference such as env:NAME, never the secret itself"}
	}
	switch t.Kind() {
	case reflect.Pointer:
		inner := g.value(t.Elem(), tag)
		if g.strict {
			return inner
		}
		return map[string]any{"anyOf": []any{inner, map[string]any{"type": "null"}}}
	case reflect.Bool:
		return map[string]any{"type": "boolean"}
	case reflect.Interface: // any value
		return map[string]any{}
	case reflect.Int, reflect.Int64:
		return map[string]any{"type": "integer"}
	case reflect.Float64:
		return map[string]any{"type": "number"}
	case reflect.String:
		s := map[string]any{"type": "string"}
		if e := tag.Get("enum"); e != "" {
			if s["enum"] = choices(e); strings.Contains("|"+e, "|true") {
				delete(s, "type")
			}
		}
		if w := g.words[tag.Get("words")]; len(w) > 0 {
			s["enum"] = w
		}
		if l := tag.Get("like"); l != "" {
			s["pattern"] = l
			s["description"] = tag.Get("hint")
		}
		if g.strict && s["enum"] == nil {
			// 1.4 and 20 are numbers to YAML where a text is meant; both are read as they stand.
			s["type"] = []string{"string", "number"}
		}
		return s
	case reflect.Slice:
		list := map[string]any{"type": "array", "items": g.value(t.Elem(), tag)}
		if most, err := strconv.Atoi(tag.Get("most")); err == nil {
			list["maxItems"] = most
		}
		if tag.Get("commas") != "" {
			return map[string]any{"anyOf": []any{list, map[string]any{"type": "string"}}}
		}
		if g.strict {
			return list
		}
		return map[string]any{"anyOf": []any{list, map[string]any{"type": "null"}}}
	case reflect.Map:
		if name := tag.Get("words"); name != "" && len(g.words[name]) > 0 {
			props := map[string]any{}
			for _, w := range g.words[name] {
				props[w] = map[string]any{"type": "string"}
				if values := g.words[name+"/"+w]; len(values) > 0 {
					props[w] = map[string]any{"enum": values}
				}
			}
			return map[string]any{"type": "object", "properties": props, "additionalProperties": false}
		}
		m := map[string]any{"type": "object", "additionalProperties": g.value(t.Elem(), tag)}
		if g.strict {
			return m
		}
		return map[string]any{"anyOf": []any{m, map[string]any{"type": "null"}}}
	case reflect.Struct:
		name := t.Name()
		if _, ok := g.defs[name]; !ok {
			g.defs[name] = true // holds the place against recursion
			g.defs[name] = g.object(t)
		}
		return map[string]any{"$ref": "#/$defs/" + name}
	}
	return map[string]any{}
}

// categories is one category of a store, or several: of apps or of games.
func (g *writer) categories(store string) any {
	one := map[string]any{"type": "string"}
	var all []string
	for _, name := range dossier.CategoryWords(store) {
		for _, w := range g.words[name] {
			if !slices.Contains(all, w) {
				all = append(all, w)
			}
		}
	}
	if len(all) > 0 {
		one["enum"] = all
	}
	return map[string]any{"anyOf": []any{one, map[string]any{"type": "array", "items": one}}}
}

// choices are the words of an enum; true and false may be written without quotes.
func choices(enum string) []any {
	var out []any
	for _, w := range strings.Split(enum, "|") {
		if out = append(out, w); w == "true" || w == "false" {
			out = append(out, w == "true")
		}
	}
	return out
}

// words names the vocabulary of one store, where a field has one for each.
func words(tag reflect.StructTag, store string) reflect.StructTag {
	if name := tag.Get("words"); name != "" {
		return reflect.StructTag(`words:"` + name + "_" + store + `"`)
	}
	return ""
}
