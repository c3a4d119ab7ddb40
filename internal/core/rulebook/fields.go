package rulebook

import (
	"reflect"
	"strings"

	"cel.dev/cel-go/common/types"

	"regola.example/regola/internal/core/submission"
)

// Field is one field that rules may use, for the documentation.
type Field struct {
	Path string // such as pkg.android.permissions[].name
	Type string // of CEL
}

// Fields lists every field of the submission tree, parents first.
func Fields() []Field {
	return fieldsBelow(reflect.TypeFor[submission.Submission](), "", 0)
}

func fieldsBelow(t reflect.Type, path string, depth int) []Field {
	var out []Field
	ti := infoOf(t)
	for _, name := range ti.names {
		p := strings.TrimPrefix(path+"."+name, ".")
		ft := ti.fields[name].Type
		if inner := structOf(ft); inner != nil && depth < 8 {
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
