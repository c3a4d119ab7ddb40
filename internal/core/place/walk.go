package place

import (
	"fmt"
	"reflect"
	"sort"
	"strings"
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

// Node is one struct of a tree, as Walk visits it.
type Node struct {
	Path string
	Mark *Mark
}

// Walk visits every marked struct below v (a pointer), parents first, fields
// in their order, map keys sorted.
func Walk(v any, path string, visit func(Node)) {
	walk(reflect.ValueOf(v), path, visit)
}

func walk(v reflect.Value, path string, visit func(Node)) {
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			walk(v.Elem(), path, visit)
		}
	case reflect.Struct:
		if v.CanAddr() {
			if m := Of(v.Addr().Interface()); m != nil {
				visit(Node{Path: path, Mark: m})
			}
		}
		for i := range v.NumField() {
			if name := FieldName(v.Type().Field(i)); name != "" {
				walk(v.Field(i), join(path, name), visit)
			}
		}
	case reflect.Slice:
		for i := range v.Len() {
			walk(v.Index(i), fmt.Sprintf("%s[%d]", path, i), visit)
		}
	case reflect.Map:
		keys := v.MapKeys()
		sort.Slice(keys, func(i, j int) bool { return keys[i].String() < keys[j].String() })
		for _, k := range keys {
			walk(v.MapIndex(k), fmt.Sprintf("%s[%q]", path, k.String()), visit)
		}
	}
}

func join(path, name string) string {
	if path == "" {
		return name
	}
	return path + "." + name
}

// Stamp tells every marked struct below v its path.
func Stamp(v any, path string) {
	Walk(v, path, func(n Node) { n.Mark.path = n.Path })
}

// Places lists the places of all fields below v, and the reasons of those
// that could not be read, by path.
func Places(v any, path string) (places map[string]Place, unread map[string]string) {
	places, unread = make(map[string]Place), make(map[string]string)
	Walk(v, path, func(n Node) {
		if !n.Mark.self.IsZero() && n.Path != "" {
			places[n.Path] = n.Mark.self
		}
		for name, p := range n.Mark.fields {
			places[join(n.Path, name)] = p
		}
		for name, why := range n.Mark.unread {
			unread[join(n.Path, name)] = why
		}
	})
	return places, unread
}
