package engine

import (
	"reflect"
	"strings"

	"cel.dev/cel-go/common/types"
)

// Field is one field that conditions may use, for the documentation.
type Field struct {
	Path string // such as pkg.android.manifest.permissions[].name
	Type string // of CEL
}

// maxFieldDepth bounds how deep fields are listed: some types hold themselves.
const maxFieldDepth = 8

// Fields lists every field of a tree, parents first.
func Fields(root reflect.Type) []Field { return fieldsBelow(root, "", 0) }

func fieldsBelow(t reflect.Type, path string, depth int) []Field {
	var out []Field
	ti := infoOf(t)
	for _, name := range ti.names {
		p := strings.TrimPrefix(path+"."+name, ".")
		ft := ti.fields[name].Type
		if inner := structOf(ft); inner != nil && depth < maxFieldDepth && !isAlias(t, name) {
			if ft.Kind() == types.ListKind {
				p += "[]"
			}
			out = append(out, fieldsBelow(inner, p, depth+1)...)
			continue
		}
		out = append(out, Field{Path: p, Type: ft.String()})
	}
	return out
}

// isAlias tells whether a field shows what another field holds.
func isAlias(t reflect.Type, name string) bool {
	for _, f := range reflect.VisibleFields(t) {
		if f.Tag.Get("alias") == name {
			return f.Tag.Get("derived") != ""
		}
	}
	return false
}

// structOf is the Go struct behind an object type, or behind a list of them.
func structOf(t *types.Type) reflect.Type {
	if t.Kind() == types.ListKind {
		t = t.Parameters()[0]
	}
	if ti, ok := typeByName.Load(t.TypeName()); ok {
		return ti.(*typeInfo).typ
	}
	return nil
}
