package schema

import (
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/dossier"
)

// TestSchemaOfDossier holds that the schema names the very keys that the dossier's fields
// declare: both are read from the same tags.
func TestSchemaOfDossier(t *testing.T) {
	have := map[string]bool{}
	for root, typ := range map[string]reflect.Type{"": reflect.TypeFor[dossier.Dossier](), "listing.": reflect.TypeFor[dossier.Texts]()} {
		s := Of("dossier", "", 1, typ, true, nil, nil)
		defs, _ := s["$defs"].(map[string]any)
		var walk func(node any, path string)
		walk = func(node any, path string) {
			m, ok := node.(map[string]any)
			if !ok {
				return
			}
			if ref, ok := m["$ref"].(string); ok {
				walk(defs[strings.TrimPrefix(ref, "#/$defs/")], path)
			}
			for _, of := range []string{"allOf", "anyOf"} {
				for _, x := range listOf(m[of]) {
					walk(x, path)
				}
			}
			walk(m["items"], path)
			props, _ := m["properties"].(map[string]any)
			for name, below := range props {
				have[path+name] = true
				walk(below, path+name+".")
			}
		}
		if walk(s, root); root != "" {
			have["listing"] = true
		}
	}
	dossier.Walk(func(f *dossier.Field) {
		assert.True(t, have[f.Path], "%s stands in no schema", f.Path)
		delete(have, f.Path)
	})
	assert.Empty(t, have, "the schema names what is no field")
}

func listOf(v any) []any {
	list, _ := v.([]any)
	return list
}
