package fact

import (
	"fmt"
	"maps"
	"reflect"
	"slices"
	"sort"
	"strings"

	"regola.example/regola/internal/core/place"
)

// FieldName is the name of a struct field in documents, rules and output: its
// json tag. It is empty for fields that are not part of the tree.
func FieldName(f reflect.StructField) string {
	if !f.IsExported() {
		return ""
	}
	name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
	if name == "-" {
		return ""
	}
	return name
}

// RuleName is the name under which rules and their examples know a field: its
// json tag, or an alias tag for fields that are not part of documents.
func RuleName(f reflect.StructField) string {
	if name := FieldName(f); name != "" {
		return name
	}
	return f.Tag.Get("alias")
}

// Node is one struct of a tree, as Walk visits it.
type Node struct {
	Path string
	Mark *Mark
}

// Walk visits every marked struct below v (a pointer), parents first, fields
// in their order, map keys sorted.
func Walk(v any, path string, visit func(Node)) {
	WalkValues(reflect.ValueOf(v), path, func(n Node, _ reflect.Type) { visit(n) })
}

// WalkValues is Walk with the type of each struct.
func WalkValues(v reflect.Value, path string, visit func(Node, reflect.Type)) {
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			WalkValues(v.Elem(), path, visit)
		}
	case reflect.Struct:
		if v.CanAddr() {
			if m := Of(v.Addr().Interface()); m != nil {
				visit(Node{Path: path, Mark: m}, v.Type())
			}
		}
		for i := range v.NumField() {
			if name := FieldName(v.Type().Field(i)); name != "" {
				WalkValues(v.Field(i), join(path, name), visit)
			}
		}
	case reflect.Slice:
		for i := range v.Len() {
			WalkValues(v.Index(i), fmt.Sprintf("%s[%d]", path, i), visit)
		}
	case reflect.Map:
		keys := v.MapKeys()
		sort.Slice(keys, func(i, j int) bool { return keys[i].String() < keys[j].String() })
		for _, k := range keys {
			WalkValues(v.MapIndex(k), fmt.Sprintf("%s[%q]", path, k.String()), visit)
		}
	}
}

// Bound loses every list of structs below v that has more than so many items: what looks
// at each of them would take longer than a package is worth. Nothing that people build
// comes near.
func Bound(v any, most int) { bound(reflect.ValueOf(v), most) }

func bound(v reflect.Value, most int) {
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			bound(v.Elem(), most)
		}
	case reflect.Struct:
		var m *Mark
		if v.CanAddr() {
			m = Of(v.Addr().Interface())
		}
		for i := range v.NumField() {
			name, f := FieldName(v.Type().Field(i)), v.Field(i)
			if name == "" {
				continue
			}
			if m != nil && f.Kind() == reflect.Slice && f.Len() > most && f.Type().Elem().Kind() == reflect.Pointer {
				m.Lose(name, Unread(fmt.Sprintf("there are %d of them; at most %d are looked at", f.Len(), most)))
				f.SetZero()
				continue
			}
			bound(f, most)
		}
	case reflect.Slice:
		if k := v.Type().Elem().Kind(); k == reflect.Pointer || k == reflect.Struct {
			for i := range v.Len() {
				bound(v.Index(i), most)
			}
		}
	}
}

func join(path, name string) string {
	if path == "" {
		return name
	}
	return path + "." + name
}

// Stamp tells every marked struct below v its path, and what a nil pointer in
// it means.
func Stamp(v any, path string, absent Kind) {
	Walk(v, path, func(n Node) { n.Mark.path, n.Mark.absent = n.Path, absent })
}

// names are the fields that have a place.
func (m *Mark) names() []string {
	out := make([]string, len(m.fields))
	for i := range m.fields {
		out[i] = m.fields[i].name
	}
	return out
}

// Places lists the places of all fields below v by path.
func Places(v any, path string) map[string]place.Place {
	places := make(map[string]place.Place)
	Walk(v, path, func(n Node) {
		if !n.Mark.self.IsZero() && n.Path != "" {
			places[n.Path] = n.Mark.self
		}
		for i := range n.Mark.fields {
			name, p := n.Mark.fields[i].name, n.Mark.fields[i].place()
			places[join(n.Path, name)] = p
		}
	})
	return places
}

// Gaps lists everything below v that is not known, in the order of the tree.
// A struct that was lost whole is one gap.
func Gaps(v any, path string) []Gap {
	var out []Gap
	Walk(v, path, func(n Node) {
		if g := n.Mark.gone; g != nil {
			one := *g
			one.Path = n.Path
			if one.At.IsZero() {
				one.At = n.Mark.self
			}
			out = append(out, one)
		}
		for _, name := range slices.Sorted(maps.Keys(n.Mark.lost)) {
			one := *n.Mark.lost[name]
			one.Path = join(n.Path, name)
			if one.At.IsZero() {
				one.At = n.Mark.Field(name)
			}
			out = append(out, one)
		}
	})
	return out
}

// Unknown lists the names in the marks below v that are no field of their
// struct: a mistake of the program, which the test suite looks for.
func Unknown(v any, path string) []string {
	var out []string
	WalkValues(reflect.ValueOf(v), path, func(n Node, t reflect.Type) {
		known := map[string]bool{}
		for _, f := range reflect.VisibleFields(t) {
			known[RuleName(f)] = true
		}
		for _, name := range slices.Concat(n.Mark.names(), slices.Collect(maps.Keys(n.Mark.lost)), n.Mark.kept) {
			if base, _, _ := strings.Cut(name, "["); !known[base] {
				out = append(out, join(n.Path, name))
			}
		}
	})
	slices.Sort(out)
	return out
}

// Inherit gives every struct below v that has no place the one that its parent
// knows of it: a block that its author left out belongs where it would stand.
func Inherit(v any) { inherit(reflect.ValueOf(v), place.Place{}) }

func inherit(v reflect.Value, at place.Place) {
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			inherit(v.Elem(), at)
		}
	case reflect.Struct:
		var m *Mark
		if v.CanAddr() {
			if m = Of(v.Addr().Interface()); m != nil && m.self.IsZero() {
				m.self = at
			}
		}
		for i := range v.NumField() {
			name := FieldName(v.Type().Field(i))
			if name == "" || m == nil {
				continue
			}
			inherit(v.Field(i), m.Field(name))
		}
	case reflect.Slice:
		for i := range v.Len() {
			inherit(v.Index(i), at)
		}
	}
}
