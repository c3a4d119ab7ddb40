package dossier

import (
	"reflect"
	"strings"
	"sync"

	"regola.example/regola/internal/core/fact"
)

// Question says in words what the dossier answers at a path, such as
// answers.accounts.created_in_app; empty where it answers nothing.
func Question(path string) string {
	if q := questions()[path]; q != "" {
		return q
	}
	// What rules see of a secret is not what the dossier writes.
	parent, _, _ := cutLast(path, ".")
	return questions()[parent]
}

func cutLast(s, sep string) (before, after string, found bool) {
	if i := strings.LastIndex(s, sep); i >= 0 {
		return s[:i], s[i+len(sep):], true
	}
	return s, "", false
}

var questions = sync.OnceValue(func() map[string]string {
	out := map[string]string{}
	var walk func(t reflect.Type, path string)
	walk = func(t reflect.Type, path string) {
		for _, f := range reflect.VisibleFields(t) {
			name := fact.FieldName(f)
			if name == "" {
				continue
			}
			here := name
			if path != "" {
				here = path + "." + name
			}
			if doc := f.Tag.Get("doc"); doc != "" {
				out[here] = doc
			}
			if f.Type.Kind() == reflect.Struct && f.Type.PkgPath() == t.PkgPath() {
				walk(f.Type, here)
			}
		}
	}
	walk(reflect.TypeFor[Dossier](), "")
	out["app.id"] = "the id that is registered with the store"
	out["pictures"] = "the pictures of the store page, in the folder pictures"
	out["listing"] = "the texts of the page, in listing/<locale>.yaml"
	out["rating"] = "what is in the app, for its rating, under answers: content"
	out["wording"], out["texts"] = out["listing"], out["listing"]
	return out
})
