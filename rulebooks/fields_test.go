package rulebooks_test

import (
	"os"
	"path/filepath"
	"reflect"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
)

// computed are the dossier's fields that Go reads, not rules: who accepts what
// and until when, and where files lie.
var computed = map[string]bool{"regola": true, "packages": true, "pictures": true, "app.brand": true, "rulebooks": true, "tables": true, "backend": true, "confirmed": true, "waivers": true}

// TestFieldsRead holds that each question of the dossier and each text of a
// listing is read by some rule: nobody shall answer for nothing.
func TestFieldsRead(t *testing.T) {
	used := map[string]bool{}
	paths, err := filepath.Glob("*/*.yaml")
	require.NoError(t, err)
	word := regexp.MustCompile(`\.([a-z_]+)`)
	for _, path := range paths {
		data, err := os.ReadFile(path)
		require.NoError(t, err)
		for l := range strings.Lines(string(data)) {
			if strings.Contains(l, "given:") {
				continue
			}
			for _, m := range word.FindAllStringSubmatch(l, -1) {
				used[m[1]] = true
			}
		}
	}
	seen := 0
	var walk func(reflect.Type, string)
	walk = func(ty reflect.Type, path string) {
		switch ty.Kind() {
		case reflect.Pointer, reflect.Slice, reflect.Map:
			walk(ty.Elem(), path)
		case reflect.Struct:
			for _, f := range reflect.VisibleFields(ty) {
				name := fact.RuleName(f)
				if name == "" || computed[strings.TrimPrefix(path+"."+name, ".")] {
					continue
				}
				below := f.Type
				for below.Kind() == reflect.Pointer || below.Kind() == reflect.Slice {
					below = below.Elem()
				}
				here := strings.TrimPrefix(path+"."+name, ".")
				if below.Kind() == reflect.Struct && strings.HasSuffix(below.PkgPath(), "/dossier") && below != reflect.TypeFor[dossier.Secret]() {
					walk(below, here)
					continue
				}
				seen++
				assert.True(t, used[name], "%s: is it read by a rule?", here)
			}
		}
	}
	walk(reflect.TypeFor[dossier.Dossier](), "")
	walk(reflect.TypeFor[dossier.Texts](), "listing")
	assert.Greater(t, seen, 60)
}
